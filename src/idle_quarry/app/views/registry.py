"""The views: a row each. What makes it, which files it takes and what becomes of them, what it offers to the search."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from importlib import import_module
from pathlib import Path
from typing import cast

from PySide6.QtWidgets import QWidget

from idle_quarry.app.desk import Desk
from idle_quarry.app.widgets.basic.finder import FinderItem
from idle_quarry.library import Search
from idle_quarry.path.registry import territories
from idle_quarry.path.settings import Setting, settings_of
from idle_quarry.signal.words import format_words

#: Templates the search at the top looks through by their first letters; the Library's own search knows them all.
MOST_FOUND = 2000


def _nothing(_desk: Desk) -> Iterator[FinderItem]:
    return iter(())


def _no_file(_path: Path) -> bool:
    return False


def _leave(_desk: Desk, _paths: list[Path]) -> None:
    return None


@dataclass(frozen=True)
class ViewRow:
    """A view: its name, its module and class below `views`, whether it has a tab, the section of the guide it has,
    the files it takes, what it finds.
    """

    name: str
    module: str
    kind: str
    tab: bool = True
    guide: str = ""
    takes: Callable[[Path], bool] = _no_file
    take: Callable[[Desk, list[Path]], None] = _leave
    finds: Callable[[Desk], Iterator[FinderItem]] = _nothing

    def make(self, desk: Desk) -> QWidget:
        """Return the view. What it needs (NumPy, FFmpeg's libraries, OpenTimelineIO) is read now, and not before."""
        module = import_module(f"idle_quarry.app.views.{self.module}")
        return cast(QWidget, getattr(module, self.kind)(desk))


def to_load() -> list[str]:
    """Return what the views need, in the order in which they are wanted as a rule: their modules, and their models'."""
    views = [f"idle_quarry.app.views.{row.module}" for row in VIEWS]
    models = (
        "intake.intake",
        "proof.proof",
        "line_up.line_up",
        "jobs.jobs",
        "people.profile",
        "help.guide",
        "equipment.equipment",
        "library.many",
    )
    return [*views, *(f"idle_quarry.app.models.{name}" for name in models)]


def _is_template(path: Path) -> bool:
    return path.suffix.lower() in (".json", ".zip")


def _import(desk: Desk, paths: list[Path]) -> None:
    desk.importing.open(paths[0])


def _templates(desk: Desk) -> Iterator[FinderItem]:
    for summary in desk.read(lambda library: library.page(Search(), 0, MOST_FOUND)) or []:
        known = territories().get(summary.territory)
        called = f"{summary.territory} {known.called}" if known else summary.territory
        beside = f"{summary.working} · {summary.shelf}"
        yield FinderItem("template", summary.name, beside, partial(desk.open_stored, summary.id), called)


def _stations_and_settings(desk: Desk) -> Iterator[FinderItem]:
    document = desk.document
    if document is None:
        return
    for station in document.seen.stations:
        beside = f"{station.kind} · {format_words(station.format)}"
        yield FinderItem("station", station.name, beside, partial(_go, desk, station.id))
    names = {station.id: station.name for station in document.seen.stations}
    for setting in settings_of(document.template, desk.house.value):
        text = f"{names.get(setting.sheet, setting.sheet.capitalize())}: {setting.label}"
        also = f"{setting.follows} {setting.explained}"
        yield FinderItem("setting", text, setting.text, partial(_go_setting, desk, setting), also)


def _go(desk: Desk, station: str) -> None:
    desk.view_wanted.emit("Path")
    desk.path.choose(station)


def _go_setting(desk: Desk, setting: Setting) -> None:
    desk.view_wanted.emit("Path")
    desk.path.show_setting(setting)


def _is_media(path: Path) -> bool:
    return path.is_dir() or not _is_template(path)


def _look_at(desk: Desk, paths: list[Path]) -> None:
    desk.intake.look_at(paths)


def _clips(desk: Desk) -> Iterator[FinderItem]:
    if "intake" not in vars(desk):  # nobody has looked at clips yet
        return
    for row in desk.intake.rows.rows:
        yield FinderItem("clip", row.path.name, row.format_words, partial(_choose_clip, desk, row.path))


def _choose_clip(desk: Desk, path: Path) -> None:
    desk.view_wanted.emit("Intake")
    desk.intake.choose(path)


def _jobs(desk: Desk) -> Iterator[FinderItem]:
    for record in desk.read(lambda library: library.jobs()) or []:
        beside = f"{record.template_name}, revision {record.revision}"
        yield FinderItem("job", record.title, beside, partial(_choose_job, desk, record.id))


def _choose_job(desk: Desk, job_id: str) -> None:
    desk.view_wanted.emit("Jobs")
    desk.jobs.choose(job_id)


VIEWS = (
    ViewRow(
        "Library",
        "library.view",
        "LibraryView",
        guide="Find and open",
        takes=_is_template,
        take=_import,
        finds=_templates,
    ),
    ViewRow("Path", "path.view", "PathView", guide="Work on a template", finds=_stations_and_settings),
    ViewRow(
        "Intake", "intake.view", "IntakeView", guide="Find out what clips", takes=_is_media, take=_look_at, finds=_clips
    ),
    ViewRow("Proof", "proof.view", "ProofView", guide="codecs and disks"),
    ViewRow("Line-up", "line_up.view", "LineUpView", guide="Line up a bay"),
    ViewRow("Jobs", "jobs.view", "JobsView", guide="Start and check a job", finds=_jobs),
    ViewRow("Profile", "profile.view", "ProfileView", tab=False, guide="Your profile"),
    ViewRow("Guide", "guide.view", "GuideView", tab=False),
)

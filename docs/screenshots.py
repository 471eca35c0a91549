"""Makes the pictures of `docs/screenshots` anew, on the demo library in a home of its own: run it under Xvfb.

`PYTHONPATH=src xvfb-run -a -s "-screen 0 1600x1000x24" .venv/bin/python docs/screenshots.py [NAME ...]`
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

#: A home that is kept (PICTURES_HOME) has the demo's finished work already, which takes a minute to make.
HOME = os.environ.get("PICTURES_HOME") or tempfile.mkdtemp()
for name in ("DATA", "CONFIG", "CACHE", "STATE"):
    os.environ[f"XDG_{name}_HOME"] = f"{HOME}/{name.lower()}"

from PySide6.QtCore import QEventLoop, QItemSelectionModel, QTimer  # noqa: E402
from PySide6.QtWidgets import QApplication, QComboBox, QPushButton, QTableView, QWidget  # noqa: E402

from idle_quarry.app.appearance.style import prepare  # noqa: E402
from idle_quarry.app.appearance.theme import theme  # noqa: E402
from idle_quarry.app.desk import Desk  # noqa: E402
from idle_quarry.app.preferences import Preferences  # noqa: E402
from idle_quarry.app.shell.window import MainWindow  # noqa: E402
from idle_quarry.app.widgets.basic.ask_bar import AskBar  # noqa: E402
from idle_quarry.app.widgets.basic.tabs import Tabs  # noqa: E402
from idle_quarry.demo.finish import TITLE, finish  # noqa: E402
from idle_quarry.demo.lay_out import lay_out  # noqa: E402
from idle_quarry.jobs.left_over import list_job  # noqa: E402
from idle_quarry.jobs.start import start_job  # noqa: E402
from idle_quarry.library import open_library  # noqa: E402
from idle_quarry.library.files.bundles import export_bundle  # noqa: E402
from idle_quarry.media.sequences import clips_among  # noqa: E402
from idle_quarry.path.changes.edits import Edit, edited  # noqa: E402
from idle_quarry.printing import write_pdf  # noqa: E402

OUT = Path(__file__).resolve().parent / "screenshots"


def wait(ready: Callable[[], bool] = lambda: True, least_ms: int = 400) -> None:
    """Let the window work for a while, and until something is so; two minutes at the most."""
    end = time.monotonic() + 120
    while True:
        loop = QEventLoop()
        QTimer.singleShot(least_ms, loop.quit)
        loop.exec()
        if ready() or time.monotonic() > end:
            return


def press(inside: QWidget, text: str) -> None:
    """Press a button by its text."""
    next(item for item in inside.findChildren(QPushButton) if item.text() == text and item.isVisible()).click()


class Pictures:
    """The window, and what brings each picture about."""

    def __init__(self) -> None:
        app = QApplication(["idle-quarry"])
        prepare(app)
        theme.apply(app, "dim room", 100)
        place = lay_out(write_pdf)
        self.desk = Desk(open_library(place, "Runa"), Preferences(name="Runa", jobs_folder=f"{HOME}"))
        self.clips = place.parent / "clips"
        self.window = MainWindow(self.desk)
        self.window.resize(1280, 800)
        self.window.show()

    def open(self, name: str) -> None:
        self.desk.open_stored(self.desk.library.find(name).id)

    def idle(self) -> bool:
        return self.desk.workers.idle

    def library(self) -> None:
        self.window.show_view("Library")
        self.desk.shelf.choose(self.desk.library.find("Saltmarsh Hours").id)

    def review(self) -> None:
        library = self.desk.library
        proposed = next(summary for summary in library.summaries() if summary.latest.state == "in review")
        self.window.show_view("Library")
        self.desk.shelf.choose(proposed.id)
        self.desk.shelf.compare(proposed.approved or proposed.latest.number - 1, proposed.latest.number)

    def merge(self) -> None:
        library = self.desk.library
        two = next(summary for summary in library.summaries() if len(library.open_drafts(summary.id)) > 1)
        self.window.show_view("Library")
        self.desk.shelf.choose(two.id)
        drafts = library.open_drafts(two.id)
        self.desk.shelf.merge(two.id, drafts[0].number, drafts[1].number)

    def import_(self) -> None:
        library = self.desk.library
        stored = [library.stored(summary.id) for summary in library.summaries()][:4]
        changed = replace(stored[0], template=edited(stored[0].template, Edit("note", "as the north room has it")))
        new = replace(stored[1], template=edited(stored[1].template, Edit("name", "Ferry Lights")))
        export_bundle([changed, new, *stored[2:]], Path(HOME) / "north room.zip")
        self.window.take_files([Path(HOME) / "north room.zip"])

    def standard_set(self) -> None:
        self.window.show_view("Library")
        self.desk.shelf.show_standard_set()
        model = self.desk.standard_set
        model.choose(territory="50 Hz", on=True)
        model.choose(lines=1080, on=True)
        model.choose(lines=576, on=True)

    def equipment(self) -> None:
        self.window.show_view("Library")
        self.desk.open_stored(self.desk.library.find("Ferry Talk").id)
        self.window.show_view("Library")
        equipment = self.desk.equipment
        self.desk.shelf.show_equipment(next(row.ident for row in equipment.rows if row.entry.name == "Bay 4 panel"))
        wait(lambda: equipment.uses is not None)

    def line_up(self) -> None:
        self.open("The Lamp Room")
        self.window.show_view("Line-up")
        self.desk.line_up.show_page("Output")
        wait(lambda: bool(self.desk.line_up.words.rate()), 3000)

    def record(self) -> None:
        self.open("The Lamp Room")
        self.window.show_view("Line-up")
        self.desk.line_up.show_page("Record")
        deck = self.desk.line_up.deck
        deck.put_in(self.clips / "lamp tape 021 wide.mpg")
        wait(lambda: deck.seen is not None)
        deck.wear_out(True)
        wait(lambda: deck.seen is not None, 1000)
        takes = Path(HOME) / "takes"
        takes.mkdir(exist_ok=True)
        deck.recording.want(folder=str(takes), name="tape 21")
        deck.recording.mark("in", "00:00:00:05")
        deck.recording.asked.connect(lambda choice: list(choice.answers.values())[-1]())
        deck.recording.record()
        wait(lambda: len(deck.recording.takes) > 1 and deck.recording.takes[-1].wrong is not None)
        self.window.view("Line-up").findChild(AskBar).hide()

    def many(self) -> None:
        self.window.show_view("Library")
        self.desk.shelf.look_for(typed="")
        self.desk.shelf.show_table()
        many = self.desk.many
        wait(lambda: bool(many.ids))
        names = ("House HD 50i", "Saltmarsh Hours", "The Lamp Room")
        table = self.window.view("Library").findChild(QTableView)
        for row, ident in enumerate(many.ids):
            if many.text(ident, 0) in names:
                chosen = QItemSelectionModel.SelectionFlag.Select | QItemSelectionModel.SelectionFlag.Rows
                table.selectionModel().select(table.model().index(row, 0), chosen)
        wait(lambda: any(item.place == "monitor.monitor" for item in many.offers))
        offer = next(item for item in many.offers if item.place == "monitor.monitor")
        for box in self.window.view("Library").findChildren(QComboBox):
            if box.accessibleName() == "The setting that is changed":
                box.setCurrentText(offer.label)
            elif box.accessibleName() == "What it is changed to":
                box.setCurrentText("Lounge television")
        many.look(offer.place, "Lounge television")

    def path(self) -> None:
        self.open("Saltmarsh Hours")
        self.window.show_view("Path")

    def intake(self) -> None:
        self.desk.profile.dress("dim room", 100)
        self.open("Saltmarsh Hours")
        self.window.show_view("Intake")
        intake = self.desk.intake
        if not intake.rows.rows:
            intake.look_at([self.clips])
            wait(lambda: not intake.running)
        intake.choose(next(row.path for row in intake.rows.rows if "tape 014" in row.name))

    def intake_levels(self) -> None:
        self.intake()
        self._tab("Levels")

    def _tab(self, name: str) -> None:
        for tabs in self.window.view("Intake").findChildren(Tabs):
            if name in tabs.buttons:
                tabs.buttons[name].click()

    def two_ends(self) -> None:
        self.intake()
        press(self.window, "Two ends")
        for words in ("1080i25", "576i25"):
            self.desk.intake.two_ends.add_out(words)

    def proof(self) -> None:
        self.desk.profile.dress("dim room", 100)
        self.open("Saltmarsh Hours")
        self.window.show_view("Proof")
        self.desk.proof.choose("source:tape")
        self.desk.proof.show_page("Pictures")

    def proof_codecs(self) -> None:
        self.open("The Lamp Room")
        self.window.show_view("Proof")
        self.desk.proof.show_page("Codecs")
        if not self.desk.proof.codecs.results:
            self.desk.proof.codecs.run()

    def jobs(self) -> None:
        self.window.show_view("Jobs")
        self.desk.jobs.show_page("Overview")

    def cuts(self) -> None:
        """A list of the 59.94 Hz show: tapes of both counts, film at 23.976, a tape that is gone."""
        jobs, demo, library = self.desk.jobs, self.clips.parent, self.desk.library
        stored = library.stored(library.find("house/Sheet Seven").id)
        started = start_job(stored, "Sheet Seven week 4", demo / "jobs", write_pdf, "Tamsin")
        list_job(library, started, "Sheet Seven week 4", stored, "Tamsin")
        jobs.reload()
        self.window.show_view("Jobs")
        jobs.choose(next(record.id for record in jobs.records if record.template_name == "Sheet Seven"))
        jobs.show_page("Cuts")
        wait(lambda: jobs.cuts.job is not None)
        jobs.cuts.look_in(demo / "clips")
        jobs.cuts.read(demo / "cuts" / "sheet seven week 3.edl")
        wait(lambda: jobs.cuts.report is not None)
        jobs.cuts.choose(4)

    def trial(self) -> None:
        self.window.show_view("Jobs")
        jobs = self.desk.jobs
        trial = jobs.trial
        jobs.choose(next(record.id for record in jobs.records if record.template_name == "The Lamp Room"))
        jobs.show_page("Trial")
        wait(lambda: trial.opened["lower"] is not None)
        trial.material.add(clips_among([self.clips]))
        wait(lambda: len(trial.material.rows) > 4 and not trial.material.doing)
        trial.laying.new_timeline("Selections", lambda _why: None)
        wait(lambda: trial.opened["upper"] is not None)
        clips = {row.entry.path.name: row.entry.path for row in trial.material.rows if row.source is not None}
        named = [clips[name] for name in sorted(clips) if name.startswith("lamp")]
        trial.look_at("upper")
        for number, path in enumerate((*named, *named)):
            trial.show_clip(path)
            trial.playhead.go(4 + 5 * (number % 3))
            trial.playhead.mark("in")
            trial.playhead.go(44)
            trial.playhead.mark("out")
            trial.laying.lay("add")
        trial.look_at("upper")
        trial.playhead.go(0)
        trial.playhead.mark("in")
        trial.playhead.go(180)
        trial.playhead.mark("out")
        for _ in range(2):
            trial.laying.lay("add")
        trial.look_at("lower")
        trial.playhead.go(110)
        wait(lambda: trial.player.seen is not None and trial.player.seen.frame == 110)

    def hand_over(self) -> None:
        """The demo's finished episode, verified: one thing is wrong with it."""
        finish(self.desk.library, write_pdf)
        jobs = self.desk.jobs
        self.window.show_view("Jobs")
        jobs.reload()
        jobs.choose(next(item.id for item in jobs.records if item.title == TITLE))
        jobs.show_page("Hand-over")
        model = jobs.handover
        wait(lambda: model.job is not None and bool(model.timelines()))
        assert model.job is not None
        delivery = next(item for item in model.deliveries() if item.id == "sd-50")
        model.verify([model.job.folder / "06 Deliveries" / "lamp room 2.mxf"], delivery)
        wait(lambda: not model.doing and model.measured is not None)
        model.look_at("field_order")

    def renders(self) -> None:
        """What the trial built, half rendered."""
        if self.desk.jobs.trial.opened["lower"] is None:
            self.trial()
        model, place = self.desk.jobs.renders, Path(tempfile.gettempdir()) / "render disk"
        place.mkdir(exist_ok=True)
        self.desk.jobs.show_page("Renders")
        wait(lambda: model.seen is not None)
        model.settle(place, system_disk=True)
        wait(lambda: model.seen is not None and model.seen.settled.store is not None)
        model.render()
        wait(lambda: model.seen is not None and sum(row.stood.state == "rendered" for row in model.seen.rows) > 4)
        model.pause(True)
        wait(lambda: model.seen is not None and model.seen.paused)


def main() -> None:
    """Make them all, or those that are named."""
    pictures = Pictures()
    acts = {
        name: getattr(pictures, name)
        for name in vars(Pictures)
        if not name.startswith("_") and name not in ("open", "idle")
    }
    for name in sys.argv[1:] or acts:
        acts[name.replace("-", "_")]()
        wait(pictures.idle, 1200)
        pictures.window.grab().save(str(OUT / f"{name.strip('_').replace('_', '-')}.png"))
    pictures.window.close()
    pictures.desk.close()


if __name__ == "__main__":
    main()

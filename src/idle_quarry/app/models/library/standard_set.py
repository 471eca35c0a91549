"""The standard set of a house: what it makes and where it keeps its work, and the templates that follow from that."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.background.workers import Ticket
from idle_quarry.app.destinations import ShowShelfPage
from idle_quarry.errors import NotUnderstood, QuarryError
from idle_quarry.files import is_folder
from idle_quarry.path.beginning.beginnings import work_places
from idle_quarry.path.beginning.standard_set import lines_of, needed_mb_s, offered, starter_set
from idle_quarry.path.registry import deliveries, territories
from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import Disk, StoragePlace
from idle_quarry.proof.disks import DiskError, Speed, keep, measure, measured, volume_of
from idle_quarry.proof.work_place import Verdict, judged
from idle_quarry.signal.words import format_words

if TYPE_CHECKING:
    from idle_quarry.app.door import Door

_RASTERS = {
    480: "480 lines (SD, 525 systems)",
    576: "576 lines (SD, 625 systems)",
    858: "858 lines (2K scope)",
    1080: "1080 lines (HD)",
    1920: "1920 lines (upright)",
    2160: "2160 lines (UHD)",
}
#: What the template calls a kind of disk.
_DISKS: dict[str, Disk] = {"system": "system", "network": "network", "local": "external", "memory": "not known"}


@dataclass(frozen=True)
class SetRow:
    """A template of the set in words, and whether the shelf has it already."""

    text: str
    there: bool


class StandardSet(QObject):
    """`offered_changed`: other deliveries fit.

    `listed`: other templates follow; `judged`: something is said of the place; `measuring_changed`: its disk is
    measured, or no longer, or how far that is.
    """

    offered_changed = Signal()
    listed = Signal()
    judged = Signal()
    measuring_changed = Signal(str, float)

    def __init__(self, door: Door) -> None:
        super().__init__()
        self.door = door
        self.territories: set[str] = set()
        self.lines: set[int] = set()
        self.left_out: set[str] = set()  #: deliveries that fit and are not wanted
        self.folder = door.preferences.work_folder
        self.templates: list[Template] = []
        self.rows: list[SetRow] = []
        self.ticket: Ticket | None = None

    # -- what is chosen --------------------------------------------------------------------------------------

    def choose(self, *, territory: str = "", lines: int = 0, on: bool) -> None:
        """Take a territory or a raster in, or leave it out."""
        if territory:
            (self.territories.add if on else self.territories.discard)(territory)
        if lines:
            (self.lines.add if on else self.lines.discard)(lines)
        self.offered_changed.emit()
        self.list_anew()

    def want(self, delivery: str, on: bool) -> None:
        """Take a delivery that fits, or leave it out."""
        (self.left_out.discard if on else self.left_out.add)(delivery)
        self.list_anew()

    def offered(self) -> list[str]:
        """Return the ids of the deliveries that fit territories and rasters."""
        return [spec.id for spec in offered(self.territories, self.lines)]

    def chosen(self) -> list[str]:
        """Return the ids of the deliveries that are wanted."""
        return [ident for ident in self.offered() if ident not in self.left_out]

    def keep_work_in(self, folder: str) -> None:
        """Say where work is kept."""
        try:
            work_places(folder.strip())
        except NotUnderstood as error:
            self.door.refuse(error)
            folder = ""
        self.folder = folder.strip()
        self.judged.emit()

    def _path(self) -> Path:
        return Path(self.folder or "/nowhere").expanduser()

    def _places(self) -> tuple[StoragePlace, ...]:
        folder = self.folder
        disk: Disk = "not known"
        try:
            if folder:
                disk = _DISKS[volume_of(Path(folder)).kind]
        except DiskError:
            pass
        speed = measured().get(folder)
        plays = round(speed.read_mb_s) if speed and speed.read_mb_s >= 1 else None
        return work_places(folder, disk, plays)

    def list_anew(self) -> None:
        """Work out what would be made, and what is there already."""
        every = starter_set(self.chosen(), self._places())
        there = self.door.read(
            lambda library: {template.name for template in every if library.named(template.name, "house")}
        )
        if there is None:
            return
        self.templates = [template for template in every if template.name not in there]
        self.rows = [SetRow(_row_words(template, template.name in there), template.name in there) for template in every]
        self.listed.emit()
        self.judged.emit()

    # -- the place of work -------------------------------------------------------------------------------------

    def verdicts(self) -> list[Verdict]:
        """Return what is to be said of the folder."""
        return judged(Path(self.folder).expanduser(), measured().get(self.folder), needed_mb_s(self.templates))

    @property
    def begun(self) -> bool:
        """Whether anything was said yet: before that, nothing is wrong."""
        return bool(self.folder or self.chosen())

    @property
    def can_be_measured(self) -> bool:
        return is_folder(self._path()) and self.ticket is None

    @property
    def can_be_made(self) -> bool:
        path = self._path()
        return bool(self.templates) and path.is_absolute() and is_folder(path)

    def verb_words(self) -> str:
        """Return what the button does, and that it is done all the same where the place speaks against it."""
        count = len(self.templates)
        text = f"Put {count} on the house shelf" if count else "Put them on the house shelf"
        stops = any(verdict.severity == "stop" for verdict in self.verdicts())
        return f"{text} all the same" if stops and self.can_be_made else text

    def sum_words(self) -> str:
        """Return what stands in place of a list that would be empty."""
        if self.templates:
            return ""
        return "All of it is there already." if self.rows else "Nothing yet."

    def measure(self) -> None:
        """Measure how fast the folder's disk is."""
        folder = self._path()

        def ended() -> None:
            self.ticket = None
            self.measuring_changed.emit("", 1.0)

        def done(speed: Speed) -> None:
            ended()
            keep(speed)
            self.door.documents.disks_measured()
            self.list_anew()

        def failed(error: QuarryError) -> None:
            ended()
            self.door.refuse(error)
            self.judged.emit()

        self.ticket = self.door.workers.start(
            lambda ticket: measure(folder, ticket.progress, most_seconds=2.0), done, failed, self.measuring_changed.emit
        )
        self.measuring_changed.emit("measuring", 0.0)

    # -- doing -------------------------------------------------------------------------------------------------

    def make(self) -> None:
        """Put the templates on the house shelf as drafts; names that came there meanwhile are left alone."""

        def done(count: int) -> None:
            self.door.preferences.work_folder = self.folder
            if count:
                self.door.say(
                    f"{count} templates are on the house shelf as drafts. Look at each, and send it to review."
                )
                self.door.go(ShowShelfPage(""))
            self.list_anew()

        self.door.acts.put_on_house_shelf(starter_set(self.chosen(), self._places()), "from the standard set", done)


def _row_words(template: Template, there: bool) -> str:
    if there:
        return f"{template.name}\non the house shelf already: left as it is"
    outs = ", ".join(out.name for out in template.deliveries)
    return f"{template.name}\n{format_words(template.working.format, fields=True)} · delivers {outs}"


def raster_words() -> dict[int, str]:
    """Return the rasters that are delivered anywhere, in words, by their lines."""
    present = sorted({lines_of(delivery) for delivery in deliveries().values()})
    return {lines: _RASTERS.get(lines, f"{lines} lines") for lines in present}


def territory_titles() -> dict[str, str]:
    """Return the territories by their ids, as people call them."""
    return {territory.id: territory.title for territory in territories().values()}


def delivery_words() -> dict[str, str]:
    """Return every standard delivery in words, by its id."""
    return {delivery.id: f"{delivery.name}  ·  {format_words(delivery.signal)}" for delivery in deliveries().values()}

"""Proof, disks: the places of the template as they are on this machine, measured, and what the program itself keeps."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.desk import Desk
from idle_quarry.app.roles import on
from idle_quarry.app.sizes import sized
from idle_quarry.app.widgets.basics import ProgressBar, button, label
from idle_quarry.app.work import Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.path.codecs import holding, mbps
from idle_quarry.path.edits import Edit
from idle_quarry.path.findings.coding import MARGIN
from idle_quarry.path.registry import codecs
from idle_quarry.path.template import Place, Template
from idle_quarry.proof.disks import (
    DiskError,
    Holding,
    Speed,
    Volume,
    clear,
    holdings,
    keep,
    measure,
    measured,
    volume_of,
)
from idle_quarry.signal.words import format_words

_KINDS = {
    "system": "the system disk", "network": "a network share", "memory": "the machine's memory, not a disk",
    "local": "a disk of its own",
}  # fmt: skip
#: What the template calls a kind of disk.
_DISKS = {"system": "system", "network": "network", "local": "internal"}


@dataclass(frozen=True)
class PlaceFound:
    """A place as it is on this machine; `volume` is None where it cannot be looked at, and `trouble` says why."""

    place: Place | None
    path: Path
    there: bool
    volume: Volume | None
    trouble: str
    speed: Speed | None


@dataclass(frozen=True)
class Survey:
    """Everything the page shows, looked up in one go off the interface thread."""

    template: Template
    places: list[PlaceFound]
    kept: list[Holding]


def _surveyed(
    template: Template, asked: list[tuple[Place | None, Path]], jobs: dict[str, Path], _ticket: Ticket
) -> Survey:
    known = measured()
    found = []
    for place, path in asked:
        volume, trouble = None, ""
        try:
            volume = volume_of(path)
        except DiskError as error:
            trouble = str(error)
        found.append(PlaceFound(place, path, path.is_dir(), volume, trouble, known.get(str(path))))
    return Survey(template, found, holdings(jobs))


class DisksPage(QWidget):
    """Places and disks. `show_template` reads the open template's places."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._ticket: Ticket | None = None
        self._others: list[Path] = []
        self.progress = ProgressBar()
        sized(self.progress).setContentsMargins(16, 0, 16, 4)
        self._inside = QScrollArea()
        self._inside.setWidgetResizable(True)
        self._inside.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        head = QHBoxLayout()
        sized(head).setContentsMargins(16, 5, 16, 0)
        note = "Speeds are measured with a file of up to 1 GB that has no name and is gone whatever happens."
        head.addWidget(label(note, "dust", wrap=True), 1)
        self.other_button = button("Another folder", self._ask_folder)
        head.addWidget(self.other_button)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        sized(column).setSpacing(4)
        column.addLayout(head)
        column.addWidget(self.progress)
        column.addWidget(self._inside, 1)
        self.rows: dict[str, PlaceRow] = {}

    def show_template(self) -> None:
        """Show the open template's places, other folders that were asked for, and what the program keeps."""
        document = self.desk.document
        if document is None:
            return
        asked: list[tuple[Place | None, Path]] = [(p, Path(p.path or "/")) for p in document.template.places]
        asked += [(None, path) for path in self._others]
        jobs: dict[str, Path] = {}
        try:
            jobs = {job.title: Path(job.folder) for job in self.desk.library.jobs()}
        except QuarryError as error:
            self.desk.refuse(error)
        # a share that does not answer must not hold up the window
        self.desk.workers.start(partial(_surveyed, document.template, asked, jobs), self._show, self.desk.refuse)

    def _show(self, survey: Survey) -> None:
        body = QWidget()
        column = QVBoxLayout(body)
        sized(column).setContentsMargins(16, 0, 16, 8)
        sized(column).setSpacing(6)
        self.rows = {}
        for found in survey.places:
            self._add_row(column, PlaceRow(survey.template, found), found.place.id if found.place else str(found.path))
        if not self.rows:
            column.addWidget(
                label("The template names no places yet: add them in its Path, or look at another folder here.", "dust")
            )
        column.addWidget(self._kept(survey.kept))
        column.addStretch(1)
        self._inside.setWidget(body)

    def _add_row(self, column: QVBoxLayout, row: PlaceRow, key: str) -> None:
        row.measure_button.clicked.connect(lambda: self.measure(row.path))
        row.take_button.clicked.connect(lambda: self._take(row))
        self.rows[key] = row
        column.addWidget(row)

    def _ask_folder(self) -> None:
        path = QFileDialog.getExistingDirectory(self, "A folder on the disk to look at", str(Path.home()))
        if path:
            self.look_at(Path(path))

    def look_at(self, path: Path) -> None:
        """Look at another folder's disk."""
        if path not in self._others:
            self._others.append(path)
        self.show_template()

    # -- measuring -------------------------------------------------------------------------------------

    def measure(self, path: Path) -> None:
        """Measure how fast a folder's disk is."""
        if self._ticket is not None:
            self.desk.say("One disk at a time: two would be measured as half of each.")
            return
        self._ticket = self.desk.workers.start(partial(_measured, path), self._done, self._failed, self.progress.step)
        self.progress.begin(f"measuring {path}", self._ticket.cancel)

    def _done(self, speed: Speed) -> None:
        self._ticket = None
        self.progress.hide()
        self.desk.disks_measured()
        self.show_template()
        self.desk.say(
            f"{speed.path} writes {speed.write_mb_s:.0f} and reads {speed.read_mb_s:.0f} MB/s. Findings go by that from now on."
        )

    def _failed(self, error: QuarryError) -> None:
        self._ticket = None
        self.progress.hide()
        self.desk.refuse(error)

    def _take(self, row: PlaceRow) -> None:
        """Write what was measured into the template, where others see it too."""
        document = self.desk.document
        if document is None or row.place is None or row.speed is None:
            return
        edits = [Edit(f"places.{row.place.id}.plays_mb_s", float(round(row.speed.read_mb_s)))]
        if row.volume is not None and row.volume.kind in _DISKS and row.place.disk == "not known":
            edits.append(Edit(f"places.{row.place.id}.disk", _DISKS[row.volume.kind]))
        try:
            document.apply(f"Measured speed of {row.place.name}", *edits)
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self.desk.say(
            f"{row.place.name} plays {row.speed.read_mb_s:.0f} MB/s in the template now.",
            action=("Undo", document.undo_stack.undo),
        )

    # -- what the program keeps ------------------------------------------------------------------------

    def _kept(self, kept: list[Holding]) -> QWidget:
        box = QFrame()
        on(box, "bench")
        grid = QGridLayout(box)
        sized(grid).setContentsMargins(12, 6, 12, 6)
        sized(grid).setHorizontalSpacing(18)
        grid.addWidget(label("What the program keeps", "head"), 0, 0, 1, 4)
        self.clear_buttons: dict[str, QPushButton] = {}
        for number, holding_ in enumerate(kept, 1):
            grid.addWidget(label(holding_.job or "This machine's memory", "dust"), number, 0)
            grid.addWidget(label(holding_.name), number, 1)
            size = label(f"{_bytes(holding_.bytes)} in {holding_.files} file{'s' if holding_.files != 1 else ''}")
            size.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            grid.addWidget(size, number, 2)
            if holding_.clearable:
                made = button("Clear", partial(self._clear, holding_), quiet=True)
                made.setEnabled(holding_.bytes > 0)
                made.setAccessibleName(f"Clear {holding_.name}")
                self.clear_buttons[holding_.name] = made
                grid.addWidget(made, number, 3)
        grid.setColumnStretch(1, 1)
        return box

    def _clear(self, holding_: Holding) -> None:
        try:
            freed = clear(holding_)
        except DiskError as error:
            self.desk.refuse(error)
            return
        self.desk.disks_measured()
        self.show_template()
        self.desk.say(f"{_bytes(freed)} of {holding_.name} cleared; they are made again when they are wanted.")


class PlaceRow(QFrame):
    """One place: what it lies on, what fits, how fast it is, and how many streams of which codec it plays."""

    def __init__(self, template: Template, found: PlaceFound) -> None:
        super().__init__()
        on(self, "bench")
        place, path, speed = self.place, self.path, self.speed = found.place, found.path, found.speed
        self.volume, self._trouble = found.volume, found.trouble
        column = QVBoxLayout(self)
        sized(column).setContentsMargins(12, 6, 12, 7)
        sized(column).setSpacing(2)
        head = QHBoxLayout()
        head.addWidget(label(_named(place), "head"))
        head.addWidget(label(str(path), "dust"))
        head.addStretch(1)
        self.take_button = button("Put into the template", lambda: None, quiet=True)
        self.measure_button = button("Measure", lambda: None)
        head.addWidget(self.take_button)
        head.addWidget(self.measure_button)
        column.addLayout(head)
        there = found.there
        for text, role in self._texts(template, there):
            column.addWidget(label(text, role, wrap=True))
        self.measure_button.setEnabled(there)
        self.measure_button.setText("Measure again" if speed else "Measure")
        known = place is not None and speed is not None and place.plays_mb_s != float(round(speed.read_mb_s))
        self.take_button.setVisible(known)

    def _texts(self, template: Template, there: bool) -> list[tuple[str, str]]:
        volume = self.volume
        if volume is None:
            return [(self._trouble, "refusal")]
        said = f"{self.place.plays_mb_s:g} MB/s entered. " if self.place and self.place.plays_mb_s else ""
        if not there:
            return [(f"{said}There is no such folder on this machine: it cannot be measured here.", "dust")]
        texts = [(
            f"On {_KINDS[volume.kind]}: {volume.filesystem} at {volume.mount} ({volume.device}), {_bytes(volume.free)} free of {_bytes(volume.total)}"
            + ("" if volume.writable else "; not writable for you"),
            "refusal" if volume.kind == "system" or not volume.writable else "",
        )]  # fmt: skip
        codec, fmt = codecs()[template.intermediate.codec], template.intermediate_format
        rate = mbps(codec, fmt)
        hours = volume.free / (rate * 1e6 / 8) / 3600
        texts.append((f"{_long(hours)} of {codec.name} at {format_words(template.working.format)} fit", ""))
        if self.speed is None:
            texts.append((f"{said}Not measured on this machine yet.", "dust"))
            return texts
        how = "past the system's memory" if self.speed.past_memory else "not past the system's memory: it may flatter"
        texts.append((
            f"Writes {self.speed.write_mb_s:.0f} MB/s, flushed; reads {self.speed.read_mb_s:.0f} MB/s, {how}; "
            f"{self.speed.when[:16].replace('T', ' ')} UTC. {said}", "good",
        ))  # fmt: skip
        texts.append((f"Plays, with a fifth in reserve: {_streams(template, self.speed)}", ""))
        return texts


def _streams(template: Template, speed: Speed) -> str:
    """Return how many streams of each codec a disk plays, in words, lowest data rate first."""
    fmt, room = template.working.format, speed.read_mb_s * MARGIN
    found = []
    for codec in holding(fmt):
        count = int(room // (mbps(codec, fmt) / 8))
        found.append(f"{codec.name} {count if count < 100 else 'over 99'}")
    return " · ".join(found)


def _named(place: Place | None) -> str:
    if place is None:
        return "Another folder"
    return place.name if place.name.lower() == place.purpose else f"{place.name}, for {place.purpose}"


def _long(hours: float) -> str:
    return f"{hours:.3g} hours" if hours >= 1 else f"{60 * hours:.2g} minutes"


def _bytes(count: int) -> str:
    for unit, size in (("TB", 1e12), ("GB", 1e9), ("MB", 1e6), ("kB", 1e3)):
        if count >= size:
            return f"{count / size:.3g} {unit}"
    return f"{count} bytes"


def _measured(path: Path, ticket: Ticket) -> Speed:
    speed = measure(path, ticket.progress)
    keep(speed)
    return speed

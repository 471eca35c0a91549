"""Proof, disks: the places of the template as they are on this machine, measured, and what the program itself keeps."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.background.workers import Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.path.changes.edits import Edit
from idle_quarry.path.codecs import holding, mbps
from idle_quarry.path.findings.coding import MARGIN
from idle_quarry.path.registry import codecs
from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import StoragePlace
from idle_quarry.proof.disks import (
    DiskError,
    KeptData,
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

if TYPE_CHECKING:
    from idle_quarry.app.door import Door

_KINDS = {
    "system": "the system disk",
    "network": "a network share",
    "memory": "the machine's memory, not a disk",
    "local": "a disk of its own",
}
#: What the template calls a kind of disk.
_DISKS = {"system": "system", "network": "network", "local": "internal"}


@dataclass(frozen=True)
class PlaceStatus:
    """A place as it is on this machine; `volume` is None where it cannot be looked at, and `trouble` says why."""

    template: Template
    place: StoragePlace | None
    path: Path
    there: bool
    volume: Volume | None
    trouble: str
    speed: Speed | None

    @property
    def key(self) -> str:
        return self.place.id if self.place else str(self.path)

    @property
    def can_be_put_in(self) -> bool:
        """Whether what was measured is not what the template says."""
        if self.place is None or self.speed is None:
            return False
        return self.place.plays_mb_s != float(round(self.speed.read_mb_s))

    def name_words(self) -> str:
        if self.place is None:
            return "Another folder"
        same = self.place.name.lower() == self.place.purpose
        return self.place.name if same else f"{self.place.name}, for {self.place.purpose}"

    def lines(self) -> list[tuple[str, str]]:
        """Return what is to be said of the place, each with the role of its text."""
        if self.volume is None:
            return [(self.trouble, "refusal")]
        text = f"{self.place.plays_mb_s:g} MB/s entered. " if self.place and self.place.plays_mb_s else ""
        if not self.there:
            return [(f"{text}There is no such folder on this machine: it cannot be measured here.", "dust")]
        volume, bad = self.volume, self.volume.kind == "system" or not self.volume.writable
        results = [
            (
                f"On {_KINDS[volume.kind]}: {volume.filesystem} at {volume.mount} ({volume.device}), "
                f"{bytes_words(volume.free)} free of {bytes_words(volume.total)}"
                + ("" if volume.writable else "; not writable for you"),
                "refusal" if bad else "",
            )
        ]
        codec, fmt = codecs()[self.template.intermediate.codec], self.template.intermediate_format
        hours = volume.free / (mbps(codec, fmt) * 1e6 / 8) / 3600
        results.append((f"{_long(hours)} of {codec.name} at {format_words(self.template.working.format)} fit", ""))
        if self.speed is None:
            return [*results, (f"{text}Not measured on this machine yet.", "dust")]
        how = "past the system's memory" if self.speed.past_memory else "not past the system's memory: it may flatter"
        when = self.speed.when[:16].replace("T", " ")
        results.append(
            (
                (
                    f"Writes {self.speed.write_mb_s:.0f} MB/s, flushed; reads {self.speed.read_mb_s:.0f} MB/s, {how};"
                    f" {when} UTC. {text}"
                ),
                "good",
            )
        )
        return [*results, (f"Plays, with a fifth in reserve: {_streams(self.template, self.speed)}", "")]


class Disks(QObject):
    """`changed`: places were looked at anew; `progressed`: how far measuring is ("" when it has ended)."""

    changed = Signal()
    progressed = Signal(str, float)

    def __init__(self, door: Door) -> None:
        super().__init__()
        self.door = door
        self.places: list[PlaceStatus] = []
        self.program_data: list[KeptData] = []
        self._others: list[Path] = []
        self._ticket: Ticket | None = None

    def show_template(self) -> None:
        """Look at the open template's places, other folders that were asked for, and what the program keeps."""
        document = self.door.document
        if document is None:
            return
        template = document.template
        asked: list[tuple[StoragePlace | None, Path]] = [(p, Path(p.path or "/")) for p in template.places]
        asked += [(None, path) for path in self._others]
        jobs = self.door.read(lambda library: {job.title: Path(job.folder) for job in library.jobs()}) or {}
        # a share that does not answer must not hold up the window
        self.door.workers.start(
            lambda _ticket: (_surveyed(template, asked), holdings(jobs)), self._surveyed, self.door.refuse
        )

    def _surveyed(self, results: tuple[list[PlaceStatus], list[KeptData]]) -> None:
        self.places, self.program_data = results
        self.changed.emit()

    def look_at(self, path: Path) -> None:
        """Look at another folder's disk."""
        if path not in self._others:
            self._others.append(path)
        self.show_template()

    def measure(self, path: Path) -> None:
        """Measure how fast a folder's disk is."""
        if self._ticket is not None:
            self.door.say("One disk at a time: two would be measured as half of each.")
            return

        def work(ticket: Ticket) -> Speed:
            speed = measure(path, ticket.progress)
            keep(speed)
            return speed

        self._ticket = self.door.workers.start(work, self._done, self._failed, self.progressed.emit)
        self.progressed.emit(f"measuring {path}", 0.0)

    def cancel(self) -> None:
        if self._ticket is not None:
            self._ticket.cancel()

    def _ended(self) -> None:
        self._ticket = None
        self.progressed.emit("", 1.0)

    def _done(self, speed: Speed) -> None:
        self._ended()
        self.door.documents.disks_measured()
        self.show_template()
        self.door.say(
            f"{speed.path} writes {speed.write_mb_s:.0f} and reads {speed.read_mb_s:.0f} MB/s. Findings go by that from"
            " now on."
        )

    def _failed(self, error: QuarryError) -> None:
        self._ended()
        self.door.refuse(error)

    def put_in(self, place_status: PlaceStatus) -> None:
        """Write what was measured into the template, where others see it too."""
        place, speed = place_status.place, place_status.speed
        if place is None or speed is None:
            return
        edits = [Edit(f"places.{place.id}.plays_mb_s", float(round(speed.read_mb_s)))]
        if place_status.volume is not None and place_status.volume.kind in _DISKS and place.disk == "not known":
            edits.append(Edit(f"places.{place.id}.disk", _DISKS[place_status.volume.kind]))
        text = f"{place.name} plays {speed.read_mb_s:.0f} MB/s in the template now."
        self.door.edit(f"Measured speed of {place.name}", *edits, words=text)

    def clear(self, data: KeptData) -> None:
        """Clear what the program keeps and can make again."""
        try:
            freed = clear(data)
        except DiskError as error:
            self.door.refuse(error)
            return
        self.door.documents.disks_measured()
        self.show_template()
        self.door.say(f"{bytes_words(freed)} of {data.name} cleared; they are made again when they are wanted.")


def _surveyed(template: Template, asked: list[tuple[StoragePlace | None, Path]]) -> list[PlaceStatus]:
    known = measured()
    place_statuses = []
    for place, path in asked:
        volume, trouble = None, ""
        try:
            volume = volume_of(path)
        except DiskError as error:
            trouble = str(error)
        place_statuses.append(PlaceStatus(template, place, path, path.is_dir(), volume, trouble, known.get(str(path))))
    return place_statuses


def _streams(template: Template, speed: Speed) -> str:
    """Return how many streams of each codec a disk plays, in words, lowest data rate first."""
    fmt, room = template.working.format, speed.read_mb_s * MARGIN
    counts = ((codec.name, int(room // (mbps(codec, fmt) / 8))) for codec in holding(fmt))
    return " · ".join(f"{name} {count if count < 100 else 'over 99'}" for name, count in counts)


def _long(hours: float) -> str:
    return f"{hours:.3g} hours" if hours >= 1 else f"{60 * hours:.2g} minutes"


def bytes_words(count: int) -> str:
    """Return a size as people read it."""
    for unit, size in (("TB", 1e12), ("GB", 1e9), ("MB", 1e6), ("kB", 1e3)):
        if count >= size:
            return f"{count / size:.3g} {unit}"
    return f"{count} bytes"

"""Stations of the open template that come and go: sources, deliveries, proxy, monitor, places."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.path.beginning.beginnings import monitor_for, working_codec
from idle_quarry.path.beginning.delivering import delivered
from idle_quarry.path.beginning.sources import source_edits
from idle_quarry.path.changes.edits import Edit, value_at
from idle_quarry.path.registry import deliveries
from idle_quarry.path.template import Template, slug
from idle_quarry.path.template_parts import Proxy, RecordingInput, StoragePlace
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.interfaces import carriage
from idle_quarry.signal.words import format_words

if TYPE_CHECKING:
    from idle_quarry.app.models.path.path import PathModel


class Stations(QObject):
    """`delivery_asked`: a standard delivery is to be chosen."""

    delivery_asked = Signal()

    def __init__(self, path: PathModel) -> None:
        super().__init__(path)
        self._path = path

    @property
    def removable(self) -> bool:
        """Whether the sheet's station can be taken out of the path."""
        return (
            self._path.sheet.startswith(("source:", "delivery:"))
            or self._path.sheet in ("monitor", "proxy")
            or (self._path.sheet == "recording" and bool((template := self._template()) and template.inputs))
        )

    def add_words(self) -> str:
        """Return what can be added on this sheet, "" for nothing."""
        template = self._path.document.template if self._path.document is not None else None
        if self._path.sheet == "places":
            return "+ place"
        if self._path.sheet == "recording":
            return "+ input"
        if self._path.sheet == "intermediate" and template is not None and template.proxy is None:
            return "+ proxy"
        return (
            "+ monitor" if self._path.sheet == "working" and template is not None and template.monitor is None else ""
        )

    def _template(self) -> Template | None:
        return self._path.document.template if self._path.document is not None else None

    def add_source(self) -> None:
        """Add a source in the working format, ready to be changed."""
        template = self._template()
        if template is None:
            return
        name = f"Source {len(template.sources) + 1}"
        ident, edits = source_edits(template, name, template.working.format, ident="source")
        if self._path.door.edit("Add source", *edits):
            self._path.choose(f"source:{ident}")
            self._path.focus_wanted.emit(f"sources.{ident}.format")

    def ask_delivery(self) -> None:
        """Have a standard delivery chosen, to be added."""
        self.delivery_asked.emit()

    def deliveries_offered(self) -> list[tuple[str, Callable[[], object]]]:
        """Return the standard deliveries in words, each with what adds it."""
        specs = [*self._path.door.house.value.specs(), *deliveries().values()]
        return [(f"{spec.name}  ·  {format_words(spec.signal)}", partial(self.add_delivery, spec.id)) for spec in specs]

    def add_delivery(self, standard: str) -> None:
        """Add a standard delivery at the end of the path."""
        template = self._template()
        if template is None:
            return
        spec = deliveries()[standard]
        ident = slug(spec.name if spec.uid else standard, {d.id for d in template.deliveries})
        delivery = delivered(standard, ident=ident, rate_of=template.working.format)
        if self._path.door.edit("Add delivery", Edit(f"deliveries.{ident}", delivery)):
            self._path.choose(f"delivery:{ident}")

    def remove(self) -> None:
        """Take the sheet's station out of the path."""
        kind, _, ident = self._path.sheet.partition(":")
        template = self._template()
        if kind == "recording" and template is not None and template.inputs:
            last = template.inputs[-1]
            self._path.door.edit("Remove input", Edit(f"inputs.{last.id}", None), words=f"{last.name} is taken out.")
            return
        place = {"source": f"sources.{ident}", "delivery": f"deliveries.{ident}"}.get(kind, kind)
        if self.removable and self._path.door.edit(f"Remove {kind}", Edit(place, None)):
            self._path.choose("working")

    def add(self) -> None:
        """Add what can be added on this sheet: a place, a proxy, a monitor."""
        template = self._template()
        if template is None or not self.add_words():
            return
        if self._path.sheet == "places":
            ident = slug("place", {p.id for p in template.places})
            self._path.door.edit(
                "Add place", Edit(f"places.{ident}", StoragePlace(id=ident, name="New place", purpose="work"))
            )
        elif self._path.sheet == "recording":
            ident = slug("input", {recording.id for recording in template.inputs})
            fmt = template.sources[0].format if template.sources else template.working.format
            travels = carriage(fmt)
            where = next((p.id for p in template.places if p.purpose == "capture"), None)
            result = RecordingInput(
                id=ident,
                name="New input",
                format=fmt,
                interface=travels.interface if travels else "12G",
                codec=working_codec(fmt),
                place=where,
            )
            self._path.door.edit("Add input", Edit(f"inputs.{ident}", result))
        elif self._path.sheet == "intermediate":
            if self._path.door.edit("Add proxy", Edit("proxy", Proxy())):
                self._path.choose("proxy")
        elif self._path.door.edit("Add monitor", Edit("monitor", monitor_for(template.working.format))):
            self._path.choose("monitor")

    def from_clips(self, paths: list[Path], station: str = "") -> None:
        """Clips become sources of the open template, each in the format it is measured to have.

        Or give it to a station.
        """
        for path in paths:
            take = partial(self._take, station)
            self._path.door.workers.start(partial(_looked, path), take, self._path.door.refuse)

    def _take(self, station: str, clip: object) -> None:
        template = self._template()
        fmt, path = clip.format, clip.path  # type: ignore[attr-defined]
        if template is None or fmt is None:
            self._path.door.say(f"{path.name} has no signal format to be taken.", refusal=True)
            return
        place = _FORMAT_OF.get(station.partition(":")[0], "").format(station.partition(":")[2])
        if place:
            self._give(template, station, place, fmt, path.name)
            return
        ident, edits = source_edits(template, path.stem, fmt)
        if self._path.door.edit("Add source from clip", *edits):
            self._path.choose(f"source:{ident}")

    def _give(self, template: Template, station: str, place: str, fmt: SignalFormat, clip: str) -> None:
        """Give a station the format of a clip, and say what that changes."""
        before = value_at(template, place)
        self._path.choose(station)
        if before == fmt:
            self._path.door.say(f"{clip} has that format already.")
        else:
            was, now = (format_words(item, fields=True) for item in (before, fmt))
            self._path.door.edit(f"Format of {clip}", Edit(place, fmt), words=f"Format as in {clip}: {was} → {now}.")


#: Where a station's format lies, by its kind; the intermediate's and the proxy's follow from the programme's.
_FORMAT_OF = {
    "source": "sources.{}.format",
    "working": "working.format",
    "monitor": "monitor.format",
    "delivery": "deliveries.{}.format",
}


def _looked(path: Path, _ticket: object) -> object:
    from idle_quarry.media.looking import look

    return look(path)

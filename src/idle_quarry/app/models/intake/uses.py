"""What becomes of the chosen clip: the bench, a template that begins from it, a source of the open one."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from idle_quarry.app.destinations import ProveLink
from idle_quarry.app.models.intake.rows import ClipRow
from idle_quarry.path.beginning.beginnings import beginnings
from idle_quarry.path.beginning.sources import source_edits
from idle_quarry.path.changes.edits import Edit

if TYPE_CHECKING:
    from idle_quarry.app.models.intake.intake import Intake


class ClipUses:
    """What can be done with the clip that is looked at."""

    def __init__(self, intake: Intake) -> None:
        self._intake = intake

    def source_of(self, row: ClipRow | None) -> str | None:
        """Return the station of the open template that a clip belongs to: its source, else the first there is."""
        document = self._intake.door.document
        if document is None or row is None or not row.usable or not document.template.sources:
            return None
        ids = [source.id for source in document.template.sources]
        own = row.match.source.id if row.match is not None and row.match.source is not None else None
        return f"source:{own if own in ids else ids[0]}"

    def prove(self) -> None:
        """Put the chosen clip on the bench, on the link of its source."""
        station = self.source_of(self._intake.row)
        if station is not None and self._intake.chosen is not None:
            self._intake.door.go(ProveLink(station, self._intake.chosen))

    def beginnings(self) -> list[tuple[str, Callable[[], object]]]:
        """Return the templates that can begin from the chosen clip, in words, each with what opens it."""
        clip = self._intake.row.clip if self._intake.row is not None else None
        if clip is None or clip.format is None:
            return []
        return [
            (text, partial(self._intake.door.open_new, template))
            for text, template in beginnings(clip.name, clip.format)
        ]

    def source_acts(self) -> list[tuple[str, Callable[[], object]]]:
        """Return what the chosen clip can be to the open template, in words, each with what makes it so."""
        document = self._intake.door.document
        if document is None or self._intake.row is None or not self._intake.row.usable:
            return []
        results: list[tuple[str, Callable[[], object]]] = [("Another source, with its share", self.add_as_source)]
        for source in document.template.sources:
            results.append((f"{source.name} is what this clip is", partial(self.set_source, source.id)))
        return results

    def add_as_source(self) -> None:
        """Add the chosen clip's format as another source of the open template, with its share by duration."""
        row, document = self._intake.row, self._intake.door.document
        if row is None or row.clip is None or row.clip.format is None or document is None:
            return
        by_format = {total.format: total.share * 100 for total in self._intake.totals()}
        share = round(by_format.get(row.format_words, 10.0), 1) if document.template.sources else 100.0
        name = Path(row.clip.name).stem
        _, edits = source_edits(document.template, name, row.clip.format, share=share)
        self._edit("Add source from clip", edits, f"{name} is now a source")

    def set_source(self, ident: str) -> None:
        """Give a source of the open template the chosen clip's format."""
        row, document = self._intake.row, self._intake.door.document
        if row is None or row.clip is None or row.clip.format is None or document is None:
            return
        name = next(s.name for s in document.template.sources if s.id == ident)
        edit = Edit(f"sources.{ident}.format", row.clip.format)
        self._edit("Set source from clip", [edit], f"{name} is now {row.format_words}")

    def _edit(self, what: str, edits: list[Edit], text: str) -> None:
        document = self._intake.door.document
        if document is not None and self._intake.door.edit(what, *edits):
            self._intake.door.view_wanted.emit("Path")
            self._intake.door.say(f"{text} of {document.template.name}.")

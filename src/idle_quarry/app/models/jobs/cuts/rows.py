"""The events of a list as rows of a table."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt

from idle_quarry.app.models.table_rows import COLOUR, Index, TableRows
from idle_quarry.jobs.conform.lists import CutList
from idle_quarry.jobs.conform.matching import ELSEWHERE, FOUND, MISSING, NOT_NEEDED, OFFSET, Event
from idle_quarry.jobs.conform.report import source_times
from idle_quarry.jobs.cutting.timeline import CLIP

NUMBER = Qt.ItemDataRole.UserRole
COLUMNS = ("Track", "Record", "Frames", "Clip", "Tape", "Source", "Speed", "Its clip")
RECORD, TAPE, SOURCE = 1, 4, 5


class CutRows(TableRows):
    """A row an event: told as the list counts it."""

    heads = COLUMNS

    def __init__(self) -> None:
        super().__init__()
        self._cuts: CutList | None = None
        self._events: list[tuple[int, Event]] = []

    def show(self, cuts: CutList | None, events: Sequence[tuple[int, Event]]) -> None:
        """Show these events, each with its number."""
        self.beginResetModel()
        self._cuts, self._events = cuts, list(events)
        self.endResetModel()

    def row_of(self, number: int | None) -> int:
        """Return the row of an event, -1 where it is not shown."""
        return next((row for row, (item, _) in enumerate(self._events) if item == number), -1)

    def count(self) -> int:
        return len(self._events)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        number, event = self._events[index.row()]
        if role == NUMBER:
            return number
        if role == COLOUR and index.column() == len(COLUMNS) - 1:
            return status_role(event)
        if role == Qt.ItemDataRole.ToolTipRole:
            return f"{event.text}\n{event.clip.path}" if event.clip is not None else event.text
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole) or self._cuts is None:
            return None
        timeline, item = self._cuts.timeline, event.item
        speed = (
            ""
            if event.speed == 1 or item.kind != CLIP
            else "held"
            if event.speed == 0
            else f"{float(100 * event.speed):.4g} %"
        )
        tape = item.media.tape or "" if item.media is not None else ""
        source = str(source_times(self._cuts, event)[0]) if item.kind == CLIP else ""
        text = f"{event.status}: {event.text}"
        cells = (
            event.track.name,
            str(timeline.timecode(item.at)),
            str(item.length),
            item.name,
            tape,
            source,
            speed,
            text,
        )
        return cells[index.column()]

    @property
    def tapes(self) -> bool:
        """Whether some event names a tape."""
        return any(event.item.media is not None and event.item.media.tape for _, event in self._events)


def status_role(event: Event) -> str:
    """Return the colour of what became of an event."""
    if event.status == MISSING:
        return "oxide" if event.matters else "dust"
    return {FOUND: "sage", ELSEWHERE: "sage", OFFSET: "ochre", NOT_NEEDED: "dust"}[event.status]

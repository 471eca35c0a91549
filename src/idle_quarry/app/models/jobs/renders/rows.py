"""The pieces of a job's timelines as rows of a table."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt

from idle_quarry.app.models.jobs.renders.snapshot import PieceRow
from idle_quarry.app.models.jobs.renders.words import name_words, role_of, state_words, time_words
from idle_quarry.app.models.proof.disks import bytes_words
from idle_quarry.app.models.table_rows import COLOUR, Index, TableRows

ROW = Qt.ItemDataRole.UserRole
COLUMNS = ("Timeline", "From", "Length", "Shows", "On disk", "Stands")
FROM, STANDS = 1, 5


class RenderRows(TableRows):
    """A row a piece."""

    heads = COLUMNS

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[PieceRow] = []

    def show(self, rows: Sequence[PieceRow]) -> None:
        """Show these pieces; those that are the same pieces as before, and stand otherwise, keep their rows."""
        if [row.key for row in rows] == [row.key for row in self.rows]:
            self.rows = list(rows)
            if rows:
                self.dataChanged.emit(self.index(0, 0), self.index(len(rows) - 1, len(COLUMNS) - 1))
            return
        self.beginResetModel()
        self.rows = list(rows)
        self.endResetModel()

    def row_of(self, key: tuple[str, int] | None) -> int:
        """Return the row of a piece, -1 where it is not shown."""
        return next((number for number, row in enumerate(self.rows) if row.key == key), -1)

    def count(self) -> int:
        return len(self.rows)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        row = self.rows[index.row()]
        stood, piece = row.stood, row.stood.piece
        if role == ROW:
            return row
        if role == COLOUR and index.column() == STANDS:
            return role_of(stood.state)
        if role == Qt.ItemDataRole.ToolTipRole:
            return str(stood.rendered.path) if stood.rendered is not None else stood.text
        timeline = row.programme.timeline
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole) or timeline is None:
            return None
        seconds = float(piece.frames / row.programme.canvas.format.rate)
        cells = (
            row.programme.name,
            str(timeline.timecode(piece.first)),
            f"{seconds:.1f} s" if seconds < 120 else time_words(seconds),
            name_words(row),
            bytes_words(stood.rendered.bytes) if stood.rendered is not None else "",
            state_words(stood),
        )
        return cells[index.column()]

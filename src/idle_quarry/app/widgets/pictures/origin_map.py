"""What came from where: for each method, which source pictures the output pictures around the one in sight show."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from idle_quarry.app.appearance.theme import theme

#: Output pictures before the one in sight, and in all.
BEFORE, COUNT = 5, 24


@dataclass(frozen=True)
class Origins:
    """One method's row: the source moment each output moment shows, and how far on to the next it is mixed (0…1)."""

    name: str
    cells: tuple[tuple[int, float], ...]


class OriginMap(QWidget):
    """Rows of cells, one an output moment: filled where a new picture begins, hatched where one is repeated, cut where
    two are mixed; a tick before a cell says that pictures were left out there.
    """

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[Origins] = []
        self._now = 0
        self.setAccessibleName("What came from where")

    def sizeHint(self) -> QSize:
        return QSize(theme.px(600), theme.px(17) * len(self.rows) + theme.px(4))

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(200), self.sizeHint().height())

    def show_rows(self, rows: list[Origins], now: int) -> None:
        """Show rows; `now` is the number of the cell in sight."""
        self.rows, self._now = rows, now
        self.setVisible(bool(rows))
        text = "; ".join(f"{row.name}: " + " ".join(_text(*cell) for cell in row.cells) for row in rows)
        self.setAccessibleDescription(text)
        self.updateGeometry()
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        line, left = theme.px(17), theme.px(150)
        width = (self.width() - left - theme.px(12)) / max(1, COUNT)
        painter.setFont(theme.font(12))
        for number, row in enumerate(self.rows):
            top = theme.px(2) + number * line
            painter.setPen(theme.colour("dust"))
            name = QRectF(theme.px(12), top, left - theme.px(16), line)
            painter.drawText(name, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, row.name)
            before: tuple[int, float] | None = None
            for place, cell in enumerate(row.cells):
                box = QRectF(left + place * width, top + 1, width - 2, line - 3)
                self._paint_cell(painter, box, cell, before)
                if place == self._now:
                    painter.setPen(QPen(theme.colour("lichen"), 1))
                    painter.setBrush(Qt.BrushStyle.NoBrush)
                    painter.drawRect(box.adjusted(-1, -1, 1, 1))
                before = cell

    def _paint_cell(
        self, painter: QPainter, box: QRectF, cell: tuple[int, float], before: tuple[int, float] | None
    ) -> None:
        first, phase = cell
        painter.fillRect(box, theme.colour("ledge"))
        if before is not None and before == cell:
            painter.fillRect(box, Qt.BrushStyle.BDiagPattern)
        if phase:
            mixed = QRectF(box.right() - phase * box.width(), box.top(), phase * box.width(), box.height())
            painter.fillRect(mixed, theme.colour("seam"))
        if before is not None and first - before[0] > 1 and not phase:
            painter.fillRect(QRectF(box.left() - 2, box.top(), 2, box.height()), theme.colour("ochre"))
        painter.setPen(theme.colour("chalk"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, _text(first, phase))


def _text(first: int, phase: float) -> str:
    return f"{first}" if not phase else f"{first + phase:.1f}"

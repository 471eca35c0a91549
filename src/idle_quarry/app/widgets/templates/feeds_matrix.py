"""Feeds against monitors as a matrix: a filled screen is shown as meant, a dashed one is not, a cross stays black."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from idle_quarry.app.appearance.theme import theme

#: A row's name, what stands below it, and the state of each column.
Row = tuple[str, str, tuple[str, ...]]


def _two_lines(name: str) -> tuple[str, str]:
    """Return a monitor's name for the head of a narrow column: where it stands, what it is."""
    words = name.split()
    cut = 2 if len(words) > 1 and words[1].isdigit() else max(1, len(words) - 1)
    return " ".join(words[:cut]), " ".join(words[cut : cut + 1])


class FeedsMatrix(QWidget):
    """`chosen` says which row and column; `opened` which row was opened."""

    chosen = Signal(int, int)
    opened = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self._columns: list[str] = []
        self._rows: list[Row] = []
        self._at = (0, 0)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Feeds of templates against monitors; arrow keys go from cell to cell")

    def show_rows(self, columns: list[str], rows: list[Row]) -> None:
        """Show other feeds and monitors."""
        self._columns, self._rows = columns, rows
        self._at = (min(self._at[0], max(0, len(rows) - 1)), min(self._at[1], max(0, len(columns) - 1)))
        self.updateGeometry()
        self.setMinimumHeight(round(self._head + len(rows) * self._high + theme.px(6)))
        self.update()

    @property
    def _high(self) -> float:
        return theme.px(34)

    @property
    def _head(self) -> float:
        return theme.px(40)

    @property
    def _names(self) -> float:
        return min(self.width() * 0.34, theme.px(230))

    def sizeHint(self) -> QSize:
        return QSize(theme.px(460), round(self._head + len(self._rows) * self._high + theme.px(6)))

    def _cell(self, row: int, column: int) -> QRectF:
        wide = (self.width() - self._names) / max(1, len(self._columns))
        return QRectF(self._names + column * wide, self._head + row * self._high, wide, self._high)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setFont(theme.font(12))
        metrics = painter.fontMetrics()
        for number, name in enumerate(self._columns):
            place = self._cell(0, number).adjusted(2, -self._head, -2, -self._high)
            painter.setPen(theme.colour("dust"))
            for line, word in enumerate(_two_lines(name)):
                low = place.adjusted(0, 0, 0, -theme.px(15) * (1 - line))
                shown = metrics.elidedText(word, Qt.TextElideMode.ElideRight, int(place.width()))
                painter.drawText(low, int(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom), shown)
        for row, (name, below, states) in enumerate(self._rows):
            top = self._head + row * self._high
            wide = int(self._names - theme.px(6))
            painter.setPen(theme.colour("chalk"))
            painter.drawText(
                QPointF(0, top + theme.px(14)), metrics.elidedText(name, Qt.TextElideMode.ElideRight, wide)
            )
            painter.setPen(theme.colour("dust"))
            painter.drawText(
                QPointF(0, top + theme.px(28)), metrics.elidedText(below, Qt.TextElideMode.ElideRight, wide)
            )
            for column, state in enumerate(states):
                self._screen(painter, self._cell(row, column), state)
        if self._rows and self._columns and self.hasFocus():
            painter.setPen(QPen(theme.colour("lichen"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self._cell(*self._at).adjusted(2, 2, -2, -2))

    def _screen(self, painter: QPainter, cell: QRectF, state: str) -> None:
        size = QSize(theme.px(28), theme.px(17))
        centre = cell.center()
        screen = QRectF(centre.x() - size.width() / 2, centre.y() - size.height() / 2, size.width(), size.height())
        role = {"shown": "sage", "not as meant": "ochre"}.get(state, "oxide")
        painter.fillRect(screen, theme.colour("ground"))
        if state == "shown":
            painter.fillRect(screen.adjusted(3, 3, -3, -3), theme.colour("sage"))
        pen = QPen(theme.colour(role), 1.5, Qt.PenStyle.DashLine if state == "not as meant" else Qt.PenStyle.SolidLine)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(screen)
        if state == "black":
            inner = screen.adjusted(8, 4, -8, -4)
            painter.drawLine(inner.topLeft(), inner.bottomRight())
            painter.drawLine(inner.topRight(), inner.bottomLeft())

    def _go(self, row: int, column: int) -> None:
        if 0 <= row < len(self._rows) and 0 <= column < len(self._columns):
            self._at = row, column
            self.chosen.emit(row, column)
            self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        row = int((event.position().y() - self._head) // self._high)
        wide = (self.width() - self._names) / max(1, len(self._columns))
        column = (
            int((event.position().x() - self._names) // wide) if event.position().x() >= self._names else self._at[1]
        )
        self._go(row, column)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.mousePressEvent(event)
        self.opened.emit(self._at[0])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        row, column = self._at
        key = Qt.Key(event.key())
        moves = {Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0), Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1)}
        if key in moves:
            self._go(row + moves[key][0], column + moves[key][1])
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._rows:
            self.opened.emit(row)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.update()

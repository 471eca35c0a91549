"""An entry, drawn: what a monitor shows, how a layout lies in time, how much data a codec makes."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QFontMetricsF, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QWidget

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.entry_shapes import picture_of
from idle_quarry.app.drawing.shapes import BoxShape, EntryDrawing, TextShape
from idle_quarry.path.entries import Entry
from idle_quarry.signal.formats import SignalFormat

_ALIGN = {"left": Qt.AlignmentFlag.AlignLeft, "centre": Qt.AlignmentFlag.AlignHCenter}


class EntryPicture(QWidget):
    """Paints the shapes of an entry at the width it has."""

    def __init__(self) -> None:
        super().__init__()
        self._entry: Entry | None = None
        self._feed: tuple[SignalFormat | None, str] = (None, "")
        self.picture = EntryDrawing(0)
        theme.changed.connect(self._lay_out)

    def show_entry(self, entry: Entry | None, feed: SignalFormat | None, feeds: str) -> None:
        """Show an entry; `feed` is what the open template, called `feeds`, sends its monitor."""
        self._entry, self._feed = entry, (feed, feeds)
        self._lay_out()

    def _lay_out(self) -> None:
        scale = theme.percent / 100
        width = max(280.0, self.width() / scale - 4)
        self.picture = picture_of(self._entry, width, *self._feed) if self._entry is not None else EntryDrawing(width)
        self.setAccessibleName("What it means")
        self.setAccessibleDescription("; ".join(self.picture.texts))
        self.setMinimumHeight(round((self.picture.height + 8) * scale))
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(theme.px(520), round((self.picture.height + 8) * theme.percent / 100))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if event.oldSize().width() != event.size().width():
            self._lay_out()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.scale(theme.percent / 100, theme.percent / 100)
        for shape in self.picture.shapes:
            if isinstance(shape, BoxShape):
                self._box(painter, shape)
            else:
                self._words(painter, shape)

    @staticmethod
    def _box(painter: QPainter, shape: BoxShape) -> None:
        rect, colour = QRectF(shape.x, shape.y, shape.w, shape.h), theme.colour(shape.role)
        if shape.look == "filled":
            painter.fillRect(rect, colour)
        elif shape.look == "hatched":
            painter.fillRect(rect, QBrush(colour, Qt.BrushStyle.BDiagPattern))
        elif shape.look == "barred":
            for number in range(8):
                bar = QRectF(rect.left() + rect.width() * number / 8, rect.top(), rect.width() / 8, rect.height())
                colour.setAlphaF(1 - 0.11 * number)
                painter.fillRect(bar, colour)
        if shape.look in ("outlined", "hatched"):
            painter.setPen(QPen(colour, 1.5))
            painter.drawRect(rect.adjusted(0.75, 0.75, -0.75, -0.75))

    @staticmethod
    def _words(painter: QPainter, shape: TextShape) -> None:
        font = theme.font(shape.size, bold=shape.bold)
        font.setPixelSize(round(shape.size))  # the painter is scaled already
        painter.setFont(font)
        painter.setPen(theme.colour(shape.role))
        metrics = QFontMetricsF(font)
        text = metrics.elidedText(shape.text, Qt.TextElideMode.ElideRight, shape.w)
        painter.drawText(QRectF(shape.x, shape.y, shape.w, metrics.height()), _ALIGN[shape.align], text)

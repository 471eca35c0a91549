"""The strip: a template's path drawn to scale, stations as frames and links as lines of their grade."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QAccessible,
    QAccessibleEvent,
    QDropEvent,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.strip import paint_strip
from idle_quarry.app.drawing.strip_layout import StripLayout, lay_out
from idle_quarry.app.widgets.basic.file_drop import FileDrop
from idle_quarry.path.evaluation import Evaluation
from idle_quarry.signal.words import format_words

#: The word that leads from the monitor to Line-up.
_LINE_UP = "line up"


class Strip(QWidget):
    """The strip as a widget: click or arrow keys choose a station, clips can be dropped on it."""

    chosen = Signal(str)
    clips_dropped = Signal(list, str)  #: the paths, and the station they were dropped on ("" for none)
    source_wanted = Signal()
    delivery_wanted = Signal()
    line_up_wanted = Signal()

    def __init__(self, parent: QWidget | None = None, *, editable: bool = True, low: bool = False) -> None:
        super().__init__(parent)
        self._low = low  # pictures below need the room
        self._evaluation: Evaluation | None = None
        self._layout: StripLayout | None = None
        self._beside: list[Strip] = []
        self._selected = "working"
        self._editable = editable
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        if editable:
            FileDrop(self, lambda paths: paths, self._clips_dropped)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Signal path")
        self.setMouseTracking(True)

    def sizeHint(self) -> QSize:
        # with large text the strip would take the room that the sheet needs
        if self._low:
            return QSize(theme.px(900), theme.px(188))
        most = int(self.window().height() * 0.31)
        return QSize(theme.px(900), min(theme.px(236), max(theme.px(190), most)))

    def minimumSizeHint(self) -> QSize:
        return QSize(300, theme.px(188 if self._low else 150))

    def show_evaluation(self, evaluation: Evaluation | None, selected: str | None = None) -> None:
        """Draw another evaluation; the chosen station stays where it is still there."""
        self._evaluation, self._layout = evaluation, None
        for strip in self._beside:
            strip._layout = None
            strip.update()
        if selected is not None:
            self._selected = selected
        if evaluation is not None:
            text = ", ".join(f"{link.source} to {link.target} {link.grade}" for link in evaluation.links)
            self.setAccessibleDescription(text)
        self.update()

    @property
    def selected(self) -> str:
        return self._selected

    def select(self, ident: str) -> None:
        """Choose a station and say so."""
        if ident != self._selected:
            self._selected = ident
            self.update()
        self.chosen.emit(ident)

    def layout_now(self) -> StripLayout | None:
        """Return where everything stands at the widget's size."""
        if self._layout is None and self._evaluation is not None:
            self._layout = lay_out(self._evaluation, self.width(), self.height())
            beside = [
                lay_out(strip._evaluation, strip.width(), strip.height()).pixels_a_line
                for strip in self._beside
                if strip._evaluation is not None
            ]
            scale = min(beside, default=self._layout.pixels_a_line)
            if scale < self._layout.pixels_a_line:  # all that stand beside one another are drawn at one scale
                self._layout = lay_out(self._evaluation, self.width(), self.height(), scale)
        return self._layout

    def resizeEvent(self, event: object) -> None:
        self._layout = None

    def changeEvent(self, event: QEvent) -> None:
        if event.type() == QEvent.Type.StyleChange:  # another text size
            self._layout = None
        super().changeEvent(event)

    def station_at(self, point: QPointF) -> str | None:
        """Return the id of the station whose frame, text or link lies at `point`."""
        layout = self.layout_now()
        if layout is None:
            return None
        for placed in layout.stations:
            if placed.frame.adjusted(-4, -4, 4, 4).contains(point) or placed.text.contains(point):
                return placed.station.id
        for placed_link in layout.links:
            if placed_link.run.adjusted(0, -2, 0, 2).contains(point):
                link = placed_link.link
                return link.source if link.source.startswith("source:") else link.target
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        text = self.station_at(event.position())
        if self._editable and self._line_up_rect().contains(event.position()):
            self.line_up_wanted.emit()
        elif text is not None:
            self.select(text)
        elif self._editable and self._evaluation is not None:
            if self._add_rect("source").contains(event.position()):
                self.source_wanted.emit()
            elif self._add_rect("delivery").contains(event.position()):
                self.delivery_wanted.emit()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        over = self.station_at(event.position())
        adds = self._editable and any(
            self._add_rect(kind).contains(event.position()) for kind in ("source", "delivery")
        )
        self.setCursor(Qt.CursorShape.PointingHandCursor if over or adds else Qt.CursorShape.ArrowCursor)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1}
        step = steps.get(Qt.Key(event.key()))
        if step is None or self._evaluation is None:
            super().keyPressEvent(event)
            return
        ids = [station.id for station in self._evaluation.stations]
        index = ids.index(self._selected) if self._selected in ids else 0
        self.select(ids[(index + step) % len(ids)])
        station = self._evaluation.station(self._selected)
        self.setAccessibleDescription(f"{station.kind} {station.name}, {format_words(station.format)}")
        QAccessible.updateAccessibility(QAccessibleEvent(self, QAccessible.Event.DescriptionChanged))

    def _clips_dropped(self, paths: Sequence[Path], event: QDropEvent) -> None:
        self.clips_dropped.emit([str(path) for path in paths], self.station_at(event.position()) or "")

    def _add_rect(self, kind: str) -> QRectF:
        """Where "+ source" and "+ delivery" stand."""
        width = theme.px(100)
        x = theme.px(14) if kind == "source" else self.width() - width - theme.px(14)
        return QRectF(x, theme.px(5), width, theme.px(20))

    def _line_up_rect(self) -> QRectF:
        """Where "line up" stands: behind the monitor's name; nothing where there is no monitor."""
        layout = self.layout_now()
        placed = (
            next((station for station in layout.stations if station.station.kind == "monitor"), None)
            if layout
            else None
        )
        if placed is None:
            return QRectF()
        name = QFontMetricsF(theme.font(12, bold=True)).horizontalAdvance(placed.station.name) + theme.px(10)
        width = QFontMetricsF(theme.font(12)).horizontalAdvance(_LINE_UP) + theme.px(2)
        left = placed.text.left() + min(name, placed.text.width())
        return QRectF(left, placed.text.top(), width, placed.text.height() / 3)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("bench"))
        layout = self.layout_now()
        if layout is None or self._evaluation is None:
            return
        paint_strip(painter, self._evaluation, layout, self._selected)
        if self._editable:
            painter.setFont(theme.font(12))
            painter.setPen(theme.colour("lichen"))
            painter.drawText(
                self._add_rect("source"), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, "+ source"
            )
            painter.drawText(
                self._add_rect("delivery"), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, "+ delivery"
            )
            painter.drawText(self._line_up_rect(), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, _LINE_UP)
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("lichen"), 1, Qt.PenStyle.DotLine))
            painter.drawRect(self.rect().adjusted(1, 1, -2, -2))


def share_scale(*strips: Strip) -> None:
    """Have strips drawn at one scale: the largest at which each of them fits."""
    for strip in strips:
        strip._beside = [item for item in strips if item is not strip]

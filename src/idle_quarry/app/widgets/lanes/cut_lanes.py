"""The lanes of a list of cuts, to be looked at and clicked."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QEvent, QSize, Qt, Signal
from PySide6.QtGui import QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.lanes.cut_lanes import LANE, SCALE, draw_cuts, piece
from idle_quarry.jobs.conform.matching import Event
from idle_quarry.jobs.cutting.timeline import Timeline


class CutLanes(QWidget):
    """Shows events on their lanes. `chosen` says the number of the event that was clicked or gone to with the
    arrows.
    """

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self._timeline: Timeline | None = None
        self._events: tuple[Event, ...] = ()
        self._on: int | None = None
        self.setAccessibleName("Events on their tracks")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_events(self, timeline: Timeline | None, events: Sequence[Event]) -> None:
        self._timeline, self._events, self._on = timeline, tuple(events), None
        self.updateGeometry()
        self.update()

    def show_chosen(self, number: int | None) -> None:
        self._on = number
        self.update()

    def sizeHint(self) -> QSize:
        rows = len(self._timeline.tracks) if self._timeline is not None else 0
        return QSize(theme.px(500), theme.px(SCALE) + rows * theme.px(LANE) + theme.px(6))

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._timeline is None:
            return
        painter = QPainter(self)
        chosen = self._events[self._on] if self._on is not None and self._on < len(self._events) else None
        draw_cuts(painter, self._timeline, self._events, self.width(), chosen)
        if self.hasFocus():
            painter.setPen(theme.colour("lichen"))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def _at(self, x: float, y: float) -> int | None:
        if self._timeline is None:
            return None
        for number, event in enumerate(self._events):
            if piece(self._timeline, event, self.width()).adjusted(-1, -3, 1, 3).contains(x, y):
                return number
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        count = self._at(event.position().x(), event.position().y())
        if count is not None:
            self.chosen.emit(count)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key()))
        if step is None or not self._events:
            super().keyPressEvent(event)
            return
        begin = self._on if self._on is not None else (-1 if step > 0 else len(self._events))
        self.chosen.emit(min(len(self._events) - 1, max(0, begin + step)))

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            count = self._at(event.pos().x(), event.pos().y())
            text = f"{self._events[count].item.name}: {self._events[count].text}" if count is not None else ""
            QToolTip.showText(event.globalPos(), text, self)
            return True
        return super().event(event)

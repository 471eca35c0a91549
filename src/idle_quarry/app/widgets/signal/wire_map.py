"""The wire's frame to scale; a packet is chosen by a click or with the arrow keys."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.wire import KIND_ROLES, WireLayout, paint_wire
from idle_quarry.line.reading.received import ReceivedFrame


class WireMap(QWidget):
    """`chosen` says which packet is wanted, by its number."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self._frame: ReceivedFrame | None = None
        self._key: object = None
        self._sound_words: NDArray[np.int32] | None = None
        self._number = 0
        self._layout: WireLayout | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        self.setAccessibleName("The frame on the wire; arrow keys go from packet to packet")

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        timing = self._frame.lock.timing if self._frame is not None else None
        shape = timing.samples / timing.raster.lines if timing is not None else 16 / 9
        return min(round(width / shape), theme.px(230)) + 6

    def sizeHint(self) -> QSize:
        return QSize(theme.px(400), theme.px(190))

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(200), theme.px(110))

    def show_frame(self, frame: ReceivedFrame | None, number: int) -> None:
        """Show a frame, and which of its packets is marked. Frames that are laid out alike are not drawn again."""
        key = (
            None
            if frame is None
            else (
                frame.lock.timing,
                frame.lock.scan,
                [(packet.line, packet.at, packet.did) for packet in frame.packets],
                number,
            )
        )
        alike = (
            key is not None
            and key == self._key
            and frame is not None
            and (frame.sound_words == self._sound_words).all()
        )
        shape = self._frame.lock.timing if self._frame is not None else None
        self._frame, self._number, self._key = frame, number, key
        if not alike:
            self._sound_words = frame.sound_words if frame is not None else None
            self.update()
        if frame is not None and shape != frame.lock.timing:
            self.updateGeometry()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        if self._frame is None:
            painter.setPen(theme.colour("dust"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "nothing is sent")
            return
        within = QRectF(self.rect()).adjusted(1, 3, -3, -3)
        self._layout = paint_wire(painter, self._frame, self._number, within)
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("lichen"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self._layout.area.adjusted(0, -1, 1, 1))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        frame, wire_layout = self._frame, self._layout
        if frame is None or wire_layout is None:
            return
        reach = theme.px(6)
        for number, packet in enumerate(frame.packets):
            place = wire_layout.packet(packet.line, packet.at, len(packet.data) + 7)
            if place.adjusted(-reach, -reach, reach, reach).contains(event.position()):
                self.chosen.emit(number)
                return

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_Down: 1,
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Up: -1,
        }.get(Qt.Key(event.key()))
        if step is None or self._frame is None:
            super().keyPressEvent(event)
        else:
            self.chosen.emit(self._number + step)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.update()


class Legend(QWidget):
    """The colours of kinds of packets, in words."""

    _KINDS = (("payload", "identifier"), ("timecode", "timecode"), ("sound", "sound"), ("other", "others"))

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Colours: " + ", ".join(text for _, text in self._KINDS))

    def sizeHint(self) -> QSize:
        return QSize(theme.px(300), theme.px(18))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setFont(theme.font(12))
        x = 0.0
        for kind, text in self._KINDS:
            mark = QRectF(x, self.height() / 2 - theme.px(3), theme.px(14), theme.px(6))
            painter.fillRect(mark, theme.colour(KIND_ROLES[kind]))
            painter.setPen(theme.colour("dust"))
            x += theme.px(19)
            painter.drawText(QRectF(x, 0, theme.px(200), self.height()), Qt.AlignmentFlag.AlignVCenter, text)
            x += painter.fontMetrics().horizontalAdvance(text) + theme.px(14)

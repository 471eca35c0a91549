"""The lanes of a verified file, to be looked at and gone to."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from typing import TYPE_CHECKING

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.lanes.file_lanes import CheckMark, draw_file, frame_at, height

if TYPE_CHECKING:
    from idle_quarry.media.whole.measure import FileMeasurement


class FileLanes(QWidget):
    """`gone`: a frame was clicked, or gone to with the arrows."""

    gone = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self._measurement: FileMeasurement | None = None
        self._rate, self._marked, self._frame = Fraction(25), tuple[CheckMark, ...](), 0
        self._loudness: float | None = None
        self.setAccessibleName("The file along its time")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_file(
        self,
        measurement: FileMeasurement | None,
        rate: Fraction,
        marked: Sequence[CheckMark],
        loudness: float | None,
        frame: int,
    ) -> None:
        self._measurement, self._rate, self._marked, self._frame = measurement, rate, tuple(marked), frame
        self._loudness = loudness
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(theme.px(500), height())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        if self._measurement is not None:
            draw_file(
                painter,
                self._measurement,
                self._rate,
                self.width(),
                self._marked,
                {"loudness": self._loudness},
                self._frame,
            )
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("lichen"), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._measurement is not None:
            self.gone.emit(frame_at(event.position().x(), self._measurement.pictures.frames, self.width()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key()))
        if step is None or self._measurement is None:
            super().keyPressEvent(event)
            return
        self.gone.emit(max(0, min(self._measurement.pictures.frames - 1, self._frame + step)))

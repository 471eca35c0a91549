"""Waveform, histogram, vectorscope and sound levels of a clip, drawn from computed counts."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.traces import signed, trace
from idle_quarry.app.models.intake.scrubber import ScrubbedFrame
from idle_quarry.media import Clip
from idle_quarry.media.measurement.levels import bar_codes
from idle_quarry.media.measurement.results import SoundStreamMeasurement
from idle_quarry.signal.formats import Encoding
from idle_quarry.signal.levels import Levels


class LevelScopes(QWidget):
    """The shown picture's luma by column (waveform), by code (histogram), and its colour (vectorscope)."""

    def __init__(self) -> None:
        super().__init__()
        self._seen: ScrubbedFrame | None = None
        self._images: tuple[QImage, QImage | None] | None = None
        self.setAccessibleName("Waveform, histogram and vectorscope of the shown picture")

    def show_seen(self, frame: ScrubbedFrame | None) -> None:
        """Draw another picture's levels."""
        self._seen = frame
        self._images = None
        if frame is not None:
            colour = trace(frame.vectors, "sage") if frame.vectors is not None else None
            self._images = (trace(frame.waveform, "sage"), colour)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("surround"))
        if self._seen is None or self._images is None:
            painter.setPen(theme.colour("dust"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "no picture")
            return
        side = min(self.height() - theme.px(12), theme.px(230), self.width() // 3)
        left = theme.px(52)
        high = self.height() - theme.px(32)
        wave = QRectF(left, theme.px(8), self.width() - left - side - theme.px(110), high)
        bars = QRectF(wave.right() + theme.px(8), theme.px(8), theme.px(72), high)
        self._wave(painter, wave, bars)
        if self._images[1] is not None:
            scope = QRectF(self.width() - side - theme.px(8), theme.px(8), side, side)
            self._vectors(painter, scope, self._images[1])

    def _encoding(self) -> Encoding:
        assert self._seen is not None
        fmt = self._seen.clip.format
        return fmt.encoding if fmt is not None else Encoding()

    def _wave(self, painter: QPainter, wave: QRectF, bars: QRectF) -> None:
        frame = self._seen
        assert frame is not None and self._images is not None
        ground = theme.colour("ground")
        painter.fillRect(wave, ground)
        painter.fillRect(bars, ground)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(wave, self._images[0])
        levels = Levels(frame.bits, self._encoding().range == "narrow")
        top = (1 << frame.bits) - 1
        painter.setFont(theme.font(12))
        for code, name in ((0, ""), (levels.black, "black"), (levels.white, "white"), (top, "")):
            y = wave.bottom() - code / top * wave.height()
            painter.setPen(
                QPen(
                    theme.colour("ochre" if name else "seam"),
                    1,
                    Qt.PenStyle.DashLine if name else Qt.PenStyle.SolidLine,
                )
            )
            painter.drawLine(QPointF(wave.left(), y), QPointF(bars.right(), y))
            if name or levels.narrow:
                painter.setPen(theme.colour("dust"))
                place = QRectF(0, y - theme.px(8), wave.left() - theme.px(5), theme.px(16))
                painter.drawText(place, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, str(code))
        counts = frame.histogram.astype(float)
        most = np.sqrt(counts.max() or 1.0)
        painter.setPen(QPen(theme.colour("sage"), 1))
        for level, count in enumerate(counts):
            if count:
                y = bars.bottom() - (level + 0.5) / 256 * bars.height()
                painter.drawLine(
                    QPointF(bars.left(), y), QPointF(bars.left() + np.sqrt(count) / most * bars.width(), y)
                )
        painter.setPen(theme.colour("dust"))
        below = QRectF(wave.left(), wave.bottom() + theme.px(4), bars.right() - wave.left(), theme.px(16))
        painter.drawText(below, Qt.AlignmentFlag.AlignLeft, "luma across the picture, and how often each code")

    def _vectors(self, painter: QPainter, scope: QRectF, image: QImage) -> None:
        frame = self._seen
        assert frame is not None
        painter.fillRect(scope, theme.colour("ground"))
        centre = scope.center()
        painter.setPen(QPen(theme.colour("seam"), 1))
        painter.drawLine(QPointF(scope.left(), centre.y()), QPointF(scope.right(), centre.y()))
        painter.drawLine(QPointF(centre.x(), scope.top()), QPointF(centre.x(), scope.bottom()))
        painter.drawImage(scope, image)
        matrix = self._encoding().matrix
        if matrix == "rgb":
            return
        painter.setFont(theme.font(12))
        for name, (_, cb, cr) in zip("YCGMRB", bar_codes(matrix, 0.75), strict=True):
            at = QPointF(scope.left() + cb / 256 * scope.width(), scope.bottom() - cr / 256 * scope.height())
            painter.setPen(QPen(theme.colour("ochre"), 1))
            box = theme.px(4)
            painter.drawRect(QRectF(at.x() - box, at.y() - box, 2 * box, 2 * box))
            painter.setPen(theme.colour("dust"))
            painter.drawText(at + QPointF(box + 3, 4), name)


class SoundLevels(QWidget):
    """Peaks and mean levels of each channel on a scale of dBFS, and what was heard in them."""

    def __init__(self) -> None:
        super().__init__()
        self._sound: SoundStreamMeasurement | None = None
        self._silent_text = "no sound"
        self.setAccessibleName("Sound levels")

    def show_clip(self, clip: Clip | None) -> None:
        """Draw the first sound stream of a clip."""
        self._sound = clip.measured.sound[0] if clip and clip.measured and clip.measured.sound else None
        self._silent_text = "no sound" if clip is None or not clip.declared.audio else "the sound could not be decoded"
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("bench"))
        measurement = self._sound
        painter.setFont(theme.font(12))
        if measurement is None:
            painter.setPen(theme.colour("dust"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self._silent_text)
            return
        left, right, line = theme.px(90), self.width() - theme.px(90), theme.px(24)
        top = theme.px(30)

        def x(dbfs: float) -> float:
            return left + (max(-60.0, min(0.0, dbfs)) + 60) / 60 * (right - left)

        for mark in (-60, -48, -36, -24, -18, -12, -6, 0):
            painter.setPen(QPen(theme.colour("seam"), 1))
            painter.drawLine(QPointF(x(mark), top - 4), QPointF(x(mark), top + line * len(measurement.channels)))
            painter.setPen(theme.colour("dust"))
            place = QRectF(x(mark) - 20, theme.px(8), 40, theme.px(16))
            painter.drawText(place, Qt.AlignmentFlag.AlignCenter, signed(mark, 0))
        for n, channel in enumerate(measurement.channels):
            y = top + n * line
            painter.setPen(theme.colour("chalk"))
            painter.drawText(QRectF(theme.px(14), y, left, line), Qt.AlignmentFlag.AlignVCenter, f"channel {n + 1}")
            peak = channel.peak_dbfs
            if channel.silent or peak is None:
                painter.setPen(theme.colour("oxide"))
                painter.drawText(QRectF(left, y, 200, line), Qt.AlignmentFlag.AlignVCenter, "silent")
                continue
            body = QRectF(left, y + theme.px(6), x(channel.rms_dbfs or -60) - left, line - theme.px(12))
            painter.fillRect(body, theme.colour("sage"))
            colour: QColor = theme.colour("oxide" if peak > -1 else "chalk")
            painter.setPen(QPen(colour, 2))
            painter.drawLine(QPointF(x(peak), body.top()), QPointF(x(peak), body.bottom()))
            painter.setPen(theme.colour("dust"))
            painter.drawText(QRectF(right + 8, y, 80, line), Qt.AlignmentFlag.AlignVCenter, f"{signed(peak)} dBFS")
        y = top + line * len(measurement.channels) + theme.px(12)
        lines = [f"{measurement.loudness_words()}, {measurement.sample_rate} Hz", *measurement.sentences()]
        for n, text in enumerate(lines):
            painter.setPen(theme.colour("chalk" if n == 0 else "dust"))
            painter.drawText(
                QRectF(theme.px(14), y + n * theme.px(19), self.width() - theme.px(28), theme.px(18)), 0, text
            )

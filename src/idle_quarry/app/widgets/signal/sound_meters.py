"""Meters of the received sound: a bar a channel on the chosen scale, phase of the pairs, loudness."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.traces import signed
from idle_quarry.line.devices.chain import ShownFrame
from idle_quarry.path.entries.sound import SHORT
from idle_quarry.sound.meters import PEAK_TYPES

#: Below this nothing is heard; room above and below the marks of a scale, dB.
_LOWEST, _MARGIN = -60.0, 4.0


class SoundMeters(QWidget):
    """Bars follow the readings as they come."""

    def __init__(self) -> None:
        super().__init__()
        self._looked: ShownFrame | None = None
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Meters of the received sound")

    def sizeHint(self) -> QSize:
        return QSize(theme.px(360), theme.px(210))

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(220), theme.px(130))

    def show_looked(self, looked: ShownFrame | None) -> None:
        """Draw another frame's readings."""
        self._looked = looked
        if looked is not None:
            self.setAccessibleDescription(
                ", ".join("silent" if v < _LOWEST else f"{v:.1f} dBFS" for v in looked.peaks_dbfs)
            )
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        looked = self._looked
        if looked is None or not looked.peaks_dbfs:
            painter.setPen(theme.colour("dust"))
            painter.drawText(
                self.rect(), Qt.AlignmentFlag.AlignCenter, "no sound is received" if looked is not None else ""
            )
            return
        painter.setFont(theme.font(12))
        left, line = theme.px(44), theme.px(18)
        bars = QRectF(left, theme.px(8), self.width() - left - 4, self.height() - theme.px(14) - 2 * line)

        marks = [at for at, _ in PEAK_TYPES[looked.setup.meter].marks]
        low, high = min(marks) - _MARGIN, min(0.0, max(marks) + _MARGIN)

        def y(dbfs: float) -> float:
            return bars.bottom() - (max(low, min(high, dbfs)) - low) / (high - low) * bars.height()

        count = len(looked.peaks_dbfs)
        item = bars.width() / count
        level = looked.setup.level_dbfs
        for number, (value, channel) in enumerate(zip(looked.peaks_dbfs, looked.setup.layout.channels, strict=False)):
            body = QRectF(bars.left() + number * item + item * 0.12, bars.top(), item * 0.76, bars.height())
            painter.fillRect(body, theme.colour("ground"))
            painter.fillRect(
                QRectF(body.left(), y(value), body.width(), bars.bottom() - y(value)),
                theme.colour("oxide" if value > -1 else "sage"),
            )
            painter.setPen(theme.colour("chalk"))
            name = SHORT.get(channel.at, "") if channel.carries != "silent" else "–"
            place = QRectF(body.left() - item * 0.12, bars.bottom() + 2, item, line)
            painter.drawText(
                place, Qt.AlignmentFlag.AlignCenter, f"{number + 1} {name}" if item > theme.px(34) else str(number + 1)
            )
        for at, text in PEAK_TYPES[looked.setup.meter].marks:
            painter.setPen(QPen(theme.colour("seam"), 1))
            painter.drawLine(QPointF(bars.left(), y(at)), QPointF(bars.right(), y(at)))
            painter.setPen(theme.colour("dust"))
            painter.drawText(
                QRectF(0, y(at) - line / 2, left - theme.px(5), line),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                text,
            )
        painter.setPen(QPen(theme.colour("lichen"), theme.px(2)))
        painter.drawLine(QPointF(bars.left(), y(level)), QPointF(bars.right(), y(level)))
        self._phases(painter, QRectF(bars.left(), bars.bottom() + line + 2, bars.width(), line), looked, item)

    def _phases(self, painter: QPainter, row: QRectF, looked: ShownFrame, item: float) -> None:
        """Draw for each pair where it lies between turned over (−1) and the same (+1)."""
        painter.setPen(theme.colour("dust"))
        painter.drawText(
            QRectF(0, row.top(), row.left() - theme.px(5), row.height()),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            "phase",
        )
        for number, value in enumerate(looked.phases):
            place = QRectF(
                row.left() + 2 * number * item + item * 0.12,
                row.center().y() - theme.px(3),
                2 * item - item * 0.24,
                theme.px(6),
            )
            painter.fillRect(place, theme.colour("ground"))
            if value is not None:
                at = place.left() + (value + 1) / 2 * (place.width() - theme.px(6))
                painter.fillRect(
                    QRectF(at, place.top() - 1, theme.px(6), place.height() + 2),
                    theme.colour("oxide" if value < -0.2 else "sage"),
                )


def loudness_words(looked: ShownFrame | None) -> str:
    """Return loudness and true peak as measured up to here."""
    if looked is None:
        return ""
    loudness = looked.loudness
    parts = [
        f"{name} {signed(value)}"
        for name, value in (("M", loudness.momentary), ("S", loudness.short_term), ("I", loudness.integrated))
        if value is not None
    ]
    spread = "" if loudness.range is None else f"LRA {signed(loudness.range)} LU"
    peak = "" if loudness.true_peak is None else f"TP {signed(loudness.true_peak)} dBTP"
    return " · ".join(words for words in (f"{', '.join(parts)} LUFS" if parts else "", spread, peak) if words)

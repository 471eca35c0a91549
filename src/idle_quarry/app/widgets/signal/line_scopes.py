"""Scopes of the received signal: luma by column, colour, and how many codes lie where."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QImage, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.traces import trace
from idle_quarry.line.devices.chain import ShownFrame
from idle_quarry.media.measurement.levels import bar_codes
from idle_quarry.picture.scopes import Counts


def _wider(counts: Counts) -> Counts:
    """Return counts in which each row has its neighbours' too: what is one code high would vanish on a screen."""
    result = counts.copy()
    result[1:] = np.maximum(result[1:], counts[:-1])
    result[:-1] = np.maximum(result[:-1], counts[1:])
    return result


class LineScopes(QWidget):
    """Waveform above, of R′, G′ and B′ where a frame has one; vectorscope and the ladder of codes below."""

    def __init__(self) -> None:
        super().__init__()
        self._looked: ShownFrame | None = None
        self._images: tuple[QImage, QImage] | None = None
        self._shown: object = None
        self._parade: list[QImage] = []
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Waveform, vectorscope and codes of the received signal")

    def sizeHint(self) -> QSize:
        return QSize(theme.px(360), theme.px(330))

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(220), theme.px(200))

    def show_looked(self, looked: ShownFrame | None) -> None:
        """Draw what was received."""
        if looked is not None and looked.waveform is self._shown:
            return
        self._looked = looked
        if looked is None:
            self._images, self._shown, self._parade = None, None, []
        else:
            self._shown = looked.waveform
            self._images = trace(_wider(looked.waveform), "sage"), trace(_wider(_wider(looked.vectors).T).T, "sage")
            self._parade = [
                trace(_wider(counts), role)
                for counts, role in zip(looked.parade, ("oxide", "sage", "lichen"), strict=False)
            ]
        self.setAccessibleDescription(
            "" if looked is None else "; ".join(f"{name} {share:.1%}" for name, share in looked.bands)
        )
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        looked = self._looked
        if looked is None or self._images is None:
            return
        painter.setFont(theme.font(12))
        left = theme.px(38)
        high = self.height() * 0.46
        wave = QRectF(left, theme.px(6), self.width() - left - 2, high)
        painter.fillRect(wave, theme.colour("ground"))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        if self._parade:
            part = wave.width() / len(self._parade)
            for number, (image, name) in enumerate(zip(self._parade, ("R′", "G′", "B′"), strict=True)):
                place = QRectF(wave.left() + number * part, wave.top(), part - theme.px(4), wave.height())
                painter.drawImage(place, image)
                painter.setPen(theme.colour("dust"))
                painter.drawText(place.adjusted(theme.px(4), 0, 0, 0), 0, name)
        else:
            painter.drawImage(wave, self._images[0])
        for code, warn in ((1019, False), (940, True), (502, False), (64, True), (4, False)):
            y = wave.bottom() - code / 1023 * wave.height()
            painter.setPen(
                QPen(
                    theme.colour("ochre" if warn else "seam"),
                    1,
                    Qt.PenStyle.DashLine if warn else Qt.PenStyle.SolidLine,
                )
            )
            painter.drawLine(QPointF(wave.left(), y), QPointF(wave.right(), y))
            if code not in (4, 1019):
                painter.setPen(theme.colour("dust"))
                painter.drawText(
                    QRectF(0, y - theme.px(8), left - theme.px(5), theme.px(16)),
                    Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                    str(code),
                )
        top = wave.bottom() + theme.px(10)
        side = min(self.height() - top - theme.px(4), self.width() * 0.46)
        self._vectors(painter, QRectF(left, top, side, side), looked)
        self._bands(
            painter, QRectF(left + side + theme.px(12), top, self.width() - left - side - theme.px(14), side), looked
        )

    def _vectors(self, painter: QPainter, scope: QRectF, looked: ShownFrame) -> None:
        assert self._images is not None
        painter.fillRect(scope, theme.colour("ground"))
        centre = scope.center()
        painter.setPen(QPen(theme.colour("seam"), 1))
        painter.drawEllipse(scope.adjusted(2, 2, -2, -2))
        painter.drawLine(QPointF(scope.left(), centre.y()), QPointF(scope.right(), centre.y()))
        painter.drawLine(QPointF(centre.x(), scope.top()), QPointF(centre.x(), scope.bottom()))
        painter.drawImage(scope, self._images[1])
        fmt = looked.frame.lock.format
        if fmt is None or fmt.encoding.matrix == "rgb":
            return
        for level, role in ((1.0, "seam"), (0.75, "ochre")):
            for name, (_, cb, cr) in zip("YCGMRB", bar_codes(fmt.encoding.matrix, level), strict=True):
                at = QPointF(scope.left() + cb / 256 * scope.width(), scope.bottom() - cr / 256 * scope.height())
                painter.setPen(QPen(theme.colour(role), 1))
                box = theme.px(4)
                painter.drawRect(QRectF(at.x() - box, at.y() - box, 2 * box, 2 * box))
                if role == "ochre":
                    painter.setPen(theme.colour("chalk"))
                    painter.drawText(at + QPointF(box + 2, theme.px(4)), name)

    def _bands(self, painter: QPainter, place: QRectF, looked: ShownFrame) -> None:
        painter.setPen(theme.colour("dust"))
        line = min(theme.px(20), place.height() / 7)
        painter.drawText(
            QRectF(place.left(), place.top(), place.width(), line), Qt.AlignmentFlag.AlignVCenter, "luma codes (R 103)"
        )
        for number, (name, share) in enumerate(looked.bands, 1):
            row = QRectF(place.left(), place.top() + number * line, place.width(), line)
            wrong = name in ("reserved", "below 20", "above 984") and share > 0
            painter.setPen(theme.colour("oxide" if wrong else "chalk" if share else "dust"))
            painter.drawText(row, Qt.AlignmentFlag.AlignVCenter, name)
            painter.drawText(
                row,
                Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                _percent(share),
            )


def _percent(share: float) -> str:
    """Return a share in words: of what is there, but rounds to nothing, that it is there."""
    if not share:
        return "0"
    if share > 0.9995:
        return "100 %"
    return f"{100 * share:.1f} %" if share >= 0.0005 else "< 0.1 %"

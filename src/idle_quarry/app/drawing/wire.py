"""A frame as the wire has it, drawn to scale: blanking, picture, and where packets lie."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from idle_quarry.app.appearance.theme import theme
from idle_quarry.line.reading.packet_description import kind_of
from idle_quarry.line.reading.received import ReceivedFrame

#: Colours of kinds of packets; each kind has a place of its own as well.
KIND_ROLES = {"payload": "lichen", "timecode": "sage", "sound": "dust", "other": "ochre"}

#: EBU R 95: action and graphics safe, shares of the picture.
SAFE = (0.93, 0.90)


@dataclass(frozen=True)
class WireLayout:
    """Where words and lines of a frame lie in a rectangle."""

    area: QRectF
    words: int
    lines: int
    sav: int

    def x(self, word: float) -> float:
        return self.area.left() + word / self.words * self.area.width()

    def y(self, line: float) -> float:
        """Return where a line (from 1) begins."""
        return self.area.top() + (line - 1) / self.lines * self.area.height()

    def packet(self, line: int, at: int, size: int) -> QRectF:
        """Return the place of a packet, large enough to be hit."""
        least = theme.px(5)
        return QRectF(self.x(at), self.y(line) - least / 2, max(self.x(at + size) - self.x(at), theme.px(10)), least)


def layout_of(frame: ReceivedFrame, within: QRectF) -> WireLayout:
    """Return the layout of a frame in a rectangle, in its own shape: words across, lines down."""
    timing = frame.lock.timing
    shape = timing.samples / timing.raster.lines
    width = min(within.width(), within.height() * shape)
    return WireLayout(
        QRectF(within.left(), within.top(), width, width / shape), timing.words, timing.raster.lines, timing.sav
    )


def paint_wire(painter: QPainter, frame: ReceivedFrame, chosen: int, within: QRectF, digits: bool = True) -> WireLayout:
    """Paint a frame and return where what lies; packet `chosen` is marked."""
    wire_layout = layout_of(frame, within)
    raster = frame.lock.timing.raster
    painter.fillRect(wire_layout.area, theme.colour("surround"))
    painter.setPen(QPen(theme.colour("seam"), 1))
    step = max(1, round(3 * raster.lines / max(1.0, wire_layout.area.height())))
    right = wire_layout.area.right()
    for first, last in raster.active:
        inside = QRectF(
            QPointF(wire_layout.x(wire_layout.sav + 4), wire_layout.y(first)), QPointF(right, wire_layout.y(last + 1))
        )
        painter.fillRect(inside, theme.colour("ground"))
        for line in range(first, last, step):
            painter.drawLine(QPointF(inside.left(), wire_layout.y(line)), QPointF(right, wire_layout.y(line)))
    words = frame.sound_words
    if words.any():
        painter.setPen(QPen(theme.colour("dust"), 1))
        rows = max(1, int(wire_layout.area.height()))
        edges = np.linspace(0, raster.lines, rows + 1).astype(int)
        head = 4 if raster.of_sd else 8
        for row in range(rows):
            most = int(words[edges[row] : max(edges[row] + 1, edges[row + 1])].max(initial=0))
            if most:
                y = wire_layout.area.top() + row + 0.5
                painter.drawLine(
                    QPointF(wire_layout.x(head), y),
                    QPointF(min(wire_layout.x(head + most), wire_layout.x(wire_layout.sav)), y),
                )
    painter.setPen(QPen(theme.colour("chalk"), 1))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for number, (first, last) in enumerate(raster.active):
        inside = QRectF(
            QPointF(wire_layout.x(wire_layout.sav + 4), wire_layout.y(first)),
            QPointF(right - 1, wire_layout.y(last + 1)),
        )
        painter.drawRect(inside)
        painter.setPen(QPen(theme.colour("seam"), 1, Qt.PenStyle.DotLine))
        for share in SAFE:
            aside, above = inside.width() * (1 - share) / 2, inside.height() * (1 - share) / 2
            painter.drawRect(inside.adjusted(aside, above, -aside, -above))
        painter.setPen(QPen(theme.colour("chalk"), 1))
        if digits:
            half = "" if len(raster.active) == 1 else (": one field", ": the other")[number]
            if frame.lock.scan == "psf":
                half = (": half of a picture", ": its other half")[number]
            place = inside.adjusted(theme.px(8), theme.px(4), -4, -4)
            text = f"lines {first}–{last}{half}"
            painter.setFont(theme.font(12))
            box = painter.fontMetrics().boundingRect(text)
            painter.fillRect(
                QRectF(place.left() - 3, place.top(), box.width() + 6, box.height()), theme.colour("ground")
            )
            painter.setPen(theme.colour("dust"))
            painter.drawText(place, 0, text)
            painter.setPen(QPen(theme.colour("chalk"), 1))
    for number, packet in enumerate(frame.packets):
        place = wire_layout.packet(packet.line, packet.at, len(packet.data) + 7)
        painter.fillRect(place, theme.colour(KIND_ROLES[kind_of(packet)]))
        if number == chosen:
            painter.setPen(QPen(theme.colour("chalk"), 2))
            painter.drawRect(place.adjusted(-2, -2, 2, 2))
    return wire_layout

"""What is drawn over lanes: marks of a programme, and where places of a check lie."""

from __future__ import annotations

from fractions import Fraction

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.lanes.lane_geometry import COUNT, HEAD, Scale
from idle_quarry.jobs.cutting.timeline import Timeline, TimelineItem


def draw_mark(painter: QPainter, x: float, y: float, size: float) -> None:
    """Draw a mark: a small flag's point."""
    painter.save()
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("lichen"))
    painter.drawPolygon(QPolygonF([QPointF(x - size, y - size), QPointF(x + size, y - size), QPointF(x, y + size)]))
    painter.restore()


def draw_places(
    painter: QPainter,
    timeline: Timeline,
    scale: Scale,
    height: float,
    frame: int,
    marks: tuple[int | None, int | None],
    *,
    on: bool,
) -> None:
    """Draw what lies over the lanes: marks, in and out, the playhead."""
    painter.save()
    painter.setClipRect(QRectF(theme.px(HEAD) - 6, 0, 100_000, height))
    top = theme.px(COUNT) - theme.px(11)
    for mark in timeline.markers:
        draw_mark(painter, scale.x(mark.at + 0.5), top, theme.px(4))
    if marks != (None, None):
        first = scale.x(marks[0] if marks[0] is not None else 0)
        last = scale.x(marks[1] if marks[1] is not None else timeline.end)
        painter.setPen(QPen(theme.colour("lichen"), 2))
        painter.drawLine(QPointF(first, top + 4), QPointF(last, top + 4))
        for x in (first, last):
            painter.drawLine(QPointF(x, top - 1), QPointF(x, top + 4))
    x = scale.x(frame)
    painter.setPen(QPen(theme.colour("chalk" if on else "dust"), 1.5))
    painter.drawLine(QPointF(x, 2), QPointF(x, height))
    painter.fillRect(QRectF(x - 4, 1, 8, 5), theme.colour("chalk" if on else "dust"))
    painter.restore()


def frames_words(item: TimelineItem, rate: Fraction) -> int:
    """Return how many frames of its media an item shows."""
    return round(abs(item.step(rate)) * item.length)

"""A strip in a row of a list: frames and links without texts, at a scale shared with the rows around it."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import (
    QPainter,
)

from idle_quarry.app.drawing.marks import draw_frame, draw_link
from idle_quarry.path.evaluation import Evaluation, Station
from idle_quarry.path.strip_words import display_size


def paint_mini_strip(painter: QPainter, e: Evaluation, rect: QRectF, pixels_a_line: float) -> None:
    """Draw a strip without texts into `rect`, at a scale shared with the strips around it."""
    columns: list[list[Station]] = [[], [], [], []]
    index = {"source": 0, "working": 1, "intermediate": 2, "delivery": 3}
    for station in e.stations:
        if station.kind in index:
            columns[index[station.kind]].append(station)
    slot = rect.width() / 4
    frames: dict[str, QRectF] = {}
    for number, column in enumerate(columns):
        total = sum(display_size(s)[1] * pixels_a_line for s in column) + 3 * max(0, len(column) - 1)
        squeeze = min(1.0, rect.height() / total) if total else 1.0
        y = rect.center().y() - total * squeeze / 2
        for station in column:
            w, h = (side * pixels_a_line for side in display_size(station))
            frames[station.id] = QRectF(
                round(rect.left() + slot * number + (slot - w) / 2),
                round(y),
                max(3, round(w)),
                max(2, round(h * squeeze)),
            )
            y += (h + 3) * squeeze
    for link in e.links:
        if link.source in frames and link.target in frames:
            a, b = frames[link.source], frames[link.target]
            draw_link(
                painter,
                [QPointF(a.right() + 2, a.center().y()), QPointF(b.left() - 2, b.center().y())],
                link.grade,
                1.2,
            )
    for station in e.stations:
        if station.id in frames:
            draw_frame(painter, frames[station.id], station.format.scan)

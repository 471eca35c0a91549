"""The motion ribbon: what the fields of a clip really do along its length, drawn by form first.

A frame of its own moments is two cells (the earlier field on its side), a whole picture one cell, a repeated one a
hollow cell, a frame of a pulldown a cell cut by its cadence, and a frame of which nothing can be said a dot.
"""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from idle_quarry.app.appearance.theme import theme
from idle_quarry.media.measurement.results import Fields

#: Patterns of pairs (see `measurement.structure`) by what their frame is.
_COLUMN = 3
_WHOLE, _REPEAT, _UPPER, _LOWER = "P", "R", "It", "Ib"


def draw_ribbon(
    painter: QPainter, rect: QRectF, fields: Fields, frames: int | None, *, frame: int | None = None
) -> None:
    """Draw the marks of a clip in `rect`, whose width is its whole length; `frame` is where the eye is now."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    painter.fillRect(rect, theme.colour("ground"))
    last = max([frames or 0, *(number + 1 for number, _ in fields.marks)], default=1)
    step = rect.width() / max(1, last)
    if step >= 2.0:
        for number, pattern in fields.marks:
            _cell(painter, QRectF(rect.left() + number * step, rect.top(), step, rect.height()), pattern)
    else:
        _columns(painter, rect, fields, last)
    pen = QPen(theme.colour("ochre"), 1.5)
    painter.setPen(pen)
    for at in (*fields.breaks, *(stretch.start for stretch in fields.stretches[1:])):
        x = rect.left() + at * step
        painter.drawLine(QPointF(x, rect.top() - 3), QPointF(x, rect.bottom() + 3))
    if frame is not None:
        x = rect.left() + (frame + 0.5) * step
        painter.setPen(QPen(theme.colour("lichen"), 1.5))
        painter.drawLine(QPointF(x, rect.top() - 3), QPointF(x, rect.bottom() + 3))
    painter.restore()


def _columns(painter: QPainter, rect: QRectF, fields: Fields, last: int) -> None:
    """Where a frame is less than two pixels wide, each column of pixels shows what its frames are together.

    The commonest pattern that is no repeat, as high as its share among the repeats.
    """
    buckets: dict[int, list[str]] = {}
    for number, pattern in fields.marks:
        buckets.setdefault(int(number * rect.width() / last / _COLUMN), []).append(pattern)
    for place, patterns in buckets.items():
        cell = QRectF(rect.left() + place * _COLUMN, rect.top(), _COLUMN, rect.height())
        new = [pattern for pattern in patterns if pattern != _REPEAT]
        if len(new) < len(patterns):
            _cell(painter, cell, _REPEAT)
        if new:
            spare = cell.height() * (1 - len(new) / len(patterns)) / 2
            _cell(painter, cell.adjusted(0, spare, 0, -spare), max(set(new), key=new.count))


def _cell(painter: QPainter, cell: QRectF, pattern: str) -> None:
    gap = 1 if cell.width() >= 3 else 0
    body = cell.adjusted(0, 0, -gap, 0)
    plain, strong = theme.colour("sage"), theme.colour("lichen")
    half = body.height() / 2
    if pattern == "?":
        painter.fillRect(QRectF(body.center().x(), body.center().y(), 1, 1), theme.colour("dust"))
    elif pattern == _WHOLE:
        painter.fillRect(body, plain)
    elif pattern == _REPEAT:
        painter.setPen(QPen(theme.colour("dust"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawLine(QPointF(body.left(), body.center().y()), QPointF(body.right(), body.center().y()))
    elif pattern in (_UPPER, _LOWER):
        upper = QRectF(body.left(), body.top(), body.width(), half - 1)
        lower = QRectF(body.left(), body.top() + half + 1, body.width(), half - 1)
        shift = body.width() / 2 if body.width() >= 4 else 0
        first, second = (upper, lower) if pattern == _UPPER else (lower, upper)
        # the earlier field begins at the frame's left, the later one half a frame on
        painter.fillRect(first.adjusted(0, 0, -shift, 0), strong)
        painter.fillRect(second.adjusted(shift, 0, 0, 0), plain)
    else:  # a frame of a pulldown: two pictures share it, or one of its fields is shown again
        painter.fillRect(QRectF(body.left(), body.top(), body.width(), half), plain if pattern[0] == "X" else strong)
        painter.fillRect(
            QRectF(body.left(), body.top() + half, body.width(), half), strong if pattern[0] == "X" else plain
        )

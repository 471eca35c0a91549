"""A list of cuts as lanes to scale of time: what became of each event is told by form first.

Found: a full piece; with an offset: a piece with its head cut aslant; found elsewhere: a piece with a dot; needing no
media: a hollow one; missing: hatched, with a cross where it matters. Off-speed pieces have a dashed foot.
"""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QFontMetricsF, QPainter, QPen, QPolygonF

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.marks import fitted, step_of
from idle_quarry.jobs.conform.matching import ELSEWHERE, FOUND, MISSING, NOT_NEEDED, OFFSET, Event
from idle_quarry.jobs.cutting.timeline import Timeline

#: Heights at 100 % of text size: of a lane, and of the line of timecodes above them.
LANE, SCALE = 26, 22
HEAD = 60
#: Pieces narrower than this, px, bear no name.
_NAMED = 34
#: Pieces narrower than this, px, share a column with their neighbours.
_NARROW = 2.0


def lane_places(timeline: Timeline, width: float) -> tuple[float, float]:
    """Return where the first frame lies across, and how wide a frame is, px."""
    left = float(theme.px(HEAD))
    return left, (width - left - theme.px(16)) / max(1, timeline.end)


def piece(timeline: Timeline, event: Event, width: float) -> QRectF:
    """Return where an event's piece lies on lanes of a width."""
    left, frame = lane_places(timeline, width)
    row = timeline.tracks.index(event.track)
    top = theme.px(SCALE) + row * theme.px(LANE) + 3
    return QRectF(left + event.item.at * frame, top, max(2.0, event.item.length * frame), theme.px(LANE) - 6)


def draw_cuts(
    painter: QPainter, timeline: Timeline, events: Sequence[Event], width: float, chosen: Event | None
) -> None:
    """Draw a list's events on lanes of a width."""
    left, frame = lane_places(timeline, width)
    painter.setFont(theme.font(11, mono=True))
    painter.setPen(theme.colour("dust"))
    metrics = QFontMetricsF(painter.font())
    room = metrics.horizontalAdvance("00:00:00:00") + theme.px(24)
    for at, timecode in timeline.start.whole_seconds(step_of(float(timeline.rate) * frame, room), 0, timeline.end):
        if left + at * frame + room < width:
            painter.drawText(QPointF(left + at * frame, theme.px(SCALE) - theme.px(8)), str(timecode))
    painter.setFont(theme.font(12, bold=True))
    for row, track in enumerate(timeline.tracks):
        top = theme.px(SCALE) + row * theme.px(LANE)
        painter.setPen(theme.colour("chalk"))
        painter.drawText(
            QRectF(theme.px(16), top, theme.px(HEAD) - theme.px(20), theme.px(LANE)),
            Qt.AlignmentFlag.AlignVCenter,
            track.name,
        )
        painter.setPen(QPen(theme.colour("seam"), 1))
        foot = top + theme.px(LANE) - 1
        painter.drawLine(QPointF(left, foot), QPointF(width - theme.px(16), foot))
    painter.setFont(theme.font(11))
    drawn: dict[tuple[int, int], set[str]] = {}  # where pieces are narrower than a pixel, one of each kind is enough
    rows = {id(track): row for row, track in enumerate(timeline.tracks)}
    for event in events:
        if event.item.length * frame < _NARROW:
            seen = drawn.setdefault((rows[id(event.track)], int((left + event.item.at * frame) / _NARROW)), set())
            if event.status in seen:
                continue
            seen.add(event.status)
        if event is not chosen:
            _draw_piece(painter, piece(timeline, event, width), event)
    if chosen is not None:
        _draw_piece(painter, piece(timeline, chosen, width), chosen)
        painter.setPen(QPen(theme.colour("lichen"), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(piece(timeline, chosen, width).adjusted(-1, -1, 1, 1))


def _draw_piece(painter: QPainter, rect: QRectF, event: Event) -> None:
    role = {
        FOUND: "sage",
        OFFSET: "ochre",
        ELSEWHERE: "sage",
        NOT_NEEDED: "dust",
        MISSING: "oxide" if event.matters else "dust",
    }
    colour = theme.colour(role[event.status])
    painter.setPen(QPen(colour, 1))
    ground = theme.colour("ledge")
    painter.setBrush(
        ground if event.status in (FOUND, OFFSET, ELSEWHERE) else QBrush(colour, Qt.BrushStyle.BDiagPattern)
    )
    if event.status == NOT_NEEDED:
        painter.setBrush(Qt.BrushStyle.NoBrush)
    if event.status == OFFSET and rect.width() > 6:
        cut = min(rect.width() / 2, rect.height() / 2)
        corners = [rect.bottomLeft(), rect.topLeft() + QPointF(cut, 0), rect.topRight(), rect.bottomRight()]
        painter.drawPolygon(QPolygonF(corners))
    else:
        painter.drawRect(rect)
    if event.status == ELSEWHERE:
        painter.setBrush(colour)
        painter.drawEllipse(QPointF(rect.left() + 6, rect.center().y()), 2.5, 2.5)
    if event.item.speed != 1 and event.item.media is not None:
        painter.setPen(QPen(theme.colour("ochre"), 2, Qt.PenStyle.DashLine))
        painter.drawLine(rect.bottomLeft() + QPointF(1, -1), rect.bottomRight() + QPointF(-1, -1))
    if rect.width() >= _NAMED:
        inside = rect.adjusted(theme.px(14 if event.status in (ELSEWHERE, OFFSET) else 6), 0, -3, 0)
        metrics = QFontMetricsF(painter.font())
        name = fitted(event.item.name, metrics, inside.width())
        if event.status == MISSING:  # a name is not read through hatching
            wide = metrics.horizontalAdvance(name) + 6
            painter.fillRect(QRectF(inside.left() - 3, rect.top() + 2, wide, rect.height() - 4), theme.colour("bench"))
        painter.setPen(theme.colour("chalk"))
        painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter, name)

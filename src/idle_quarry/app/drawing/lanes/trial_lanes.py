"""A timeline's lanes to scale of time: each item a piece of its motion ribbon, what the template does to it the
line along its top.

Exact: two lines; clean: one; lossy: dashed; broken or no clip: hatched. Another speed stands as its percentage. What is
switched off is hollow. The playhead is a line through all lanes, in and out a bar above them.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from fractions import Fraction

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFontMetricsF, QPainter, QPen

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.lanes.lane_geometry import COUNT, HEAD, THIN, ItemLook, LaneRow, Scale
from idle_quarry.app.drawing.lanes.lane_marks import draw_mark, frames_words
from idle_quarry.app.drawing.lanes.render_lanes import draw_stood
from idle_quarry.app.drawing.marks import fitted, step_of
from idle_quarry.app.drawing.ribbon import draw_ribbon
from idle_quarry.jobs.cutting.timeline import CLIP, COLOURS, PICTURE, Timeline, TimelineItem, Track
from idle_quarry.jobs.renders.status import PieceStatus
from idle_quarry.media.measurement.results import Fields

#: How high the line is, at the count's foot, that tells what is rendered.
_RENDERED = 4
#: Pieces narrower than so many px bear no name, no ribbon; those below the last share a column.
_NAMED, _RIBBONED, _NARROW = 30, 16, 2.0
#: Costs that are a line along the top, with its places, and those that are hatching.
_LINED, _HATCHED = {"exact": (0.5, 3.5), "clean": (1.0,), "lossy": (1.0,)}, ("missing", "broken")
#: The scheme's colours of what was given one here.
_COLOURS = dict(zip(COLOURS, ("sage", "ochre", "oxide", "dust"), strict=True))


def draw_lane(
    painter: QPainter,
    row: LaneRow,
    rate: Fraction,
    scale: Scale,
    width: float,
    look: Callable[[TimelineItem], ItemLook],
    *,
    chosen: frozenset[int] = frozenset(),
    aimed: bool = False,
    span: tuple[float, float] | None = None,
) -> None:
    """Draw a track's lane over what was there: its name, the pieces in sight.

    With `span`, px, only what lies between.
    """
    head = float(theme.px(HEAD))
    left, right = (0.0, width) if span is None else (max(head, span[0]), min(width, span[1]))
    if right <= left:  # what changed lies out of sight
        return
    track, names = row.track, theme.font(11)
    painter.fillRect(QRectF(left, row.top, right - left, row.foot - row.top), theme.colour("bench"))
    if span is None:
        _draw_head(painter, row, aimed)
    left = max(head, left)
    painter.save()
    painter.setClipRect(QRectF(left, row.top, right - left, row.foot - row.top))
    painter.setPen(QPen(theme.colour("seam"), 1))
    painter.drawLine(QPointF(head, row.foot - 1), QPointF(width, row.foot - 1))
    plain, drawn = _Plain(sound=track.kind != PICTURE), -1
    rich: list[tuple[QRectF, TimelineItem, ItemLook]] = []
    zero, frame, top, tall = scale.x(0), scale.frame, row.top + 2, row.foot - row.top - 4
    # what begins a little outside reaches in with its edge, and shares a column
    for item in track.between(max(0, int(scale.at(left - 8))), int(scale.at(right + 8)) + 1):
        begin, wide = zero + item.at * frame, item.length * frame
        own = item.ident in chosen
        if wide < _NARROW and not own:  # of those that share a column one is enough
            column = int(begin / _NARROW)
            if column == drawn:
                continue
            drawn = column
        rect, item_look = QRectF(begin, top, max(1.5, wide - 1), tall), look(item)
        if item.enabled:
            plain.take(rect, item_look.cost)
        if wide >= _RIBBONED or own or not item.enabled:
            rich.append((rect, item, item_look))
    plain.draw(painter)
    painter.setFont(names)
    metrics = QFontMetricsF(names)
    for rect, item, item_look in rich:
        _draw_rich(painter, rect, rate, track, item, item_look, metrics, chosen=item.ident in chosen)
    for change in track.transitions:
        _draw_change(painter, scale.x(change.at - change.before), scale.x(change.at + change.after), row)
    painter.restore()


class _Plain:
    """What all pieces of a lane have: their ground and their cost, drawn together, since there can be thousands."""

    def __init__(self, *, sound: bool) -> None:
        self._sound = sound
        self._all: list[QRectF] = []
        self._of: dict[str, list[QRectF]] = {}

    def take(self, rect: QRectF, cost: str) -> None:
        self._all.append(rect)
        self._of.setdefault(cost, []).append(rect)

    def draw(self, painter: QPainter) -> None:
        painter.setPen(QPen(theme.colour("seam"), 1))
        painter.setBrush(theme.colour("ledge"))
        painter.drawRects(self._all)
        for cost, rects in sorted(self._of.items()):  # in one order: edges of neighbours lie over one another
            if cost in _HATCHED:
                painter.setPen(QPen(_colour(cost), 1))
                painter.setBrush(QBrush(_colour(cost), Qt.BrushStyle.BDiagPattern))
                painter.drawRects(rects)
            elif cost in _LINED and not self._sound:
                painter.setPen(_pen(cost))
                for by in _LINED[cost]:
                    painter.drawLines(
                        [QLineF(rect.left(), rect.top() + by, rect.right(), rect.top() + by) for rect in rects]
                    )


def _colour(cost: str) -> QColor:
    return theme.colour(
        {"exact": "sage", "clean": "sage", "lossy": "ochre", "missing": "oxide", "broken": "oxide"}.get(cost, "dust")
    )


def _pen(cost: str) -> QPen:
    return QPen(_colour(cost), 1.5, Qt.PenStyle.DashLine if cost == "lossy" else Qt.PenStyle.SolidLine)


def draw_count(painter: QPainter, timeline: Timeline, scale: Scale, width: float) -> None:
    """Draw the count over the lanes, on a ground of its own: they may be scrolled away below it."""
    painter.fillRect(QRectF(0, 0, width, theme.px(COUNT)), theme.colour("bench"))
    painter.setFont(theme.font(11, mono=True))
    metrics = QFontMetricsF(painter.font())
    room = metrics.horizontalAdvance("00:00:00:00") + theme.px(22)
    step = step_of(float(timeline.rate) * scale.frame, room)
    first, last = max(0, int(scale.at(0))), int(scale.at(width)) + 1
    for frame, timecode in timeline.start.whole_seconds(step, first, last):
        x = scale.x(frame)
        if x >= theme.px(HEAD) - 1:
            painter.setPen(theme.colour("seam"))
            painter.drawLine(QPointF(x, 2), QPointF(x, theme.px(COUNT) - theme.px(12)))
            painter.setPen(theme.colour("dust"))
            painter.drawText(QPointF(x + 4, theme.px(COUNT) - theme.px(15)), str(timecode))


def draw_pieces(painter: QPainter, pieces: Sequence[PieceStatus], scale: Scale, width: float) -> None:
    """Draw how pieces stand, along the count's foot."""
    tall = float(theme.px(_RENDERED))
    painter.save()
    painter.setClipRect(QRectF(theme.px(HEAD), 0, width, theme.px(COUNT)))
    for piece in pieces:
        left, right = scale.x(piece.piece.first), scale.x(piece.piece.last)
        if right >= theme.px(HEAD) and left <= width:
            draw_stood(painter, QRectF(left, theme.px(COUNT) - tall - 1, max(1.0, right - left - 1), tall), piece)
    painter.restore()


def _draw_head(painter: QPainter, row: LaneRow, aimed: bool) -> None:
    painter.setFont(theme.font(12 if row.foot - row.top > theme.px(THIN) else 11, bold=aimed))
    painter.setPen(theme.colour("chalk" if row.track.enabled and (aimed or row.track.items) else "dust"))
    room = QRectF(theme.px(16), row.top, theme.px(HEAD) - theme.px(22), row.foot - row.top)
    name = fitted(row.track.name, QFontMetricsF(painter.font()), room.width())
    painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, name)
    if aimed:
        bar = QRectF(theme.px(8), row.top + theme.px(6), 3, row.foot - row.top - theme.px(12))
        painter.fillRect(bar, theme.colour("lichen"))


def _draw_rich(
    painter: QPainter,
    rect: QRectF,
    rate: Fraction,
    track: Track,
    item: TimelineItem,
    item_look: ItemLook,
    metrics: QFontMetricsF,
    *,
    chosen: bool,
) -> None:
    """Draw what a piece has of its own: ribbon, name, speed, marks, that it is chosen or switched off."""
    if not item.enabled:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("dust"), 1, Qt.PenStyle.DashLine))
        painter.drawRect(rect)
    elif track.kind != PICTURE:
        painter.setPen(theme.colour("dust"))
        middle = rect.bottom() - theme.px(5)
        painter.drawLine(QPointF(rect.left() + 2, middle), QPointF(rect.right() - 2, middle))
    elif item_look.fields is not None and item.media is not None:
        foot = QRectF(rect.left() + 1, rect.bottom() - theme.px(6), rect.width() - 2, theme.px(5))
        draw_ribbon(painter, foot, _piece_of(item_look.fields, item, rate), max(1, frames_words(item, rate)))
    if item.colour:
        colour = theme.colour(_COLOURS[item.colour]) if item.colour in _COLOURS else theme.seen(item.colour)
        painter.fillRect(QRectF(rect.left(), rect.top(), theme.px(3), rect.height()), colour)
    if rect.width() >= _NAMED:
        _draw_name(painter, rect, item, metrics, hatched=item_look.cost in _HATCHED)
    for mark in item.markers:
        if 0 <= mark.at < item.length:
            draw_mark(painter, rect.left() + (mark.at + 0.5) * rect.width() / item.length, rect.top() + theme.px(4), 3)
    if chosen:
        painter.setPen(QPen(theme.colour("lichen"), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(rect.adjusted(1, 1, -1, -1))


def _draw_name(painter: QPainter, rect: QRectF, item: TimelineItem, metrics: QFontMetricsF, *, hatched: bool) -> None:
    room = rect.width() - theme.px(9)
    foot = rect.center().y() + metrics.ascent() / 2 - theme.px(3)
    text = f"{float(100 * item.speed):.4g} %" if item.kind == CLIP and item.speed != 1 else ""
    if text and room > 2 * metrics.horizontalAdvance(text):
        wide = metrics.horizontalAdvance(text)
        painter.setPen(theme.colour("ochre"))
        painter.drawText(QPointF(rect.right() - wide - 5, foot), text)
        room -= wide + 6
    name = _elided(item.name, metrics, int(room))
    at = QPointF(rect.left() + theme.px(5), foot)
    if hatched:  # a name is not read through hatching
        wide = metrics.horizontalAdvance(name) + 4
        painter.fillRect(QRectF(at.x() - 2, rect.top() + 3, wide, rect.height() - 6), theme.colour("bench"))
    painter.setPen(theme.colour("chalk" if item.enabled else "dust"))
    painter.drawText(at, name)


_ELIDED: dict[tuple[str, int, float], str] = {}


def _elided(name: str, metrics: QFontMetricsF, room: int) -> str:
    """Return a name for a room: timelines have the same few names again and again."""
    key = name, room, metrics.height()
    if key not in _ELIDED:
        if len(_ELIDED) > 20_000:
            _ELIDED.clear()
        _ELIDED[key] = fitted(name, metrics, room)
    return _ELIDED[key]


def _draw_change(painter: QPainter, left: float, right: float, row: LaneRow) -> None:
    painter.setPen(QPen(theme.colour("chalk"), 1))
    painter.drawLine(QPointF(left, row.foot - 3), QPointF(right, row.top + 3))


def _piece_of(fields: Fields, item: TimelineItem, rate: Fraction) -> Fields:
    """Return what the fields of the frames that an item shows do."""
    assert item.media is not None
    first = int(min(item.begins, item.shows(item.end - 1, rate))) - item.media.first
    last = first + max(1, frames_words(item, rate))
    marks = tuple((number - first, pattern) for number, pattern in fields.marks if first <= number < last)
    return replace(
        fields,
        marks=marks,
        breaks=tuple(at - first for at in fields.breaks if first <= at < last),
        stretches=fields.stretches[:1],
    )

"""Where everything on a strip stands: frames at one scale, links routed between them, texts beside them."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt

from idle_quarry.app.appearance.theme import theme
from idle_quarry.path.evaluation import Evaluation, Link, Station
from idle_quarry.path.strip_words import display_size

#: How far beside the intermediate the lines to the deliveries bend: farther for the words of a proxy, where there is
#: room.
_BESIDE, _BESIDE_PROXY = 14, 62


@dataclass(frozen=True)
class PlacedStation:
    """A station's frame on the strip, and where its text stands."""

    station: Station
    frame: QRectF
    text: QRectF
    align: Qt.AlignmentFlag


@dataclass(frozen=True)
class PlacedLink:
    """A link's line on the strip; `run` is the level part that carries its label."""

    link: Link
    points: list[QPointF]
    run: QRectF


@dataclass(frozen=True)
class StripLayout:
    """Where everything stands."""

    stations: tuple[PlacedStation, ...]
    links: tuple[PlacedLink, ...]
    pixels_a_line: float
    narrow: bool


def lay_out(e: Evaluation, width: float, height: float, scale: float | None = None) -> StripLayout:
    """Return the layout of an evaluation in `width` × `height` pixels, all frames at one scale.

    `scale` (pixels a line) is the one of other strips beside this; None for the largest that fits.
    """
    by_kind: dict[str, list[Station]] = {}
    for station in e.stations:
        by_kind.setdefault(station.kind, []).append(station)
    sources, outs = by_kind.get("source", []), by_kind.get("delivery", [])
    working, intermediate = by_kind["working"][0], by_kind["intermediate"][0]
    below = {"working": by_kind.get("monitor", []), "intermediate": by_kind.get("proxy", [])}
    line = theme.px(15)
    narrow = width < theme.px(880)
    side = theme.px(146 if narrow else 170)
    top, gap = theme.px(30), theme.px(10)
    caption = 3 * line + theme.px(4)
    room = height - top - theme.px(8)

    stacks = [sources, outs]
    tallest = max((sum(display_size(s)[1] for s in stack) for stack in stacks if stack), default=1)
    count = max(len(sources), len(outs), 1)
    fits = [(room - gap * (count - 1)) / tallest]
    for head, hanging in ((working, below["working"]), (intermediate, below["intermediate"])):
        fits.append(
            (room - caption - (gap * 2 if hanging else 0))
            / (display_size(head)[1] + sum(display_size(s)[1] for s in hanging))
        )
    widest = sum(
        max((display_size(s)[0] for s in column), default=0) for column in (sources, [working], [intermediate], outs)
    )
    links_room = 3 * theme.px(58 if narrow else 130)
    fits.append((width - 2 * side - links_room) / widest)
    pixels = max(0.004, min(fits)) if scale is None else scale

    def size(station: Station) -> tuple[float, float]:
        w, h = display_size(station)
        return max(6.0, round(w * pixels)), max(4.0, round(h * pixels))

    left_w = max((size(s)[0] for s in sources), default=theme.px(40))
    right_w = max((size(s)[0] for s in outs), default=theme.px(40))
    first_x, last_x = side, width - side - right_w
    inner = last_x - first_x - left_w
    mid_w = [size(working)[0], size(intermediate)[0]]
    free = (inner - sum(mid_w)) / 3
    mid_x = [first_x + left_w + free, first_x + left_w + 2 * free + mid_w[0]]

    placed: dict[str, PlacedStation] = {}

    def stack(stations: list[Station], x: float, full: float, text_left: bool) -> None:
        heights = [max(size(s)[1], 3 * line) for s in stations]
        total = sum(heights) + gap * (len(stations) - 1)
        y = top + max(0.0, (room - total) / 2)
        if len(stations) == 1:  # one source and one delivery lie on the line of the programme
            y = max(float(top), head_y + head_h / 2 - total / 2)
        for station, slot in zip(stations, heights, strict=True):
            w, h = size(station)
            frame = QRectF(x + (full - w if text_left else 0), y + (slot - h) / 2, w, h)
            start = frame.left() - side + theme.px(14) if text_left else frame.right() + theme.px(12)
            text_width = side - theme.px(26)
            text = QRectF(start, y + (slot - 3 * line) / 2, text_width, 3 * line)
            if text_left:
                text = QRectF(theme.px(14), text.top(), frame.left() - theme.px(26), text.height())
            placed[station.id] = PlacedStation(station, frame, text, Qt.AlignmentFlag.AlignLeft)
            y += slot + gap

    hung = max((size(s)[1] + 2 * gap for stations in below.values() for s in stations), default=0.0)
    head_h = max(size(working)[1], size(intermediate)[1])
    # text under a head ends before the lines that bend down beside it
    # a narrow strip bends its lines close to the deliveries, and the text has the room before them
    beside = theme.px(_BESIDE)
    if below["intermediate"]:
        beside = theme.px(_BESIDE_PROXY if free > theme.px(190) else 34 if free > theme.px(150) else _BESIDE)
    bends = max(theme.px(12), free - theme.px(22)) if narrow else beside - 2 if len(outs) > 1 else links_room / 3
    ends = {working.id: mid_x[1] - theme.px(6), intermediate.id: mid_x[1] + size(intermediate)[0] + bends}
    # what hangs from working may say its name under the intermediate, where nothing hangs there
    room_beside = {
        working.id: ends[working.id if below["intermediate"] else intermediate.id],
        intermediate.id: ends[intermediate.id],
    }
    if not below["intermediate"] and not narrow:  # the intermediate's text is centred and comes nearer
        middle = mid_x[1] + size(intermediate)[0] / 2
        ends[working.id] = min(middle - side / 2, ends[intermediate.id] - side) - theme.px(8)
    head_y = top + max(0.0, (room - head_h - caption - hung) / 2)
    for head, x, hanging in ((working, mid_x[0], below["working"]), (intermediate, mid_x[1], below["intermediate"])):
        w, h = size(head)
        frame = QRectF(x, round(head_y + (head_h - h) / 2), w, h)
        below_frame = frame.bottom() + theme.px(4)
        if hanging or narrow:  # the branch comes down at the left of the text
            start = frame.left() + (theme.px(14) if hanging else 0)
            text = QRectF(start, below_frame, min(side, ends[head.id] - start), 3 * line)
            placed[head.id] = PlacedStation(head, frame, text, Qt.AlignmentFlag.AlignLeft)
        else:
            # under the frame's middle where there is room, else it ends before the bends
            end = ends[head.id]
            text = QRectF(min(frame.center().x() - side / 2, end - side), below_frame, side, 3 * line)
            roomy = frame.center().x() + side / 2 <= end
            align = Qt.AlignmentFlag.AlignHCenter if roomy else Qt.AlignmentFlag.AlignRight
            placed[head.id] = PlacedStation(head, frame, text, align)
        for station in hanging:
            hw, hh = size(station)
            hang = QRectF(x, head_y + head_h + caption + 2 * gap, hw, hh)
            left = hang.right() + theme.px(9)
            text = QRectF(
                left, hang.center().y() - 1.5 * line, max(theme.px(40), room_beside[head.id] - left), 3 * line
            )
            placed[station.id] = PlacedStation(station, hang, text, Qt.AlignmentFlag.AlignLeft)
    stack(sources, first_x, left_w, True)
    stack(outs, last_x, right_w, False)
    links = [_routed(e, link, placed, beside, late=narrow) for link in e.links]
    return StripLayout(tuple(placed[s.id] for s in e.stations), tuple(links), pixels, narrow)


def _routed(e: Evaluation, link: Link, placed: dict[str, PlacedStation], beside: int, *, late: bool) -> PlacedLink:
    source, target = placed[link.source].frame, placed[link.target].frame
    kind = placed[link.target].station.kind
    if kind in ("monitor", "proxy"):
        x = target.left() + min(theme.px(6), target.width() / 2)
        points = [QPointF(x, source.bottom()), QPointF(x, target.top())]
        return PlacedLink(link, points, QRectF(x - 8, source.bottom(), 16, target.top() - source.bottom()))
    start, end = QPointF(source.right() + 5, source.center().y()), QPointF(target.left() - 5, target.center().y())
    siblings = [
        item for item in e.links if (item.target == link.target if kind == "working" else item.source == link.source)
    ]
    siblings = [sibling for sibling in siblings if placed[sibling.target].station.kind == kind]
    index, of = siblings.index(link), len(siblings)
    spread = (index - (of - 1) / 2) * min(10.0, (target if kind == "working" else source).height() / (of + 1))
    if kind == "working":
        end = QPointF(end.x(), end.y() + spread)
        turn = end.x() - theme.px(14) - 4 * abs(index - (of - 1) / 2)
        run = QRectF(QPointF(start.x(), start.y() - 20), QPointF(turn, start.y() + 20))
    else:
        start = QPointF(start.x(), start.y() + spread)
        aside = (theme.px(_BESIDE) if late else beside) + 4 * abs(index - (of - 1) / 2)
        turn = end.x() - aside if late else start.x() + aside
        run = QRectF(QPointF(turn, end.y() - 20), QPointF(end.x(), end.y() + 20))
    if abs(start.y() - end.y()) < 2:
        level = QPointF(end.x(), start.y())
        return PlacedLink(
            link, [start, level], QRectF(QPointF(start.x(), start.y() - 20), QPointF(end.x(), start.y() + 20))
        )
    return PlacedLink(link, [start, QPointF(turn, start.y()), QPointF(turn, end.y()), end], run)

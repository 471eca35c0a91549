"""The strip: a template's path drawn to scale, stations as frames and links as lines of their grade."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QAccessible,
    QAccessibleEvent,
    QDragEnterEvent,
    QDropEvent,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from idle_quarry.app.drawing import draw_frame, draw_link, draw_severity, fitted
from idle_quarry.app.theme import theme
from idle_quarry.path.evaluation import SEVERITIES, Evaluation, Link, Station
from idle_quarry.path.strip_words import display_size, link_texts, station_texts
from idle_quarry.signal.words import format_words

#: How far beside the intermediate the lines to the deliveries bend: farther for the words of a proxy, where there is room.
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
    working, kept = by_kind["working"][0], by_kind["intermediate"][0]
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
    for head, hanging in ((working, below["working"]), (kept, below["intermediate"])):
        fits.append(
            (room - caption - (gap * 2 if hanging else 0))
            / (display_size(head)[1] + sum(display_size(s)[1] for s in hanging))
        )
    widest = sum(max((display_size(s)[0] for s in column), default=0) for column in (sources, [working], [kept], outs))
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
    mid_w = [size(working)[0], size(kept)[0]]
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
    head_h = max(size(working)[1], size(kept)[1])
    # text under a head ends before the lines that bend down beside it
    # a narrow strip bends its lines close to the deliveries, and the text has the room before them
    beside = theme.px(_BESIDE)
    if below["intermediate"]:
        beside = theme.px(_BESIDE_PROXY if free > theme.px(190) else 34 if free > theme.px(150) else _BESIDE)
    bends = max(theme.px(12), free - theme.px(22)) if narrow else beside - 2 if len(outs) > 1 else links_room / 3
    ends = {working.id: mid_x[1] - theme.px(6), kept.id: mid_x[1] + size(kept)[0] + bends}
    # what hangs from working may say its name under the intermediate, where nothing hangs there
    room_beside = {working.id: ends[working.id if below["intermediate"] else kept.id], kept.id: ends[kept.id]}
    if not below["intermediate"] and not narrow:  # the intermediate's text is centred and comes nearer
        middle = mid_x[1] + size(kept)[0] / 2
        ends[working.id] = min(middle - side / 2, ends[kept.id] - side) - theme.px(8)
    head_y = top + max(0.0, (room - head_h - caption - hung) / 2)
    for head, x, hanging in ((working, mid_x[0], below["working"]), (kept, mid_x[1], below["intermediate"])):
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
        each for each in e.links if (each.target == link.target if kind == "working" else each.source == link.source)
    ]
    siblings = [each for each in siblings if placed[each.target].station.kind == kind]
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


class Strip(QWidget):
    """The strip as a widget: click or arrow keys choose a station, clips can be dropped on it."""

    chosen = Signal(str)
    clips_dropped = Signal(list)
    source_wanted = Signal()
    delivery_wanted = Signal()

    def __init__(self, parent: QWidget | None = None, *, editable: bool = True, low: bool = False) -> None:
        super().__init__(parent)
        self._low = low  # pictures below need the room
        self._evaluation: Evaluation | None = None
        self._layout: StripLayout | None = None
        self._beside: list[Strip] = []
        self._selected = "working"
        self._editable = editable
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAcceptDrops(editable)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Signal path")
        self.setMouseTracking(True)

    def sizeHint(self) -> QSize:
        # with large text the strip would take the room that the sheet needs
        if self._low:
            return QSize(theme.px(900), theme.px(188))
        most = int(self.window().height() * 0.31)
        return QSize(theme.px(900), min(theme.px(236), max(theme.px(190), most)))

    def minimumSizeHint(self) -> QSize:
        return QSize(300, theme.px(188 if self._low else 150))

    def show_evaluation(self, evaluation: Evaluation | None, selected: str | None = None) -> None:
        """Draw another evaluation; the chosen station stays where it is still there."""
        self._evaluation, self._layout = evaluation, None
        for each in self._beside:
            each._layout = None
            each.update()
        if selected is not None:
            self._selected = selected
        if evaluation is not None:
            said = ", ".join(f"{link.source} to {link.target} {link.grade}" for link in evaluation.links)
            self.setAccessibleDescription(said)
        self.update()

    @property
    def selected(self) -> str:
        return self._selected

    def select(self, ident: str) -> None:
        """Choose a station and say so."""
        if ident != self._selected:
            self._selected = ident
            self.update()
        self.chosen.emit(ident)

    def layout_now(self) -> StripLayout | None:
        """Return where everything stands at the widget's size."""
        if self._layout is None and self._evaluation is not None:
            fits = [
                lay_out(each._evaluation, each.width(), each.height()).pixels_a_line
                for each in (self, *self._beside)
                if each._evaluation is not None
            ]
            self._layout = lay_out(self._evaluation, self.width(), self.height(), min(fits))
        return self._layout

    def resizeEvent(self, event: object) -> None:
        self._layout = None

    def changeEvent(self, event: QEvent) -> None:
        if event.type() == QEvent.Type.StyleChange:  # another text size
            self._layout = None
        super().changeEvent(event)

    def station_at(self, point: QPointF) -> str | None:
        """Return the id of the station whose frame, text or link lies at `point`."""
        layout = self.layout_now()
        if layout is None:
            return None
        for placed in layout.stations:
            if placed.frame.adjusted(-4, -4, 4, 4).contains(point) or placed.text.contains(point):
                return placed.station.id
        for each in layout.links:
            if each.run.adjusted(0, -2, 0, 2).contains(point):
                link = each.link
                return link.source if link.source.startswith("source:") else link.target
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        found = self.station_at(event.position())
        if found is not None:
            self.select(found)
        elif self._editable and self._evaluation is not None:
            if self._add_rect("source").contains(event.position()):
                self.source_wanted.emit()
            elif self._add_rect("delivery").contains(event.position()):
                self.delivery_wanted.emit()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        over = self.station_at(event.position())
        adds = self._editable and any(
            self._add_rect(kind).contains(event.position()) for kind in ("source", "delivery")
        )
        self.setCursor(Qt.CursorShape.PointingHandCursor if over or adds else Qt.CursorShape.ArrowCursor)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1}
        step = steps.get(Qt.Key(event.key()))
        if step is None or self._evaluation is None:
            super().keyPressEvent(event)
            return
        ids = [station.id for station in self._evaluation.stations]
        index = ids.index(self._selected) if self._selected in ids else 0
        self.select(ids[(index + step) % len(ids)])
        station = self._evaluation.station(self._selected)
        self.setAccessibleDescription(f"{station.kind} {station.name}, {format_words(station.format)}")
        QAccessible.updateAccessibility(QAccessibleEvent(self, QAccessible.Event.DescriptionChanged))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [url.toLocalFile() for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            event.acceptProposedAction()
            self.clips_dropped.emit(paths)

    def _add_rect(self, kind: str) -> QRectF:
        """Where "+ source" and "+ delivery" stand."""
        width = theme.px(100)
        x = theme.px(14) if kind == "source" else self.width() - width - theme.px(14)
        return QRectF(x, theme.px(5), width, theme.px(20))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("bench"))
        layout = self.layout_now()
        if layout is None or self._evaluation is None:
            return
        paint_strip(painter, self._evaluation, layout, self._selected)
        if self._editable:
            painter.setFont(theme.font(12))
            painter.setPen(theme.colour("lichen"))
            painter.drawText(
                self._add_rect("source"), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, "+ source"
            )
            painter.drawText(
                self._add_rect("delivery"), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, "+ delivery"
            )
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("lichen"), 1, Qt.PenStyle.DotLine))
            painter.drawRect(self.rect().adjusted(1, 1, -2, -2))


def share_scale(*strips: Strip) -> None:
    """Have strips drawn at one scale: the largest at which each of them fits."""
    for strip in strips:
        strip._beside = [each for each in strips if each is not strip]


def paint_strip(painter: QPainter, e: Evaluation, layout: StripLayout, selected: str) -> None:
    """Draw a strip with its texts."""
    worst: dict[str, str] = {}
    for finding in e.findings:
        if finding.where not in worst or SEVERITIES.index(finding.severity) < SEVERITIES.index(worst[finding.where]):
            worst[finding.where] = finding.severity
    for each in layout.links:
        draw_link(painter, each.points, each.link.grade)
        if each.run.width() > 40:
            _paint_label(painter, each)
    for placed in layout.stations:
        draw_frame(painter, placed.frame, placed.station.format.scan, chosen=placed.station.id == selected)
        if placed.station.id in worst and worst[placed.station.id] != "note":
            draw_severity(painter, placed.frame.topRight() + QPointF(-1, 1), worst[placed.station.id], theme.px(10))
        _paint_texts(painter, placed, narrow=layout.narrow)
    taken = -theme.px(10)
    for kind in ("source", "working", "intermediate", "delivery"):
        frames = [p for p in layout.stations if p.station.kind == kind]
        if frames:
            taken = _paint_head(painter, kind, frames, taken)


def _paint_head(painter: QPainter, kind: str, placed: list[PlacedStation], taken: int) -> int:
    """Write a column's head, where there is room right of `taken`; return how far the heads reach now."""
    box = placed[0].frame
    for each in placed[1:]:
        box = box.united(each.frame)
    names = {"source": "SOURCE", "working": "WORKING", "intermediate": "INTERMEDIATE", "delivery": "DELIVERY"}
    text = names[kind] + (f"  {len(placed)}" if len(placed) > 1 else "")
    painter.setFont(theme.font(11))
    painter.setPen(theme.colour("dust"))
    rect = QRectF(box.center().x() - theme.px(80), theme.px(6), theme.px(160), theme.px(18))
    half = QFontMetricsF(painter.font()).horizontalAdvance(text) / 2
    if box.center().x() - half < taken + theme.px(10):
        return taken
    painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, text)
    return int(box.center().x() + half)


def _paint_label(painter: QPainter, each: PlacedLink) -> None:
    """Write a link's grade over its line and its steps under it."""
    roomy = each.run.width() > theme.px(96)
    text, summary = link_texts(each.link, short=not roomy)
    painter.setFont(theme.font(12, bold=True))
    painter.setPen(theme.grade(each.link.grade))
    middle = each.run.center().y()
    above = QRectF(each.run.left(), middle - theme.px(20), each.run.width(), theme.px(16))
    painter.drawText(above, Qt.AlignmentFlag.AlignCenter, text)
    if summary and roomy:
        painter.setFont(theme.font(11))
        painter.setPen(theme.colour("dust"))
        below = QRectF(each.run.left(), middle + theme.px(4), each.run.width(), theme.px(16))
        metrics = QFontMetricsF(painter.font())
        painter.drawText(
            below,
            Qt.AlignmentFlag.AlignCenter,
            metrics.elidedText(summary, Qt.TextElideMode.ElideRight, below.width() - 4),
        )


def _paint_texts(painter: QPainter, placed: PlacedStation, *, narrow: bool) -> None:
    first, second, third = station_texts(placed.station, narrow=narrow)
    line = placed.text.height() / 3
    for index, (text, bold) in enumerate(((first, True), (second, False), (third, False))):
        painter.setFont(theme.font(12, bold=bold))
        painter.setPen(theme.colour("chalk" if bold else "dust"))
        rect = QRectF(placed.text.left(), placed.text.top() + index * line, placed.text.width(), line)
        metrics = QFontMetricsF(painter.font())
        painter.drawText(
            rect,
            placed.align | Qt.AlignmentFlag.AlignVCenter,
            fitted(text, metrics, rect.width()),
        )


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

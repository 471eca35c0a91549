"""A timeline's lanes as they were last drawn: only what has changed since is drawn again, where it lies."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QSize
from PySide6.QtGui import QPainter, QPixmap

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.lanes.lane_geometry import ItemLook, LaneRow, Scale, rows_in
from idle_quarry.app.drawing.lanes.trial_lanes import draw_lane
from idle_quarry.jobs.cutting.timeline import Timeline, TimelineItem, Track

_Chosen = frozenset[int]


class KeptLanes:
    """What was drawn, and by what; `forget` where pieces look otherwise than they did."""

    def __init__(self) -> None:
        self._image: QPixmap | None = None
        self._by: object = None
        self._tracks: dict[str, Track] = {}
        self._chosen: _Chosen = frozenset()

    def forget(self) -> None:
        self._image = None

    def drawn(
        self,
        timeline: Timeline,
        scale: Scale,
        size: QSize,
        ratio: float,
        look: Callable[[TimelineItem], ItemLook],
        *,
        chosen: _Chosen = frozenset(),
        aims: frozenset[str] = frozenset(),
    ) -> QPixmap:
        """Return the lanes, without what lies over them; `ratio` is of the screen's pixels to those of `size`."""
        rows = rows_in(timeline, aims)
        places = tuple((row.track.ident, row.track.name, row.track.enabled, row.top, row.foot) for row in rows)
        by = scale, size, ratio, aims, timeline.rate, theme.scheme, theme.percent, places
        if self._image is None or by != self._by:
            self._image = QPixmap(size * ratio)
            self._image.setDevicePixelRatio(ratio)
            self._image.fill(theme.colour("bench"))
            self._tracks = {}
        painter = QPainter(self._image)
        for row in rows:
            before = self._tracks.get(row.track.ident)
            span = self._changed(before, row, scale, chosen) if before is not None else None
            if before is None or span is not None:
                draw_lane(
                    painter,
                    row,
                    timeline.rate,
                    scale,
                    size.width(),
                    look,
                    chosen=chosen,
                    aimed=row.track.ident in aims,
                    span=span,
                )
        painter.end()
        self._by, self._chosen, self._tracks = by, chosen, {row.track.ident: row.track for row in rows}
        return self._image

    def _changed(self, before: Track, row: LaneRow, scale: Scale, chosen: _Chosen) -> tuple[float, float] | None:
        """Return between which places, px, a lane is otherwise than it was; None where it is nowhere."""
        after = row.track
        others = self._chosen ^ chosen
        if before is after and not others:
            return None
        if before.transitions != after.transitions:
            return 0.0, float("inf")
        old, new = before.items, after.items
        same = _alike(old, new)
        rest = min(_alike(old[::-1], new[::-1]), len(old) - same, len(new) - same)
        touched = [*old[same : len(old) - rest], *new[same : len(new) - rest]]
        if others:
            touched += [item for item in (*old, *new) if item.ident in others]
        if not touched:
            return None
        first, last = min(item.at for item in touched), max(item.end for item in touched)
        return float(int(scale.x(first)) - 3), float(int(scale.x(last)) + 4)  # whole pixels: none is drawn in part


def _alike(one: tuple[TimelineItem, ...], other: tuple[TimelineItem, ...]) -> int:
    """Return how many items at the start of both are the very same: what an edit leaves alone is not copied."""
    return next((n for n, (a, b) in enumerate(zip(one, other, strict=False)) if a is not b), min(len(one), len(other)))

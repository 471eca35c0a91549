"""Where the lanes of a trial lie: the scale of frames, the rows of tracks, the room of a piece."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QRectF

from idle_quarry.app.appearance.theme import theme
from idle_quarry.jobs.cutting.timeline import PICTURE, Timeline, Track
from idle_quarry.media.measurement.results import Fields

#: Heights at 100 % of text size: of a lane, of one that is empty, and of the count above them; the width of the tracks'
#: names.
LANE, THIN, COUNT, HEAD = 28, 15, 30, 104


@dataclass(frozen=True)
class ItemLook:
    """What a piece is drawn by: its cost, and what its clip's fields do (None where that is not known)."""

    cost: str
    fields: Fields | None = None


@dataclass(frozen=True)
class Scale:
    """Which frame lies at the lanes' left, and how wide a frame is, px."""

    left: float
    frame: float

    def x(self, frame: float) -> float:
        return theme.px(HEAD) + (frame - self.left) * self.frame

    def at(self, x: float) -> float:
        return self.left + (x - theme.px(HEAD)) / self.frame


@dataclass(frozen=True)
class LaneRow:
    """A track's lane: where it begins and ends, px; one that is empty and not laid onto is thin."""

    track: Track
    top: float
    foot: float


def rows_in(timeline: Timeline, aims: frozenset[str]) -> list[LaneRow]:
    """Return the lanes from the top down."""
    lanes: list[LaneRow] = []
    top = float(theme.px(COUNT))
    for track in rows_of(timeline):
        foot = top + theme.px(LANE if track.items or track.ident in aims else THIN)
        lanes.append(LaneRow(track, top, foot))
        top = foot
    return lanes


def height_of(timeline: Timeline, aims: frozenset[str]) -> int:
    """Return how high a timeline's lanes are, px."""
    rows = rows_in(timeline, aims)
    return int(rows[-1].foot if rows else theme.px(COUNT + LANE)) + 2


def rows_of(timeline: Timeline) -> list[Track]:
    """Return the tracks from the top down: pictures as they lie over one another, then sound in its own order."""
    pictures = [track for track in timeline.tracks if track.kind == PICTURE]
    return [*reversed(pictures), *(track for track in timeline.tracks if track.kind != PICTURE)]


def piece(row: LaneRow, at: float, length: float, scale: Scale) -> QRectF:
    """Return where a piece of so many frames lies on a lane."""
    return QRectF(scale.x(at), row.top + 2, max(1.5, length * scale.frame - 1), row.foot - row.top - 4)

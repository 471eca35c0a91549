"""What lies in a file one after the other: bars, tone, black, slate or clock, the programme's parts, breaks, found
by content.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from idle_quarry.media.whole.picture_measurement import BARS, BLACK, MOVING, STILL, PicturePart

#: Parts shorter than this many seconds belong to their neighbours: a cut, a flash, one odd picture.
_SHORTEST_S = 0.3
#: Before the programme, what lies between bars and black and moves over no more of the picture than a clock does.
_CLOCK_AREA = 0.12
#: And over no more than so much, in the mean of all pictures, where it is a slate.
_SLATE_AREA = 0.0005
#: How long a slate or a clock may be, seconds.
_SLATE_S = (2.0, 120.0)
#: Black inside the programme that is a break rather than a pause, seconds.
_BREAK_S = 1.0
#: What ticks moves over so much at the least.
_TICKS = 0.001
SLATE, CLOCK, PROGRAMME, BREAK, END_BLACK = "slate", "clock", "programme", "break", "end black"


@dataclass(frozen=True)
class LayoutItem:
    """Frames `first` to `last` (half open) of a file and what they are: one of the items of a programme layout."""

    what: str
    first: int
    last: int

    @property
    def frames(self) -> int:
        return self.last - self.first


def items_of(parts: Sequence[PicturePart], rate: float, *, breaks: bool) -> tuple[LayoutItem, ...]:
    """Return the items that parts make: one slate or clock before the programme.

    With `breaks` the black between its parts are items too.
    """
    merged = _merged(parts, max(1, round(_SHORTEST_S * rate)))
    lead = _lead(merged, rate)
    items = [LayoutItem(what, first, last) for what, first, last in lead]
    rest = [part for part in merged if not lead or part.first >= lead[-1][2]]
    if not rest:
        return tuple(items)
    last = len(rest)
    while last > 1 and rest[last - 1].what == BLACK:
        last -= 1
    programme = [LayoutItem(PROGRAMME, rest[0].first, rest[last - 1].last)]
    if breaks:
        programme = _parted(rest[:last], rate)
    items += programme
    if last < len(rest):
        items.append(LayoutItem(END_BLACK, rest[last].first, rest[-1].last))
    return tuple(items)


def _merged(parts: Sequence[PicturePart], shortest: int) -> list[PicturePart]:
    """Return parts without those too short to be items: they are joined to what lies before them."""
    results: list[PicturePart] = []
    for part in parts:
        last = results[-1] if results else None
        short = part.frames < shortest
        what = MOVING if part.what == BLACK and short else part.what  # a flash of black is none of a file's items
        pictures = (MOVING, STILL)
        if last is not None and (
            last.what == what or (short and last.what != BLACK) or (last.what in pictures and what in pictures)
        ):
            # what stands still and what moves are both pictures: whether a slate or a programme is told by how much
            # moves
            area = (last.area * last.frames + part.area * part.frames) / (last.frames + part.frames)
            if last.what == what == STILL:  # it stood still before and after one change: that is how a clock ticks
                area = max(area, last.area, _TICKS)
            kind = MOVING if MOVING in (last.what, what) and last.what in pictures else last.what
            results[-1] = PicturePart(kind, last.first, part.last, area)
        else:
            results.append(replace(part, what=what))
    return results


def _lead(parts: Sequence[PicturePart], rate: float) -> list[tuple[str, int, int]]:
    """Return what lies before the programme: bars, black, and between them a slate or a clock."""
    results: list[tuple[str, int, int]] = []
    for number, part in enumerate(parts):
        after = parts[number + 1] if number + 1 < len(parts) else None
        seconds = part.frames / rate
        # what would be the last of all pictures is the programme, however short it is and however little moves
        more = any(later.what not in (BARS, BLACK) for later in parts[number + 1 :])
        between = bool(results) and more and after is not None and after.what in (BLACK, BARS)
        if part.what in (BARS, BLACK):
            if after is None:
                break
            results.append((BARS if part.what == BARS else BLACK, part.first, part.last))
        elif (
            between
            and not any(what in (SLATE, CLOCK) for what, _, _ in results)
            and part.area <= _CLOCK_AREA
            and _SLATE_S[0] <= seconds <= _SLATE_S[1]
        ):
            results.append((SLATE if part.area <= _SLATE_AREA else CLOCK, part.first, part.last))
        else:
            break
    return results


def _parted(parts: Sequence[PicturePart], rate: float) -> list[LayoutItem]:
    """Return the parts of a programme and the breaks of black between them."""
    items: list[LayoutItem] = []
    for part in parts:
        if part.what == BLACK and part.frames >= _BREAK_S * rate and items:
            items.append(LayoutItem(BREAK, part.first, part.last))
        elif items and items[-1].what == PROGRAMME:
            items[-1] = replace(items[-1], last=part.last)
        else:
            items.append(LayoutItem(PROGRAMME, part.first, part.last))
    return items

"""Fields: taken apart and woven, made whole and separated again, pulldowns put in and taken out, order changed.

Pictures are (h, w) or (h, w, channels), float32; the upper field ("top") has the even lines. Sequences are lists in
order of time. A moment is what one field shows.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import NotPossible
from idle_quarry.picture.loops import fields as loops
from idle_quarry.picture.motion import (
    Motion,
    MotionCache,
    along,
    cells_at,
    cells_with,
    differing,
    doubted,
    motion,
    resized,
    splined,
    spread,
)
from idle_quarry.picture.strips import by_rows

Picture = NDArray[np.floating[Any]]
Planes = tuple[Picture, ...]

#: Mean absolute difference (0…1) between like fields below which a place stands still, and over which it moves.
_STILL, _MOVING = 1 / 255, 4 / 255
#: Mean difference of a block (0…1) from the field it lies in over which lines from other fields are not believed.
_STRANGE = 5 / 255
#: Mean difference of a block (0…1) from the next of its kind along the motion over which motion is not even.
_ELSEWHERE = 3 / 255


def separated(frame: NDArray[Any]) -> tuple[Picture, Picture]:
    """Return the upper and the lower field of a frame.

    Parameters
    ----------
    frame
        (h, w, …), any dtype.

    Returns
    -------
    Two pictures, each (h/2, w, …), float32: the even lines, then the odd.

    Raises
    ------
    NotPossible
        The number of lines is odd.

    >>> upper, lower = separated(np.array([[1], [2], [3], [4]]))
    >>> upper.ravel().tolist(), lower.ravel().tolist()
    ([1.0, 3.0], [2.0, 4.0])
    """
    if frame.shape[0] % 2:
        raise NotPossible("a frame of fields has an even number of lines", subject=f"{frame.shape[0]} lines")
    lines = np.asarray(frame, np.float32)
    return lines[0::2], lines[1::2]


def woven(upper: NDArray[Any], lower: NDArray[Any]) -> Picture:
    """Return the frame of two fields.

    Parameters
    ----------
    upper, lower
        Fields (h, w, …) of one shape.

    Returns
    -------
    (2h, w, …), float32: the upper field has the even lines.

    Raises
    ------
    NotPossible
        The shapes differ.

    >>> woven(np.array([[1], [3]]), np.array([[2], [4]])).ravel().tolist()
    [1.0, 2.0, 3.0, 4.0]
    """
    if upper.shape != lower.shape:
        raise NotPossible("fields of one frame are of one size", subject=f"{upper.shape} and {lower.shape}")
    frame = np.empty((2 * upper.shape[0], *upper.shape[1:]), np.float32)
    frame[0::2], frame[1::2] = upper, lower
    return frame


def _parity(moment: int, order: str) -> int:
    """Return the first line of the field that shows a moment: 0 for the upper, 1 for the lower."""
    return moment % 2 if order == "top" else 1 - moment % 2


# -- making whole pictures of fields -------------------------------------------------------------------------------


def dropped(field: Picture, parity: int) -> Picture:
    """Return a whole picture of one field, its lines repeated; half of the vertical resolution is gone."""
    return np.repeat(field, 2, axis=0)


def interpolated(field: Picture, parity: int) -> Picture:
    """Return a whole picture of one field: its own lines, and between them a cubic through four neighbours."""
    if field.ndim == 3:
        return np.stack([interpolated(field[..., n], parity) for n in range(field.shape[2])], axis=-1)
    own = np.ascontiguousarray(field, np.float32)
    result = np.empty((2 * own.shape[0], own.shape[1]), np.float32)
    by_rows(len(own), lambda first, last: loops.interpolated(first, last, own, parity, result))
    return result


def _blended(moments: Sequence[Planes], at: int, order: str) -> Planes:
    """Return both moments of a frame mixed: each made whole by interpolation, and their mean."""
    other = at + 1 if at % 2 == 0 and at + 1 < len(moments) else at - 1
    own = [interpolated(plane, _parity(at, order)) for plane in moments[at]]
    if not 0 <= other < len(moments):
        return tuple(own)
    beside = [interpolated(plane, _parity(other, order)) for plane in moments[other]]
    return tuple(np.asarray((a + b) / 2, np.float32) for a, b in zip(own, beside, strict=True))


def _adaptive(moments: Sequence[Planes], at: int, order: str) -> Planes:
    """Return a moment made whole: missing lines from the fields before and after where nothing moves, else
    interpolated.

    Movement is looked for between the fields before and after, and between this field and the next of its kind but one
    on either side, since what moves and comes back in one field's time is not still.
    """
    return tuple(
        _adaptive_plane([moment[number] for moment in moments], at, order)[0] for number in range(len(moments[at]))
    )


def _adaptive_plane(planes: Sequence[Picture], at: int, order: str) -> tuple[Picture, Picture | None]:
    """Return a moment's plane made whole, and how sure it is that the places of its missing lines move, 0…1, (h/2,
    w).
    """
    parity = _parity(at, order)
    if not 0 < at < len(planes) - 1:  # at an end there is only one neighbour, and movement cannot be told
        return interpolated(planes[at], parity), None
    own, before, after = (np.ascontiguousarray(planes[n], np.float32) for n in (at, at - 1, at + 1))
    there = at >= 2, at + 2 < len(planes)
    earlier, later = (
        np.ascontiguousarray(planes[n], np.float32) if have else own
        for n, have in zip((at - 2, at + 2), there, strict=True)
    )
    result, moving = np.empty((2 * own.shape[0], own.shape[1]), np.float32), np.empty(own.shape, np.float32)
    how = own, before, after, earlier, later, *there, _STILL, _MOVING, moving, result
    by_rows(len(own), lambda first, last: loops.adaptive(first, last, parity, *how))
    return result, moving


def _compensated(moments: Sequence[Planes], at: int, order: str, cache: MotionCache | None = None) -> Planes:
    """Return a moment made whole: missing lines from the fields before and after, moved along the motion of the luma.

    Where the two do not agree along it, and at the ends of the sequence, lines are made as by `_adaptive`.
    """
    planes = [[moment[number] for moment in moments] for number in range(len(moments[at]))]
    made_still = [_adaptive_plane(plane, at, order) for plane in planes]
    whole, moving = tuple(plane for plane, _ in made_still), made_still[0][1]
    if moving is None:
        return whole
    missing = [plane[1 - _parity(at, order) :: 2] for plane in whole]
    asked, cache = cells_with(moving), cache or MotionCache()  # elsewhere the lines themselves are better
    before, after = moments[at - 1], moments[at + 1]
    result = motion(before[0], after[0], cache=cache)
    results = along(before[0], after[0], result, asked, cache)
    doubt = np.maximum(result.doubt, _share(np.abs(differing(results, missing[0], signed=True)), _STRANGE))
    result = replace(result, doubt=np.maximum(doubt, _uneven(moments, at, result, asked, cache)))
    for number, lines in enumerate(missing):
        if number:
            if number == 1 or lines.shape != missing[1].shape:
                fitted = resized(result, lines.shape)
                seen = cells_at(asked, fitted.down.shape)
            results = along(before[number], after[number], fitted, seen, cache)
        lines[...] = doubted(results, lines, fitted if number else result, moving)
    return whole


def _share(apart: Picture, floor: float) -> Picture:
    """Return how far a difference lies from `floor` to twice that, 0…1."""
    return np.asarray(np.clip((apart - floor) / floor, 0, 1), np.float32)


def _uneven(
    moments: Sequence[Planes], at: int, result: Motion, asked: NDArray[np.bool_], cache: MotionCache
) -> Picture | float:
    """Return how little this field goes on with the motion around it, 0…1, by cells.

    0 at the ends, where none can tell.

    Fields before and after may agree with one another although this one, between them, was elsewhere: an unsteady hand.
    The next fields of this one's own lines, moved twice as far, must show it.
    """
    own = moments[at][0]
    apart = [
        spread(differing(splined(moments[at + 2 * side][0], result, side, asked, cache), own))
        for side in (-1, 1)
        if 0 <= at + 2 * side < len(moments)
    ]
    return _share(np.min(apart, axis=0), _ELSEWHERE) if apart else 0.0


def _per_field(make: Callable[[Picture, int], Picture]) -> Callable[[Sequence[Planes], int, str], Planes]:
    return lambda moments, at, order: tuple(make(plane, _parity(at, order)) for plane in moments[at])


#: Method → what makes a moment whole, of all moments in order, the number of the one wanted, and the field order.
DEINTERLACERS: dict[str, Callable[[Sequence[Planes], int, str], Planes]] = {
    "drop": _per_field(dropped),
    "blend": _blended,
    "interpolate": _per_field(interpolated),
    "fields": _per_field(interpolated),
    "adaptive": _adaptive,
    "compensated": _compensated,
}
#: How many moments at each side the methods look at.
NEIGHBOURS = 2


def made_whole(moments: Sequence[Planes], at: int, order: str, method: str, cache: MotionCache | None = None) -> Planes:
    """Return moment `at` of a sequence of fields as whole planes. Raises `KeyError` for an unknown method.

    A moment is a tuple of planes, luma first; motion is found in the luma. `cache` is kept from moment to moment.
    """
    if method == "compensated":
        return _compensated(moments, at, order, cache)
    return DEINTERLACERS[method](moments, at, order)


# -- making fields of whole pictures -------------------------------------------------------------------------------


def low_passed(picture: NDArray[Any]) -> Picture:
    """Return a picture softened down its lines by (1, 2, 1)/4, which keeps detail of one line from flickering."""
    source = np.asarray(picture, np.float32)
    padded = np.concatenate([source[:1], source, source[-1:]])
    return np.asarray((padded[:-2] + 2 * padded[1:-1] + padded[2:]) / 4, np.float32)


def interlaced(pictures: Sequence[NDArray[Any]], order: str, *, filtered: bool = True) -> list[Picture]:
    """Return interlaced frames of whole pictures at the rate of fields: each gives one field.

    An odd last one is left.
    """
    results = []
    for earlier, later in zip(pictures[0::2], pictures[1::2], strict=False):
        pair = [low_passed(plane) if filtered else np.asarray(plane, np.float32) for plane in (earlier, later)]
        upper, lower = pair if order == "top" else pair[::-1]
        results.append(woven(upper[0::2], lower[1::2]))
    return results


#: Cadence → for how many fields (or frames, for whole pictures) each picture is shown, in turn.
CADENCES = {"2:3": (2, 3), "2:3:3:2": (2, 3, 3, 2), "2:2": (2, 2), "3:2": (3, 2)}


def pulled_up(frames: Sequence[NDArray[Any]], cadence: str, order: str, phase: int = 0) -> list[Picture]:
    """Return the whole pictures of frames that a pulldown spread, each once and complete.

    `phase` is how many frames of the cadence's cycle came before the first. A picture of which `frames` hold only one
    field, at the ends or at a break, is left out.
    """
    halves = [separated(frame) for frame in frames]
    return [woven(halves[a][0], halves[b][1]) for a, b in fields_of_pictures(len(frames), cadence, order, phase)]


def fields_of_pictures(count: int, cadence: str, order: str, phase: int = 0) -> list[tuple[int, int]]:
    """Return, for each picture that `count` frames of a pulldown hold whole, the frames of its upper and its lower
    field.
    """
    lengths = CADENCES[cadence]
    cycle_fields = sum(lengths)
    owners: list[int] = []
    picture = 0
    while len(owners) < 2 * (count + phase) + cycle_fields:
        owners += [picture] * lengths[picture % len(lengths)]
        picture += 1
    halves: dict[int, dict[int, int]] = {}
    for number in range(2 * count):
        owner, parity = owners[2 * phase + number], _parity(number, order)
        together = owner == owners[2 * phase + (number ^ 1)]
        # both fields of one frame are surely of one picture; a third, from its neighbour, may lie beyond a cut
        if together or parity not in halves.setdefault(owner, {}):
            halves.setdefault(owner, {})[parity] = number // 2
    return [(results[0], results[1]) for _, results in sorted(halves.items()) if len(results) == 2]


def first_shown(frames: Sequence[NDArray[Any]], cadence: str, count: int) -> list[int]:
    """Return at which of `count` frames each picture is shown first, where a cadence repeats whole frames.

    Where the cycle begins is found in the first of them, luma (h, w): repeats differ least.
    """
    lengths = CADENCES[cadence]
    cycle = sum(lengths)
    starts = {0} | {sum(lengths[:n]) for n in range(1, len(lengths))}
    changed = [float(np.abs(b[::4, ::4] - a[::4, ::4]).mean()) for a, b in pairwise(frames)]

    def among_repeats(phase: int) -> float:
        return sum(change for n, change in enumerate(changed, 1) if (n + phase) % cycle not in starts)

    best = min(range(cycle), key=among_repeats)
    return [n for n in range(count) if (n + best) % cycle in starts or n == 0]


def order_shifted(frame: NDArray[Any], down: bool = True) -> Picture:
    """Return a frame moved by one line, which changes which field's lines are even; the line that opens is repeated."""
    source = np.asarray(frame, np.float32)
    return np.concatenate([source[:1], source[:-1]]) if down else np.concatenate([source[1:], source[-1:]])


def order_retimed(frames: Sequence[NDArray[Any]], order: str) -> list[Picture]:
    """Return frames in which the other field comes first: each takes its later field with the next one's earlier.

    No line moves; the last frame, which has no next, is left out.
    """
    first = 0 if order == "top" else 1
    results = []
    for frame, following in pairwise(frames):
        result = np.asarray(frame, np.float32).copy()
        result[first::2] = following[first::2]
        results.append(result)
    return results

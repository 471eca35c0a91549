"""Fields: taken apart and woven, made whole and separated again, pulldowns put in and taken out, order changed.

Pictures are (h, w) or (h, w, channels), float32; the upper field ("top") has the even lines. Sequences are lists in
order of time. A moment is what one field shows.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import NotPossible

Picture = NDArray[np.float32]

#: Mean absolute difference (0…1) between like fields below which a place stands still, and over which it moves.
_STILL, _MOVING = 2 / 255, 7 / 255
#: Lines (in frame lines) and samples over which movement is looked at.
_NEAR = 1
#: Below this difference (0…1) of the lines above and below there is no edge whose slope would matter.
_EDGE = 24 / 255
#: A slope is followed where neighbours along it differ by less than this share of what they do straight down.
_SLANT = 0.35


def separated(frame: NDArray[Any]) -> tuple[Picture, Picture]:
    """Return the upper and the lower field of a frame, each (h/2, w…). Raises `NotPossible` for an odd number of lines."""
    if frame.shape[0] % 2:
        raise NotPossible("a frame of fields has an even number of lines", subject=f"{frame.shape[0]} lines")
    lines = np.asarray(frame, np.float32)
    return lines[0::2], lines[1::2]


def woven(upper: NDArray[Any], lower: NDArray[Any]) -> Picture:
    """Return the frame of two fields. Raises `NotPossible` where their shapes differ."""
    if upper.shape != lower.shape:
        raise NotPossible("fields of one frame are of one size", subject=f"{upper.shape} and {lower.shape}")
    frame = np.empty((2 * upper.shape[0], *upper.shape[1:]), np.float32)
    frame[0::2], frame[1::2] = upper, lower
    return frame


def _parity(moment: int, order: str) -> int:
    """Return the first line of the field that shows a moment: 0 for the upper, 1 for the lower."""
    return moment % 2 if order == "top" else 1 - moment % 2


def moments_of(frames: Sequence[NDArray[Any]], order: str) -> list[Picture]:
    """Return the fields of frames in the order of time, by the field that comes first ("top" or "bottom")."""
    found: list[Picture] = []
    for frame in frames:
        upper, lower = separated(frame)
        found += [upper, lower] if order == "top" else [lower, upper]
    return found


# -- making whole pictures of fields -------------------------------------------------------------------------------


def dropped(field: Picture, parity: int) -> Picture:
    """Return a whole picture of one field, its lines repeated; half of the vertical resolution is gone."""
    return np.repeat(field, 2, axis=0)


def interpolated(field: Picture, parity: int) -> Picture:
    """Return a whole picture of one field: its own lines, and between them a cubic through four neighbours."""
    frame = np.empty((2 * field.shape[0], *field.shape[1:]), np.float32)
    frame[parity::2] = field
    middle = _between(field)
    if parity == 0:
        frame[1:-1:2], frame[-1] = middle, field[-1]
    else:
        frame[2::2], frame[0] = middle, field[0]
    return frame


def _between(field: Picture) -> Picture:
    """Return the lines between those of a field, one fewer: (−1, 9, 9, −1)/16, which is Catmull-Rom's at the middle."""
    further = np.concatenate([field[:1], field, field[-1:]])
    return np.asarray((9 * (field[:-1] + field[1:]) - further[:-3] - further[3:]) / 16, np.float32)


def _along_edges(field: Picture, parity: int) -> Picture:
    """Return a whole picture of one field: missing lines follow the slope, of five, along which neighbours agree best."""
    frame = interpolated(field, parity)
    above, below = field[:-1], field[1:]

    def cost(a: Picture, b: Picture) -> Picture:
        apart = np.abs(a - b) if field.ndim == 2 else np.abs(a - b).mean(axis=2)
        # three samples must agree, so that a chance likeness in fine texture does not lead astray
        return np.asarray((apart + np.roll(apart, 1, axis=1) + np.roll(apart, -1, axis=1)) / 3, np.float32)

    straight = best = cost(above, below)
    chosen = _between(field)
    for shift in (-1, 1, -2, 2):
        a, b = np.roll(above, shift, axis=1), np.roll(below, -shift, axis=1)
        slanted = cost(a, b)
        better = (slanted < best) & (slanted < straight * _SLANT) & (straight > _EDGE)
        best = np.where(better, slanted, best)
        chosen = np.where(better if field.ndim == 2 else better[..., None], (a + b) / 2, chosen)
    frame[1 - parity + 2 * parity : frame.shape[0] - 1 + parity : 2] = chosen
    return frame


def _blended(moments: Sequence[Picture], at: int, order: str) -> Picture:
    """Return both moments of a frame mixed: each made whole by interpolation, and their mean."""
    other = at + 1 if at % 2 == 0 and at + 1 < len(moments) else at - 1
    own = interpolated(moments[at], _parity(at, order))
    if not 0 <= other < len(moments):
        return own
    return np.asarray((own + interpolated(moments[other], _parity(other, order))) / 2, np.float32)


def _adaptive(moments: Sequence[Picture], at: int, order: str) -> Picture:
    """Return a moment made whole: missing lines from the fields before and after where nothing moves, else along edges.

    Movement is looked for between the fields before and after, and between this field and the next of its kind but one
    on either side, since what moves and comes back in one field's time is not still.
    """
    parity = _parity(at, order)
    whole = _along_edges(moments[at], parity)
    if at == 0 or at + 1 >= len(moments):
        return whole  # at an end there is only one neighbour, and movement cannot be told
    previous, following = moments[at - 1], moments[at + 1]
    moving = np.abs(following - previous)
    if at >= 2:
        moving = np.maximum(moving, np.abs(moments[at] - moments[at - 2]))
    if at + 2 < len(moments):
        moving = np.maximum(moving, np.abs(moments[at] - moments[at + 2]))
    if moving.ndim == 3:
        moving = moving.max(axis=2)
    moving = _spread(moving)
    share = np.clip((moving - _STILL) / (_MOVING - _STILL), 0, 1)
    if whole.ndim == 3:
        share = share[..., None]
    still = (previous + following) / 2
    missing = whole[1 - parity :: 2]
    whole[1 - parity :: 2] = share * missing + (1 - share) * still
    return whole


def _spread(values: Picture) -> Picture:
    """Return each place's greatest value among its neighbours."""
    padded = np.pad(values, _NEAR, mode="edge")
    height, width = values.shape
    shifted = [padded[y : y + height, x : x + width] for y in range(2 * _NEAR + 1) for x in range(2 * _NEAR + 1)]
    return np.asarray(np.max(shifted, axis=0), np.float32)


#: Method → what makes a moment whole, of all moments in order, the number of the one wanted, and the field order.
DEINTERLACERS: dict[str, Callable[[Sequence[Picture], int, str], Picture]] = {
    "drop": lambda moments, at, order: dropped(moments[at], _parity(at, order)),
    "blend": _blended,
    "interpolate": lambda moments, at, order: interpolated(moments[at], _parity(at, order)),
    "adaptive": _adaptive,
}


def made_whole(moments: Sequence[Picture], at: int, order: str, method: str) -> Picture:
    """Return moment `at` of a sequence of fields as a whole picture. Raises `KeyError` for an unknown method."""
    return DEINTERLACERS[method](moments, at, order)


def deinterlaced(frames: Sequence[NDArray[Any]], order: str, method: str, *, every: bool = True) -> list[Picture]:
    """Return whole pictures of interlaced frames: one for every field, or only of the earlier field of each frame."""
    moments = moments_of(frames, order)
    return [made_whole(moments, at, order, method) for at in range(0, len(moments), 1 if every else 2)]


# -- making fields of whole pictures -------------------------------------------------------------------------------


def low_passed(picture: NDArray[Any]) -> Picture:
    """Return a picture softened down its lines by (1, 2, 1)/4, which keeps detail of one line from flickering."""
    source = np.asarray(picture, np.float32)
    padded = np.concatenate([source[:1], source, source[-1:]])
    return np.asarray((padded[:-2] + 2 * padded[1:-1] + padded[2:]) / 4, np.float32)


def interlaced(pictures: Sequence[NDArray[Any]], order: str, *, filtered: bool = True) -> list[Picture]:
    """Return interlaced frames of whole pictures at the rate of fields: each gives one field. An odd last one is left."""
    found = []
    for earlier, later in zip(pictures[0::2], pictures[1::2], strict=False):
        pair = [low_passed(each) if filtered else np.asarray(each, np.float32) for each in (earlier, later)]
        upper, lower = pair if order == "top" else pair[::-1]
        found.append(woven(upper[0::2], lower[1::2]))
    return found


#: Cadence → for how many fields (or frames, for whole pictures) each picture is shown, in turn.
CADENCES = {"2:3": (2, 3), "2:3:3:2": (2, 3, 3, 2), "2:2": (2, 2), "3:2": (3, 2)}


def pulled_down(pictures: Sequence[NDArray[Any]], cadence: str, order: str) -> list[Picture]:
    """Return interlaced frames over whose fields whole pictures are spread by a cadence, the field `order` first."""
    lengths = CADENCES[cadence]
    shown: list[NDArray[Any]] = []
    for number, picture in enumerate(pictures):
        shown += [picture] * lengths[number % len(lengths)]
    first = 0 if order == "top" else 1
    frames = []
    for earlier, later in zip(shown[0::2], shown[1::2], strict=False):
        frame = np.asarray(later, np.float32).copy()
        frame[first::2] = earlier[first::2]
        frames.append(frame)
    return frames


def pulled_up(frames: Sequence[NDArray[Any]], cadence: str, order: str, phase: int = 0) -> list[Picture]:
    """Return the whole pictures of frames that a pulldown spread, each once and complete.

    `phase` is how many frames of the cadence's cycle came before the first. A picture of which `frames` hold only one
    field, at the ends or at a break, is left out.
    """
    lengths = CADENCES[cadence]
    cycle_fields = sum(lengths)
    owners: list[int] = []
    picture = 0
    while len(owners) < 2 * (len(frames) + phase) + cycle_fields:
        owners += [picture] * lengths[picture % len(lengths)]
        picture += 1
    moments = moments_of(frames, order)
    halves: dict[int, dict[int, Picture]] = {}
    for number, field in enumerate(moments):
        halves.setdefault(owners[2 * phase + number], {}).setdefault(_parity(number, order), field)
    return [woven(found[0], found[1]) for _, found in sorted(halves.items()) if len(found) == 2]


def order_shifted(frame: NDArray[Any], down: bool = True) -> Picture:
    """Return a frame moved by one line, which changes which field's lines are even; the line that opens is repeated."""
    source = np.asarray(frame, np.float32)
    return np.concatenate([source[:1], source[:-1]]) if down else np.concatenate([source[1:], source[-1:]])


def order_retimed(frames: Sequence[NDArray[Any]], order: str) -> list[Picture]:
    """Return frames in which the other field comes first: each takes its later field with the next one's earlier.

    No line moves; the last frame, which has no next, is left out.
    """
    first = 0 if order == "top" else 1
    found = []
    for frame, following in pairwise(frames):
        made = np.asarray(frame, np.float32).copy()
        made[first::2] = following[first::2]
        found.append(made)
    return found

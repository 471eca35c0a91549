"""Motion between two pictures, and pictures made along it.

Vectors are searched where the new picture lies, not where an old one does, so that none has holes: what the earlier picture
shows at x − t·v the later one shows at x + (1 − t)·v. A pyramid is searched from coarse to fine; each level looks at the
steps around what it was given and at what its neighbours found, by the mean absolute difference of a small block.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d, median_filter, minimum_filter1d

from idle_quarry.errors import NotPossible
from idle_quarry.picture.loops import motion as loops
from idle_quarry.picture.strips import by_rows

Samples = NDArray[Any]
Steps = NDArray[Any]
_T = TypeVar("_T", bound=np.generic)

#: Block over which differences are averaged, samples of each level.
BLOCK = 5
#: Levels are halved until a picture has no more than so many lines or columns.
_COARSEST = 72
#: Steps in each direction that the coarsest level searches.
_REACH = 7
#: What a vector costs for each sample it differs from what it was given: flat areas follow their surroundings.
_CALM = 0.004
#: Block of the coarsest level, whose vectors all others begin from: large enough to hold something with a shape.
_COARSE_BLOCK = 9
#: Below this (0…1) two places show the same thing; above the other they do not.
_SAME, _OTHER = 5 / 255, 16 / 255


@dataclass(frozen=True)
class Motion:
    """Motion on the grid of the picture to be made.

    `down` and `across` (h, w) are how far things move from the earlier to the later picture, in samples;
    `doubt` (h, w) is 0 where both show the same along the vector and 1 where they do not.
    """

    phase: float
    down: Samples
    across: Samples
    doubt: Samples


def motion(earlier: Samples, later: Samples, phase: float = 0.5) -> Motion:
    """Return the motion between two pictures (h, w), 0…1, for a picture at `phase` (0 earlier, 1 later) between them.

    Raises `NotPossible` for unlike shapes or a phase outside 0…1.
    """
    if earlier.shape != later.shape or earlier.ndim != 2:
        raise NotPossible("motion is between two pictures of one size", subject=f"{earlier.shape} and {later.shape}")
    if not 0 <= phase <= 1:
        raise NotPossible("a picture between two lies at 0 to 1", subject=str(phase))
    levels = [(np.ascontiguousarray(earlier, np.float32), np.ascontiguousarray(later, np.float32))]
    while min(levels[-1][0].shape) > 2 * _COARSEST or max(levels[-1][0].shape) > 4 * _COARSEST:
        a, b = levels[-1]
        levels.append((_halved(a), _halved(b)))
    down, across = _searched(*levels[-1], phase)
    for a, b in reversed(levels[:-1]):
        down, across = (_grown(2 * each, a.shape) for each in (down, across))
        down, across = _refined(a, b, down, across, phase)
    a, b = levels[0]
    parts = _between_samples(a, b, down, across, phase)
    apart = np.empty(a.shape, np.float32)
    by_rows(len(a), lambda first, last: loops.unlike(first, last, a, b, *parts, phase, apart))
    doubt = np.clip((averaged(apart) - np.float32(_SAME)) / np.float32(_OTHER - _SAME), 0, 1)
    return Motion(phase, *parts, np.asarray(doubt, np.float32))


def along(earlier: Samples, later: Samples, found: Motion, spans: Steps | None = None) -> Samples:
    """Return the picture (h, w) between two, each moved along `found` by a cubic spline, mixed by nearness in time.

    Where `spans` do not ask for it, it is 0.
    """
    sides = ((earlier, -found.phase), (later, 1 - found.phase))
    first, second = (splined(picture, found.down, found.across, share, spans) for picture, share in sides)
    return np.asarray((1 - found.phase) * first + found.phase * second, np.float32)


def between(earlier: Samples, later: Samples, found: Motion) -> Samples:
    """Return the picture (h, w) between two along `found`; where motion was not found, both mixed where they are."""
    made = along(earlier, later, found)
    mixed = earlier + np.float32(found.phase) * (later - earlier)
    return np.asarray(made + found.doubt * (mixed - made), np.float32)


def splined(picture: Samples, down: Samples, across: Samples, share: float, spans: Steps | None = None) -> Samples:
    """Return `picture` (h, w) as seen `share` of the vectors away, by a cubic spline through its samples; edges go on.

    Where `spans` do not ask for it, it is 0.
    """
    if share == 0:
        return picture
    coefficients = spline(picture)
    given = [np.ascontiguousarray(each, np.float32) for each in (down, across)]
    made: Samples = np.zeros(picture.shape, np.float32)
    asked = spans_of(picture.shape) if spans is None else spans
    by_rows(len(made), lambda first, last: loops.splined(first, last, coefficients, *given, share, asked, made))
    return made


def spans_of(shape: tuple[int, ...], where: NDArray[np.bool_] | None = None, more: int = 0) -> Steps:
    """Return from which column to which (rows, 2) each row has something, and `more` rows and columns around; all without `where`."""
    spans = np.empty((shape[0], 2), np.int32)
    spans[:, 0], spans[:, 1] = 0, shape[1]
    if where is None:
        return spans
    some = where.any(axis=1)
    left = np.where(some, where.argmax(axis=1), shape[1])
    right = np.where(some, shape[1] - where[:, ::-1].argmax(axis=1), 0)
    size = 2 * more + 1
    left, right = minimum_filter1d(left, size), maximum_filter1d(right, size)
    spans[:, 0] = np.maximum(left - more, 0)
    spans[:, 1] = np.where(right > 0, np.minimum(right + more, shape[1]), 0)
    return spans


def spline(picture: Samples) -> Samples:
    """Return the coefficients (h + 4, w + 4) of the cubic spline through a picture's samples, whose edges go on."""
    made = np.pad(np.asarray(picture, np.float32), loops.EDGE, mode="edge")
    by_rows(made.shape[1], lambda first, last: loops.spline_down(first, last, made))
    by_rows(len(made), lambda first, last: loops.spline_across(first, last, made))
    return made


def averaged(values: Samples) -> Samples:
    """Return means over 5 × 5 places; edges are mirrored."""
    given = np.ascontiguousarray(values, np.float32)
    made = np.empty(given.shape, np.float32)
    by_rows(len(given), lambda first, last: loops.averaged(first, last, given, made))
    return made


def resized(found: Motion, shape: tuple[int, ...]) -> Motion:
    """Return motion for a plane of another size of the same picture, such as colour differences."""
    height, width = found.down.shape
    if shape == found.down.shape:
        return found
    rows = (np.arange(shape[0]) * height // shape[0])[:, None]
    columns = (np.arange(shape[1]) * width // shape[1])[None, :]
    scale = np.float32(shape[0] / height), np.float32(shape[1] / width)
    down, across = found.down[rows, columns] * scale[0], found.across[rows, columns] * scale[1]
    return Motion(found.phase, down, across, found.doubt[rows, columns])


def _halved(picture: Samples) -> Samples:
    height, width = picture.shape[0] // 2 * 2, picture.shape[1] // 2 * 2
    part = picture[:height, :width]
    return np.asarray((part[0::2, 0::2] + part[1::2, 0::2] + part[0::2, 1::2] + part[1::2, 1::2]) / 4, np.float32)


def _grown(field: NDArray[_T], shape: tuple[int, ...]) -> NDArray[_T]:
    grown = field.repeat(2, axis=0).repeat(2, axis=1)
    pad = [(0, max(0, shape[i] - grown.shape[i])) for i in (0, 1)]
    return np.asarray(np.pad(grown, pad, mode="edge")[: shape[0], : shape[1]])


def _cost(a: Samples, b: Samples, down: Steps, across: Steps, phase: float, by: tuple[int, int] = (0, 0)) -> Samples:
    """Return the mean squared difference of blocks along whole-sample vectors, moved `by` steps down and across."""
    made = np.empty(a.shape, np.float32)
    steps, everywhere = np.array([*by, 0, 0], np.int32), spans_of(a.shape)
    how = a, b, down, across, steps, phase, True, everywhere, made
    by_rows(len(a), lambda first, last: loops.costs(first, last, *how, first))
    return made


def _searched(a: Samples, b: Samples, phase: float) -> tuple[Steps, Steps]:
    """Return the best of all vectors within reach, each place for itself."""
    shape = a.shape
    best = np.full(shape, np.inf, np.float32)
    down, across = np.zeros(shape, np.int32), np.zeros(shape, np.int32)
    reach_y, reach_x = (min(_REACH, side // 4) for side in shape)
    tried = [(dy, dx) for dy in range(-reach_y, reach_y + 1) for dx in range(-reach_x, reach_x + 1)]
    steps = np.array(sorted(tried, key=lambda s: s[0] ** 2 + s[1] ** 2), np.int32)
    lengths = np.hypot(steps[:, 0], steps[:, 1]).astype(np.float32)
    edge = max(reach_y, reach_x) + 1
    wide = [np.pad(each, edge, mode="edge") for each in (a, b)]
    how = edge, steps, lengths, phase, _CALM, _COARSE_BLOCK // 2, best, down, across
    by_rows(shape[0], lambda first, last: loops.searched(first, last, *wide, *how))
    # a place that moves unlike all around it is more often a chance likeness than a small thing
    return median_filter(down, BLOCK), median_filter(across, BLOCK)


#: Where neighbours' vectors are taken from, and the steps around a vector: down, across, rows, columns.
_NEIGHBOURS = np.array(
    [(0, 0, by, 0) for by in (-2 * BLOCK, 2 * BLOCK)] + [(0, 0, 0, by) for by in (-2 * BLOCK, 2 * BLOCK)], np.int32
)
_AROUND = np.array(
    [(y, x, 0, 0) for y, x in ((0, -1), (0, 1), (-1, 0), (1, 0), (-1, -1), (-1, 1), (1, -1), (1, 1))], np.int32
)


def _refined(a: Samples, b: Samples, down: Steps, across: Steps, phase: float) -> tuple[Steps, Steps]:
    """Return vectors bettered by what neighbours found, and by one step in each direction."""
    best = np.empty(a.shape, np.float32)
    made = np.empty_like(down), np.empty_like(across)

    def look(field: tuple[Steps, Steps], tried: Steps, fresh: bool) -> None:
        by_rows(
            len(a),
            lambda first, last: loops.bettered(first, last, a, b, *field, tried, phase, _CALM, fresh, best, *made),
        )

    look((np.ascontiguousarray(down), np.ascontiguousarray(across)), _NEIGHBOURS, True)
    look((made[0].copy(), made[1].copy()), _AROUND, False)
    return made


def _between_samples(a: Samples, b: Samples, down: Steps, across: Steps, phase: float) -> tuple[Samples, Samples]:
    """Return vectors to fractions of a sample: the lowest point of a parabola through a cost and its neighbours'."""
    here = _cost(a, b, down, across, phase)
    found = []
    for dy, dx, own in ((1, 0, down), (0, 1, across)):
        before, after = (_cost(a, b, down, across, phase, (way * dy, way * dx)) for way in (-1, 1))
        part = np.empty(a.shape, np.float32)
        _part(here, before, after, own, part)
        found.append(averaged(part))
    return found[0], found[1]


def _part(here: Samples, before: Samples, after: Samples, own: Steps, out: Samples) -> None:
    by_rows(len(here), lambda first, last: loops.parted(first, last, here, before, after, own, out))

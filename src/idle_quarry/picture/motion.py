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
from scipy.ndimage import map_coordinates, median_filter, uniform_filter

from idle_quarry.errors import NotPossible
from idle_quarry.picture.strips import at_once

Samples = NDArray[Any]
Steps = NDArray[Any]
_T = TypeVar("_T", bound=np.generic)

#: Block over which differences are averaged, samples of each level.
_BLOCK = 5
#: Lines that one thread looks at together.
_BAND = 96
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
    levels = [(np.asarray(earlier, np.float32), np.asarray(later, np.float32))]
    while min(levels[-1][0].shape) > 2 * _COARSEST or max(levels[-1][0].shape) > 4 * _COARSEST:
        a, b = levels[-1]
        levels.append((_halved(a), _halved(b)))
    down, across = _searched(*levels[-1], phase)
    for a, b in reversed(levels[:-1]):
        down, across = (_grown(2 * each, a.shape) for each in (down, across))
        down, across = _refined(a, b, down, across, phase)
    a, b = levels[0]
    down, across = _between_samples(a, b, down, across, phase)
    apart = uniform_filter(np.abs(moved(a, down, across, -phase) - moved(b, down, across, 1 - phase)), _BLOCK)
    doubt = np.clip((apart - _SAME) / (_OTHER - _SAME), 0, 1)
    return Motion(phase, down, across, np.asarray(doubt, np.float32))


def along(earlier: Samples, later: Samples, found: Motion) -> Samples:
    """Return the picture (h, w) between two, each moved along `found` by a cubic spline, mixed by nearness in time."""
    sides = ((earlier, -found.phase), (later, 1 - found.phase))
    first, second = at_once(lambda side: splined(side[0], found.down, found.across, side[1]), sides)
    return np.asarray((1 - found.phase) * first + found.phase * second, np.float32)


def between(earlier: Samples, later: Samples, found: Motion) -> Samples:
    """Return the picture (h, w) between two along `found`; where motion was not found, both mixed where they are."""
    made = along(earlier, later, found)
    mixed = earlier + np.float32(found.phase) * (later - earlier)
    return np.asarray(made + found.doubt * (mixed - made), np.float32)


def splined(picture: Samples, down: Samples, across: Samples, share: float) -> Samples:
    """Return `picture` (h, w) as seen `share` of the vectors away, by a cubic spline through its samples."""
    if share == 0:
        return picture
    height, width = picture.shape
    places = np.empty((2, height, width), np.float32)
    np.multiply(down, np.float32(share), out=places[0])
    np.multiply(across, np.float32(share), out=places[1])
    places[0] += np.arange(height, dtype=np.float32)[:, None]
    places[1] += np.arange(width, dtype=np.float32)[None, :]
    return np.asarray(map_coordinates(picture, places, np.float32, order=3, mode="nearest"))


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


def moved(picture: Samples, down: Samples, across: Samples, share: float) -> Samples:
    """Return `picture` (h, w) as seen `share` of the vectors away, bilinear between samples, edges going on."""
    height, width = picture.shape
    y = np.arange(height, dtype=np.float32)[:, None] + np.float32(share) * down
    x = np.arange(width, dtype=np.float32)[None, :] + np.float32(share) * across
    np.clip(y, 0, height - 1, out=y)
    np.clip(x, 0, width - 1, out=x)
    # the last line and column are reached as the far end of the last but one
    top, left = np.minimum(y.astype(np.int32), height - 2), np.minimum(x.astype(np.int32), width - 2)
    y -= top
    x -= left
    flat = picture.ravel()
    at = top * np.int32(width) + left
    upper = flat[at]
    upper += x * (flat[at + 1] - upper)
    at += np.int32(width)
    lower = flat[at]
    lower += x * (flat[at + 1] - lower)
    upper += y * (lower - upper)
    return np.asarray(upper)


def _halved(picture: Samples) -> Samples:
    height, width = picture.shape[0] // 2 * 2, picture.shape[1] // 2 * 2
    part = picture[:height, :width]
    return np.asarray((part[0::2, 0::2] + part[1::2, 0::2] + part[0::2, 1::2] + part[1::2, 1::2]) / 4, np.float32)


def _grown(field: NDArray[_T], shape: tuple[int, ...]) -> NDArray[_T]:
    grown = field.repeat(2, axis=0).repeat(2, axis=1)
    pad = [(0, max(0, shape[i] - grown.shape[i])) for i in (0, 1)]
    return np.asarray(np.pad(grown, pad, mode="edge")[: shape[0], : shape[1]])


def _cost(a: Samples, b: Samples, down: Steps, across: Steps, phase: float, *, squared: bool = False) -> Samples:
    """Return the mean difference of blocks along whole-sample vectors, absolute or squared."""
    height, width = a.shape
    result = np.empty((height, width), np.float32)
    margin = _BLOCK // 2

    def band(top: int) -> None:
        first, last = max(0, top - margin), min(height, top + _BAND + margin)
        v, u = down[first:last], across[first:last]
        y, x = np.arange(first, last, dtype=np.int32)[:, None], np.arange(width, dtype=np.int32)[None, :]
        # the vector is whole, its middle perhaps not: both ends move by whole samples that add up to it
        half_v, half_u = (np.rint(np.float32(phase) * each).astype(np.int32) for each in (v, u))
        apart = _seen(a, y - half_v, x - half_u) - _seen(b, y + v - half_v, x + u - half_u)
        apart = np.square(apart) if squared else np.abs(apart, out=apart)
        result[top : top + _BAND] = _averaged(apart)[top - first : top - first + _BAND]

    at_once(band, range(0, height, _BAND))
    return result


def _seen(picture: Samples, y: Steps, x: Steps) -> Samples:
    height, width = picture.shape
    at = np.clip(y, 0, height - 1)
    at *= np.int32(width)
    at += np.clip(x, 0, width - 1)
    return np.asarray(picture.ravel()[at])


def _averaged(values: Samples) -> Samples:
    return np.asarray(uniform_filter(values, _BLOCK), np.float32)


def _searched(a: Samples, b: Samples, phase: float) -> tuple[Steps, Steps]:
    """Return the best of all vectors within reach, each place for itself."""
    shape = a.shape
    best = np.full(shape, np.inf, np.float32)
    down, across = np.zeros(shape, np.int32), np.zeros(shape, np.int32)
    reach_y, reach_x = (min(_REACH, side // 4) for side in shape)
    padded = [np.pad(each, ((reach_y,), (reach_x,)), mode="edge") for each in (a, b)]
    steps = [(dy, dx) for dy in range(-reach_y, reach_y + 1) for dx in range(-reach_x, reach_x + 1)]
    for dy, dx in sorted(steps, key=lambda s: s[0] ** 2 + s[1] ** 2):
        seen = []
        first = (round(phase * dy), round(phase * dx))
        for each, (y, x) in zip(padded, ((-first[0], -first[1]), (dy - first[0], dx - first[1])), strict=True):
            seen.append(each[reach_y + y : reach_y + y + shape[0], reach_x + x : reach_x + x + shape[1]])
        cost = uniform_filter(np.abs(seen[0] - seen[1]), _COARSE_BLOCK) + np.float32(_CALM * np.hypot(dy, dx))
        better = cost < best
        np.copyto(best, cost, where=better)
        np.copyto(down, dy, where=better)
        np.copyto(across, dx, where=better)
    # a place that moves unlike all around it is more often a chance likeness than a small thing
    return median_filter(down, _BLOCK), median_filter(across, _BLOCK)


def _refined(a: Samples, b: Samples, down: Steps, across: Steps, phase: float) -> tuple[Steps, Steps]:
    """Return vectors bettered by what neighbours found, and by one step in each direction."""
    best = _cost(a, b, down, across, phase)
    own = [down.copy(), across.copy()]

    def take(tried_down: Steps, tried_across: Steps) -> None:
        cost = _cost(a, b, tried_down, tried_across, phase) + np.float32(_CALM)
        better = cost < best
        np.copyto(best, cost, where=better)
        np.copyto(own[0], tried_down, where=better)
        np.copyto(own[1], tried_across, where=better)

    for axis, by in ((0, -2 * _BLOCK), (0, 2 * _BLOCK), (1, -2 * _BLOCK), (1, 2 * _BLOCK)):
        take(np.roll(down, by, axis), np.roll(across, by, axis))
    centre = own[0].copy(), own[1].copy()
    for dy, dx in ((0, -1), (0, 1), (-1, 0), (1, 0), (-1, -1), (-1, 1), (1, -1), (1, 1)):
        take(centre[0] + np.int32(dy), centre[1] + np.int32(dx))
    return own[0], own[1]


def _between_samples(a: Samples, b: Samples, down: Steps, across: Steps, phase: float) -> tuple[Samples, Samples]:
    """Return vectors to fractions of a sample: the lowest point of a parabola through a cost and its neighbours'."""
    here = _cost(a, b, down, across, phase, squared=True)
    found = []
    for dy, dx, own in ((1, 0, down), (0, 1, across)):
        before = _cost(a, b, down - np.int32(dy), across - np.int32(dx), phase, squared=True)
        after = _cost(a, b, down + np.int32(dy), across + np.int32(dx), phase, squared=True)
        bend = before + after - 2 * here
        part = np.where(bend > 1e-7, (before - after) / (2 * np.maximum(bend, 1e-7)), 0)
        found.append(_averaged(own + np.clip(part, -0.5, 0.5).astype(np.float32)))
    return found[0], found[1]

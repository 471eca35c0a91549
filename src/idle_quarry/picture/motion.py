"""Motion between two pictures, and pictures made along it.

Vectors are searched where the new picture lies, not where an old one does, so that none has holes: what the earlier
picture shows at x − t·v the later one shows at x + (1 − t)·v. Each cell of 4 × 4 samples has one, told by the block of
8 × 8 around it. A pyramid is searched from coarse to fine; each level looks at what it was given, at what its
neighbours were given, and at the steps around the best of them.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import NotPossible
from idle_quarry.picture.loops import cells as cell_loops
from idle_quarry.picture.loops import motion as loops
from idle_quarry.picture.loops import splines
from idle_quarry.picture.strips import by_rows

Samples = NDArray[Any]
Steps = NDArray[np.int32]
Cells = NDArray[np.bool_]
_A = TypeVar("_A")
_T = TypeVar("_T", bound=np.generic)

CELL = loops.CELL
#: Levels are halved until a picture has no more than so many lines or columns.
_COARSEST = 72
#: Steps in each direction that the coarsest level searches.
_REACH = 7
#: What a vector costs for each sample it differs from what it was given: flat areas follow their surroundings.
_CALM = 0.004
#: Below this (0…1) two places show the same thing; above the other they do not.
_SAME, _OTHER = 5 / 255, 16 / 255
#: Cells of a strip that is worth a thread.
_FEW = 4000
#: Cells from one to the next of which it has another cell of the coarser level: as far as neighbours are asked.
_NEXT = 2


@dataclass(frozen=True)
class Motion:
    """Motion on the grid of the picture to be made, of `shape` (h, w).

    `down` and `across` (h / 4, w / 4, rounded up) are how far a cell's things move from the earlier to the later
    picture, in samples; `doubt` (as large) is 0 where both show the same along the vector and 1 where they do not.
    """

    phase: float
    shape: tuple[int, ...]
    down: Samples
    across: Samples
    doubt: Samples


class MotionCache:
    """What was made of the last few pictures: neighbours in time ask for the same again."""

    def __init__(self, most: int = 24) -> None:
        self._most = most
        self._results: OrderedDict[tuple[str, int], tuple[Samples, Any]] = OrderedDict()

    def spline(self, picture: Samples) -> Samples:
        """Return the coefficients of a picture, see `spline`."""
        return self._of("spline", picture, spline)

    def levels(self, picture: Samples) -> list[Samples]:
        """Return a picture (h, w) and what it is halved to, each (h + 24, w + 24) with its edges gone on."""
        return self._of("levels", picture, _levels)

    def _of(self, kind: str, picture: Samples, make: Callable[[Samples], _A]) -> _A:
        key = kind, id(picture)
        result = self._results.pop(key, None)
        if result is None or result[0] is not picture:  # another one may lie where one that is gone was
            result = picture, make(picture)
        self._results[key] = result
        while len(self._results) > self._most:
            self._results.popitem(last=False)
        results: _A = result[1]
        return results


def motion(earlier: Samples, later: Samples, phase: float = 0.5, cache: MotionCache | None = None) -> Motion:
    """Return the motion between two pictures.

    Parameters
    ----------
    earlier, later
        Pictures (h, w) of one shape, 0…1, float32.
    phase
        Where the picture that is asked for lies between them: 0 the earlier, 1 the later.
    kept
        What is kept from one pair to the next.

    Returns
    -------
    A vector for each cell of 4 × 4 samples, with how far it is doubted.

    Raises
    ------
    NotPossible
        The shapes differ, or the phase lies outside 0…1.
    """
    if earlier.shape != later.shape or earlier.ndim != 2:
        raise NotPossible("motion is between two pictures of one size", subject=f"{earlier.shape} and {later.shape}")
    if not 0 <= phase <= 1:
        raise NotPossible("a picture between two lies at 0 to 1", subject=str(phase))
    cache = cache or MotionCache()
    levels = list(zip(cache.levels(earlier), cache.levels(later), strict=True))
    down, across = _searched(*levels[-1], phase)
    for a, b in reversed(levels[:-1]):
        shape = cells_of(_inside(a))
        given = [_grown(2 * plane, shape) for plane in (down, across)]
        down, across = np.empty(shape, np.int32), np.empty(shape, np.int32)
        _by_cells(shape, loops.bettered, a, b, *given, phase, _CALM, _NEXT, down, across)
    (a, b), shape = levels[0], down.shape
    parts = np.empty(shape, np.float32), np.empty(shape, np.float32)
    _by_cells(shape, loops.parted, a, b, down, across, phase, *parts)
    parts = _calmed(parts[0]), _calmed(parts[1])
    apart = np.empty(shape, np.float32)
    _by_cells(shape, loops.unlike, a, b, *parts, phase, apart)
    doubt = np.clip((apart - np.float32(_SAME)) / np.float32(_OTHER - _SAME), 0, 1)
    return Motion(phase, earlier.shape, *parts, doubt)


def along(
    earlier: Samples, later: Samples, value: Motion, asked: Cells | None = None, cache: MotionCache | None = None
) -> Samples:
    """Return the picture (h, w) between two, each moved along `value` by a cubic spline, mixed by nearness in time.

    Cells that are not `asked` for are 0.
    """
    cache, result = cache or MotionCache(), np.empty(earlier.shape, np.float32)
    sides = (earlier, -value.phase, 1 - value.phase), (later, 1 - value.phase, value.phase)
    for number, (picture, share, gain) in enumerate(sides):
        _seen(cache.spline(picture), value, share, asked, gain, number == 0, result)
    return result


def between(earlier: Samples, later: Samples, value: Motion) -> Samples:
    """Return the picture (h, w) between two along `value`; where motion was not found, both mixed where they are."""
    result = along(earlier, later, value)
    return doubted(
        result, earlier + np.float32(value.phase) * (later - earlier), value, np.ones(result.shape, np.float32)
    )


def doubted(out: Samples, other: Samples, result: Motion, moving: Samples) -> Samples:
    """Return `out` (h, w), changed in place to `other` as far as motion is doubted, from cell to cell in straight
    lines.

    And as far as nothing is `moving`, 0…1 (h, w, or whole times as many rows and columns).
    """
    by_rows(len(out), lambda first, last: cell_loops.mixed(first, last, result.doubt, other, moving, out))
    return out


def splined(
    picture: Samples, value: Motion, share: float, asked: Cells | None = None, cache: MotionCache | None = None
) -> Samples:
    """Return `picture` (h, w) as seen `share` of the vectors away, by a cubic spline through its samples; edges go on.

    Cells that are not `asked` for are 0.
    """
    result = np.empty(picture.shape, np.float32)
    _seen((cache or MotionCache()).spline(picture), value, share, asked, 1.0, True, result)
    return result


def _seen(
    spline: Samples, result: Motion, share: float, asked: Cells | None, gain: float, fresh: bool, out: Samples
) -> None:
    where = np.ones(result.down.shape, np.bool_) if asked is None else asked
    _by_cells(result.down.shape, splines.splined, spline, result.down, result.across, share, where, gain, fresh, out)


def cells_of(shape: tuple[int, ...]) -> tuple[int, int]:
    """Return how many rows and columns of cells a picture (h, w) has."""
    return -(-shape[0] // CELL), -(-shape[1] // CELL)


def cells_with(moving: Samples) -> Cells:
    """Return which cells have, in themselves or right beside them, a place (h, w) where something moves."""
    cells = np.zeros(tuple(count + 2 for count in cells_of(moving.shape)), np.bool_)
    _by_cells(cells_of(moving.shape), cell_loops.moving_cells, moving, cells[1:-1, 1:-1])
    tall = cells[:-2] | cells[1:-1] | cells[2:]
    return np.ascontiguousarray(tall[:, :-2] | tall[:, 1:-1] | tall[:, 2:])


def spline(picture: Samples) -> Samples:
    """Return the coefficients (h + 4, w + 4) of the cubic spline through a picture's samples, whose edges go on."""
    result = _edged(np.ascontiguousarray(picture, np.float32), splines.EDGE)
    by_rows(result.shape[1], lambda first, last: splines.spline_down(first, last, result))
    by_rows(len(result), lambda first, last: splines.spline_across(first, last, result))
    return result


def differing(a: Samples, b: Samples, *, signed: bool = False) -> Samples:
    """Return how much two pictures (h, w) differ on average over each cell.

    `signed`, what differs both ways goes out.
    """
    result = np.empty(cells_of(a.shape), np.float32)
    _by_cells(result.shape, cell_loops.differing, a, b, signed, result)
    return result


def spread(cells: Samples) -> Samples:
    """Return means of each cell and, for a sixth each way, its neighbours."""
    result = np.empty(cells.shape, np.float32)
    _by_cells(cells.shape, cell_loops.spread, cells, result)
    return result


def resized(result: Motion, shape: tuple[int, ...]) -> Motion:
    """Return motion for a plane of another size of the same picture, such as colour differences."""
    if shape == result.shape:
        return result
    cells = cells_of(shape)
    down, across = (
        cells_at(plane, cells) * np.float32(now / before)
        for plane, now, before in zip((result.down, result.across), shape, result.shape, strict=True)
    )
    return replace(result, shape=shape, down=down, across=across, doubt=cells_at(result.doubt, cells))


def cells_at(cells: NDArray[_T], shape: tuple[int, ...]) -> NDArray[_T]:
    """Return for each cell of another number of rows and columns the one that lies where it does."""
    places = [(2 * np.arange(count) + 1) * have // (2 * count) for count, have in zip(shape, cells.shape, strict=True)]
    return np.ascontiguousarray(cells[np.ix_(*places)])


def _by_cells(shape: tuple[int, ...], work: Any, *given: Any) -> None:
    least = max(4, _FEW // shape[1])  # handing a few cells to another thread takes longer than looking at them
    by_rows(shape[0], lambda first, last: work(first, last, *given), least)


def _levels(picture: Samples) -> list[Samples]:
    level = np.ascontiguousarray(picture, np.float32)
    levels = [_edged(level, loops.AROUND)]
    while min(level.shape) > 2 * _COARSEST or max(level.shape) > 4 * _COARSEST:
        level = _halved(level)
        levels.append(_edged(level, loops.AROUND))
    return levels


def _halved(picture: Samples) -> Samples:
    result = np.empty((picture.shape[0] // 2, picture.shape[1] // 2), np.float32)
    by_rows(len(result), lambda first, last: cell_loops.halved(first, last, picture, result))
    return result


def _edged(picture: Samples, around: int) -> Samples:
    result = np.empty((picture.shape[0] + 2 * around, picture.shape[1] + 2 * around), np.float32)
    by_rows(len(result), lambda first, last: cell_loops.edged(first, last, picture, around, result))
    return result


def _inside(level: Samples) -> tuple[int, ...]:
    return tuple(side - 2 * loops.AROUND for side in level.shape)


def _grown(cells: Steps, shape: tuple[int, int]) -> Steps:
    rows, columns = ((np.arange(count) // 2).clip(0, have - 1) for count, have in zip(shape, cells.shape, strict=True))
    return np.ascontiguousarray(cells[np.ix_(rows, columns)])


def _searched(a: Samples, b: Samples, phase: float) -> tuple[Steps, Steps]:
    """Return for each cell the best of all vectors within reach."""
    shape = _inside(a)
    reach_y, reach_x = (min(_REACH, side // 4) for side in shape)
    tried = [(dy, dx) for dy in range(-reach_y, reach_y + 1) for dx in range(-reach_x, reach_x + 1)]
    steps = np.array(sorted(tried, key=lambda s: s[0] ** 2 + s[1] ** 2), np.int32)
    lengths = np.hypot(steps[:, 0], steps[:, 1]).astype(np.float32)
    cells = cells_of(shape)
    down, across = np.zeros(cells, np.int32), np.zeros(cells, np.int32)
    how = a, b, steps, lengths, phase, _CALM, down, across
    by_rows(cells[0], lambda first, last: loops.searched(first, last, *how), least=4)
    return _calmed(down).astype(np.int32), _calmed(across).astype(np.int32)


def _calmed(cells: NDArray[Any]) -> Samples:
    """Return the median of each cell and those around it: what moves unlike all around is more often a chance
    likeness.
    """
    result = np.empty(cells.shape, np.float32)
    given = np.ascontiguousarray(cells, np.float32)
    _by_cells(cells.shape, cell_loops.calmed, given, result)
    return result

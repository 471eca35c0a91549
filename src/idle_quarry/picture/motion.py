"""Motion between two pictures, and pictures made along it.

Vectors are searched where the new picture lies, not where an old one does, so that none has holes: what the earlier picture
shows at x − t·v the later one shows at x + (1 − t)·v. Each cell of 4 × 4 samples has one, told by the block of 8 × 8 around it.
A pyramid is searched from coarse to fine; each level looks at what it was given, at what its neighbours were given, and at the
steps around the best of them.
"""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass, replace
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import NotPossible
from idle_quarry.picture.loops import motion as loops
from idle_quarry.picture.strips import by_rows

Samples = NDArray[Any]
Steps = NDArray[np.int32]
Cells = NDArray[np.bool_]
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
#: Cells from one to the next of which it has another cell of the coarser level: as far as neighbours are asked.
_NEXT = 2


@dataclass(frozen=True)
class Motion:
    """Motion on the grid of the picture to be made, of `shape` (h, w).

    `down` and `across` (h / 4, w / 4, rounded up) are how far a cell's things move from the earlier to the later picture, in
    samples; `doubt` (as large) is 0 where both show the same along the vector and 1 where they do not.
    """

    phase: float
    shape: tuple[int, ...]
    down: Samples
    across: Samples
    doubt: Samples


class Splines:
    """The splines of the last few pictures that were asked for: neighbours in time ask for the same ones."""

    def __init__(self, most: int = 16) -> None:
        self._most = most
        self._kept: OrderedDict[int, tuple[Samples, Samples]] = OrderedDict()

    def of(self, picture: Samples) -> Samples:
        """Return the coefficients (h + 4, w + 4) of a picture, made once while it is among the last."""
        picture_and_made = self._kept.pop(id(picture), None)
        if picture_and_made is None or picture_and_made[0] is not picture:
            picture_and_made = picture, spline(picture)
        self._kept[id(picture)] = picture_and_made
        while len(self._kept) > self._most:
            self._kept.popitem(last=False)
        return picture_and_made[1]


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
    wide = [(_with_edges(a), _with_edges(b)) for a, b in levels]
    shape = cells_of(levels[-1][0].shape)
    down, across = _searched(*wide[-1], levels[-1][0].shape, phase)
    for (a, b), (level, _) in zip(reversed(wide[:-1]), reversed(levels[:-1]), strict=True):
        shape = cells_of(level.shape)
        given = [_grown(2 * each, shape) for each in (down, across)]
        down, across = np.empty(shape, np.int32), np.empty(shape, np.int32)
        _by_cells(shape, loops.bettered, a, b, *given, phase, _CALM, _NEXT, down, across)
    (a, b), parts = wide[0], (np.empty(shape, np.float32), np.empty(shape, np.float32))
    _by_cells(shape, loops.parted, a, b, down, across, phase, *parts)
    parts = _calmed(parts[0]), _calmed(parts[1])
    apart = np.empty(shape, np.float32)
    _by_cells(shape, loops.unlike, a, b, *parts, phase, apart)
    doubt = np.clip((apart - np.float32(_SAME)) / np.float32(_OTHER - _SAME), 0, 1)
    return Motion(phase, earlier.shape, *parts, doubt)


def along(
    earlier: Samples, later: Samples, found: Motion, asked: Cells | None = None, splines: Splines | None = None
) -> Samples:
    """Return the picture (h, w) between two, each moved along `found` by a cubic spline, mixed by nearness in time.

    Cells that are not `asked` for are 0.
    """
    splines = splines or Splines()
    made: Samples = np.zeros(earlier.shape, np.float32)
    for picture, share, gain in ((earlier, -found.phase, 1 - found.phase), (later, 1 - found.phase, found.phase)):
        if gain:
            _seen(splines.of(picture), found, share, asked, gain, made)
    return made


def between(earlier: Samples, later: Samples, found: Motion) -> Samples:
    """Return the picture (h, w) between two along `found`; where motion was not found, both mixed where they are."""
    made = along(earlier, later, found)
    return doubted(made, earlier + np.float32(found.phase) * (later - earlier), found)


def doubted(made: Samples, other: Samples, found: Motion, least: Samples | None = None) -> Samples:
    """Return `made` (h, w), changed in place to `other` as far as motion is doubted, from cell to cell in straight lines.

    `least` (h, w, or with twice as many columns) is how much of `other` there is at least.
    """
    share = np.zeros(made.shape, np.float32) if least is None else least
    by_rows(len(made), lambda first, last: loops.mixed(first, last, found.doubt, other, share, made))
    return made


def splined(
    picture: Samples, found: Motion, share: float, asked: Cells | None = None, splines: Splines | None = None
) -> Samples:
    """Return `picture` (h, w) as seen `share` of the vectors away, by a cubic spline through its samples; edges go on.

    Cells that are not `asked` for are 0.
    """
    made: Samples = np.zeros(picture.shape, np.float32)
    _seen((splines or Splines()).of(picture), found, share, asked, 1.0, made)
    return made


def _seen(spline: Samples, found: Motion, share: float, asked: Cells | None, gain: float, out: Samples) -> None:
    where = np.ones(found.down.shape, np.bool_) if asked is None else asked
    _by_cells(found.down.shape, loops.splined, spline, found.down, found.across, share, where, gain, out)


def cells_of(shape: tuple[int, ...]) -> tuple[int, int]:
    """Return how many rows and columns of cells a picture (h, w) has."""
    return -(-shape[0] // CELL), -(-shape[1] // CELL)


def cells_with(where: Samples) -> Cells:
    """Return which cells have, in themselves or right beside them, a place (h, w) where something is."""
    rows, columns = cells_of(where.shape)
    padded = np.zeros((rows * CELL, columns * CELL), np.bool_)
    padded[: where.shape[0], : where.shape[1]] = where
    cells = np.pad(padded.reshape(rows, CELL, columns, CELL).any(axis=(1, 3)), 1)
    tall = cells[:-2] | cells[1:-1] | cells[2:]
    return np.asarray(tall[:, :-2] | tall[:, 1:-1] | tall[:, 2:])


def spline(picture: Samples) -> Samples:
    """Return the coefficients (h + 4, w + 4) of the cubic spline through a picture's samples, whose edges go on."""
    made = np.pad(np.asarray(picture, np.float32), loops.EDGE, mode="edge")
    by_rows(made.shape[1], lambda first, last: loops.spline_down(first, last, made))
    by_rows(len(made), lambda first, last: loops.spline_across(first, last, made))
    return made


def differing(a: Samples, b: Samples, *, signed: bool = False) -> Samples:
    """Return how much two pictures (h, w) differ on average over each cell; `signed`, what differs both ways goes out."""
    made = np.empty(cells_of(a.shape), np.float32)
    _by_cells(made.shape, loops.differing, a, b, signed, made)
    return made


def spread(cells: Samples) -> Samples:
    """Return means of each cell and, for a sixth each way, its neighbours."""
    made = np.empty(cells.shape, np.float32)
    _by_cells(cells.shape, loops.spread, cells, made)
    return made


def resized(found: Motion, shape: tuple[int, ...]) -> Motion:
    """Return motion for a plane of another size of the same picture, such as colour differences."""
    if shape == found.shape:
        return found
    cells = cells_of(shape)
    down, across = (
        cells_at(each, cells) * np.float32(now / before)
        for each, now, before in zip((found.down, found.across), shape, found.shape, strict=True)
    )
    return replace(found, shape=shape, down=down, across=across, doubt=cells_at(found.doubt, cells))


def cells_at(cells: NDArray[_T], shape: tuple[int, ...]) -> NDArray[_T]:
    """Return for each cell of another number of rows and columns the one that lies where it does."""
    places = [(2 * np.arange(count) + 1) * have // (2 * count) for count, have in zip(shape, cells.shape, strict=True)]
    return np.ascontiguousarray(cells[np.ix_(*places)])


def _by_cells(shape: tuple[int, ...], work: Any, *given: Any) -> None:
    by_rows(shape[0], lambda first, last: work(first, last, *given), least=4)


def _halved(picture: Samples) -> Samples:
    made = np.empty((picture.shape[0] // 2, picture.shape[1] // 2), np.float32)
    by_rows(len(made), lambda first, last: loops.halved(first, last, picture, made))
    return made


def _with_edges(picture: Samples) -> Samples:
    return np.pad(picture, loops.AROUND, mode="edge")


def _grown(cells: Steps, shape: tuple[int, int]) -> Steps:
    rows, columns = ((np.arange(count) // 2).clip(0, have - 1) for count, have in zip(shape, cells.shape, strict=True))
    return np.ascontiguousarray(cells[np.ix_(rows, columns)])


def _searched(a: Samples, b: Samples, shape: tuple[int, ...], phase: float) -> tuple[Steps, Steps]:
    """Return for each cell the best of all vectors within reach."""
    reach_y, reach_x = (min(_REACH, side // 4) for side in shape)
    tried = [(dy, dx) for dy in range(-reach_y, reach_y + 1) for dx in range(-reach_x, reach_x + 1)]
    steps = np.array(sorted(tried, key=lambda s: s[0] ** 2 + s[1] ** 2), np.int32)
    lengths = np.hypot(steps[:, 0], steps[:, 1]).astype(np.float32)
    cells = cells_of(shape)
    down, across = np.zeros(cells, np.int32), np.zeros(cells, np.int32)
    _by_cells(cells, loops.searched, a, b, steps, lengths, phase, _CALM, down, across)
    return _calmed(down).astype(np.int32), _calmed(across).astype(np.int32)


def _calmed(cells: NDArray[Any]) -> Samples:
    """Return the median of each cell and those around it: what moves unlike all around is more often a chance likeness."""
    made = np.empty(cells.shape, np.float32)
    given = np.ascontiguousarray(cells, np.float32)
    _by_cells(cells.shape, loops.calmed, given, made)
    return made

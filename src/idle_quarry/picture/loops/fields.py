"""Fields: a moment's missing lines made of its own and its neighbours', a strip of rows at a time."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from idle_quarry.compiling.loop import loop

Samples = NDArray[np.float32]


@loop(error_model="numpy")
def _cubic(own: Samples, row: int, parity: int, line: Samples) -> None:  # pragma: no cover
    """Put the missing line of field row `row` into `line`: (−1, 9, 9, −1)/16 of the field's lines around it.

    Ends are repeated.
    """
    count = own.shape[0]
    upper = row - parity  # the field's line above the missing one
    if upper < 0 or upper >= count - 1:
        line[:] = own[min(max(upper, 0), count - 1)]
        return
    a, b, c, d = own[max(upper - 1, 0)], own[upper], own[upper + 1], own[min(upper + 2, count - 1)]
    for x in range(own.shape[1]):
        line[x] = (np.float32(9) * (b[x] + c[x]) - a[x] - d[x]) * np.float32(0.0625)


@loop(error_model="numpy")
def interpolated(first: int, last: int, own: Samples, parity: int, out: Samples) -> None:  # pragma: no cover
    """Put a field's lines, and cubics between them, into `out` (2h, w), for field rows `first` to `last`."""
    for row in range(first, last):
        out[2 * row + parity] = own[row]
        _cubic(own, row, parity, out[2 * row + 1 - parity])


@loop(error_model="numpy")
def _moving(
    row: int,
    own: Samples,
    before: Samples,
    after: Samples,
    earlier: Samples,
    later: Samples,
    has_earlier: bool,
    has_later: bool,
    line: Samples,
) -> None:  # pragma: no cover
    """Put into `line` how much a field row differs between like fields: before and after, and this and the next of
    its kind.
    """
    one, two = after[row], before[row]
    for x in range(own.shape[1]):
        line[x] = abs(one[x] - two[x])
    here = own[row]
    for there, other in ((has_earlier, earlier[row]), (has_later, later[row])):
        if there:
            for x in range(own.shape[1]):
                line[x] = max(line[x], abs(here[x] - other[x]))


@loop(error_model="numpy")
def adaptive(
    first: int,
    last: int,
    parity: int,
    own: Samples,
    before: Samples,
    after: Samples,
    earlier: Samples,
    later: Samples,
    has_earlier: bool,
    has_later: bool,
    still: float,
    moves: float,
    moving: Samples,
    out: Samples,
) -> None:  # pragma: no cover
    """Put a moment made whole into `out` (2h, w): missing lines from both neighbours where nothing moves, else cubics.

    How sure it is that their places move, 0…1, is put into `moving` (h, w): the greatest difference among 3 × 3 places,
    as a share of the way from `still` to `moves`.
    """
    count, width = own.shape
    lines, most = np.empty((3, width), np.float32), np.empty(width + 2, np.float32)
    scale, floor, half = np.float32(1 / (moves - still)), np.float32(still), np.float32(0.5)
    for n in range(2):
        _moving(
            min(max(first - 1 + n, 0), count - 1), own, before, after, earlier, later, has_earlier, has_later, lines[n]
        )
    a, b, c = lines[0], lines[1], lines[2]
    middle, right = most[1:-1], most[2:]
    for row in range(first, last):
        ahead = lines[(row - first + 2) % 3]
        _moving(min(row + 1, count - 1), own, before, after, earlier, later, has_earlier, has_later, ahead)
        for x in range(width):
            middle[x] = max(a[x], max(b[x], c[x]))
        most[0], most[width + 1] = most[1], most[width]
        share = moving[row]
        for x in range(width):
            result = (max(most[x], max(middle[x], right[x])) - floor) * scale
            share[x] = min(max(result, np.float32(0)), np.float32(1))
        out[2 * row + parity] = own[row]
        missing = out[2 * row + 1 - parity]
        _cubic(own, row, parity, missing)
        earlier_line, later_line = before[row], after[row]
        for x in range(width):
            mean = (earlier_line[x] + later_line[x]) * half
            missing[x] = mean + share[x] * (missing[x] - mean)

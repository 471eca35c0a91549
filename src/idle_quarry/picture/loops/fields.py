"""Fields: a moment's missing lines made of its own and its neighbours', a strip of rows at a time."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

Samples = NDArray[np.float32]


@njit(cache=True, nogil=True, inline="always", error_model="numpy")
def _cubic(own: Samples, row: int, parity: int, x: int) -> Any:  # pragma: no cover
    """Return the missing sample of field row `row`: (−1, 9, 9, −1)/16 of the field's lines around it; ends are repeated."""
    count = own.shape[0]
    upper = row - parity  # the field's line above the missing one
    if upper < 0:
        return own[0, x]
    if upper >= count - 1:
        return own[count - 1, x]
    before, after = max(upper - 1, 0), min(upper + 2, count - 1)
    nine = np.float32(9) * (own[upper, x] + own[upper + 1, x])
    return (nine - own[before, x] - own[after, x]) * np.float32(0.0625)


@njit(cache=True, nogil=True, error_model="numpy")
def interpolated(first: int, last: int, own: Samples, parity: int, out: Samples) -> None:  # pragma: no cover
    """Put a field's lines, and cubics between them, into `out` (2h, w), for field rows `first` to `last`."""
    for row in range(first, last):
        out[2 * row + parity] = own[row]
        missing = out[2 * row + 1 - parity]
        for x in range(own.shape[1]):
            missing[x] = _cubic(own, row, parity, x)


@njit(cache=True, nogil=True, error_model="numpy")
def _moving(
    row: int, own: Samples, before: Samples, after: Samples, earlier: Samples, later: Samples, has_earlier: bool, has_later: bool,
    line: Samples,
) -> None:  # pragma: no cover  # fmt: skip
    """Put into `line` how much a field row differs between like fields: before and after, and this and the next of its kind."""
    for x in range(own.shape[1]):
        most = abs(after[row, x] - before[row, x])
        if has_earlier:
            most = max(most, abs(own[row, x] - earlier[row, x]))
        if has_later:
            most = max(most, abs(own[row, x] - later[row, x]))
        line[x] = most


@njit(cache=True, nogil=True, error_model="numpy")
def shares(
    first: int, last: int, own: Samples, before: Samples, after: Samples, earlier: Samples, later: Samples,
    has_earlier: bool, has_later: bool, still: float, moves: float, out: Samples, out_first: int,
) -> None:  # pragma: no cover  # fmt: skip
    """Put how sure it is that places of field rows `first` to `last` move, 0…1, into `out` from row `out_first` on.

    It is the greatest difference among 3 × 3 places, as a share of the way from `still` to `moves`.
    """
    count, width = own.shape
    lines = np.empty((3, width), np.float32)
    scale, floor = np.float32(1 / (moves - still)), np.float32(still)
    for n in range(2):
        _moving(
            min(max(first - 1 + n, 0), count - 1), own, before, after, earlier, later, has_earlier, has_later, lines[n]
        )
    a, b, c = lines[0], lines[1], lines[2]
    for row in range(first, last):
        ahead = lines[(row - first + 2) % 3]
        _moving(min(row + 1, count - 1), own, before, after, earlier, later, has_earlier, has_later, ahead)
        made = out[out_first + row - first]
        left = max(a[0], max(b[0], c[0]))
        here = left
        for x in range(width):
            right = here
            if x + 1 < width:
                right = max(a[x + 1], max(b[x + 1], c[x + 1]))
            made[x] = min(max((max(left, max(here, right)) - floor) * scale, np.float32(0)), np.float32(1))
            left, here = here, right


@njit(cache=True, nogil=True, error_model="numpy")
def adaptive(
    first: int, last: int, parity: int, own: Samples, before: Samples, after: Samples, earlier: Samples, later: Samples,
    has_earlier: bool, has_later: bool, still: float, moves: float, out: Samples,
) -> None:  # pragma: no cover  # fmt: skip
    """Put a moment made whole into `out` (2h, w): missing lines from both neighbours where nothing moves, else cubics."""
    width = own.shape[1]
    half = np.float32(0.5)
    share = np.empty((last - first, width), np.float32)
    shares(first, last, own, before, after, earlier, later, has_earlier, has_later, still, moves, share, 0)
    for row in range(first, last):
        out[2 * row + parity] = own[row]
        missing = out[2 * row + 1 - parity]
        for x in range(width):
            kept = (before[row, x] + after[row, x]) * half
            missing[x] = kept + share[row - first, x] * (_cubic(own, row, parity, x) - kept)

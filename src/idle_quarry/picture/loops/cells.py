"""Values of cells, and pictures made of them: medians and means of neighbours, differences, edges, halves, mixtures."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.picture.loops.motion import CELL, Samples, compiled_with_lanes, small


@small
def _middle(a: Any, b: Any, c: Any) -> Any:  # pragma: no cover
    return max(min(a, b), min(max(a, b), c))


@compiled_with_lanes
def calmed(first: int, last: int, cells: Samples, out: Samples) -> None:  # pragma: no cover
    """Put the median of each cell and its eight neighbours into `out`; edges go on."""
    rows, columns = cells.shape
    low, mid, high = (
        np.empty(columns + 2, np.float32),
        np.empty(columns + 2, np.float32),
        np.empty(columns + 2, np.float32),
    )
    for r in range(first, last):
        one, two, three = cells[max(r - 1, 0)], cells[r], cells[min(r + 1, rows - 1)]
        for c in range(columns):  # each column in order; the median of nine is the middle of three of those
            a, b, d = one[c], two[c], three[c]
            low[c + 1], mid[c + 1], high[c + 1] = min(a, min(b, d)), _middle(a, b, d), max(a, max(b, d))
        for plane in (low, mid, high):
            plane[0], plane[columns + 1] = plane[1], plane[columns]
        result = out[r]
        for c in range(columns):
            lows = max(low[c], max(low[c + 1], low[c + 2]))
            highs = min(high[c], min(high[c + 1], high[c + 2]))
            result[c] = _middle(lows, _middle(mid[c], mid[c + 1], mid[c + 2]), highs)


@compiled_with_lanes
def differing(first: int, last: int, a: Samples, b: Samples, signed: bool, out: Samples) -> None:  # pragma: no cover
    """Put the mean of a − b over each cell, absolute or `signed`, into `out`."""
    height, width = a.shape
    sums = np.empty(width, np.float32)
    for r in range(first, last):
        bottom = min(CELL * r + CELL, height)
        sums[:] = np.float32(0)
        for y in range(CELL * r, bottom):
            one, two = a[y], b[y]
            if signed:
                for x in range(width):
                    sums[x] += one[x] - two[x]
            else:
                for x in range(width):
                    sums[x] += abs(one[x] - two[x])
        for c in range(out.shape[1]):
            right = min(CELL * c + CELL, width)
            total = np.float32(0)
            for x in range(CELL * c, right):
                total += sums[x]
            out[r, c] = total / np.float32((bottom - CELL * r) * (right - CELL * c))


@compiled_with_lanes
def spread(first: int, last: int, cells: Samples, out: Samples) -> None:  # pragma: no cover
    """Put the mean of each cell and its eight neighbours, (1, 4, 1)/6 each way, into `out`; edges go on."""
    rows, columns = cells.shape
    line = np.empty(columns, np.float32)
    for r in range(first, last):
        one, two, three, result = cells[max(r - 1, 0)], cells[r], cells[min(r + 1, rows - 1)], out[r]
        for c in range(columns):
            line[c] = one[c] + np.float32(4) * two[c] + three[c]
        for c in range(columns):
            sides = line[max(c - 1, 0)] + line[min(c + 1, columns - 1)]
            result[c] = (sides + np.float32(4) * line[c]) * np.float32(1 / 36)


@compiled_with_lanes
def edged(first: int, last: int, picture: Samples, around: int, out: Samples) -> None:  # pragma: no cover
    """Put rows `first` to `last` of a picture with `around` samples of edge on each side into `out`."""
    height, width = picture.shape
    for row in range(first, last):
        given, result = picture[min(max(row - around, 0), height - 1)], out[row]
        result[:around], result[around + width :] = given[0], given[width - 1]
        result[around : around + width] = given


@compiled_with_lanes
def moving_cells(first: int, last: int, moving: Samples, out: NDArray[np.bool_]) -> None:  # pragma: no cover
    """Put whether anything moves in each cell into `out`."""
    height, width = moving.shape
    line = np.empty(width, np.float32)
    for r in range(first, last):
        line[:] = moving[CELL * r]
        for y in range(CELL * r + 1, min(CELL * r + CELL, height)):
            given = moving[y]
            for x in range(width):
                line[x] = max(line[x], given[x])
        for c in range(out.shape[1]):
            most = np.float32(0)
            for x in range(CELL * c, min(CELL * c + CELL, width)):
                most = max(most, line[x])
            out[r, c] = most > np.float32(0)


@compiled_with_lanes
def halved(first: int, last: int, a: Samples, out: Samples) -> None:  # pragma: no cover
    """Put means of 2 × 2 samples into `out`."""
    quarter = np.float32(0.25)
    for row in range(first, last):
        upper, lower, result = a[2 * row], a[2 * row + 1], out[row]
        for x in range(out.shape[1]):
            result[x] = (upper[2 * x] + lower[2 * x] + upper[2 * x + 1] + lower[2 * x + 1]) * quarter


@compiled_with_lanes
def mixed(
    first: int, last: int, doubt: Samples, other: Samples, moving: Samples, out: Samples
) -> None:  # pragma: no cover
    """Put `other` into `out` as far as cells are in `doubt`, and as far as nothing moves, whichever is more.

    `moving` has as many rows and columns as `out`, or whole times as many.
    """
    rows, columns = doubt.shape
    height, width = out.shape
    line, value = np.empty(columns + 2, np.float32), np.empty(columns * CELL, np.float32)
    scale, zero, half, one = np.float32(1 / CELL), np.float32(0), np.float32(0.5), np.float32(1)
    down, right = (moving.shape[0] + height - 1) // height, (moving.shape[1] + width - 1) // width
    for y in range(first, last):
        place = min(max((np.float32(y) + half) * scale - half, zero), np.float32(rows - 1))
        top = min(np.int32(place), max(rows - 2, 0))
        part, upper, lower = place - np.float32(top), doubt[top], doubt[min(top + 1, rows - 1)]
        for c in range(columns):
            line[c + 1] = upper[c] + part * (lower[c] - upper[c])
        line[0], line[columns + 1] = line[1], line[columns]
        for c in range(columns):
            before, here, after = line[c], line[c + 1], line[c + 2]
            for i in range(CELL):
                aside = (np.float32(i) + half) * scale - half
                value[CELL * c + i] = here + (aside * (after - here) if 2 * i >= CELL else aside * (here - before))
        result, own, given = out[y], other[y], moving[y * down]
        if right == 1:
            for x in range(width):
                result[x] += max(value[x], one - given[x]) * (own[x] - result[x])
        else:
            for x in range(width):
                result[x] += max(value[x], one - given[x * right]) * (own[x] - result[x])

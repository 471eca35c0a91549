"""Motion by cells: what blocks cost along vectors, and the best of candidates, some rows of cells at a time.

A cell of 4 × 4 samples has one vector, told by the block of 8 × 8 around it. Pictures whose blocks are looked at have
some samples more on each side, their edges gone on: a block that lies farther out sees the same.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numba import config
from numpy.typing import NDArray

from idle_quarry.compiling.loop import loop

Samples = NDArray[np.float32]
Steps = NDArray[np.int32]

#: Samples of a cell's side, of the side of the block around it, and from the block's edge to the cell's.
CELL, BLOCK = 4, 8
#: Samples of edge around pictures whose blocks are looked at.
AROUND = BLOCK + 4
_MARGIN = (BLOCK - CELL) // 2


def compiled_with_lanes(function: Callable[..., None]) -> Any:
    """Return a loop compiled so that sums beside one another become lanes of one: blocks cost half, and other loops
    would gain nothing.
    """
    dispatcher = loop(error_model="numpy", fastmath=True)(function)
    compiled = dispatcher.compile

    def with_lanes(signature: Any) -> Any:
        before, config.SLP_VECTORIZE = config.SLP_VECTORIZE, 1
        try:
            return compiled(signature)
        finally:
            config.SLP_VECTORIZE = before

    dispatcher.compile = with_lanes
    return dispatcher


small = loop(error_model="numpy", inline="always")


@small
def _place(row: Any, column: Any, height: Any, width: Any) -> Any:  # pragma: no cover
    """Return where a block that begins at a row and column of a picture (h, w) lies in the flat one that has an
    edge around it.
    """
    y = min(max(row, np.int32(-BLOCK)), height) + np.int32(AROUND)
    x = min(max(column, np.int32(-BLOCK)), width) + np.int32(AROUND)
    return np.uint64(y) * np.uint64(width + np.int32(2 * AROUND)) + np.uint64(x)


@small
def _ends(height: Any, width: Any, y: Any, x: Any, v: Any, u: Any, phase: Any) -> Any:  # pragma: no cover
    """Return where both ends of a block's whole vector lie: they move by whole samples that add up to it."""
    half_v, half_u = np.int32(np.rint(phase * np.float32(v))), np.int32(np.rint(phase * np.float32(u)))
    p = _place(np.int32(y - half_v), np.int32(x - half_u), height, width)
    return p, _place(np.int32(y + v - half_v), np.int32(x + u - half_u), height, width)


@small
def _apart(
    a: Samples, b: Samples, height: Any, width: Any, y: Any, x: Any, v: Any, u: Any, phase: Any, limit: Any
) -> Any:  # pragma: no cover
    """Return the sum of absolute differences of a block along a whole vector in flat pictures with an edge around them.

    Once one column alone has more than `limit`, it is left at that.
    """
    p, q = _ends(height, width, y, x, v, u, phase)
    wide = np.uint64(width + np.int32(2 * AROUND))
    s0 = s1 = s2 = s3 = s4 = s5 = s6 = s7 = np.float32(0)
    for _ in range(BLOCK):
        s0 += abs(a[p] - b[q])
        s1 += abs(a[p + np.uint64(1)] - b[q + np.uint64(1)])
        s2 += abs(a[p + np.uint64(2)] - b[q + np.uint64(2)])
        s3 += abs(a[p + np.uint64(3)] - b[q + np.uint64(3)])
        s4 += abs(a[p + np.uint64(4)] - b[q + np.uint64(4)])
        s5 += abs(a[p + np.uint64(5)] - b[q + np.uint64(5)])
        s6 += abs(a[p + np.uint64(6)] - b[q + np.uint64(6)])
        s7 += abs(a[p + np.uint64(7)] - b[q + np.uint64(7)])
        if s0 > limit:
            break
        p, q = p + wide, q + wide
    return ((s0 + s1) + (s2 + s3)) + ((s4 + s5) + (s6 + s7))


@small
def _square(value: Any) -> Any:  # pragma: no cover
    return value * value


@small
def _squares(
    a: Samples, b: Samples, height: Any, width: Any, y: Any, x: Any, v: Any, u: Any, phase: Any
) -> Any:  # pragma: no cover
    """Return the sum of squared differences of a block along a whole vector."""
    p, q = _ends(height, width, y, x, v, u, phase)
    wide = np.uint64(width + np.int32(2 * AROUND))
    s0 = s1 = s2 = s3 = s4 = s5 = s6 = s7 = np.float32(0)
    for _ in range(BLOCK):
        s0 += _square(a[p] - b[q])
        s1 += _square(a[p + np.uint64(1)] - b[q + np.uint64(1)])
        s2 += _square(a[p + np.uint64(2)] - b[q + np.uint64(2)])
        s3 += _square(a[p + np.uint64(3)] - b[q + np.uint64(3)])
        s4 += _square(a[p + np.uint64(4)] - b[q + np.uint64(4)])
        s5 += _square(a[p + np.uint64(5)] - b[q + np.uint64(5)])
        s6 += _square(a[p + np.uint64(6)] - b[q + np.uint64(6)])
        s7 += _square(a[p + np.uint64(7)] - b[q + np.uint64(7)])
        p, q = p + wide, q + wide
    return ((s0 + s1) + (s2 + s3)) + ((s4 + s5) + (s6 + s7))


@compiled_with_lanes
def searched(
    first: int,
    last: int,
    a: Samples,
    b: Samples,
    steps: Steps,
    lengths: Samples,
    phase: float,
    calm: float,
    down: Steps,
    across: Steps,
) -> None:  # pragma: no cover
    """Keep for each cell which of all `steps` costs least, with `calm` for each sample of their `lengths`."""
    height, width = np.int32(a.shape[0] - 2 * AROUND), np.int32(a.shape[1] - 2 * AROUND)
    flat_a, flat_b = a.ravel(), b.ravel()
    share, scale = np.float32(phase), np.float32(calm * BLOCK * BLOCK)
    for r in range(first, last):
        for c in range(down.shape[1]):
            y, x = CELL * r - _MARGIN, CELL * c - _MARGIN
            least = np.float32(np.inf)
            for n in range(len(steps)):
                more = scale * lengths[n]
                if more >= least:  # they are in the order of their lengths
                    break
                cost = _apart(flat_a, flat_b, height, width, y, x, steps[n, 0], steps[n, 1], share, least) + more
                if cost < least:
                    least, down[r, c], across[r, c] = cost, steps[n, 0], steps[n, 1]


@compiled_with_lanes
def bettered(
    first: int,
    last: int,
    a: Samples,
    b: Samples,
    given_down: Steps,
    given_across: Steps,
    phase: float,
    calm: float,
    apart: int,
    down: Steps,
    across: Steps,
) -> None:  # pragma: no cover
    """Keep for each cell the vector that costs least: the given one, one of four cells `apart` from it, then one
    step around.

    A change has to gain `calm`, so what costs no more is kept as it is.
    """
    rows, columns = down.shape
    height, width = np.int32(a.shape[0] - 2 * AROUND), np.int32(a.shape[1] - 2 * AROUND)
    flat_a, flat_b = a.ravel(), b.ravel()
    share, least_gain = np.float32(phase), np.float32(calm * BLOCK * BLOCK)
    no_limit = least_gain * np.float32(1e9)  # a number it cannot know: eight rows at once would be gathered
    for r in range(first, last):
        for c in range(columns):
            y, x = CELL * r - _MARGIN, CELL * c - _MARGIN
            v, u = given_down[r, c], given_across[r, c]
            best = _apart(flat_a, flat_b, height, width, y, x, v, u, share, no_limit)
            own_v, own_u = v, u
            if best > least_gain:
                for n in range(4):
                    other_r = min(max(r + (apart if n == 1 else -apart if n == 0 else 0), 0), rows - 1)
                    other_c = min(max(c + (apart if n == 3 else -apart if n == 2 else 0), 0), columns - 1)
                    other_v, other_u = given_down[other_r, other_c], given_across[other_r, other_c]
                    if (other_v == own_v and other_u == own_u) or (other_v == v and other_u == u):
                        continue
                    cost = _apart(flat_a, flat_b, height, width, y, x, other_v, other_u, share, best) + least_gain
                    if cost < best:
                        best, v, u = cost, other_v, other_u
            if best > least_gain:
                own_v, own_u, step_v, step_u, least_v, least_u = v, u, 0, 0, no_limit, no_limit
                for n in range(5):  # up, down, left, right; and both at once, to the better side of each
                    by_v = -1 if n == 0 else 1 if n == 1 else step_v if n == 4 else 0
                    by_u = -1 if n == 2 else 1 if n == 3 else step_u if n == 4 else 0
                    limit = least_v if n < 2 else least_u if n < 4 else best
                    cost = _apart(flat_a, flat_b, height, width, y, x, own_v + by_v, own_u + by_u, share, limit)
                    if n < 2 and cost < least_v:
                        least_v, step_v = cost, by_v
                    if 2 <= n < 4 and cost < least_u:
                        least_u, step_u = cost, by_u
                    if cost + least_gain < best:
                        best, v, u = cost + least_gain, own_v + by_v, own_u + by_u
            down[r, c], across[r, c] = v, u


@small
def _lowest(here: Any, before: Any, after: Any) -> Any:  # pragma: no cover
    """Return where a parabola through a cost and its neighbours' is lowest, within half a step."""
    bend = before + after - np.float32(2) * here
    part = np.float32(0)
    if bend > np.float32(1e-7 * BLOCK * BLOCK):
        part = (before - after) / (np.float32(2) * bend)
    return min(max(part, np.float32(-0.5)), np.float32(0.5))


@compiled_with_lanes
def parted(
    first: int,
    last: int,
    a: Samples,
    b: Samples,
    down: Steps,
    across: Steps,
    phase: float,
    out_down: Samples,
    out_across: Samples,
) -> None:  # pragma: no cover
    """Put vectors to fractions of a sample into `out_down` and `out_across`."""
    height, width = np.int32(a.shape[0] - 2 * AROUND), np.int32(a.shape[1] - 2 * AROUND)
    flat_a, flat_b = a.ravel(), b.ravel()
    share = np.float32(phase)
    result = np.empty(5, np.float32)
    for r in range(first, last):
        for c in range(down.shape[1]):
            y, x, v, u = CELL * r - _MARGIN, CELL * c - _MARGIN, down[r, c], across[r, c]
            for n in range(5):  # one above, left, here, right, below
                by_v, by_u = (n == 4) - (n == 0), (n == 3) - (n == 1)
                result[n] = _squares(flat_a, flat_b, height, width, y, x, v + by_v, u + by_u, share)
            out_down[r, c] = np.float32(v) + _lowest(result[2], result[0], result[4])
            out_across[r, c] = np.float32(u) + _lowest(result[2], result[1], result[3])


@small
def _straight(part_v: Any, part_u: Any) -> Any:  # pragma: no cover
    """Return what four samples around a place weigh that lies parts of the way between them."""
    back_v, back_u = np.float32(1) - part_v, np.float32(1) - part_u
    return back_v * back_u, back_v * part_u, part_v * back_u, part_v * part_u


@compiled_with_lanes
def unlike(
    first: int, last: int, a: Samples, b: Samples, down: Samples, across: Samples, phase: float, out: Samples
) -> None:  # pragma: no cover
    """Put the mean difference of each cell along its vector, both seen by straight lines between samples, into
    `out`.
    """
    height, width = np.int32(a.shape[0] - 2 * AROUND), np.int32(a.shape[1] - 2 * AROUND)
    flat_a, flat_b, wide, right = a.ravel(), b.ravel(), np.uint64(a.shape[1]), np.uint64(1)
    back, ahead = np.float32(-phase), np.float32(1 - phase)
    for r in range(first, last):
        for c in range(out.shape[1]):
            y1, x1 = np.float32(CELL * r) + back * down[r, c], np.float32(CELL * c) + back * across[r, c]
            y2, x2 = np.float32(CELL * r) + ahead * down[r, c], np.float32(CELL * c) + ahead * across[r, c]
            w0, w1, w2, w3 = _straight(y1 - np.floor(y1), x1 - np.floor(x1))
            v0, v1, v2, v3 = _straight(y2 - np.floor(y2), x2 - np.floor(x2))
            p = _place(np.int32(np.floor(y1)), np.int32(np.floor(x1)), height, width)
            q = _place(np.int32(np.floor(y2)), np.int32(np.floor(x2)), height, width)
            total = np.float32(0)
            for _ in range(CELL):
                for i in range(CELL):
                    m, n = p + np.uint64(i), q + np.uint64(i)
                    one = (
                        w0 * flat_a[m] + w1 * flat_a[m + right] + w2 * flat_a[m + wide] + w3 * flat_a[m + wide + right]
                    )
                    two = (
                        v0 * flat_b[n] + v1 * flat_b[n + right] + v2 * flat_b[n + wide] + v3 * flat_b[n + wide + right]
                    )
                    total += abs(one - two)
                p, q = p + wide, q + wide
            out[r, c] = total / np.float32(CELL * CELL)

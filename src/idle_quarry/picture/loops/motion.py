"""Motion by cells: what blocks cost along vectors, the best of candidates, and pictures seen along vectors, some rows of cells at a time.

A cell of 4 × 4 samples has one vector, told by the block of 8 × 8 around it. Pictures whose blocks are looked at have some samples
more on each side, their edges gone on: a block that lies farther out sees the same.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

Samples = NDArray[np.float32]
Steps = NDArray[np.int32]

#: Samples of a cell's side, of the side of the block around it, and from the block's edge to the cell's.
CELL, BLOCK = 4, 8
#: Samples of edge around pictures whose blocks are looked at.
AROUND = BLOCK + 4
_MARGIN = (BLOCK - CELL) // 2

_compiled = njit(cache=True, nogil=True, error_model="numpy", fastmath=True)
_small = njit(cache=True, nogil=True, error_model="numpy", inline="always")


@_small
def _place(row: Any, column: Any, height: Any, width: Any) -> Any:  # pragma: no cover
    """Return where a block that begins at a row and column of a picture (h, w) lies in the flat one that has an edge around it."""
    y = min(max(row, np.int32(-BLOCK)), height) + np.int32(AROUND)
    x = min(max(column, np.int32(-BLOCK)), width) + np.int32(AROUND)
    return np.uint64(y) * np.uint64(width + np.int32(2 * AROUND)) + np.uint64(x)


@_small
def _apart(
    a: Samples, b: Samples, height: Any, width: Any, y: Any, x: Any, v: Any, u: Any, phase: Any, limit: Any
) -> Any:  # pragma: no cover
    """Return the sum of absolute differences of a block along a whole vector in flat pictures with an edge around them.

    Its ends move by whole samples that add up to the vector. Once one column alone has more than `limit`, it is left at that.
    """
    half_v, half_u = np.int32(np.rint(phase * np.float32(v))), np.int32(np.rint(phase * np.float32(u)))
    p = _place(np.int32(y - half_v), np.int32(x - half_u), height, width)
    q = _place(np.int32(y + v - half_v), np.int32(x + u - half_u), height, width)
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


@_small
def _square(value: Any) -> Any:  # pragma: no cover
    return value * value


@_small
def _squares(
    a: Samples, b: Samples, height: Any, width: Any, y: Any, x: Any, v: Any, u: Any, phase: Any
) -> Any:  # pragma: no cover
    """Return the sum of squared differences of a block along a whole vector."""
    half_v, half_u = np.int32(np.rint(phase * np.float32(v))), np.int32(np.rint(phase * np.float32(u)))
    p = _place(np.int32(y - half_v), np.int32(x - half_u), height, width)
    q = _place(np.int32(y + v - half_v), np.int32(x + u - half_u), height, width)
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


@_compiled
def costs(
    first: int, last: int, a: Samples, b: Samples, down: Steps, across: Steps, phase: float, squared: bool, out: Samples
) -> None:  # pragma: no cover
    """Put the mean difference, absolute or squared, of each cell's block along its vector into `out`."""
    height, width, flat_a, flat_b = (
        np.int32(a.shape[0] - 2 * AROUND),
        np.int32(a.shape[1] - 2 * AROUND),
        a.ravel(),
        b.ravel(),
    )
    share = np.float32(phase)
    for r in range(first, last):
        for c in range(out.shape[1]):
            y, x = CELL * r - _MARGIN, CELL * c - _MARGIN
            made = (
                _squares(flat_a, flat_b, height, width, y, x, down[r, c], across[r, c], share)
                if squared
                else _apart(flat_a, flat_b, height, width, y, x, down[r, c], across[r, c], share, np.float32(np.inf))
            )
            out[r, c] = made / np.float32(BLOCK * BLOCK)


@_compiled
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
    height, width, flat_a, flat_b = (
        np.int32(a.shape[0] - 2 * AROUND),
        np.int32(a.shape[1] - 2 * AROUND),
        a.ravel(),
        b.ravel(),
    )
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


@_compiled
def bettered(
    first: int, last: int, a: Samples, b: Samples, given_down: Steps, given_across: Steps, phase: float, calm: float, apart: int,
    down: Steps, across: Steps,
) -> None:  # pragma: no cover  # fmt: skip
    """Keep for each cell the vector that costs least: the given one, one of four cells `apart` from it, then one step around.

    A change has to gain `calm`, so what costs no more is kept as it is.
    """
    rows, columns = down.shape
    height, width, flat_a, flat_b = (
        np.int32(a.shape[0] - 2 * AROUND),
        np.int32(a.shape[1] - 2 * AROUND),
        a.ravel(),
        b.ravel(),
    )
    share, least_gain = np.float32(phase), np.float32(calm * BLOCK * BLOCK)
    for r in range(first, last):
        for c in range(columns):
            y, x = CELL * r - _MARGIN, CELL * c - _MARGIN
            v, u = given_down[r, c], given_across[r, c]
            best = _apart(flat_a, flat_b, height, width, y, x, v, u, share, np.float32(np.inf))
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
                own_v, own_u = v, u
                for n in range(4):
                    other_v = own_v + (1 if n == 1 else -1 if n == 0 else 0)
                    other_u = own_u + (1 if n == 3 else -1 if n == 2 else 0)
                    cost = _apart(flat_a, flat_b, height, width, y, x, other_v, other_u, share, best) + least_gain
                    if cost < best:
                        best, v, u = cost, other_v, other_u
            down[r, c], across[r, c] = v, u


@_small
def _lowest(here: Any, before: Any, after: Any) -> Any:  # pragma: no cover
    """Return where a parabola through a cost and its neighbours' is lowest, within half a step."""
    bend = before + after - np.float32(2) * here
    part = np.float32(0)
    if bend > np.float32(1e-7 * BLOCK * BLOCK):
        part = (before - after) / (np.float32(2) * bend)
    return min(max(part, np.float32(-0.5)), np.float32(0.5))


@_compiled
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
    height, width, flat_a, flat_b = (
        np.int32(a.shape[0] - 2 * AROUND),
        np.int32(a.shape[1] - 2 * AROUND),
        a.ravel(),
        b.ravel(),
    )
    share = np.float32(phase)
    for r in range(first, last):
        for c in range(down.shape[1]):
            y, x, v, u = CELL * r - _MARGIN, CELL * c - _MARGIN, down[r, c], across[r, c]
            here = _squares(flat_a, flat_b, height, width, y, x, v, u, share)
            above, below = (
                _squares(flat_a, flat_b, height, width, y, x, v - 1, u, share),
                _squares(flat_a, flat_b, height, width, y, x, v + 1, u, share),
            )
            left, right = (
                _squares(flat_a, flat_b, height, width, y, x, v, u - 1, share),
                _squares(flat_a, flat_b, height, width, y, x, v, u + 1, share),
            )
            out_down[r, c] = np.float32(v) + _lowest(here, above, below)
            out_across[r, c] = np.float32(u) + _lowest(here, left, right)


@_small
def _middle(a: Any, b: Any, c: Any) -> Any:  # pragma: no cover
    return max(min(a, b), min(max(a, b), c))


@_compiled
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
        for each in (low, mid, high):
            each[0], each[columns + 1] = each[1], each[columns]
        made = out[r]
        for c in range(columns):
            lows = max(low[c], max(low[c + 1], low[c + 2]))
            highs = min(high[c], min(high[c + 1], high[c + 2]))
            made[c] = _middle(lows, _middle(mid[c], mid[c + 1], mid[c + 2]), highs)


@_small
def _straight(part_v: Any, part_u: Any) -> Any:  # pragma: no cover
    """Return what four samples around a place weigh that lies parts of the way between them."""
    back_v, back_u = np.float32(1) - part_v, np.float32(1) - part_u
    return back_v * back_u, back_v * part_u, part_v * back_u, part_v * part_u


@_compiled
def unlike(
    first: int, last: int, a: Samples, b: Samples, down: Samples, across: Samples, phase: float, out: Samples
) -> None:  # pragma: no cover
    """Put the mean difference of each cell along its vector, both seen by straight lines between samples, into `out`."""
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


@_compiled
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


@_compiled
def spread(first: int, last: int, cells: Samples, out: Samples) -> None:  # pragma: no cover
    """Put the mean of each cell and its eight neighbours, (1, 4, 1)/6 each way, into `out`; edges go on."""
    rows, columns = cells.shape
    line = np.empty(columns, np.float32)
    for r in range(first, last):
        one, two, three, made = cells[max(r - 1, 0)], cells[r], cells[min(r + 1, rows - 1)], out[r]
        for c in range(columns):
            line[c] = one[c] + np.float32(4) * two[c] + three[c]
        for c in range(columns):
            sides = line[max(c - 1, 0)] + line[min(c + 1, columns - 1)]
            made[c] = (sides + np.float32(4) * line[c]) * np.float32(1 / 36)


@_compiled
def halved(first: int, last: int, a: Samples, out: Samples) -> None:  # pragma: no cover
    """Put means of 2 × 2 samples into `out`."""
    quarter = np.float32(0.25)
    for row in range(first, last):
        upper, lower, made = a[2 * row], a[2 * row + 1], out[row]
        for x in range(out.shape[1]):
            made[x] = (upper[2 * x] + lower[2 * x] + upper[2 * x + 1] + lower[2 * x + 1]) * quarter


@_compiled
def mixed(
    first: int, last: int, doubt: Samples, other: Samples, share: Samples, out: Samples
) -> None:  # pragma: no cover
    """Put `other` into `out` to the extent of `share`, of as many samples or whole times as many, or of the `doubt` of cells where that is more."""
    rows, columns = doubt.shape
    line = np.empty(columns, np.float32)
    scale, zero = np.float32(1 / CELL), np.float32(0)
    height, width = out.shape
    down, right = (share.shape[0] + height - 1) // height, (share.shape[1] + width - 1) // width
    for y in range(first, last):
        place = min(max((np.float32(y) + np.float32(0.5)) * scale - np.float32(0.5), zero), np.float32(rows - 1))
        top = min(np.int32(place), max(rows - 2, 0))
        part, under = place - np.float32(top), min(top + 1, rows - 1)
        for c in range(columns):
            line[c] = doubt[top, c] + part * (doubt[under, c] - doubt[top, c])
        own, made, given = other[y], out[y], share[y * down]
        for c in range(columns):
            before, here, after = line[max(c - 1, 0)], line[c], line[min(c + 1, columns - 1)]
            for i in range(min(CELL, width - CELL * c)):
                x = CELL * c + i
                aside = (np.float32(i) + np.float32(0.5)) * scale - np.float32(0.5)
                told = here + (aside * (after - here) if aside > zero else aside * (here - before))
                more = max(told, given[x * right])
                made[x] += more * (own[x] - made[x])


# -- cubic splines -------------------------------------------------------------------------------------------------

#: Samples of edge that are added around a picture's coefficients.
EDGE = 2
_Z = 3**0.5 - 2


@_compiled
def spline_down(first: int, last: int, out: Samples) -> None:  # pragma: no cover
    """Turn columns `first` to `last` of samples into coefficients of a cubic B-spline, in place; beyond its ends a line goes on."""
    count = out.shape[0]
    z = np.float32(_Z)
    end = out[count - 1, first:last].copy()
    for x in range(first, last):
        out[0, x] = out[0, x] / (1 - z)
    for y in range(1, count):
        above, here = out[y - 1, first:last], out[y, first:last]
        for x in range(last - first):
            here[x] += z * above[x]
    bottom = out[count - 1, first:last]
    for x in range(last - first):
        steady = end[x] / (1 - z)
        bottom[x] = -z * (steady / (1 - z) + (bottom[x] - steady) / (1 - z * z))
    for y in range(count - 2, -1, -1):
        below, here = out[y + 1, first:last], out[y, first:last]
        for x in range(last - first):
            here[x] = z * (below[x] - here[x])


@_compiled
def spline_across(first: int, last: int, out: Samples) -> None:  # pragma: no cover
    """The same along rows `first` to `last`, and by 36: what both directions' gains come to."""
    count = out.shape[1]
    z = np.float32(_Z)
    for row in range(first, last):
        line = out[row]
        end = line[count - 1]
        line[0] = line[0] / (1 - z)
        for x in range(1, count):
            line[x] += z * line[x - 1]
        steady = end / (1 - z)
        line[count - 1] = -z * (steady / (1 - z) + (line[count - 1] - steady) / (1 - z * z))
        for x in range(count - 2, -1, -1):
            line[x] = z * (line[x + 1] - line[x])
        for x in range(count):
            line[x] *= np.float32(36)


@_small
def _weights(part: Any) -> Any:  # pragma: no cover
    """Return what four coefficients in a row weigh at `part` of the way from the second to the third, six times over."""
    one, back = np.float32(1), np.float32(1) - part
    square, cube = part * part, part * part * part
    second = np.float32(3) * cube - np.float32(6) * square + np.float32(4)
    third = np.float32(3) * (square + part - cube) + one
    return back * back * back, second, third, cube


@_compiled
def splined(
    first: int, last: int, coefficients: Samples, down: Samples, across: Samples, share: float, asked: NDArray[np.bool_], gain: float,
    out: Samples,
) -> None:  # pragma: no cover  # fmt: skip
    """Add `gain` times a picture as seen `share` of its cells' vectors away to `out`, by its coefficients (h + 4, w + 4).

    Cells that are not `asked` for are left; what lies beyond the picture is its edge.
    """
    height, width = out.shape
    part, scale = np.float32(share), np.float32(gain / 36)
    zero, low, end = np.float32(0), np.float32(height - 1), np.float32(width - 1)
    flat, wide = coefficients.ravel(), np.uint64(coefficients.shape[1])
    rows = np.empty((CELL + 3, CELL), np.float32)
    for r in range(first, last):
        for c in range(down.shape[1]):
            if not asked[r, c]:
                continue
            y, x = np.float32(CELL * r) + part * down[r, c], np.float32(CELL * c) + part * across[r, c]
            if (
                CELL * r + CELL <= height
                and CELL * c + CELL <= width
                and y >= zero
                and x >= zero
                and y + CELL <= low
                and x + CELL <= end
            ):
                top, left = np.int32(y), np.int32(x)
                v0, v1, v2, v3 = _weights(y - np.float32(top))
                u0, u1, u2, u3 = _weights(x - np.float32(left))
                p = np.uint64(top + 1) * wide + np.uint64(left + 1)
                for k in range(CELL + 3):
                    made = rows[k]
                    for i in range(CELL):
                        at = p + np.uint64(i)
                        made[i] = (
                            u0 * flat[at]
                            + u1 * flat[at + np.uint64(1)]
                            + u2 * flat[at + np.uint64(2)]
                            + u3 * flat[at + np.uint64(3)]
                        )
                    p += wide
                v0, v1, v2, v3 = v0 * scale, v1 * scale, v2 * scale, v3 * scale
                for k in range(CELL):
                    put = out[CELL * r + k]
                    a, b, d, e = rows[k], rows[k + 1], rows[k + 2], rows[k + 3]
                    for i in range(CELL):
                        put[CELL * c + i] += v0 * a[i] + v1 * b[i] + v2 * d[i] + v3 * e[i]
                continue
            for row in range(CELL * r, min(CELL * r + CELL, height)):  # some of it lies beyond an edge
                for column in range(CELL * c, min(CELL * c + CELL, width)):
                    y = min(max(np.float32(row) + part * down[r, c], zero), low)
                    x = min(max(np.float32(column) + part * across[r, c], zero), end)
                    top, left = np.int32(y), np.int32(x)
                    v0, v1, v2, v3 = _weights(y - np.float32(top))
                    u0, u1, u2, u3 = _weights(x - np.float32(left))
                    total = zero
                    for k in range(4):
                        line = coefficients[top + 1 + k]
                        sums = u0 * line[left + 1] + u1 * line[left + 2] + u2 * line[left + 3] + u3 * line[left + 4]
                        total += (v0 if k == 0 else v1 if k == 1 else v2 if k == 2 else v3) * sums
                    out[row, column] += total * scale

"""Motion: what blocks cost along vectors, the best of candidates, and pictures seen along vectors, a strip of rows at a time.

A block's cost is the mean, over 5 × 5 places, of how much the two pictures differ, each place by its own vector. Beyond an edge
pictures go on, and means are mirrored.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

Samples = NDArray[np.float32]
Steps = NDArray[np.int32]

_compiled = njit(cache=True, nogil=True, error_model="numpy", fastmath=True)
_small = njit(cache=True, nogil=True, error_model="numpy", inline="always")


@_small
def _mirrored(place: int, count: int) -> int:  # pragma: no cover
    if place < 0:
        place = -1 - place
    if place >= count:
        place = 2 * count - 1 - place
    return min(max(place, 0), count - 1)


@_compiled
def _apart(
    row: int, left: int, right: int, a: Samples, b: Samples, down: Steps, across: Steps, by: Steps, phase: float, squared: bool,
    line: Samples,
) -> None:  # pragma: no cover  # fmt: skip
    """Put how much the pictures differ along a row's vectors into `line`, from column `left` to `right`; `by` is (steps down, across, rows and columns from where
    the vectors are taken). A vector is whole, its middle perhaps not: both ends move by whole samples that add up to it."""
    height, width = a.shape
    low, end, here, zero = np.int32(height - 1), np.int32(width - 1), np.int32(row), np.int32(0)
    more_v, more_u, shift, share = np.int32(by[0]), np.int32(by[1]), np.int32(by[3]), np.float32(phase)
    from_row = (row - by[2]) % height
    vs, us = down[from_row], across[from_row]
    flat_a, flat_b, wide = a.ravel(), b.ravel(), np.int32(width)
    for x in range(np.int32(left), np.int32(right)):
        column = np.int32(x - shift)
        column = np.int32(column + wide) if column < zero else np.int32(column - wide) if column > end else column
        v, u = np.int32(vs[column] + more_v), np.int32(us[column] + more_u)
        half_v, half_u = np.int32(np.rint(share * np.float32(v))), np.int32(np.rint(share * np.float32(u)))
        y1, x1 = min(max(np.int32(here - half_v), zero), low), min(max(np.int32(x - half_u), zero), end)
        y2, x2 = min(max(np.int32(here + v - half_v), zero), low), min(max(np.int32(x + u - half_u), zero), end)
        value = flat_a[np.uint32(y1 * wide + x1)] - flat_b[np.uint32(y2 * wide + x2)]
        line[x] = value * value if squared else abs(value)


@_compiled
def _plain_sums(line: Samples, out: Samples, left: int, right: int) -> None:  # pragma: no cover
    """Put the sum of each place and two neighbours on each side into `out`, from column `left` to `right`."""
    width = len(line)
    first, last = max(left, 2), min(right, width - 2)
    made = out[first:last]
    one, two, three, four, five = (
        line[first - 2 : last - 2],
        line[first - 1 : last - 1],
        line[first:last],
        line[first + 1 : last + 1],
        line[first + 2 : last + 2],
    )
    for x in range(last - first):
        made[x] = one[x] + two[x] + three[x] + four[x] + five[x]
    for n in range(4):
        x = n if n < 2 else width - 4 + n
        if left <= x < right:
            total = np.float32(0)
            for k in range(-2, 3):
                total += line[_mirrored(x + k, width)]
            out[x] = total


@_compiled
def costs(
    first: int, last: int, a: Samples, b: Samples, down: Steps, across: Steps, by: Steps, phase: float, squared: bool, spans: Steps,
    out: Samples, out_first: int,
) -> None:  # pragma: no cover  # fmt: skip
    """Put the cost of each place's block of rows `first` to `last` along its vectors into `out`, from `out_first` on.

    `spans` are the columns of each row of `out` that are asked for.
    """
    width = a.shape[1]
    line = np.empty(width, np.float32)
    sums = np.empty((5, width), np.float32)
    wanted = np.empty((last - first + 4, 2), np.int32)  # of each row that some block takes part in
    for n in range(len(wanted)):
        wanted[n, 0], wanted[n, 1] = width, 0
        for k in range(max(0, n - 4), min(n + 1, last - first)):
            if spans[out_first + k, 0] < spans[out_first + k, 1]:
                wanted[n, 0] = min(wanted[n, 0], spans[out_first + k, 0])
                wanted[n, 1] = max(wanted[n, 1], spans[out_first + k, 1])
    height = a.shape[0]
    share = np.float32(1 / 25)
    for n in range(len(wanted)):
        left, right = wanted[n, 0], wanted[n, 1]
        if left < right:
            row = _mirrored(first - 2 + n, height)
            _apart(row, max(0, left - 2), min(width, right + 2), a, b, down, across, by, phase, squared, line)
            _plain_sums(line, sums[n % 5], left, right)
        if n >= 4:
            at = out_first + n - 4
            made = out[at]
            s0, s1, s2, s3, s4 = sums[0], sums[1], sums[2], sums[3], sums[4]
            for x in range(spans[at, 0], spans[at, 1]):
                made[x] = (s0[x] + s1[x] + s2[x] + s3[x] + s4[x]) * share


@_compiled
def bettered(
    first: int, last: int, a: Samples, b: Samples, down: Steps, across: Steps, tried: Steps, phase: float, calm: float, fresh: bool,
    best: Samples, own_down: Steps, own_across: Steps,
) -> None:  # pragma: no cover  # fmt: skip
    """Keep for each place of rows `first` to `last` what costs least: its own vector, or one of those `tried` makes of the field's.

    With `fresh`, `best` is first what the field's own vectors cost. What costs no more than `calm` cannot be bettered: rows are
    tried between the first and the last column that costs more.
    """
    height, width = a.shape
    cost = np.empty((last - first, width), np.float32)
    spans = np.empty((last - first, 2), np.int32)
    if fresh:
        by = np.zeros(4, np.int32)
        spans[:, 0], spans[:, 1] = 0, width
        costs(first, last, a, b, down, across, by, phase, False, spans, cost, 0)
        best[first:last] = cost
        own_down[first:last], own_across[first:last] = down[first:last], across[first:last]
    least = np.float32(calm)
    for n in range(len(tried)):
        by = tried[n]
        for row in range(first, last):
            left, right, given = 0, width, best[row]
            while left < right and given[left] <= least:
                left += 1
            while right > left and given[right - 1] <= least:
                right -= 1
            spans[row - first, 0], spans[row - first, 1] = left, right
        costs(first, last, a, b, down, across, by, phase, False, spans, cost, 0)
        for row in range(first, last):
            from_row = (row - by[2]) % height
            for x in range(spans[row - first, 0], spans[row - first, 1]):
                value = cost[row - first, x] + least
                if value < best[row, x]:
                    best[row, x] = value
                    column = (x - by[3]) % width
                    own_down[row, x] = down[from_row, column] + by[0]
                    own_across[row, x] = across[from_row, column] + by[1]


@_compiled
def searched(
    first: int, last: int, a: Samples, b: Samples, edge: int, steps: Steps, lengths: Samples, phase: float, calm: float, reach: int,
    best: Samples, down: Steps, across: Steps,
) -> None:  # pragma: no cover  # fmt: skip
    """Keep for each place of rows `first` to `last` which of `steps` costs least over a block of `reach` on each side.

    `a` and `b` have `edge` samples more on each side, as many as a step may reach.
    """
    height, width = best.shape
    size = 2 * reach + 1
    apart = np.empty((size, width), np.float32)
    columns = np.empty(width + 2 * reach, np.float32)
    total = np.empty(width, np.float32)
    share = np.float32(1.0 / (size * size))
    for n in range(len(steps)):
        v, u = steps[n, 0], steps[n, 1]
        half_v, half_u = np.int32(np.rint(phase * v)), np.int32(np.rint(phase * u))
        more = np.float32(calm) * lengths[n]
        inner = columns[reach : reach + width]
        inner[:] = np.float32(0)
        for count in range(last - first + 2 * reach):
            at = _mirrored(first - reach + count, height) + edge
            one = a[at - half_v, edge - half_u : edge - half_u + width]
            two = b[at + v - half_v, edge + u - half_u : edge + u - half_u + width]
            line = apart[count % size]
            if count >= size:
                for x in range(width):
                    inner[x] -= line[x]
            for x in range(width):
                line[x] = abs(one[x] - two[x])
                inner[x] += line[x]
            row = first + count - 2 * reach
            if row < first:
                continue
            for k in range(reach):
                columns[reach - 1 - k], columns[reach + width + k] = (
                    inner[min(k, width - 1)],
                    inner[max(width - 1 - k, 0)],
                )
            total[:] = more
            for k in range(size):
                part = columns[k : k + width]
                for x in range(width):
                    total[x] += part[x] * share
            least, found_v, found_u = best[row], down[row], across[row]
            for x in range(width):
                better = total[x] < least[x]
                least[x] = total[x] if better else least[x]
                found_v[x] = v if better else found_v[x]
                found_u[x] = u if better else found_u[x]


@_compiled
def averaged(first: int, last: int, values: Samples, out: Samples) -> None:  # pragma: no cover
    """Put means over 5 × 5 into rows `first` to `last` of `out`."""
    height, width = values.shape
    sums = np.empty((5, width), np.float32)
    for n in range(4):
        _plain_sums(values[_mirrored(first - 2 + n, height)], sums[n], 0, width)
    share = np.float32(1 / 25)
    for row in range(first, last):
        _plain_sums(values[_mirrored(row + 2, height)], sums[(row - first + 4) % 5], 0, width)
        made = out[row]
        s0, s1, s2, s3, s4 = sums[0], sums[1], sums[2], sums[3], sums[4]
        for x in range(width):
            made[x] = (s0[x] + s1[x] + s2[x] + s3[x] + s4[x]) * share


@_compiled
def parted(
    first: int, last: int, here: Samples, before: Samples, after: Samples, own: Steps, out: Samples
) -> None:  # pragma: no cover
    """Put vectors to fractions of a sample into `out`: the lowest point of a parabola through a cost and its neighbours'."""
    for row in range(first, last):
        for x in range(here.shape[1]):
            bend = before[row, x] + after[row, x] - np.float32(2) * here[row, x]
            part = np.float32(0)
            if bend > np.float32(1e-7):
                part = np.float32((before[row, x] - after[row, x]) / (np.float32(2) * bend))
            out[row, x] = np.float32(own[row, x]) + min(max(part, np.float32(-0.5)), np.float32(0.5))


@_small
def _bilinear(picture: Samples, y: Any, x: Any) -> Any:  # pragma: no cover
    height, width = picture.shape
    y, x = min(max(y, np.float32(0)), np.float32(height - 1)), min(max(x, np.float32(0)), np.float32(width - 1))
    top, left = min(np.int32(y), height - 2), min(np.int32(x), width - 2)
    fy, fx = y - np.float32(top), x - np.float32(left)
    upper = picture[top, left] + fx * (picture[top, left + 1] - picture[top, left])
    lower = picture[top + 1, left] + fx * (picture[top + 1, left + 1] - picture[top + 1, left])
    return upper + fy * (lower - upper)


@_compiled
def unlike(
    first: int, last: int, a: Samples, b: Samples, down: Samples, across: Samples, phase: float, out: Samples
) -> None:  # pragma: no cover
    """Put how much the pictures differ along vectors, both seen by straight lines between samples, into `out`."""
    back, ahead = np.float32(-phase), np.float32(1 - phase)
    for row in range(first, last):
        y = np.float32(row)
        for column in range(a.shape[1]):
            x, v, u = np.float32(column), down[row, column], across[row, column]
            out[row, column] = abs(
                _bilinear(a, y + back * v, x + back * u) - _bilinear(b, y + ahead * v, x + ahead * u)
            )


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


@_compiled
def splined(
    first: int,
    last: int,
    coefficients: Samples,
    down: Samples,
    across: Samples,
    share: float,
    spans: Steps,
    out: Samples,
) -> None:  # pragma: no cover
    """Put a picture as seen `share` of the vectors away into `out`, by its coefficients (h + 4, w + 4), where `spans` ask for it."""
    height, width = out.shape
    part = np.float32(share)
    sixth = np.float32(1 / 6)
    for row in range(first, last):
        for column in range(spans[row, 0], spans[row, 1]):
            y = min(max(np.float32(row) + part * down[row, column], np.float32(0)), np.float32(height - 1))
            x = min(max(np.float32(column) + part * across[row, column], np.float32(0)), np.float32(width - 1))
            top, left = np.int32(y), np.int32(x)
            t, s = y - np.float32(top), x - np.float32(left)
            t2, t3, s2, s3 = t * t, t * t * t, s * s, s * s * s
            one = np.float32(1)
            v0, v3 = (one - t) * (one - t) * (one - t), t3
            v1, v2 = (
                np.float32(3) * t3 - np.float32(6) * t2 + np.float32(4),
                np.float32(-3) * t3 + np.float32(3) * (t2 + t) + one,
            )
            u0, u3 = (one - s) * (one - s) * (one - s), s3
            u1, u2 = (
                np.float32(3) * s3 - np.float32(6) * s2 + np.float32(4),
                np.float32(-3) * s3 + np.float32(3) * (s2 + s) + one,
            )
            total = np.float32(0)
            for k in range(4):
                line = coefficients[top + 1 + k]
                sums = u0 * line[left + 1] + u1 * line[left + 2] + u2 * line[left + 3] + u3 * line[left + 4]
                total += (v0 if k == 0 else v1 if k == 1 else v2 if k == 2 else v3) * sums
            out[row, column] = total * sixth * sixth

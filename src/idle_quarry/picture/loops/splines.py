"""Cubic splines of whole planes, and what lies between their samples: loops that Numba compiles."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.picture.loops.motion import CELL, Samples, compiled_with_lanes, small

#: Samples of edge that are added around a picture's coefficients.
EDGE = 2


_Z = 3**0.5 - 2


#: Samples after which a spline's coefficient has no say any more: z to this power is below a millionth.
_FAR = 11


@compiled_with_lanes
def spline_down(first: int, last: int, out: Samples) -> None:  # pragma: no cover
    """Turn columns `first` to `last` of samples into coefficients of a cubic B-spline, in place.

    Beyond its ends a line goes on.
    """
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


@compiled_with_lanes
def spline_across(first: int, last: int, out: Samples) -> None:  # pragma: no cover
    """The same along rows `first` to `last`, and by 36: what both directions' gains come to.

    A recursion waits for each sample before; its answer, z to the power of the distance, is nothing after `_FAR`
    samples.
    """
    count = out.shape[1]
    line = np.empty(count + 2 * _FAR, np.float32)
    inner = line[_FAR : _FAR + count]
    for row in range(first, last):
        result = out[row]
        inner[:] = result
        line[:_FAR], line[_FAR + count :] = result[0], result[count - 1]
        gain = np.float32(-_Z / (1 - _Z * _Z) * 36)
        for x in range(count):
            result[x] = gain * inner[x]
        for k in range(1, _FAR + 1):
            gain *= np.float32(_Z)
            before, after = line[_FAR - k : _FAR - k + count], line[_FAR + k : _FAR + k + count]
            for x in range(count):
                result[x] += gain * (before[x] + after[x])


@small
def _weights(part: Any) -> Any:  # pragma: no cover
    """Return what four coefficients in a row weigh at `part` of the way from the second to the third, six times
    over.
    """
    one, back = np.float32(1), np.float32(1) - part
    square, cube = part * part, part * part * part
    second = np.float32(3) * cube - np.float32(6) * square + np.float32(4)
    third = np.float32(3) * (square + part - cube) + one
    return back * back * back, second, third, cube


@small
def _weighted(flat: Samples, at: Any, u0: Any, u1: Any, u2: Any, u3: Any) -> Any:  # pragma: no cover
    """Return four coefficients in a row from `at` on, weighed."""
    one, two, three = np.uint64(1), np.uint64(2), np.uint64(3)
    return u0 * flat[at] + u1 * flat[at + one] + u2 * flat[at + two] + u3 * flat[at + three]


@compiled_with_lanes
def splined(
    first: int,
    last: int,
    coefficients: Samples,
    down: Samples,
    across: Samples,
    share: float,
    asked: NDArray[np.bool_],
    gain: float,
    fresh: bool,
    out: Samples,
) -> None:  # pragma: no cover
    """Put `gain` times a picture as seen `share` of its cells' vectors away into `out`, by its coefficients (h + 4,
    w + 4).

    It is added to what is there unless `out` is `fresh`. Cells that are not `asked` for are 0; what lies beyond the
    picture is its edge.
    """
    height, width = out.shape
    part, scale = np.float32(share), np.float32(gain / 36)
    zero, low, end = np.float32(0), np.float32(height - 1), np.float32(width - 1)
    flat, wide = coefficients.ravel(), np.uint64(coefficients.shape[1])
    rows = np.empty((CELL + 3, CELL), np.float32)
    for r in range(first, last):
        if fresh:
            out[CELL * r : CELL * r + CELL] = zero
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
                v0, v1, v2, v3 = v0 * scale, v1 * scale, v2 * scale, v3 * scale
                p = np.uint64(top + 1) * wide + np.uint64(left + 1)
                for k in range(CELL + 3):  # all are read before any is put: they become lanes of one
                    s0, s1 = _weighted(flat, p, u0, u1, u2, u3), _weighted(flat, p + np.uint64(1), u0, u1, u2, u3)
                    s2, s3 = (
                        _weighted(flat, p + np.uint64(2), u0, u1, u2, u3),
                        _weighted(flat, p + np.uint64(3), u0, u1, u2, u3),
                    )
                    result = rows[k]
                    result[0], result[1], result[2], result[3] = s0, s1, s2, s3
                    p += wide
                for k in range(CELL):
                    put = out[CELL * r + k, CELL * c : CELL * c + CELL]
                    a, b, d, e = rows[k], rows[k + 1], rows[k + 2], rows[k + 3]
                    s0 = put[0] + v0 * a[0] + v1 * b[0] + v2 * d[0] + v3 * e[0]
                    s1 = put[1] + v0 * a[1] + v1 * b[1] + v2 * d[1] + v3 * e[1]
                    s2 = put[2] + v0 * a[2] + v1 * b[2] + v2 * d[2] + v3 * e[2]
                    s3 = put[3] + v0 * a[3] + v1 * b[3] + v2 * d[3] + v3 * e[3]
                    put[0], put[1], put[2], put[3] = s0, s1, s2, s3
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

"""What the fields of neighbouring frames have in common, in one loop over their lines: see
`media/measurement/field_pairs`.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.compiling.loop import loop

_compiled = loop(error_model="numpy", fastmath=True)


@_compiled
def averaged(
    luma: NDArray[Any], starts: NDArray[np.int64], step: int, scale: float, out: NDArray[np.float32]
) -> None:  # pragma: no cover
    """Put bands of lines, each `step` neighbouring samples added and scaled, into `out` (bands, lines, columns)."""
    by = np.float32(scale)
    for band in range(out.shape[0]):
        for line in range(out.shape[1]):
            row, result = luma[starts[band] + line], out[band, line]
            if step == 1:
                for x in range(out.shape[2]):
                    result[x] = np.float32(np.int32(row[x])) * by
            elif step == 2:
                for x in range(out.shape[2]):
                    result[x] = np.float32(np.int32(row[2 * x]) + np.int32(row[2 * x + 1])) * by
            elif step == 4:
                for x in range(out.shape[2]):
                    at = 4 * x
                    total = np.int32(row[at]) + np.int32(row[at + 1]) + np.int32(row[at + 2]) + np.int32(row[at + 3])
                    result[x] = np.float32(total) * by
            else:
                for x in range(out.shape[2]):
                    total = np.int32(0)
                    for number in range(step):
                        total += np.int32(row[step * x + number])
                    result[x] = np.float32(total) * by


@_compiled
def distances(
    earlier: NDArray[np.float32],
    before: NDArray[np.float32],
    now: NDArray[np.float32],
    size: tuple[int, int],
    gain: float,
    out: NDArray[np.float32],
) -> None:  # pragma: no cover
    """Put the six distances between two frames into `out` (6, bands × rows, columns of blocks).

    Frames are (bands, lines, columns), even lines the upper field; `earlier` is the frame before `before`. Blocks have
    `size` lines of a field and columns; combs are divided by `gain`.
    """
    lines, across = size
    bands = now.shape[0]
    rows, columns = out.shape[1] // bands, out.shape[2]
    six, four, less = np.float32(6), np.float32(4), np.float32(1 / (gain * lines * across))
    even_share = np.float32(1 / (lines * across))
    used = columns * across
    a, b, c = np.empty(used, np.float32), np.empty(used, np.float32), np.empty(used, np.float32)
    t, u, w = np.empty(used, np.float32), np.empty(used, np.float32), np.empty(used, np.float32)
    for band in range(bands):
        for row in range(rows):
            a[:], b[:], c[:], t[:], u[:], w[:] = 0, 0, 0, 0, 0, 0
            for line in range(row * lines, row * lines + lines):
                at = 2 * (
                    line + 1
                )  # the upper field's line; the lower field's is the next, and has one above and one below
                t0, t0n, t1, t1n, te = (
                    before[band, at],
                    before[band, at + 2],
                    now[band, at],
                    now[band, at + 2],
                    earlier[band, at],
                )
                b0p, b0, b0n = before[band, at - 1], before[band, at + 1], before[band, at + 3]
                b1p, b1, b1n = now[band, at - 1], now[band, at + 1], now[band, at + 3]
                for x in range(used):  # along the whole line: many at once
                    odd0, odd1 = six * b0[x] + b0p[x] + b0n[x], six * b1[x] + b1p[x] + b1n[x]
                    even0, even1 = four * (t0[x] + t0n[x]), four * (t1[x] + t1n[x])
                    a[x] += (odd0 - even0) ** 2
                    b[x] += (odd0 - even1) ** 2
                    c[x] += (odd1 - even0) ** 2
                    t[x] += (t1[x] - t0[x]) ** 2
                    u[x] += (b1[x] - b0[x]) ** 2
                    w[x] += (t1[x] - te[x]) ** 2
            here = out[:, band * rows + row]
            for column in range(columns):
                sums = np.zeros(6, np.float32)
                for x in range(column * across, column * across + across):
                    sums[0] += a[x]
                    sums[1] += b[x]
                    sums[2] += c[x]
                    sums[3] += t[x]
                    sums[4] += u[x]
                    sums[5] += w[x]
                for number in range(6):
                    here[number, column] = sums[number] * (less if number < 3 else even_share)

"""What is looked at in every picture of a file: its codes' extremes and excursions, and its light by cells; one loop over the lines."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

_compiled = njit(cache=True, nogil=True, error_model="numpy", fastmath=True)

#: What `extremes` counts, in its order.
LOWEST, HIGHEST, BELOW, ABOVE, LIT = range(5)


@_compiled
def extremes(
    luma: NDArray[Any], black: int, white: int, dark: int, found: NDArray[np.int64]
) -> None:  # pragma: no cover
    """Put lowest and highest code into `found`, and how many samples lie below black, above white, and above `dark`."""
    lowest, highest = np.int32(1 << 30), np.int32(-1)
    below = above = lit = 0
    for row in luma:
        low, high = np.int32(1 << 30), np.int32(-1)
        b, w, d = np.int32(0), np.int32(0), np.int32(0)
        for x in range(len(row)):
            code = np.int32(row[x])
            low, high = min(low, code), max(high, code)
            b += np.int32(code < black)
            w += np.int32(code > white)
            d += np.int32(code > dark)
        lowest, highest = min(lowest, low), max(highest, high)
        below += int(b)
        above += int(w)
        lit += int(d)
    found[LOWEST], found[HIGHEST], found[BELOW], found[ABOVE], found[LIT] = lowest, highest, below, above, lit


@_compiled
def coloured(
    luma: NDArray[Any], cb: NDArray[Any], cr: NDArray[Any], sites: tuple[int, int, int], zeros: tuple[float, float], scales: tuple[float, float],
    matrix: tuple[float, float, float, float], allowed: tuple[float, float], light: NDArray[np.float32], thin: int, cells: NDArray[np.float32],
    counts: NDArray[np.int32], found: NDArray[np.float64],
) -> None:  # pragma: no cover  # fmt: skip
    """Look at every colour difference with the luma filtered to it: `found` takes the share outside `allowed` and the lowest and
    highest of R′, G′, B′; `cells` (fields, rows, columns, 3) take the light of every `thin`th, `counts` how many.

    `sites` are luma samples across and down for a colour difference, and the fields that lines belong to in turn. `light` is a table
    over −0.25 to 1.25.
    """
    across, down, fields = sites
    rows, columns = cb.shape
    outside, lowest, highest = 0, np.float32(9), np.float32(-9)
    top, wide, last = len(light) - 1, luma.shape[1] - 1, luma.shape[0] - 1
    step = np.float32(top / 1.5)
    high, broad = cells.shape[1], cells.shape[2]
    zero_y, zero_c = np.float32(zeros[0]), np.float32(zeros[1])
    scale_y, scale_c = np.float32(scales[0]), np.float32(scales[1])
    red_cr, green_cb, green_cr, blue_cb = (
        np.float32(matrix[0]),
        np.float32(matrix[1]),
        np.float32(matrix[2]),
        np.float32(matrix[3]),
    )
    least, most = np.float32(allowed[0]), np.float32(allowed[1])
    for row in range(rows):
        # where fields share no colour line, a field's own lines lie two apart
        line = row * down if fields == 1 or down == 1 else 4 * (row // 2) + row % 2
        of = luma[min(line, last)]
        blue_row, red_row = cb[row], cr[row]
        beyond = np.int32(0)
        low, tall = np.float32(9), np.float32(-9)
        for x in range(columns):
            at = min(x * across, wide)
            before, after = max(at - 1, 0), min(at + 1, wide)
            y = (np.float32(of[before]) + np.float32(2) * np.float32(of[at]) + np.float32(of[after])) * np.float32(0.25)
            y = (y - zero_y) * scale_y
            u = (np.float32(blue_row[x]) - zero_c) * scale_c
            v = (np.float32(red_row[x]) - zero_c) * scale_c
            r, g, b = y + red_cr * v, y + green_cb * u + green_cr * v, y + blue_cb * u
            small, large = min(r, min(g, b)), max(r, max(g, b))
            beyond += np.int32(small < least or large > most)
            low, tall = min(low, small), max(tall, large)
        outside += int(beyond)
        lowest, highest = min(lowest, low), max(highest, tall)
        field = row % 2 if fields == 2 else 0
        if (row // fields) % thin:
            continue
        cell = min(high - 1, row * high // rows)
        for x in range(0, columns, thin):
            at = min(x * across, wide)
            y = (np.float32(of[at]) - zero_y) * scale_y
            u = (np.float32(blue_row[x]) - zero_c) * scale_c
            v = (np.float32(red_row[x]) - zero_c) * scale_c
            column = min(broad - 1, x * broad // columns)
            counts[field, cell, column] += 1
            for n in range(3):
                value = y + red_cr * v if n == 0 else y + green_cb * u + green_cr * v if n == 1 else y + blue_cb * u
                place = min(max((value + np.float32(0.25)) * step, np.float32(0)), np.float32(top))
                cells[field, cell, column, n] += light[np.int32(place)]
    found[0], found[1], found[2] = outside / (rows * columns), lowest, highest


@_compiled
def thinned(luma: NDArray[Any], across: int, down: int, out: NDArray[np.float32]) -> None:  # pragma: no cover
    """Put means of `down` × `across` samples into `out`."""
    scale = np.float32(1 / (across * down))
    for row in range(out.shape[0]):
        for column in range(out.shape[1]):
            total = np.int64(0)
            for y in range(row * down, row * down + down):
                for x in range(column * across, column * across + across):
                    total += np.int64(luma[y, x])
            out[row, column] = np.float32(total) * scale

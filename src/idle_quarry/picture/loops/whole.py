"""What is looked at in every picture of a file: its codes' extremes and excursions, and its light by cells.

One loop over the lines.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.compiling.loop import loop

_compiled = loop(error_model="numpy", fastmath=True)

#: What `extremes` counts, in its order.
LOWEST, HIGHEST, BELOW, ABOVE, LIT = range(5)


@_compiled
def extremes(
    luma: NDArray[Any], width: int, black: int, white: int, dark: int, array: NDArray[np.int64]
) -> None:  # pragma: no cover
    """Put lowest and highest code into `array`, and how many samples lie below black, above white, and above `dark`.

    Lines are `width` samples long; what lies behind them is none.
    """
    lowest, highest = np.int32(1 << 30), np.int32(-1)
    least, most, lights = np.int32(black), np.int32(white), np.int32(dark)
    below = above = lit = 0
    for y in range(luma.shape[0]):
        row = luma[y]
        low, high = np.int32(1 << 30), np.int32(-1)
        b, w, d = np.int32(0), np.int32(0), np.int32(0)
        for x in range(width):
            code = np.int32(row[x])
            low, high = min(low, code), max(high, code)
            b += np.int32(code < least)
            w += np.int32(code > most)
            d += np.int32(code > lights)
        lowest, highest = min(lowest, low), max(highest, high)
        below += int(b)
        above += int(w)
        lit += int(d)
    array[LOWEST], array[HIGHEST], array[BELOW], array[ABOVE], array[LIT] = lowest, highest, below, above, lit


@_compiled
def _filtered(
    of: NDArray[Any], width: int, across: int, columns: int, zero: float, scale: float, out: NDArray[np.float32]
) -> None:  # pragma: no cover
    """Put the luma at each colour difference of a line into `out`, by weights of a quarter, a half and a quarter."""
    quarter, begin = np.float32(0.25 * scale), np.float32(zero)
    if across == 2:
        for x in range(1, columns):
            at = 2 * x
            total = np.int32(of[at - 1]) + np.int32(2) * np.int32(of[at]) + np.int32(of[at + 1])
            out[x] = (np.float32(total) - np.float32(4) * begin) * quarter
        out[0] = (np.float32(np.int32(of[0])) - begin) * np.float32(scale)
    else:
        for x in range(columns):
            at = min(x * across, width - 1)
            total = np.int32(of[max(at - 1, 0)]) + np.int32(2) * np.int32(of[at]) + np.int32(of[min(at + 1, width - 1)])
            out[x] = (np.float32(total) - np.float32(4) * begin) * quarter


@_compiled
def coloured(
    luma: NDArray[Any],
    cb: NDArray[Any],
    cr: NDArray[Any],
    size: tuple[int, int],
    sites: tuple[int, int, int],
    zeros: tuple[float, float],
    scales: tuple[float, float],
    matrix: tuple[float, float, float, float],
    allowed: tuple[float, float],
    light: NDArray[np.float32],
    thin: int,
    cells: NDArray[np.float32],
    counts: NDArray[np.int32],
    array: NDArray[np.float64],
) -> None:  # pragma: no cover
    """Look at colour differences with the luma filtered to them, on two lines of four: `array` takes the share
    outside `allowed` and the lowest and highest of R′, G′, B′; `cells` (fields, rows, columns, 3) take the light
    of every `thin`th, `counts` how many.

    `size` is how many samples of luma and of colour differences a line has; `sites` are luma samples across and down
    for a colour difference, and the fields that lines belong to in turn. `light` is a table over −0.25 to 1.25.
    """
    across, down, fields = sites
    width, columns = size
    rows = cb.shape[0]
    outside, looked, lowest, highest = 0, 0, np.float32(9), np.float32(-9)
    top, last = len(light) - 1, luma.shape[0] - 1
    step = np.float32(top / 1.5)
    high, broad = cells.shape[1], cells.shape[2]
    zero_c, scale_c = np.float32(zeros[1]), np.float32(scales[1])
    red_cr, green_cb, green_cr, blue_cb = (
        np.float32(matrix[0]),
        np.float32(matrix[1]),
        np.float32(matrix[2]),
        np.float32(matrix[3]),
    )
    least, most = np.float32(allowed[0]), np.float32(allowed[1])
    line, small, large = np.empty(columns, np.float32), np.empty(columns, np.float32), np.empty(columns, np.float32)
    for row in range(rows):
        if row % 4 > 1 and rows > 400:  # both fields of every other pair of lines
            continue
        # where fields share no colour line, a field's own lines lie two apart
        at = row * down if fields == 1 or down == 1 else 4 * (row // 2) + row % 2
        _filtered(luma[min(at, last)], width, across, columns, zeros[0], scales[0], line)
        blue_row, red_row = cb[row], cr[row]
        for x in range(columns):
            y = line[x]
            u = (np.float32(np.int32(blue_row[x])) - zero_c) * scale_c
            v = (np.float32(np.int32(red_row[x])) - zero_c) * scale_c
            r, g, b = y + red_cr * v, y + green_cb * u + green_cr * v, y + blue_cb * u
            small[x], large[x] = min(r, min(g, b)), max(r, max(g, b))
        beyond = np.int32(0)
        for x in range(columns):
            beyond += np.int32((small[x] < least) | (large[x] > most))  # both at once are one place
        if beyond or row % 16 < 2:  # the ends of what lies inside are told from fewer lines
            for x in range(columns):
                lowest, highest = min(lowest, small[x]), max(highest, large[x])
        outside += int(beyond)
        looked += columns
        field = row % 2 if fields == 2 else 0
        if row % 8 > 1 and rows > 400:
            continue
        cell = min(high - 1, row * high // rows)
        for x in range(0, columns, thin):
            y = line[x]
            u = (np.float32(np.int32(blue_row[x])) - zero_c) * scale_c
            v = (np.float32(np.int32(red_row[x])) - zero_c) * scale_c
            column = min(broad - 1, x * broad // columns)
            counts[field, cell, column] += 1
            for n in range(3):
                value = y + red_cr * v if n == 0 else y + green_cb * u + green_cr * v if n == 1 else y + blue_cb * u
                place = min(max((value + np.float32(0.25)) * step, np.float32(0)), np.float32(top))
                cells[field, cell, column, n] += light[np.int32(place)]
    array[0], array[1], array[2] = outside / max(1, looked), lowest, highest


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

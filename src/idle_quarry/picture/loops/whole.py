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
#: What `every_pixel` finds, in its order: places outside, the ends of R′, G′, B′, and the light of the brightest of the
#: three, added up and the most.
OUTSIDE, RGB_LOWEST, RGB_HIGHEST, LIGHT, MOST_LIGHT = range(5)


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
    light: NDArray[np.float32],
    thin: int,
    cells: NDArray[np.float32],
    counts: NDArray[np.int32],
) -> None:  # pragma: no cover
    """Put the light of every `thin`th colour difference, with the luma filtered to it, of two lines of eight into
    `cells` (fields, rows, columns, 3), and how many there are into `counts`.

    `size` is how many samples of luma and of colour differences a line has; `sites` are luma samples across and down
    for a colour difference, and the fields that lines belong to in turn. `light` is a table over −0.25 to 1.25.
    """
    across, down, fields = sites
    width, columns = size
    rows = cb.shape[0]
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
    line = np.empty(columns, np.float32)
    for row in range(rows):
        if row % 8 > 1 and rows > 400:  # both fields of every fourth pair of lines
            continue
        # where fields share no colour line, a field's own lines lie two apart
        at = row * down if fields == 1 or down == 1 else 4 * (row // 2) + row % 2
        _filtered(luma[min(at, last)], width, across, columns, zeros[0], scales[0], line)
        blue_row, red_row = cb[row], cr[row]
        field = row % 2 if fields == 2 else 0
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


@_compiled
def every_pixel(
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
    gains: NDArray[np.float32],
    array: NDArray[np.float64],
) -> None:  # pragma: no cover
    """Look at R′, G′, B′ of every pixel, nothing filtered, chroma in straight lines between its samples.

    `array` takes how many pixels have one outside `allowed`, the lowest and highest of all, and, where `light` is a
    table over 0 to 1, the light of the brightest of the three: added up, and the most (CTA-861.3, annex P). `gains`, a
    table over 0 to 1 of the scene's luminance, multiplies light where it is not empty. Lines have `size` samples of
    luma and of chroma; `sites` are luma samples across and down for one of chroma, and the fields that lines belong to.
    """
    across, down, fields = sites
    width, columns = size
    zero_y, scale_y = np.float32(zeros[0]), np.float32(scales[0])
    zero_c, scale_c = np.float32(zeros[1]), np.float32(scales[1])
    red_cr, green_cb, green_cr, blue_cb = (
        np.float32(matrix[0]),
        np.float32(matrix[1]),
        np.float32(matrix[2]),
        np.float32(matrix[3]),
    )
    least, most = np.float32(allowed[0]), np.float32(allowed[1])
    half, steps, last_gain = np.float32(0.5), np.float32(len(light) - 1), np.float32(len(gains) - 1)
    us, vs = np.empty(width + 2, np.float32), np.empty(width + 2, np.float32)
    low_part, high_part, value = (
        np.empty(width, np.float32),
        np.empty(width, np.float32),
        np.empty(width, np.float32),
    )
    outside, lowest, highest = 0, np.float32(9), np.float32(-9)
    total, brightest, before = np.float64(0), np.float32(0), -1
    for y in range(luma.shape[0]):
        # where fields share no line of chroma, a field's own lines lie two apart
        row = y // down if fields == 1 or down == 1 else 2 * (y // 4) + y % 2
        row = min(row, cb.shape[0] - 1)
        if row != before:
            blue_row, red_row = cb[row], cr[row]
            for c in range(columns):
                us[c * across] = (np.float32(np.int32(blue_row[c])) - zero_c) * scale_c
                vs[c * across] = (np.float32(np.int32(red_row[c])) - zero_c) * scale_c
            if across == 2:
                for c in range(columns):
                    x, after = 2 * c + 1, 2 * min(c + 1, columns - 1)
                    us[x], vs[x] = (us[x - 1] + us[after]) * half, (vs[x - 1] + vs[after]) * half
            elif across > 2:
                for c in range(columns):
                    x, after = across * c, across * min(c + 1, columns - 1)
                    for i in range(1, across):
                        share = np.float32(i) / np.float32(across)
                        if x + i < width:
                            us[x + i] = us[x] + share * (us[after] - us[x])
                            vs[x + i] = vs[x] + share * (vs[after] - vs[x])
            for x in range(width):
                red, green, blue = red_cr * vs[x], green_cb * us[x] + green_cr * vs[x], blue_cb * us[x]
                low_part[x], high_part[x] = min(red, min(green, blue)), max(red, max(green, blue))
            before = row
        luma_row = luma[y]
        beyond = np.int32(0)
        for x in range(width):
            level = (np.float32(np.int32(luma_row[x])) - zero_y) * scale_y
            small, large = level + low_part[x], level + high_part[x]
            beyond += np.int32((small < least) | (large > most))
            lowest, highest = min(lowest, small), max(highest, large)
            value[x] = large
        outside += int(beyond)
        if len(light) == 0:
            continue
        row_sum = np.float32(0)
        for x in range(width):
            place = min(max(value[x], np.float32(0)), np.float32(1)) * steps + half
            shown = light[np.int32(place)]
            if len(gains):
                level = (np.float32(np.int32(luma_row[x])) - zero_y) * scale_y
                red = level + red_cr * vs[x]
                green, blue = level + green_cb * us[x] + green_cr * vs[x], level + blue_cb * us[x]
                red = light[np.int32(min(max(red, np.float32(0)), np.float32(1)) * steps + half)]
                green = light[np.int32(min(max(green, np.float32(0)), np.float32(1)) * steps + half)]
                blue = light[np.int32(min(max(blue, np.float32(0)), np.float32(1)) * steps + half)]
                scene = np.float32(0.2627) * red + np.float32(0.678) * green + np.float32(0.0593) * blue
                scene = min(max(scene / light[len(light) - 1], np.float32(0)), np.float32(1))
                shown *= gains[np.int32(scene * last_gain + half)]
            row_sum += shown
            brightest = max(brightest, shown)
        total += row_sum
    array[OUTSIDE], array[RGB_LOWEST], array[RGB_HIGHEST] = outside, lowest, highest
    array[LIGHT], array[MOST_LIGHT] = total, brightest


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

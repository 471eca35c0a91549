"""Values to codes and back, a strip of rows at a time; error diffusion, which goes through a picture in one order."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.compiling.loop import loop

Samples = NDArray[np.float32]
Codes = NDArray[np.uint16]


@loop(error_model="numpy")
def coded(
    first: int,
    last: int,
    values: Samples,
    span: float,
    zero: float,
    near: float,
    tile: Samples,
    low: int,
    high: int,
    out: Codes,
) -> None:  # pragma: no cover
    """Put values into `out` as whole codes: value · span + zero, plus a threshold, cut off; `tile` has rows of those.

    What lies within `near` of a whole code is that code: it was one before single precision moved it.
    """
    factor, begin, close = np.float32(span), np.float32(zero), np.float32(near)
    lowest, highest = np.float32(low), np.float32(high)
    for y in range(first, last):
        thresholds, given, result = tile[y % len(tile)], values[y], out[y]
        for x in range(values.shape[1]):
            exact = given[x] * factor + begin
            whole = np.rint(exact)
            cut = np.floor(exact + thresholds[x])
            code = whole if abs(exact - whole) < close else cut
            result[x] = np.int32(min(max(code, lowest), highest))


@loop(error_model="numpy")
def diffused(exact: NDArray[np.float64], out: NDArray[np.float64]) -> None:  # pragma: no cover
    """Put whole numbers into `out`, each one's error handed on (Floyd and Steinberg), lines from the left.

    `exact` is used up.
    """
    height, width = exact.shape
    for y in range(height):
        for x in range(width):
            wanted = exact[y, x]
            whole = np.floor(wanted + 0.5)
            out[y, x] = whole
            error = wanted - whole
            if x + 1 < width:
                exact[y, x + 1] += error * (7 / 16)
            if y + 1 < height:
                if x > 0:
                    exact[y + 1, x - 1] += error * (3 / 16)
                exact[y + 1, x] += error * (5 / 16)
                if x + 1 < width:
                    exact[y + 1, x + 1] += error * (1 / 16)


@loop(error_model="numpy")
def valued(first: int, last: int, codes: NDArray[Any], table: Samples, out: Samples) -> None:  # pragma: no cover
    """Put what a table says for each code into `out`."""
    most = len(table) - 1
    for y in range(first, last):
        for x in range(codes.shape[1]):
            code = np.int64(codes[y, x])
            out[y, x] = table[code if code < most else most]


@loop(error_model="numpy", fastmath=True)
def seen(
    first: int,
    last: int,
    luma: NDArray[Any],
    cb: NDArray[Any],
    cr: NDArray[Any],
    gains: Samples,
    out: NDArray[np.uint8],
) -> None:  # pragma: no cover
    """Put rows `first` to `last` of codes as R′G′B′ of 8 bits into `out` (h, w, 3), each chroma sample over the
    luma it stands for.

    `gains` are: black, what 8 bits are of a step of luma, of chroma for R′, G′ (of both), B′, and chroma's zero.
    """
    height, width = luma.shape
    down, across = max(1, (height + len(cb) - 1) // len(cb)), max(1, (width + cb.shape[1] - 1) // cb.shape[1])
    black, gain, to_red, green_cb, green_cr, to_blue, zero = gains
    lowest, highest, half = np.float32(0), np.float32(255), np.float32(0.5)
    wide = cb.shape[1] * across  # a line of an odd width is made a sample longer
    red, green, blue = np.empty(wide, np.float32), np.empty(wide, np.float32), np.empty(wide, np.float32)
    for row in range(first, last):
        given, us, vs, result = luma[row], cb[row // down], cr[row // down], out[row]
        for column in range(cb.shape[1]):
            u, v = np.float32(us[column]) - zero, np.float32(vs[column]) - zero
            for x in range(column * across, (column + 1) * across):
                red[x], green[x], blue[x] = to_red * v + half, green_cb * u + green_cr * v + half, to_blue * u + half
        for x in range(width):
            y = (np.float32(given[x]) - black) * gain
            red[x] = min(max(y + red[x], lowest), highest)
            green[x] = min(max(y + green[x], lowest), highest)
            blue[x] = min(max(y + blue[x], lowest), highest)
        for x in range(width):
            result[x, 0], result[x, 1], result[x, 2] = (
                np.uint8(np.int32(red[x])),
                np.uint8(np.int32(green[x])),
                np.uint8(np.int32(blue[x])),
            )

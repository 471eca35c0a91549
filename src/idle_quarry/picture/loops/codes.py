"""Values to codes and back, a strip of rows at a time; error diffusion, which goes through a picture in one order."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

Samples = NDArray[np.float32]
Codes = NDArray[np.uint16]


@njit(cache=True, nogil=True, error_model="numpy")
def coded(
    first: int, last: int, values: Samples, span: float, zero: float, near: float, tile: Samples, low: int, high: int, out: Codes
) -> None:  # pragma: no cover  # fmt: skip
    """Put values into `out` as whole codes: value · span + zero, plus a threshold, cut off; `tile` has rows of those.

    What lies within `near` of a whole code is that code: it was one before single precision moved it.
    """
    factor, begin, close = np.float32(span), np.float32(zero), np.float32(near)
    lowest, highest = np.float32(low), np.float32(high)
    for y in range(first, last):
        thresholds, given, made = tile[y % len(tile)], values[y], out[y]
        for x in range(values.shape[1]):
            exact = given[x] * factor + begin
            whole = np.rint(exact)
            cut = np.floor(exact + thresholds[x])
            code = whole if abs(exact - whole) < close else cut
            made[x] = np.int32(min(max(code, lowest), highest))


@njit(cache=True, nogil=True, error_model="numpy")
def diffused(exact: NDArray[np.float64], out: NDArray[np.float64]) -> None:  # pragma: no cover
    """Put whole numbers into `out`, each one's error handed on (Floyd and Steinberg), lines from the left. `exact` is used up."""
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


@njit(cache=True, nogil=True, error_model="numpy")
def valued(first: int, last: int, codes: NDArray[Any], table: Samples, out: Samples) -> None:  # pragma: no cover
    """Put what a table says for each code into `out`."""
    most = len(table) - 1
    for y in range(first, last):
        for x in range(codes.shape[1]):
            code = np.int64(codes[y, x])
            out[y, x] = table[code if code < most else most]

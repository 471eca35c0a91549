"""From continuous values to code values: cut off, rounded, or dithered, at any depth and range.

Sources: BT.601, BT.709, BT.2100 (codes); Floyd and Steinberg 1976 (error diffusion); Bayer 1973 (ordered dither);
Ulichney 1993 (void and cluster, for blue noise).
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.signal.levels import Levels

Codes = NDArray[np.uint16]
Values = NDArray[Any]

#: Side of the tiles of thresholds that ordered and blue-noise dither repeat.
_BAYER_SIDE, _NOISE_SIDE = 8, 32
#: Codes of 8 bits by which single precision may move a code.
_IS_A_CODE = 1e-4


def luma_to_values(luma: NDArray[Any], levels: Levels) -> Values:
    """Return code values as a signal from 0 (black) to 1 (white), any shape, float64; outside values pass through."""
    return (np.asarray(luma, np.float64) - levels.black) / (levels.white - levels.black)


def chroma_to_values(chroma: NDArray[Any], levels: Levels) -> Values:
    """Return code values of colour differences as −0.5 to 0.5, any shape, float64."""
    return (np.asarray(chroma, np.float64) - levels.chroma_zero) / _chroma_span(levels)


def values_to_luma(values: NDArray[Any], levels: Levels, rounding: str) -> Codes:
    """Return a signal (0 black, 1 white), shape (h, w), as code values; kept off the codes SDI reserves in narrow range.

    `rounding` is a key of `ROUNDINGS`. Raises `KeyError` for another.
    """
    return _coded(values, levels.black, levels.white - levels.black, levels, rounding)


def values_to_chroma(values: NDArray[Any], levels: Levels, rounding: str) -> Codes:
    """Return colour differences (−0.5 to 0.5), shape (h, w), as code values."""
    return _coded(values, levels.chroma_zero, _chroma_span(levels), levels, rounding)


def _chroma_span(levels: Levels) -> int:
    return (224 << (levels.bits - 8)) if levels.narrow else (1 << levels.bits) - 1


def _coded(values: NDArray[Any], zero: int, span: int, levels: Levels, rounding: str) -> Codes:
    exact = np.multiply(values, span, dtype=np.result_type(values, np.float32))
    exact += zero
    top = (1 << levels.bits) - 1
    low, high = (levels.reserved, top - levels.reserved) if levels.narrow else (0, top)
    # what was a code before comes out as that code, although single precision has moved it by a little
    whole = np.rint(exact)
    np.copyto(exact, whole, where=np.abs(exact - whole) < _IS_A_CODE * (1 << (levels.bits - 8)))
    return np.clip(ROUNDINGS[rounding](exact), low, high).astype(np.uint16)


def truncated(exact: Values) -> Values:
    """Return whole numbers at or below: half a code darker on the average."""
    return np.floor(exact)


def rounded(exact: Values) -> Values:
    """Return the nearest whole numbers, halves upwards: ramps become steps."""
    return np.floor(exact + 0.5)


def ordered(exact: Values) -> Values:
    """Return whole numbers by a repeated tile of thresholds (Bayer): no bands, a faint weave."""
    return np.asarray(np.floor(exact + _tiled(_bayer(), exact)))


def blue_noise(exact: Values) -> Values:
    """Return whole numbers by a tile of thresholds without low frequencies: no bands, fine grain."""
    return np.asarray(np.floor(exact + _tiled(blue_noise_tile(), exact)))


def diffused(exact: Values) -> Values:
    """Return whole numbers, each one's error handed on to its neighbours (Floyd and Steinberg), lines from the left.

    A sample waits for its left neighbour and for the three above it, so that all samples with one value of x + 2y can be
    done at once.
    """
    height, width = exact.shape
    # row y moved right by 2y: a column of the slanted picture is such a set; a margin takes errors beyond the edges
    slanted = np.zeros((height + 1, width + 2 * height + 4))
    for y in range(height):
        slanted[y, 2 * y + 1 : 2 * y + 1 + width] = exact[y]
    result = np.empty_like(exact)
    for t in range(width + 2 * (height - 1)):
        first, last = max(0, -(-(t - width + 1) // 2)), min(height - 1, t // 2)
        rows = np.arange(first, last + 1)
        wanted = slanted[rows, t + 1]
        whole = np.floor(wanted + 0.5)
        result[rows, t - 2 * rows] = whole
        error = wanted - whole
        slanted[rows, t + 2] += error * (7 / 16)
        # the line below begins two columns later: below left, below and below right
        slanted[rows + 1, t + 2] += error * (3 / 16)
        slanted[rows + 1, t + 3] += error * (5 / 16)
        slanted[rows + 1, t + 4] += error * (1 / 16)
    return result


#: Name → how exact codes become whole ones.
ROUNDINGS: dict[str, Callable[[Values], Values]] = {
    "truncate": truncated,
    "round": rounded,
    "dither": blue_noise,
    "ordered": ordered,
    "diffuse": diffused,
}


def _tiled(tile: Values, exact: Values) -> Values:
    shape, tile = exact.shape, tile.astype(exact.dtype)
    times = (-(-shape[0] // tile.shape[0]), -(-shape[1] // tile.shape[1]))
    return np.tile(tile, times)[: shape[0], : shape[1]]


@lru_cache(maxsize=1)
def _bayer() -> Values:
    """Return thresholds 0…1 in Bayer's order, (8, 8)."""
    tile = np.zeros((1, 1))
    while tile.shape[0] < _BAYER_SIDE:
        tile = np.block([[4 * tile, 4 * tile + 2], [4 * tile + 3, 4 * tile + 1]])
    return (tile + 0.5) / tile.size


@lru_cache(maxsize=1)
def blue_noise_tile() -> Values:
    """Return thresholds 0…1 whose every level is spread evenly, shape (32, 32), by void and cluster; always the same."""
    side = _NOISE_SIDE
    distance = np.minimum(np.arange(side), side - np.arange(side))
    bell = np.exp(-(distance[:, None] ** 2 + distance[None, :] ** 2) / (2 * 1.5**2))
    spectrum = np.fft.rfft2(bell)

    def energy(points: NDArray[np.bool_]) -> Values:
        return np.asarray(np.fft.irfft2(np.fft.rfft2(points.astype(float)) * spectrum, s=(side, side)))

    points = np.zeros((side, side), bool)
    points.ravel()[np.random.default_rng(11).choice(side * side, side * side // 10, replace=False)] = True
    while True:  # move points from the tightest cluster to the largest void until that changes nothing
        tightest = np.unravel_index(np.where(points, energy(points), -1).argmax(), points.shape)
        points[tightest] = False
        void = np.unravel_index(np.where(points, np.inf, energy(points)).argmin(), points.shape)
        points[void] = True
        if void == tightest:
            break
    ranks = np.zeros((side, side))
    first = points.copy()
    for rank in range(int(points.sum()) - 1, -1, -1):
        place = np.unravel_index(np.where(first, energy(first), -1).argmax(), points.shape)
        first[place] = False
        ranks[place] = rank
    for rank in range(int(points.sum()), side * side):
        place = np.unravel_index(np.where(points, np.inf, energy(points)).argmin(), points.shape)
        points[place] = True
        ranks[place] = rank
    return (ranks + 0.5) / ranks.size


def _single(values: Values, _levels: Levels) -> Values:
    return values


def _half(values: Values, _levels: Levels) -> Values:
    return values.astype(np.float16).astype(np.float32)


def _whole(values: Values, levels: Levels) -> Values:
    span = np.float32(levels.white - levels.black)
    return np.rint(values * span) / span


#: Name → how values are kept between one conversion and the next.
PRECISIONS: dict[str, Callable[[Values, Levels], Values]] = {"single": _single, "half": _half, "whole": _whole}

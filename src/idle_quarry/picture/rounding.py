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

from idle_quarry.picture.loops import codes as loops
from idle_quarry.picture.strips import by_rows
from idle_quarry.signal.levels import Levels

Codes = NDArray[np.uint16]
Values = NDArray[Any]

#: Side of the tiles of thresholds that ordered and blue-noise dither repeat.
_BAYER_SIDE, _NOISE_SIDE = 8, 32
#: Codes of 8 bits by which single precision may move a code.
_IS_A_CODE = 1e-4


def luma_to_values(luma: NDArray[Any], levels: Levels) -> Values:
    """Return luma codes as a signal.

    Parameters
    ----------
    luma
        Codes, any shape.
    levels
        The encoding's codes of black and white.

    Returns
    -------
    0 (black) to 1 (white), float64; codes outside pass through.

    References
    ----------
    ITU-R BT.709, item 6.10; BT.2100, table 9.
    """
    return (np.asarray(luma, np.float64) - levels.black) / (levels.white - levels.black)


def chroma_to_values(chroma: NDArray[Any], levels: Levels) -> Values:
    """Return code values of colour differences as −0.5 to 0.5, any shape, float64."""
    return (np.asarray(chroma, np.float64) - levels.chroma_zero) / _chroma_span(levels)


def plane_values(plane: NDArray[Any], levels: Levels, *, chroma: bool) -> NDArray[np.float32]:
    """Return a plane of codes (h, w) as the signal they are, float32: luma from 0 to 1, colour differences from
    −0.5 to 0.5.

    Codes that are not whole, or that have more bits than `levels`, are taken as they are.
    """
    to_values = chroma_to_values if chroma else luma_to_values
    if plane.dtype.kind != "u" or plane.ndim != 2 or plane.dtype.itemsize > 2:
        return np.asarray(to_values(plane, levels), np.float32)
    table = _value_table(levels, chroma, 8 * plane.dtype.itemsize)
    result = np.empty(plane.shape, np.float32)
    by_rows(len(plane), lambda first, last: loops.valued(first, last, plane, table, result))
    return result


@lru_cache(maxsize=16)
def _value_table(levels: Levels, chroma: bool, bits: int) -> NDArray[np.float32]:
    return np.asarray((chroma_to_values if chroma else luma_to_values)(np.arange(1 << bits), levels), np.float32)


def values_to_luma(values: NDArray[Any], levels: Levels, rounding: str) -> Codes:
    """Return a signal as luma codes, kept off the codes that SDI reserves in narrow range.

    Parameters
    ----------
    values
        (h, w), 0 black, 1 white.
    levels
        The encoding's codes of black and white.
    rounding
        A key of `ROUNDINGS`.

    Returns
    -------
    (h, w), uint16.

    Raises
    ------
    KeyError
        An unknown rounding.

    References
    ----------
    ITU-R BT.709, item 6.10; BT.1120 for the codes that are reserved.
    """
    return _coded(values, levels.black, levels.white - levels.black, levels, rounding)


def values_to_chroma(values: NDArray[Any], levels: Levels, rounding: str) -> Codes:
    """Return colour differences (−0.5 to 0.5), shape (h, w), as code values."""
    return _coded(values, levels.chroma_zero, _chroma_span(levels), levels, rounding)


def _chroma_span(levels: Levels) -> int:
    return (224 << (levels.bits - 8)) if levels.narrow else (1 << levels.bits) - 1


def _coded(values: NDArray[Any], zero: int, span: int, levels: Levels, rounding: str) -> Codes:
    top = (1 << levels.bits) - 1
    low, high = (levels.reserved, top - levels.reserved) if levels.narrow else (0, top)
    near = _IS_A_CODE * (1 << (levels.bits - 8))
    if rounding == "diffuse":
        exact = np.asarray(values, np.float64) * span + zero
        whole = np.rint(exact)
        np.copyto(exact, whole, where=np.abs(exact - whole) < near)
        return np.clip(diffused(exact), low, high).astype(np.uint16)
    given = np.ascontiguousarray(values, np.float32)
    tile = THRESHOLDS[rounding]()
    tile = np.tile(tile, -(-given.shape[1] // tile.shape[1]))
    result = np.empty(given.shape, np.uint16)
    by_rows(len(given), lambda first, last: loops.coded(first, last, given, span, zero, near, tile, low, high, result))
    return result


def diffused(exact: Values) -> Values:
    """Return whole numbers, each one's error handed on to its neighbours (Floyd and Steinberg), lines from the left."""
    result = np.empty(exact.shape, np.float64)
    loops.diffused(np.array(exact, np.float64), result)
    return result


@lru_cache(maxsize=1)
def _bayer() -> Values:
    """Return thresholds 0…1 in Bayer's order, (8, 8)."""
    tile = np.zeros((1, 1))
    while tile.shape[0] < _BAYER_SIDE:
        tile = np.block([[4 * tile, 4 * tile + 2], [4 * tile + 3, 4 * tile + 1]])
    return (tile + 0.5) / tile.size


@lru_cache(maxsize=1)
def blue_noise_tile() -> Values:
    """Return thresholds 0…1 whose every level is spread evenly, shape (32, 32), by void and cluster.

    Always the same.
    """
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


def _level(threshold: float) -> Callable[[], NDArray[np.float32]]:
    return lambda: np.full((1, 1), threshold, np.float32)


#: Name → tile of thresholds added before what is behind the point is cut off: always the same for truncating and
#: rounding; Bayer's order leaves a faint weave, blue noise fine grain.
THRESHOLDS: dict[str, Callable[[], NDArray[np.float32]]] = {
    "truncate": _level(0.0),
    "round": _level(0.5),
    "dither": lambda: blue_noise_tile().astype(np.float32),
    "ordered": lambda: _bayer().astype(np.float32),
}
#: Every rounding.
ROUNDINGS = (*THRESHOLDS, "diffuse")


def _single(values: Values, _levels: Levels) -> Values:
    return values


def _half(values: Values, _levels: Levels) -> Values:
    return values.astype(np.float16).astype(np.float32)


def _whole(values: Values, levels: Levels) -> Values:
    span = np.float32(levels.white - levels.black)
    return np.rint(values * span) / span


#: Name → how values are kept between one conversion and the next.
PRECISIONS: dict[str, Callable[[Values, Levels], Values]] = {"single": _single, "half": _half, "whole": _whole}

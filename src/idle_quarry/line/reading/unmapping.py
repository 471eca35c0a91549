"""Samples taken back out of the picture part of a line's streams."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from idle_quarry.line.rasters import LineRaster
from idle_quarry.line.words import Words

Planes = tuple[NDArray[np.uint16], NDArray[np.uint16], NDArray[np.uint16]]
Streams = tuple[Words, Words]


def field_rows(frame: Words, raster: LineRaster, height: int) -> Words:
    """Return lines of a stream (lines, words) as rows of a picture of `height` lines, top first."""
    if len(raster.active) == 1:
        first = raster.active[0][0] - 1
        return frame[first : first + height]
    rows = np.empty((height, frame.shape[1]), frame.dtype)
    (upper, _), (lower, _) = raster.active
    if raster.lines == 525:  # the upper row of a pair is of field 2; 480 rows leave two lines of each field away above
        away = 0 if height == 486 else 2
        upper, lower = 283 + away, 21 + away
    rows[0::2] = frame[upper - 1 : upper - 1 + height // 2]
    rows[1::2] = frame[lower - 1 : lower - 1 + height // 2]
    return rows


def planes_of(chroma: Words, luma: Words, sampling: str, bits: int) -> Planes:
    """Return the planes of rows of a picture's two streams.

    Parameters
    ----------
    chroma, luma
        (rows, words) uint16 of ten bits: what the two streams carry.
    sampling
        "4:2:2", "4:4:4" or "4:2:0".
    bits
        10 or 12 for each sample.

    Returns
    -------
    Planes
        Luma and colour differences, or G, B, R.
    """
    if sampling == "4:4:4" and bits == 12:
        r, g, b = (np.zeros((luma.shape[0], luma.shape[1] // 2), np.uint16) for _ in range(3))
        for stream, shifts in ((luma, (9, 3)), (chroma, (6, 0))):
            for at, shift in enumerate(shifts):
                word = stream[:, at::2]
                r |= (word >> 6 & 7) << shift
                g |= (word >> 3 & 7) << shift
                b |= (word & 7) << shift
        return g, b, r
    if sampling == "4:4:4":
        return luma[:, 0::2], chroma[:, 0::2], luma[:, 1::2]
    if bits == 12:
        six = np.uint16(0x3F)
        y, c = (np.asarray((plane[:, 0::2] & six) << 6 | plane[:, 1::2] & six, np.uint16) for plane in (luma, chroma))
        return y, c[:, 0::2], c[:, 1::2]
    return luma, chroma[:, 0::2], chroma[:, 1::2]


def of_sd(rows: Words) -> Planes:
    """Return planes of rows of SD: C′B Y C′R Y."""
    return rows[:, 1::2], rows[:, 0::4], rows[:, 2::4]


def of_two_links(parts: Sequence[Streams]) -> Planes:
    """Return planes of 4:4:4 over links A and B of ST 372."""
    (even, g), (odd, _) = parts
    b, r = (np.empty(g.shape, np.uint16) for _ in range(2))
    for at, stream in ((0, even), (1, odd)):
        b[:, at::2], r[:, at::2] = stream[:, 0::2], stream[:, 1::2]
    return g, b, r


def joined_lines(parts: Sequence[Planes]) -> Planes:
    """Return the picture whose rows come in turn from two links of ST 372."""
    results = []
    for a, b in zip(*parts, strict=True):
        whole = np.empty((a.shape[0] * 2, a.shape[1]), np.uint16)
        whole[0::2], whole[1::2] = a, b
        results.append(whole)
    return results[0], results[1], results[2]


def joined_pairs(parts: Sequence[Planes], sampling: str) -> Planes:
    """Return the picture of four that were cut by pairs of samples, each pair with its one sample of either colour
    difference.
    """
    results = []
    for index in range(3):
        wide = 2 if index == 0 or sampling == "4:4:4" else 1
        height, width = parts[0][index].shape
        whole = np.empty((height * 2, width // wide, 2, wide), np.uint16)
        for number, part in enumerate(parts):
            whole[number // 2 :: 2, :, number % 2] = part[index].reshape(height, width // wide, wide)
        results.append(whole.reshape(height * 2, width * 2))
    return results[0], results[1], results[2]


def joined_quarters(parts: Sequence[Planes]) -> Planes:
    """Return the picture of its four quarters."""
    results = [np.block([[parts[0][n], parts[1][n]], [parts[2][n], parts[3][n]]]) for n in range(3)]
    return results[0], results[1], results[2]


def sampled_420(planes: Planes, interlaced: bool) -> Planes:
    """Return planes whose colour differences are those of every second line, of every second line of a field where
    there are fields.
    """
    y, cb, cr = planes
    if not interlaced:
        return y, cb[0::2], cr[0::2]
    results = []
    for plane in (cb, cr):
        half = np.empty((plane.shape[0] // 2, plane.shape[1]), np.uint16)
        half[0::2], half[1::2] = plane[0::4], plane[1::4]
        results.append(half)
    return y, results[0], results[1]

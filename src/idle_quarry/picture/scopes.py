"""Scopes: what a picture's codes are, as counts that can be drawn; and one field of a picture to look at."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.signal.colour import MATRICES
from idle_quarry.signal.formats import Encoding
from idle_quarry.signal.levels import Levels

Samples = NDArray[Any]
Counts = NDArray[np.int64]


def ycbcr_to_rgb(y: Samples, cb: Samples, cr: Samples, matrix: str) -> tuple[Samples, Samples, Samples]:
    """Return R′, G′, B′ of luma and colour differences; values outside pass through.

    Parameters
    ----------
    y
        0 (black) to 1 (white), any shape.
    cb, cr
        −0.5 to 0.5, of the same shape.
    matrix
        A matrix of `signal`; "rgb", which has no colour differences, is taken as BT.709's.

    Returns
    -------
    Three arrays of that shape, float32.

    References
    ----------
    ITU-R BT.601, BT.709 and BT.2020 by their Kr and Kb.
    """
    _, kr, kb, _ = MATRICES[matrix]
    if kr is None or kb is None:
        _, kr, kb, _ = MATRICES["bt709"]
    assert kr is not None and kb is not None
    red = y + np.float32(2 * (1 - kr)) * cr
    blue = y + np.float32(2 * (1 - kb)) * cb
    green = (y - np.float32(kr) * red - np.float32(kb) * blue) / np.float32(1 - kr - kb)
    return red, green, blue


def normalised(
    luma: Samples, chroma: tuple[Samples, Samples], bits: int, encoding: Encoding
) -> tuple[Samples, Samples, Samples]:
    """Return luma 0…1 (h, w) and colour differences −0.5…0.5 (h', w') of code values of `bits` bits, float32."""
    levels = Levels(bits, encoding.range == "narrow")
    span = np.float32((224 << (bits - 8)) if levels.narrow else (1 << bits) - 1)
    y = (luma.astype(np.float32) - levels.black) / np.float32(levels.white - levels.black)
    cb, cr = ((plane.astype(np.float32) - levels.chroma_zero) / span for plane in chroma)
    return y, cb, cr


def field_shown(picture: NDArray[np.uint8], order: str) -> NDArray[np.uint8]:
    """Return one field of a picture (h, w, 3) at full height: "top" (even lines) or "bottom", lines between mixed."""
    first = 0 if order == "top" else 1
    lines = picture[first::2]
    shown = np.empty_like(picture)
    shown[first::2] = lines
    other = shown[1 - first :: 2]
    below = lines[: len(other)] if first == 0 else np.concatenate([lines[:1], lines])[: len(other)]
    above = np.concatenate([lines[1:], lines[-1:]])[: len(other)] if first == 0 else lines[: len(other)]
    other[:] = ((below.astype(np.uint16) + above[: len(other)] + 1) // 2).astype(np.uint8)
    return shown


def waveform(luma: Samples, bits: int, columns: int = 256) -> Counts:
    """Return how often each level lies in each part of the width.

    Parameters
    ----------
    luma
        Codes (h, w); lines are thinned to about 270.
    bits
        The codes' depth.
    columns
        How many parts of the width are counted.

    Returns
    -------
    (256, columns): row 0 is code 0.
    """
    height, width = luma.shape
    thin = luma[:: max(1, height // 270)]
    level = (thin >> (bits - 8)).astype(np.intp)
    column = np.arange(width, dtype=np.intp) * columns // width
    flat = np.bincount((level * columns + column[None, :]).ravel(), minlength=256 * columns)
    return flat[: 256 * columns].reshape(256, columns)


def histogram(luma: Samples, bits: int) -> Counts:
    """Return how many samples have each of 256 levels, lines and columns thinned, shape (256,)."""
    step = max(1, int(np.sqrt(luma.size / 300_000)))
    return np.bincount((luma[::step, ::step] >> (bits - 8)).ravel().astype(np.intp), minlength=256)[:256]


def vectors(chroma: tuple[Samples, Samples], bits: int, size: int = 128) -> Counts:
    """Return how many samples have each pair of colour differences, shape (size, size): rows C′R, columns C′B."""
    step = max(1, int(np.sqrt(chroma[0].size / 200_000)))
    cb, cr = ((plane[::step, ::step].ravel().astype(np.intp) * size) >> bits for plane in chroma)
    return np.bincount(cr * size + cb, minlength=size * size)[: size * size].reshape(size, size)

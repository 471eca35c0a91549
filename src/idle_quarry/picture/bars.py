"""Line-up bars as code values: EBU bars, bars with reverse blue and black steps, and HDR bars of BT.2111."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from idle_quarry.signal.colour import MATRICES, is_hdr
from idle_quarry.signal.formats import CHROMA_STEPS, Encoding, SignalFormat

Colour = tuple[float, float, float]
Planes = tuple[NDArray[np.uint16], NDArray[np.uint16], NDArray[np.uint16]]

_ORDER: tuple[Colour, ...] = ((1, 1, 1), (1, 1, 0), (0, 1, 1), (0, 1, 0), (1, 0, 1), (1, 0, 0), (0, 0, 1))
_BLACK: Colour = (0.0, 0.0, 0.0)


@dataclass(frozen=True)
class Strip:
    """A part of the picture's height, cut across into coloured shares of its width (R′G′B′, 0 to 1)."""

    share: float
    cells: tuple[tuple[float, Colour], ...]


def _bars(level: float) -> tuple[tuple[float, Colour], ...]:
    return tuple((1 / 7, (r * level, g * level, b * level)) for r, g, b in _ORDER)


def _grey(level: float) -> Colour:
    return (level, level, level)


def pattern(fmt: SignalFormat) -> tuple[str, tuple[Strip, ...]]:
    """Return the name and strips of the bars that belong to a format.

    HDR: 100 % over 75 % (HLG) or 58 % (PQ) bars over black steps, after ITU-R BT.2111-2. 50 Hz and cinema:
    EBU bars 100/0/75/0 (ITU-R BT.471). 59.94 Hz: 75 % bars, reverse blue, black steps (SMPTE RP 219-1).
    The lowest part is black: the ident stands there.
    """
    steps = tuple((1 / 8, _grey(level)) for level in (0.0, -0.02, 0.0, 0.02, 0.0, 0.04, 0.0, 0.75))
    ident = Strip(1 / 6, ((1.0, _BLACK),))
    if is_hdr(fmt.encoding.transfer):
        level = 0.75 if fmt.encoding.transfer == "hlg" else 0.58
        name = f"{level:.0%} bars with 100 % above (BT.2111)".replace("%", " %", 1)
        return name, (Strip(1 / 12, _bars(1.0)), Strip(7 / 12, _bars(level)), Strip(1 / 6, steps), ident)
    if fmt.rate.denominator == 1001 and fmt.raster.height <= 1080:
        reverse: tuple[tuple[float, Colour], ...] = tuple(
            (1 / 7, (r * 0.75, g * 0.75, b * 0.75)) if i % 2 == 0 else (1 / 7, _BLACK)
            for i, (r, g, b) in enumerate(reversed(_ORDER))
        )
        strips = (Strip(7 / 12, _bars(0.75)), Strip(1 / 12, reverse), Strip(1 / 6, steps), ident)
        return "75 % bars with reverse blue and black steps (RP 219)", strips
    ebu = ((1 / 8, (1.0, 1.0, 1.0)), *((1 / 8, cell) for _, cell in _bars(0.75)[1:]), (1 / 8, _BLACK))
    return "EBU bars 100/0/75/0 (BT.471)", (Strip(5 / 6, ebu), ident)


def rgb_picture(fmt: SignalFormat) -> NDArray[np.float64]:
    """Return the bars as R′G′B′, shape (height, width, 3), 0 is black and 1 is white; edges beyond the
    nominal picture of SD lines are black."""
    height, width = fmt.raster.height, fmt.raster.width
    picture = np.zeros((height, width, 3))
    inside = int(fmt.raster.picture_width)
    left = (width - inside) // 2
    _, strips = pattern(fmt)
    top = 0.0
    for strip in strips:
        first, last = round(top * height), round((top + strip.share) * height)
        top += strip.share
        across = 0.0
        for share, colour in strip.cells:
            start, stop = left + round(across * inside), left + round((across + share) * inside)
            across += share
            picture[first:last, start:stop] = colour
    return picture


def ycbcr_codes(rgb: NDArray[np.float64], encoding: Encoding) -> Planes:
    """Return Y′, C′B, C′R code values of R′G′B′ (h, w, 3), each uint16; chroma is (h', w') by the sampling.

    Chroma is averaged over the samples it stands for. Codes that SDI keeps for itself are not used.
    Raises `ValueError` for an RGB encoding, which has no matrix.
    """
    _, kr, kb, _ = MATRICES[encoding.matrix]
    if kr is None or kb is None:
        raise ValueError("RGB has no luma")
    red, green, blue = rgb[..., 0], rgb[..., 1], rgb[..., 2]
    luma = kr * red + (1 - kr - kb) * green + kb * blue
    cb = (blue - luma) / (2 * (1 - kb))
    cr = (red - luma) / (2 * (1 - kr))
    across, down = CHROMA_STEPS[encoding.sampling]
    height, width = rgb.shape[:2]
    cb, cr = (c.reshape(height // down, down, width // across, across).mean(axis=(1, 3)) for c in (cb, cr))
    levels = encoding.levels
    top = (1 << levels.bits) - 1
    low, high = (levels.reserved, top - levels.reserved) if levels.narrow else (0, top)
    span = (224 << (levels.bits - 8)) if levels.narrow else top
    luma_codes = np.clip(np.rint(levels.black + luma * (levels.white - levels.black)), low, high)
    chroma = [np.clip(np.rint(levels.chroma_zero + c * span), low, high) for c in (cb, cr)]
    return luma_codes.astype(np.uint16), chroma[0].astype(np.uint16), chroma[1].astype(np.uint16)

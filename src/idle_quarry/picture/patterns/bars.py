"""Line-up bars as the standards lay them out, chosen by format: EBU, SMPTE EG 1, RP 219-1 and -2, ITU-R BT.2111.

A pattern is bands of cells, measured on a grid of 1920 by 12 and scaled to the picture; levels are shares of white, so
that codes follow at any depth. Edges between cells are hard: none of the standards' rise times is drawn.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import accumulate

import numpy as np
from numpy.typing import NDArray

from idle_quarry.picture.colour import primaries_matrix
from idle_quarry.picture.transfers import hlg_to_scene, light_to_pq, scene_to_hlg
from idle_quarry.signal.colour import HDR_REFERENCE_WHITE_CDM2, MATRICES, is_hdr
from idle_quarry.signal.formats import CHROMA_STEPS, Encoding, SignalFormat
from idle_quarry.signal.rates import counting_base, is_pulled

Colour = tuple[float, float, float]
Planes = tuple[NDArray[np.uint16], NDArray[np.uint16], NDArray[np.uint16]]

#: Samples across and parts down that patterns are measured in.
GRID = (1920, 12)


@dataclass(frozen=True)
class BarsCell:
    """A part of a band: samples of 1920, its R′G′B′ (1 is white), and where it is a ramp the R′G′B′ it rises to."""

    width: float
    colour: Colour
    to: Colour | None = None


@dataclass(frozen=True)
class BarsBand:
    """Cells from left to right, so many twelfths of the picture high."""

    height: float
    cells: tuple[BarsCell, ...]


@dataclass(frozen=True)
class Pattern:
    """Bars with their name, and the black box for the ident: left, top, width and height on the grid."""

    name: str
    bands: tuple[BarsBand, ...]
    ident: tuple[float, float, float, float]
    ident_level: float = 0.75


_ORDER: tuple[Colour, ...] = ((1, 1, 1), (1, 1, 0), (0, 1, 1), (0, 1, 0), (1, 0, 1), (1, 0, 0), (0, 0, 1))
_WHITE, _YELLOW, _CYAN, _GREEN, _MAGENTA, _RED, _BLUE = _ORDER
_BLACK: Colour = (0.0, 0.0, 0.0)
#: Widths of the seven bars between the side panels of 240: RP 219-1 and BT.2111, 1920 samples.
_SEVEN = (206, 206, 206, 204, 206, 206, 206)
_SIDE = 240


def _grey(level: float) -> Colour:
    return (level, level, level)


def _at(colour: Colour, level: float) -> Colour:
    red, green, blue = colour
    return red * level, green * level, blue * level


def _cells(widths: Sequence[float], colours: Sequence[Colour]) -> tuple[BarsCell, ...]:
    return tuple(BarsCell(width, colour) for width, colour in zip(widths, colours, strict=True))


def _between(left: Colour, middle: Sequence[BarsCell], right: Colour) -> tuple[BarsCell, ...]:
    return (BarsCell(_SIDE, left), *middle, BarsCell(_SIDE, right))


#: ITU-R BT.471: white at 100 %, the colours at 75 %, black; eight of one width. Below it stands the ident.
_EBU = Pattern(
    "EBU bars 100/0/75/0 (ITU-R BT.471)",
    (
        BarsBand(10, _cells([240] * 8, [_WHITE, *(_at(c, 0.75) for c in _ORDER[1:]), _BLACK])),
        BarsBand(2, (BarsCell(1920, _BLACK),)),
    ),
    (0, 10, 1920, 2),
)


#: BT.471 with the colours at 100 % as well.
_EBU_100 = Pattern(
    "EBU bars 100/0/100/0 (ITU-R BT.471)",
    (BarsBand(10, _cells([240] * 8, [*_ORDER, _BLACK])), BarsBand(2, (BarsCell(1920, _BLACK),))),
    (0, 10, 1920, 2),
)
_RAMP = Pattern(
    "luma ramp and steps",
    (
        BarsBand(6, (BarsCell(1920, _BLACK, _WHITE),)),
        BarsBand(4, _cells([*[174] * 5, 180, *[174] * 5], [_grey(n / 10) for n in range(11)])),
        BarsBand(2, (BarsCell(1920, _BLACK),)),
    ),
    (0, 10, 1920, 2),
)


def _eg_1() -> Pattern:
    """Return SMPTE EG 1-1990: 75 % bars, reverse blue, −I, white, +Q and PLUGE of ±4 %, for 525 lines."""
    bar = 1920 / 7
    reverse = [_BLUE, _BLACK, _MAGENTA, _BLACK, _CYAN, _BLACK, _WHITE]
    # −I and +Q are subcarrier of 20 IRE on black, 33° from V and U (ST 170); U and V of 100 % white over 92.5 IRE
    turn, level = np.deg2rad(33), 20 / 92.5
    minus_i = _of_subcarrier(level * np.sin(turn), -level * np.cos(turn))
    plus_q = _of_subcarrier(level * np.cos(turn), level * np.sin(turn))
    lowest = [minus_i, _WHITE, plus_q, _BLACK, _grey(-0.04), _BLACK, _grey(0.04), _BLACK]
    widths = [1.25 * bar] * 4 + [bar / 3] * 3 + [bar]
    bands = (
        BarsBand(8, _cells([bar] * 7, [_at(c, 0.75) for c in _ORDER])),
        BarsBand(1, _cells([bar] * 7, [_at(c, 0.75) for c in reverse])),
        BarsBand(3, _cells(widths, lowest)),
    )
    return Pattern("SMPTE EG 1 bars", bands, (240, 5, 1440, 2.5))


def _of_subcarrier(u: float, v: float) -> Colour:
    """Return R′G′B′, some of it negative, of U and V on black (BT.470: U = 0.493 (B′−Y), V = 0.877 (R′−Y))."""
    _, kr, kb, _ = MATRICES["bt601"]
    assert kr is not None and kb is not None
    red, blue = float(v) / 0.877, float(u) / 0.493
    return red, -(kr * red + kb * blue) / (1 - kr - kb), blue


def _rp_219(part: int) -> Pattern:
    """Return SMPTE RP 219-1:2014 (-2 for UHD) with −I and +Q in the places left to choice."""
    minus_i: Colour = (0.0, 0.2456, 0.4125)
    plus_q: Colour = (0.2536, 0.0, 0.4703)
    first, ramp, last = _SEVEN[0], sum(_SEVEN[1:6]), _SEVEN[6]
    lowest = [_BLACK, _WHITE, _BLACK, _grey(-0.02), _BLACK, _grey(0.02), _BLACK, _grey(0.04), _BLACK]
    bands = (
        BarsBand(7, _between(_grey(0.4), _cells(_SEVEN, [_at(c, 0.75) for c in _ORDER]), _grey(0.4))),
        BarsBand(1, _between(_CYAN, (BarsCell(first, minus_i), BarsCell(ramp + last, _grey(0.75))), _BLUE)),
        BarsBand(
            1,
            _between(_YELLOW, (BarsCell(first, plus_q), BarsCell(ramp, _BLACK, _WHITE), BarsCell(last, _WHITE)), _RED),
        ),
        BarsBand(3, _between(_grey(0.15), _cells((309, 411, 171, 69, 68, 69, 68, 69, 206), lowest), _grey(0.15))),
    )
    return Pattern(f"SMPTE RP 219-{part} bars", bands, (240, 4.5, 1440, 2))


def _bt_2111(transfer: str, narrow: bool) -> Pattern:
    """Return ITU-R BT.2111-2: 100 % and 75 % (HLG) or 58 % (PQ) bars, steps, a ramp, BT.709 bars and black steps."""
    level = 0.75 if transfer == "hlg" else 0.58
    # −7 % and 109 % are the first and the last code that travel, 4 and 1019 of 10 bits: the ramp has each between, once
    low, high = ((4 - 64) / 876, (1019 - 64) / 876) if narrow else (0.0, 1.0)
    grey, white = _grey(0.4), _grey(level)
    steps = [_grey(low), *(_grey(n / 10) for n in range(11)), _grey(high)]
    step_widths = [206, *[103] * 4, 102, 102, *[103] * 6]
    lowest = [_BLACK, _grey(-0.02), _BLACK, _grey(0.02), _BLACK, _grey(0.04), _BLACK, white, _BLACK]
    small = [BarsCell(80, _bt_709_in(colour, transfer)) for colour in (_YELLOW, _CYAN, _GREEN, _MAGENTA, _RED, _BLUE)]
    bands = (
        BarsBand(1, _between(grey, _cells(_SEVEN, _ORDER), grey)),
        BarsBand(6, _between(grey, _cells(_SEVEN, [_at(c, level) for c in _ORDER]), grey)),
        BarsBand(1, _between(white, _cells(step_widths, steps), white)),
        BarsBand(
            1,
            (
                BarsCell(240, _BLACK),
                BarsCell(559, _grey(low)),
                BarsCell(1014, _grey(low), _grey(high)),
                BarsCell(107, _grey(high)),
            ),
        ),
        BarsBand(3, (*small[:3], *_cells((136, 70, 68, 70, 68, 70, 238, 438, 282), lowest), *small[3:])),
    )
    name = f"ITU-R BT.2111 {transfer.upper()} bars{'' if narrow else ', full range'}"
    return Pattern(name, bands, (240, 4.5, 1440, 2), level)


def _bt_709_in(colour: Colour, transfer: str) -> Colour:
    """Return a BT.709 colour as BT.2020 R′G′B′, its white at reference white of the signal (BT.2111, table of
    BT.709 bars).
    """
    light = primaries_matrix("bt709", "bt2020") @ np.array(colour)
    signal = (
        scene_to_hlg(light * hlg_to_scene(np.array(0.75)))
        if transfer == "hlg"
        else light_to_pq(light * HDR_REFERENCE_WHITE_CDM2)
    )
    red, green, blue = (float(value) for value in signal)
    return red, green, blue


#: Rasters that RP 219 and BT.2111 name; on any other the pattern is laid out after them.
_NAMED = {(1920, 1080), (1280, 720), (3840, 2160), (7680, 4320)}


#: The pictures that can be chosen (`lineups.toml`), each for a format.
CHOSEN: dict[str, Callable[[SignalFormat], Pattern]] = {
    "ebu-75": lambda _fmt: _EBU,
    "ebu-100": lambda _fmt: _EBU_100,
    "eg-1": lambda _fmt: _eg_1(),
    "rp-219-1": lambda _fmt: _rp_219(1),
    "rp-219-2": lambda _fmt: _rp_219(2),
    "bt-2111": lambda fmt: _bt_2111(_hdr_of(fmt), fmt.encoding.range == "narrow"),
    "ramp": lambda _fmt: _RAMP,
}


def _hdr_of(fmt: SignalFormat) -> str:
    return fmt.encoding.transfer if is_hdr(fmt.encoding.transfer) else "hlg"


def pattern(fmt: SignalFormat, choice: str = "") -> Pattern:
    """Return the bars of a choice (a key of `CHOSEN`), or those that belong to a format.

    HDR: BT.2111. 525 lines: EG 1. Where pictures run at 30, 60 or 120 a second, or at a thousandth less: RP 219-1, for
    UHD -2. All else, 50 Hz and cinema: EBU bars.
    """
    if choice:
        return CHOSEN[choice](fmt)
    if is_hdr(fmt.encoding.transfer):
        result = _bt_2111(fmt.encoding.transfer, fmt.encoding.range == "narrow")
    elif fmt.raster.line_system == 525:
        return _eg_1()
    elif fmt.raster.line_system is None and (is_pulled(fmt.rate) or counting_base(fmt.rate) in (30, 60, 120)):
        result = _rp_219(1 if fmt.raster.height <= 1080 else 2)
    else:
        return _EBU
    if (fmt.raster.width, fmt.raster.height) in _NAMED:
        return result
    return Pattern(f"bars after {result.name.removesuffix(' bars')}", result.bands, result.ident, result.ident_level)


def _edges(widths: Sequence[float], across: int) -> list[int]:
    """Return where cells end, on even samples as chroma wants them where the grid is scaled."""
    scale = across / GRID[0]
    ends = list(accumulate(widths))
    if across % GRID[0] == 0:
        return [round(end * scale) if float(end).is_integer() else round(end * scale / 2) * 2 for end in ends]
    return [round(end * scale / 2) * 2 for end in ends[:-1]] + [across]


def rgb_picture(fmt: SignalFormat, choice: str = "") -> NDArray[np.float64]:
    """Return the bars as R′G′B′, shape (height, width, 3), 0 is black and 1 is white; edges beyond the
    nominal picture of SD lines are black.
    """
    height, width = fmt.raster.height, fmt.raster.width
    picture = np.zeros((height, width, 3))
    inside = int(fmt.raster.picture_width) // 2 * 2
    left = (width - inside) // 4 * 2
    top = 0.0
    for band in pattern(fmt, choice).bands:
        lines = slice(round(top * height / GRID[1]), round((top + band.height) * height / GRID[1]))
        top += band.height
        start = 0
        for cell, end in zip(band.cells, _edges([cell.width for cell in band.cells], inside), strict=True):
            span = slice(left + start, left + end)
            picture[lines, span] = cell.colour
            if cell.to is not None:  # its ends are the neighbours' levels: n samples rise in n + 1 steps
                rise = (np.arange(1, end - start + 1) / (end - start + 1))[:, None]
                picture[lines, span] = np.array(cell.colour) + rise * (np.array(cell.to) - np.array(cell.colour))
            start = end
    return picture


def ident_box(fmt: SignalFormat, choice: str = "") -> tuple[int, int, int, int]:
    """Return left, top, width and height of the part of the bars in which the ident stands, in samples and lines."""
    x, y, width, height = pattern(fmt, choice).ident
    across, down = fmt.raster.width / GRID[0], fmt.raster.height / GRID[1]
    return round(x * across), round(y * down), round(width * across), round(height * down)


def ycbcr_codes(rgb: NDArray[np.float64], encoding: Encoding) -> Planes:
    """Return Y′, C′B, C′R code values of R′G′B′; chroma is averaged over the samples it stands for.

    Parameters
    ----------
    rgb
        (h, w, 3): 0 is black, 1 is white.
    encoding
        Matrix, depth, range and sampling.

    Returns
    -------
    Three planes, uint16: luma (h, w) and chroma (h', w') by the sampling. Codes that SDI keeps for itself are not used.

    Raises
    ------
    ValueError
        An RGB encoding, which has no matrix.

    References
    ----------
    ITU-R BT.601, BT.709, BT.2020: quantisation of luma and colour differences.
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

"""Figures of a conversion: what is left, what was added, and how it moves.

Sources: ITU-R BT.2124 (ΔE ITP); ITU-R BT.2100 (ICtCp); ISO 12233 in spirit (contrast kept by frequency).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.picture.colour import HDR_REFERENCE_WHITE, PEAKS, light_in, primaries_matrix, to_light, white_of
from idle_quarry.picture.link import Conversion
from idle_quarry.picture.patterns.charts import Grid, chart_frame, grid_after, zone_steepness
from idle_quarry.picture.planes import Planes, to_rgb
from idle_quarry.picture.transfers import light_to_pq
from idle_quarry.signal.colour import is_hdr
from idle_quarry.signal.formats import CHROMA_STEPS, SignalFormat

Values = NDArray[Any]

#: Two lines that part by this much of white (0…1), and back again, are a comb.
_TOOTH = 20 / 255
#: BT.2100-2, table 7: light to cone responses.
_LMS = np.array([[1688, 2146, 262], [683, 2951, 462], [99, 309, 3688]]) / 4096
_ITP = np.array([[2048, 2048, 0], [6610, -13613, 7003], [17933, -17390, -543]]) / 4096
_ITP[1] *= 0.5  # BT.2124: T is half of C_T


def combing(luma: Values) -> float:
    """Return the share of places (0…1) whose line stands out from both its neighbours, over four lines in turn."""
    apart = np.diff(luma, axis=0)
    tooth = (apart[:-1] * apart[1:] < 0) & (np.minimum(np.abs(apart[:-1]), np.abs(apart[1:])) > _TOOTH)
    return float((tooth[:-1] & tooth[1:]).mean())


def twitter(luma: Values) -> float:
    """Return how much of an interlaced picture's detail only one field has: RMS of single-line detail, % of white.

    What one line shows and the lines above and below do not flickers at the frame rate.
    """
    alone = luma[1:-1] / 2 - (luma[:-2] + luma[2:]) / 4
    return float(100 * np.sqrt(np.mean(np.square(alone, dtype=np.float64))))


def judder_ms(shown: Sequence[Fraction], wanted: Sequence[Fraction]) -> float:
    """Return the irregularity of motion: RMS of how far each moment's time is from even, ms, a steady delay left
    out.
    """
    off = np.array([float(1000 * (a - b)) for a, b in zip(shown, wanted, strict=True)])
    return float(np.sqrt(np.mean((off - off.mean()) ** 2))) if off.size else 0.0


def banding(codes: Values) -> tuple[int, float]:
    """Return the longest flat run (samples) and the largest step (codes) of a ramp's middle line of luma codes (h,
    w).
    """
    line = codes[codes.shape[0] // 2].astype(int)
    breaks = np.flatnonzero(np.diff(line))
    edges = np.concatenate([[-1], breaks, [line.size - 1]])
    return int(np.diff(edges).max()), float(np.abs(np.diff(line)).max(initial=0))


def delta_e_itp(light: Sequence[Values], other: Sequence[Values]) -> Values:
    """Return ΔE ITP of light (R, G, B with BT.2020 primaries, cd/m², each any one shape) against another's
    (BT.2124).
    """

    def itp(channels: Sequence[Values]) -> Values:
        lms = [sum(w * np.maximum(c, 0) for w, c in zip(row, channels, strict=True)) for row in _LMS]
        signal = [light_to_pq(np.asarray(item)) for item in lms]
        return np.stack([sum(w * c for w, c in zip(row, signal, strict=True)) for row in _ITP])

    return np.asarray(720 * np.sqrt(np.square(itp(light) - itp(other)).sum(axis=0)))


def absolute_light(rgb: Sequence[Values], primaries: str, transfer: str) -> list[Values]:
    """Return R′, G′, B′ as light with BT.2020 primaries, cd/m², SDR white at 203 so that both worlds compare
    (BT.2408).
    """
    light = to_light(rgb, transfer)
    scale = 1.0 if is_hdr(transfer) else HDR_REFERENCE_WHITE / white_of(transfer)
    matrix = primaries_matrix(primaries, "bt2020") * scale
    return [sum(w * c for w, c in zip(row, light, strict=True)) for row in matrix]


@dataclass(frozen=True)
class OutOfRange:
    """Shares of the picture (0…1): colours outside the target's gamut, and light beyond its black and white."""

    gamut: float
    clipped: float


def outside(rgb: Planes, source: SignalFormat, target: SignalFormat) -> OutOfRange:
    """Return what of a picture (R′, G′, B′ of the source, each (h, w)) the target cannot show."""
    pair = (source.encoding.primaries, source.encoding.transfer), (target.encoding.primaries, target.encoding.transfer)
    light = np.stack(light_in(rgb, *pair))
    peak = PEAKS[target.encoding.transfer]
    slack = 0.002 * peak  # half a code of 8 bits: rounding is not a colour outside
    return OutOfRange(float((light < -slack).any(axis=0).mean()), float((light > peak + slack).any(axis=0).mean()))


@dataclass(frozen=True)
class Response:
    """What a conversion's filter does to a zone plate and an edge.

    `aliasing` is the RMS of what shows where nothing should, `overshoot` how far an edge of 0 to 100 % swings beyond,
    both in % of white; `lines` the vertical resolution at which half of the contrast is left, lines a picture height.
    """

    aliasing: float
    overshoot: float
    lines: float


def response(conversion: Conversion) -> Response:
    """Return what a conversion does to the zone plate and to an edge, at frame 2 of each.

    Both are grey, colour is left.
    """
    source = conversion.source
    # conversions of their own: what another clip left in one is not looked at
    grey = conversion.policy.with_parts(colour="leave")
    result = to_rgb(
        Conversion(source, conversion.target, grey).frame(2, lambda index: chart_frame("zone", source, max(0, index))),
        conversion.target.encoding,
    )[1]
    grid = grid_after(source, conversion.target, conversion.plan.placement)
    return Response(
        _aliasing(result, grid),
        _overshoot(Conversion(source, conversion.target, grey)),
        _lines_kept(result, grid),
    )


def _frequencies(grid: Grid) -> tuple[Values, Values]:
    steep = 2 * zone_steepness(grid)
    return np.abs(steep * grid.down), np.abs(steep * grid.across)


def _aliasing(values: Values, grid: Grid) -> float:
    """RMS where the chart's own frequency is beyond what can be carried and it should be grey, % of white."""
    down, across = _frequencies(grid)
    picture = (np.abs(grid.down) < 0.48) & (np.abs(grid.across) < 0.48 * float(grid.fmt.raster.display_aspect))
    beyond = picture & ((down > grid.fine_down) | (across > grid.fine_across))
    if beyond.mean() < 0.005:
        return 0.0
    return float(100 * np.sqrt(np.mean(np.square(values[beyond] - values[beyond].mean(), dtype=np.float64))))


def _lines_kept(values: Values, grid: Grid) -> float:
    """Frequency down the middle of the picture at which the rings' contrast falls below half, as lines a height.

    Contrast is the RMS over a band of frequencies an eighth wide; the first band is wide enough for a whole ring.
    """
    middle, inside = np.abs(grid.across[0]) < 0.02, np.abs(grid.down[:, 0]) < 0.5
    power = np.square(values[:, middle] - 0.5, dtype=np.float64).mean(axis=1)
    frequency = _frequencies(grid)[0][:, 0]
    highest = min(grid.fine_down, zone_steepness(grid))
    low = 4.1 * float(np.sqrt(zone_steepness(grid)))
    while low < highest:
        band = inside & (frequency >= low) & (frequency < min(highest, low * 1.125))
        if band.any() and np.sqrt(2 * power[band].mean()) < 0.5 * 0.4:
            return 2 * low
        low *= 1.03
    return 2 * highest


def _overshoot(conversion: Conversion) -> float:
    """Swing of a level edge beyond 0 and 1 in the converted luma, % of white."""
    raster, steps = conversion.source.raster, CHROMA_STEPS[conversion.source.encoding.sampling]
    luma = np.zeros((raster.height, raster.width), np.float32)
    luma[raster.height // 4 : 3 * raster.height // 4, raster.width // 4 : 3 * raster.width // 4] = 0.8
    luma += 0.1
    zero = np.zeros((-(-raster.height // steps[1]), -(-raster.width // steps[0])), np.float32)
    planes = (luma,) * 3 if conversion.source.encoding.matrix == "rgb" else (luma, zero, zero)
    result = to_rgb(conversion.frame(2, lambda _index: planes), conversion.target.encoding)[1]
    return float(100 * max(0.0, result.max() - np.float32(0.9)) / 0.8)

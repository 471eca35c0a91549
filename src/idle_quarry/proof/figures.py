"""Figures of pictures and conversions: colour error, judder, filters, and where two pictures differ most."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.path.policies import Policy
from idle_quarry.picture.figures import (
    Response,
    absolute_light,
    delta_e_itp,
    judder_ms,
    response,
)
from idle_quarry.picture.link import Conversion
from idle_quarry.picture.planes import Planes, planes_of_codes, ycbcr_of
from idle_quarry.picture.recolouring import converted_planes
from idle_quarry.picture.seen import Rgb8
from idle_quarry.signal.formats import SignalFormat

#: Output frames over which judder is looked at: a second of any rate, and a second more.
_JUDDER_FRAMES = 120


@dataclass(frozen=True)
class Figure:
    """One figure with its unit; `better` says which way is better, or nothing where neither is."""

    name: str
    text: str
    value: float
    better: str = ""
    explained: str = ""
    warns: bool = False


def colour_error(rgb: Planes, source: SignalFormat, target: SignalFormat, policy: Policy) -> Any:
    """Return ΔE ITP of R′, G′, B′ of the source to what the target shows of them under a policy, one for each sample.

    Both are seen as light with SDR white at 203 cd/m². Where HDR comes down to SDR the tone curve counts as meant.
    """
    pair = (source.encoding.primaries, source.encoding.transfer), (target.encoding.primaries, target.encoding.transfer)
    if policy.colour == "leave":
        results = rgb
    else:
        results = converted_planes(rgb, *pair, soften=policy.colour == "soften", tone=policy.tone)
    wide = ("bt2020", target.encoding.transfer)
    meant = converted_planes(rgb, pair[0], wide)
    return delta_e_itp(absolute_light(meant, *wide), absolute_light(results, *pair[1]))


def judder(conversion: Conversion) -> float:
    """Return the irregularity of motion over a second or two of output, ms RMS."""
    rates = conversion.source.moments, conversion.target.moments
    seen: list[Fraction] = []
    wanted: list[Fraction] = []
    for index in range(_JUDDER_FRAMES):
        for place, origin in enumerate(conversion.origins(index)):
            # where both fields show one picture, that picture's frame rate counts
            own = (
                conversion.source.rate if conversion.one_moment and conversion.source.scan != "interlaced" else rates[0]
            )
            seen.append((origin.first + Fraction(origin.phase).limit_denominator(1001)) / own)
            moments = 1 if conversion.one_moment else 2
            wanted.append(conversion.shown_seconds(index * moments + place))
    return judder_ms(seen, wanted)


@lru_cache(maxsize=64)
def _response(source: SignalFormat, target: SignalFormat, policy: Policy) -> Response:
    return response(Conversion(source, target, policy))


def filter_figures(result: Response) -> list[Figure]:
    """Return the figures of a conversion's filter."""
    return [
        Figure(
            "resolution kept",
            f"{result.lines:.0f} lines",
            result.lines,
            "more",
            "Down the zone plate, to half of the contrast.",
        ),
        Figure(
            "aliasing",
            f"{result.aliasing:.1f} %",
            result.aliasing,
            "less",
            "Of white, RMS, where the zone plate should be grey.",
        ),
        Figure(
            "overshoot", f"{result.overshoot:.1f} %", result.overshoot, "less", "Of an edge, beyond its brighter side."
        ),
    ]


def luma_of(codes: Planes, fmt: SignalFormat) -> Any:
    """Return luma (h, w), 0 to 1, of codes; of R′G′B′ by BT.709."""
    planes = planes_of_codes(codes, fmt.encoding)
    return planes[0] if fmt.encoding.matrix != "rgb" else ycbcr_of(planes, "bt709")[0]


def luma_of_rgb(rgb: Planes, fmt: SignalFormat) -> Any:
    """Return luma (h, w), 0 to 1, of R′, G′, B′, by the matrix of a format."""
    return ycbcr_of(rgb, "bt709" if fmt.encoding.matrix == "rgb" else fmt.encoding.matrix)[0]


def difference(first: Rgb8, second: Rgb8, gain: float) -> Rgb8:
    """Return how two pictures differ, around grey, multiplied by `gain`, (h, w, 3)."""
    apart = first.astype(np.int16) - second
    return np.asarray(np.clip(128 + apart * gain, 0, 255), np.uint8)


@dataclass(frozen=True)
class PictureArea:
    """A part of a picture, samples and lines, and how much two pictures differ in it (mean, codes of 8 bits)."""

    x: int
    y: int
    width: int
    height: int
    amount: float


def greatest_difference(pictures: Sequence[Rgb8], size: int = 64) -> PictureArea:
    """Return the square of about `size` in which pictures of one size differ most from the first, as seen."""
    first = pictures[0].astype(np.int16)
    apart: NDArray[np.float32] = np.zeros(first.shape[:2], np.float32)
    for other in pictures[1:]:
        apart = np.maximum(apart, np.abs(first - other).max(axis=2))
    height, width = apart.shape
    size = min(size, height, width)
    sums = np.pad(apart.cumsum(0, dtype=np.float64).cumsum(1), ((1, 0), (1, 0)))
    top = np.arange(0, height - size + 1, 8)
    left = np.arange(0, width - size + 1, 8)
    rows = sums[top + size] - sums[top]
    total = rows[:, left + size] - rows[:, left]
    y, x = divmod(int(total.argmax()), total.shape[1])
    return PictureArea(int(left[x]), int(top[y]), size, size, float(total[y, x] / size**2))

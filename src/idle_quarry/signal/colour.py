"""Primaries, transfers and matrices: their values as the standards print them, and plain facts of them."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

Point = tuple[float, float]


@dataclass(frozen=True)
class Primaries:
    """Chromaticities CIE 1931 x, y of red, green, blue and white, with their standard."""

    red: Point
    green: Point
    blue: Point
    white: Point
    label: str
    standard: str


_D65 = (0.3127, 0.3290)

PRIMARIES: dict[str, Primaries] = {
    "bt709": Primaries((0.640, 0.330), (0.300, 0.600), (0.150, 0.060), _D65, "BT.709", "ITU-R BT.709-6, 1.3"),
    "bt601-625": Primaries(
        (0.640, 0.330), (0.290, 0.600), (0.150, 0.060), _D65, "BT.601, 625 lines", "ITU-R BT.601-7, 2.5"
    ),
    "bt601-525": Primaries(
        (0.630, 0.340), (0.310, 0.595), (0.155, 0.070), _D65, "BT.601, 525 lines", "ITU-R BT.601-7, 2.5"
    ),
    "bt2020": Primaries((0.708, 0.292), (0.170, 0.797), (0.131, 0.046), _D65, "BT.2020", "ITU-R BT.2020-2, table 3"),
    "p3": Primaries((0.680, 0.320), (0.265, 0.690), (0.150, 0.060), _D65, "P3, D65", "SMPTE EG 432-1"),
    "p3-dci": Primaries(
        (0.680, 0.320), (0.265, 0.690), (0.150, 0.060), (0.314, 0.351), "P3, DCI white", "SMPTE RP 431-2"
    ),
}

#: Transfer → (label, is it high dynamic range, what reference white is as a share of signal, source).
TRANSFERS: dict[str, tuple[str, bool, str, str]] = {
    "bt709": ("BT.709 (SDR)", False, "reference white 100 %", "ITU-R BT.709-6, 1.2; displayed by BT.1886"),
    "hlg": ("HLG", True, "reference white 75 %", "ITU-R BT.2100-2, table 5; BT.2408"),
    "pq": ("PQ", True, "reference white 58 %, 203 cd/m²", "ITU-R BT.2100-2, table 4; BT.2408"),
    "gamma2.6": ("gamma 2.6", False, "white 48 cd/m² in a cinema", "SMPTE RP 431-2"),
    "srgb": ("sRGB", False, "reference white 100 %", "IEC 61966-2-1"),
    "linear": ("linear light", False, "1.0 is white", "SMPTE ST 2065-4"),
}

#: Matrix → (label, Kr, Kb, source); RGB has none.
MATRICES: dict[str, tuple[str, float | None, float | None, str]] = {
    "bt601": ("BT.601", 0.299, 0.114, "ITU-R BT.601-7, 2.5.1"),
    "bt709": ("BT.709", 0.2126, 0.0722, "ITU-R BT.709-6, 3.2"),
    "bt2020": ("BT.2020", 0.2627, 0.0593, "ITU-R BT.2020-2, table 4"),
    "rgb": ("RGB, no matrix", None, None, "ITU-R BT.2100-2, table 7"),
}


#: Light of HDR reference white, diffuse white of graphics, cd/m² (BT.2408-7, table 1).
HDR_REFERENCE_WHITE_CDM2 = 203.0


def is_hdr(transfer: str) -> bool:
    """Return whether `transfer` carries high dynamic range."""
    return TRANSFERS[transfer][1]


def keeps_excursions(source: str, target: str) -> bool:
    """Return whether sub-black and super-white go through a conversion between two transfers: where SDR stays what
    it is.

    EBU R 103 allows them and PLUGE needs them. Another transfer has no place for them that means the same.
    """
    return source == target and not is_hdr(source)


def uv(point: Point) -> Point:
    """Return CIE 1976 u′, v′ of CIE 1931 x, y (CIE 15:2004, 8.2).

    >>> tuple(round(c, 4) for c in uv((0.3127, 0.3290)))
    (0.1978, 0.4683)
    """
    x, y = point
    scale = -2 * x + 12 * y + 3
    return 4 * x / scale, 9 * y / scale


def triangle(name: str) -> tuple[Point, Point, Point]:
    """Return the u′v′ corners red, green, blue of named primaries."""
    primaries = PRIMARIES[name]
    return uv(primaries.red), uv(primaries.green), uv(primaries.blue)


def _area(polygon: tuple[Point, ...]) -> float:
    total = 0.0
    for (x0, y0), (x1, y1) in zip(polygon, polygon[1:] + polygon[:1], strict=True):
        total += x0 * y1 - x1 * y0
    return abs(total) / 2


def _clipped(subject: tuple[Point, ...], clip: tuple[Point, ...]) -> tuple[Point, ...]:
    """Return the part of convex `subject` inside convex `clip`, both counter-clockwise or both clockwise."""
    result = list(subject)
    sign = math.copysign(1.0, _signed(clip))
    for (ax, ay), (bx, by) in zip(clip, clip[1:] + clip[:1], strict=True):
        points: list[Point] = []
        for (px, py), (qx, qy) in zip(result, result[1:] + result[:1], strict=True):
            p_side = sign * ((bx - ax) * (py - ay) - (by - ay) * (px - ax))
            q_side = sign * ((bx - ax) * (qy - ay) - (by - ay) * (qx - ax))
            if p_side >= 0:
                points.append((px, py))
            if (p_side < 0) != (q_side < 0):
                t = p_side / (p_side - q_side)
                points.append((px + t * (qx - px), py + t * (qy - py)))
        result = points
        if not result:
            break
    return tuple(result)


def _signed(polygon: tuple[Point, ...]) -> float:
    return sum(x0 * y1 - x1 * y0 for (x0, y0), (x1, y1) in zip(polygon, polygon[1:] + polygon[:1], strict=True))


@lru_cache(maxsize=64)
def gamut_outside(source: str, target: str) -> float:
    """Return the share (0 to 1) of the source gamut's u′v′ area that the target's gamut does not cover.

    >>> round(gamut_outside("bt2020", "bt709"), 2)
    0.42
    """
    if source == target:
        return 0.0
    inside = _clipped(triangle(source), triangle(target))
    return max(0.0, 1 - _area(inside) / _area(triangle(source))) if inside else 1.0


def pq_signal(luminance_cdm2: float) -> float:
    """Return the PQ signal 0…1 of a luminance in cd/m² (BT.2100-2, table 4, inverse EOTF); clipped outside.

    >>> round(pq_signal(203.0), 3)
    0.581
    """
    y = min(max(luminance_cdm2, 0.0), 10000.0) / 10000.0
    m1, m2 = 2610 / 16384, 2523 / 4096 * 128
    c1, c2, c3 = 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32
    power = y**m1
    return float(((c1 + c2 * power) / (1 + c3 * power)) ** m2)


def pq_luminance(signal: float) -> float:
    """Return the luminance in cd/m² of a PQ signal 0…1 (BT.2100-2, table 4, EOTF)."""
    m1, m2 = 2610 / 16384, 2523 / 4096 * 128
    c1, c2, c3 = 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32
    power = signal ** (1 / m2)
    return float(10000 * (max(power - c1, 0.0) / (c2 - c3 * power)) ** (1 / m1))


def rolled_off_signal(luminance_cdm2: float, peak_cdm2: float = 1000.0) -> float:
    """Return the SDR signal 0…1 of a grey in HDR whose light is rolled off into white (BT.2390-10, 5.4.1).

    Reference white is the brightest the curve leaves, and that becomes SDR white. Light above `peak_cdm2` is clipped.

    >>> round(rolled_off_signal(1000.0), 3)
    1.0
    """
    peak = pq_signal(peak_cdm2)
    most = pq_signal(HDR_REFERENCE_WHITE_CDM2) / peak
    e, knee = min(pq_signal(luminance_cdm2) / peak, 1.0), 1.5 * most - 0.5
    if e > knee:
        t = (e - knee) / (1 - knee)
        e = (2 * t**3 - 3 * t**2 + 1) * knee + (t**3 - 2 * t**2 + t) * (1 - knee) + (3 * t**2 - 2 * t**3) * most
    return float((pq_luminance(e * peak) / HDR_REFERENCE_WHITE_CDM2) ** (1 / 2.4))


def tone_mapped_signal(luminance_cdm2: float, peak_cdm2: float = 1000.0) -> float:
    """Return the SDR signal 0…1 that BT.2446-1 method A (4.2) makes of a grey in HDR, both displays as the method
    has them.

    Light above `peak_cdm2` is clipped.

    >>> round(tone_mapped_signal(1000.0), 3)
    1.0
    """
    luma = (min(max(luminance_cdm2, 0.0), peak_cdm2) / peak_cdm2) ** (1 / 2.4)
    rho_hdr, rho_sdr = (1 + 32 * (level / 10000) ** (1 / 2.4) for level in (peak_cdm2, 100.0))
    perceived = math.log1p((rho_hdr - 1) * luma) / math.log(rho_hdr)
    if perceived <= 0.7399:
        knee = 1.0770 * perceived
    elif perceived < 0.9909:
        knee = -1.1510 * perceived**2 + 2.7811 * perceived - 0.6302
    else:
        knee = 0.5 * perceived + 0.5
    return float((rho_sdr**knee - 1) / (rho_sdr - 1))

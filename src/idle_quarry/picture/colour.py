"""Colour between encodings: R′G′B′ to light on the reference display, primaries to primaries, and back to a signal.

Light is display light: what the reference monitor of each standard emits, in cd/m², float64. SDR is shown by BT.1886
with white at 100 cd/m², HLG by BT.2100 with a peak of 1000 cd/m² and a system gamma of 1.2, PQ as absolute. Between SDR
and HDR white is placed by BT.2408 (203 cd/m², 75 % HLG, 58 % PQ); HDR comes down to SDR by the curve of BT.2446 method
A, which bends the whole scale, with reference white kept and what is brighter clipped (BT.2408), or rolled off into
white (BT.2390).

Sources: ITU-R BT.1886; BT.709-6; BT.2020-2; BT.2087-0; BT.2100-2; BT.2408-7; BT.2446-1; SMPTE ST 428-1; IEC 61966-2-1.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import NotPossible
from idle_quarry.picture.transfers import Values, hlg_to_scene, light_to_pq, pq_to_light, scene_to_hlg
from idle_quarry.signal.colour import HDR_REFERENCE_WHITE_CDM2, MATRICES, PRIMARIES, is_hdr, keeps_excursions

Matrix = NDArray[np.float64]

#: cd/m²: white of the SDR reference display, peak of the HLG display, reference white in HDR (BT.2408).
SDR_WHITE, HLG_PEAK, HDR_REFERENCE_WHITE = 100.0, 1000.0, HDR_REFERENCE_WHITE_CDM2
_CINEMA_WHITE = 48.0  # ST 428-1
HLG_GAMMA = 1.2  # BT.2100-2, note 5e, at a peak of 1000 cd/m²
LUMA_2020 = np.array([0.2627, 0.6780, 0.0593])


#: Bradford's matrix from XYZ to cone responses (ICC.1:2022, annex E).
_BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])


@lru_cache(maxsize=32)
def rgb_to_xyz(primaries: str) -> Matrix:
    """Return the matrix (3, 3) from linear R, G, B of named primaries to CIE XYZ, white at Y = 1 (SMPTE RP 177)."""
    result = PRIMARIES[primaries]
    corners = np.array([[x / y, 1.0, (1 - x - y) / y] for x, y in (result.red, result.green, result.blue)]).T
    x, y = result.white
    white = np.array([x / y, 1.0, (1 - x - y) / y])
    return np.asarray(corners * np.linalg.solve(corners, white))


@lru_cache(maxsize=64)
def primaries_matrix(source: str, target: str) -> Matrix:
    """Return the matrix (3, 3) from linear R, G, B of one set of primaries to another's; white stays white.

    Between unlike whites (DCI's and D65) light is adapted by Bradford's cone responses, as ICC.1 has it.
    """
    whites = [rgb_to_xyz(name) @ np.ones(3) for name in (source, target)]
    before, after = (_BRADFORD @ white for white in whites)
    adapted = np.linalg.solve(_BRADFORD, np.diag(after / before) @ _BRADFORD)
    return np.asarray(np.linalg.solve(rgb_to_xyz(target), adapted @ rgb_to_xyz(source)))


def _power(values: Values, exponent: float) -> Values:
    """Return |v| to a power with the sign of v: what lies below black stays there."""
    raised = np.abs(values)
    np.power(raised, exponent, out=raised)
    return np.asarray(np.copysign(raised, values, out=raised))


def _srgb(signal: Values) -> Values:
    v = np.abs(signal)  # below black as above it, as extended ranges have it (IEC 61966-2-1, amendment 1)
    return np.copysign(np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4), signal)


def _srgb_back(light: Values) -> Values:
    v = np.abs(light)
    return np.copysign(np.where(v <= 0.0031308, v * 12.92, 1.055 * v ** (1 / 2.4) - 0.055), light)


def _mixed(channels: Sequence[Values], weights: NDArray[Any]) -> Values:
    first, second, third = channels
    total = weights[0] * first
    total += weights[1] * second
    total += weights[2] * third
    return np.asarray(total)


def hlg_to_light(rgb: Sequence[Values]) -> list[Values]:
    """Return display light in cd/m² of HLG R′, G′, B′, by the OOTF: each channel times luminance to the power 0.2."""
    scene = [hlg_to_scene(channel) for channel in rgb]
    gain = HLG_PEAK * np.maximum(_mixed(scene, LUMA_2020), 0) ** (HLG_GAMMA - 1)
    return [channel * gain for channel in scene]


def light_to_hlg(light: Sequence[Values]) -> list[Values]:
    """Return HLG R′, G′, B′ of display light in cd/m² with BT.2020 primaries, by the inverse OOTF."""
    shown = [channel / HLG_PEAK for channel in light]
    gain = np.maximum(_mixed(shown, LUMA_2020), 1e-12) ** ((1 - HLG_GAMMA) / HLG_GAMMA)
    return [scene_to_hlg(channel * gain) for channel in shown]


#: Transfer → signal to display light in cd/m², channel by channel; HLG's is of all three (`hlg_to_light`).
TO_LIGHT: dict[str, Callable[[Values], Values]] = {
    "bt709": lambda v: SDR_WHITE * _power(v, 2.4),  # BT.1886 for black at 0
    "srgb": lambda v: SDR_WHITE * _srgb(v),
    "gamma2.6": lambda v: _CINEMA_WHITE * _power(v, 2.6),
    "linear": lambda v: SDR_WHITE * v,
    "pq": pq_to_light,
}
FROM_LIGHT: dict[str, Callable[[Values], Values]] = {
    "bt709": lambda light: _power(light / SDR_WHITE, 1 / 2.4),
    "srgb": lambda light: _srgb_back(light / SDR_WHITE),
    "gamma2.6": lambda light: _power(light / _CINEMA_WHITE, 1 / 2.6),
    "linear": lambda light: light / SDR_WHITE,
    "pq": light_to_pq,
}


def to_light(rgb: Sequence[NDArray[Any]], transfer: str) -> list[Values]:
    """Return display light in cd/m² of R′, G′, B′, arrays of one shape. Raises `KeyError` for an unknown transfer."""
    channels = [np.asarray(channel, np.float64) for channel in rgb]
    return hlg_to_light(channels) if transfer == "hlg" else [TO_LIGHT[transfer](channel) for channel in channels]


def from_light(light: Sequence[Values], transfer: str) -> list[Values]:
    """Return R′, G′, B′ of display light in cd/m². Raises `KeyError` for an unknown transfer."""
    return light_to_hlg(light) if transfer == "hlg" else [FROM_LIGHT[transfer](channel) for channel in light]


def white_of(transfer: str) -> float:
    """Return the luminance of reference white of a transfer, cd/m²: what is placed on what when ranges are crossed."""
    if is_hdr(transfer):
        return HDR_REFERENCE_WHITE
    return _CINEMA_WHITE if transfer == "gamma2.6" else SDR_WHITE


#: The light that a signal of 1 stands for, cd/m².
PEAKS = {
    "bt709": SDR_WHITE,
    "srgb": SDR_WHITE,
    "linear": SDR_WHITE,
    "gamma2.6": _CINEMA_WHITE,
    "pq": 10000.0,
    "hlg": HLG_PEAK,
}


def hdr_to_sdr(light: Sequence[Values], peak: float = HLG_PEAK) -> list[Values]:
    """Return SDR display light, 0 to 100 cd/m², of HDR display light with BT.2020 primaries: R, G and B, cd/m².

    The curve of BT.2446-1 method A (4.2), on the luminance of a gamma-2.4 signal; colour differences follow luminance,
    as the method scales them.
    """
    signal = [np.clip(channel / peak, 0, 1) ** (1 / 2.4) for channel in light]
    luma = _mixed(signal, LUMA_2020)
    toned = toned_luma(luma, peak)
    share = np.where(luma > 0, toned / (1.1 * np.maximum(luma, 1e-12)), 0.0)
    cb = share * (signal[2] - luma) / 1.8814
    cr = share * (signal[0] - luma) / 1.4746
    toned = toned - np.maximum(0.1 * cr, 0)
    red, blue = toned + 1.4746 * cr, toned + 1.8814 * cb
    green = (toned - LUMA_2020[0] * red - LUMA_2020[2] * blue) / LUMA_2020[1]
    return [SDR_WHITE * np.clip(channel, 0, 1) ** 2.4 for channel in (red, green, blue)]


def toned_luma(luma: Values, peak: float = HLG_PEAK) -> Values:
    """Return the luma that BT.2446-1 method A makes of the luma of a gamma-2.4 signal up to `peak` cd/m², both 0…1."""
    rho_hdr, rho_sdr = (1 + 32 * (level / 10000) ** (1 / 2.4) for level in (peak, SDR_WHITE))
    perceived = np.log1p((rho_hdr - 1) * luma) / np.log(rho_hdr)
    knee = np.where(
        perceived <= 0.7399,
        1.0770 * perceived,
        np.where(perceived < 0.9909, -1.1510 * perceived**2 + 2.7811 * perceived - 0.6302, 0.5 * perceived + 0.5),
    )
    return np.asarray((rho_sdr**knee - 1) / (rho_sdr - 1))


def white_kept(light: Sequence[Values]) -> list[Values]:
    """Return SDR display light, 0 to 100 cd/m², of HDR display light: reference white becomes white (BT.2408-7, 5.1).

    What is brighter than reference white, in any channel, is clipped; SDR that was placed in HDR comes back as it was.
    """
    return [np.minimum(channel * (SDR_WHITE / HDR_REFERENCE_WHITE), SDR_WHITE) for channel in light]


def rolled_off(light: Sequence[Values], peak: float = HLG_PEAK) -> list[Values]:
    """Return SDR display light, 0 to 100 cd/m², of HDR display light: a soft shoulder into white (BT.2390-10, 5.4.1).

    Each channel by itself, in PQ. Light of `peak` becomes white; up to 88 cd/m² all is as in `white_kept`.
    """
    top = light_to_pq(np.array(peak))
    most = light_to_pq(np.array(HDR_REFERENCE_WHITE)) / top
    knee = 1.5 * most - 0.5
    results = []
    for channel in light:
        e = light_to_pq(np.clip(channel, 0, peak)) / top
        t = np.maximum((e - knee) / (1 - knee), 0)
        shoulder = (1 + t * t * (2 * t - 3)) * knee + t * (1 - t) ** 2 * (1 - knee) + t * t * (3 - 2 * t) * most
        bent = pq_to_light(np.where(t > 0, shoulder, e) * top)
        results.append(np.minimum(bent * (SDR_WHITE / HDR_REFERENCE_WHITE), SDR_WHITE))
    return results


#: How HDR comes down to SDR, by the policy's names: R, G, B of BT.2020, cd/m², to the same up to 100 cd/m².
TONES: dict[str, Callable[[Sequence[Values]], list[Values]]] = {
    "compress": hdr_to_sdr,
    "reference": white_kept,
    "soft": rolled_off,
}


def light_in(
    rgb: Sequence[NDArray[Any]], source: tuple[str, str], target: tuple[str, str], tone: str = "compress"
) -> list[Values]:
    """Return the light that R′, G′, B′ of `source` are to be on the display of `target`, in its primaries, cd/m².

    `source` and `target` are (primaries, transfer), `tone` a key of `TONES`. Values outside 0 to the target's peak lie
    outside what it can show. Raises `KeyError` for unknown names.
    """
    (primaries, transfer), (to_primaries, to_transfer) = source, target
    light = to_light(rgb, transfer)
    if is_hdr(transfer) and not is_hdr(to_transfer):
        light = TONES[tone]([_mixed(light, row) for row in primaries_matrix(primaries, "bt2020")])
        primaries, scale = "bt2020", white_of(to_transfer) / SDR_WHITE
    else:  # white lies on white, unless both are absolute
        absolute = is_hdr(transfer) and is_hdr(to_transfer)
        scale = 1.0 if absolute else white_of(to_transfer) / white_of(transfer)
    return [_mixed(light, row) for row in primaries_matrix(primaries, to_primaries) * scale]


def softened(
    light: Sequence[Values], primaries: str, peak: float | Values, floor: float | Values = 0.0
) -> list[Values]:
    """Return light in which colours outside `floor` to `peak` are moved toward grey of their luminance until they
    fit.
    """
    luminance = np.clip(_mixed(light, rgb_to_xyz(primaries)[1]), floor, peak)
    share = np.ones_like(luminance)
    for channel in light:
        away = channel - luminance
        room = np.where(away < 0, luminance - floor, peak - luminance)
        share = np.minimum(share, room / np.maximum(np.abs(away), 1e-9))
    return [luminance + share * (channel - luminance) for channel in light]


def converted(
    rgb: NDArray[Any],
    source: tuple[str, str],
    target: tuple[str, str],
    *,
    clip: bool = True,
    soften: bool = False,
    tone: str = "compress",
) -> Values:
    """Return R′G′B′ in the colour of another display.

    Between SDR transfers the display's light is kept as a share of white. SDR goes into HDR with its white at 203
    cd/m² (BT.2408), HDR into SDR by `tone`. Where the transfer stays an SDR one, sub-black and super-white go through:
    a sample that was outside 0 to 1 is clipped to the span of its own channels.

    Parameters
    ----------
    rgb
        (…, 3): 0 is black, 1 is white, or the peak in HDR.
    source, target
        (primaries, transfer), keys of the tables of `signal`.
    clip
        Whether what lies outside the target's gamut is clipped channel by channel; without, it is passed on.
    soften
        Move it toward grey of its luminance instead, until it fits.
    tone
        A key of `TONES`.

    Returns
    -------
    float64, of the shape given.

    Raises
    ------
    KeyError
        An unknown name.
    """
    values = np.asarray(rgb, np.float64)
    if source == target:
        return values
    flat = values.reshape(-1, 3)
    results = _converted([flat[:, n] for n in range(3)], source, target, clip, soften, tone)
    return np.stack(results, axis=-1).reshape(values.shape)


def _converted(
    rgb: Sequence[NDArray[Any]], source: tuple[str, str], target: tuple[str, str], clip: bool, soften: bool, tone: str
) -> list[Values]:
    light = light_in(rgb, source, target, tone)
    low: float | Values = 0.0
    high: float | Values = 1.0
    excursions = keeps_excursions(source[1], target[1])
    if excursions:
        first, second, third = (np.asarray(channel, np.float64) for channel in rgb)
        low = np.minimum(np.minimum(np.minimum(first, second), third), 0.0)
        high = np.maximum(np.maximum(np.maximum(first, second), third), 1.0)
    if soften:
        shown = TO_LIGHT[target[1]] if excursions else None
        floor, peak = (shown(low), shown(high)) if shown else (0.0, PEAKS[target[1]])  # type: ignore[arg-type]
        light = softened(light, target[0], peak, floor)
    if clip and not excursions:
        for channel in light:
            np.maximum(channel, 0, out=channel)
    signal = from_light(light, target[1])
    if clip:
        for channel in signal:
            np.minimum(channel, high, out=channel)
            np.maximum(channel, low, out=channel)
    return signal


def ycbcr_matrix(matrix: str) -> Matrix:
    """Return the matrix (3, 3) from R′G′B′ to Y′, C′B and C′R by BT.601, BT.709 or BT.2020.

    Raises `NotPossible` for R′G′B′, which has none, and `KeyError` for an unknown one.
    """
    _, kr, kb, _ = MATRICES[matrix]
    if kr is None or kb is None:
        raise NotPossible("R′G′B′ has no luma", subject=matrix)
    luma = np.array([kr, 1 - kr - kb, kb])
    blue, red = np.array([0, 0, 1]) - luma, np.array([1, 0, 0]) - luma
    return np.stack([luma, blue * 0.5 / (1 - kb), red * 0.5 / (1 - kr)])

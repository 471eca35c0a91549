"""Colour of whole planes, at working speed: what `colour` has in formulas, as tables and one pass over the samples."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import NotPossible
from idle_quarry.picture.colour import (
    FROM_LIGHT,
    HDR_REFERENCE_WHITE,
    HLG_GAMMA,
    HLG_PEAK,
    LUMA_2020,
    PEAKS,
    SDR_WHITE,
    TO_LIGHT,
    primaries_matrix,
    rgb_to_xyz,
    rolled_off,
    toned_luma,
    white_of,
    ycbcr_matrix,
)
from idle_quarry.picture.loops import colour as loops
from idle_quarry.picture.strips import by_rows
from idle_quarry.picture.transfers import hlg_to_scene, scene_to_hlg
from idle_quarry.signal.colour import is_hdr, keeps_excursions

Values = NDArray[np.float64]

#: What a table's values are kept below.
_HIGHEST = 1e30
_EMPTY: NDArray[np.float32] = np.zeros((2, 0), np.float32)
_NO_WEIGHTS: NDArray[np.float32] = np.zeros(0, np.float32)
_SAME: NDArray[np.float32] = np.eye(3, dtype=np.float32)


def table(of: Callable[[Values], Values]) -> NDArray[np.float32]:
    """Return a function of values above 0 as a table of `loops.colour`, (2, n): 256 steps an octave, and their
    rises.
    """
    octaves = np.arange(loops.OCTAVES * loops.STEPS + 1)
    places = np.ldexp(1 + octaves % loops.STEPS / loops.STEPS, loops.LOWEST + octaves // loops.STEPS)
    with np.errstate(over="ignore", divide="ignore", invalid="ignore"):  # far beyond any signal
        levels = np.minimum(of(places), _HIGHEST)
    return np.asarray([levels[:-1], np.diff(levels) / loops.PARTS], np.float32)


@lru_cache(maxsize=24)
def _colouring(
    source: tuple[str, str], target: tuple[str, str], soften: bool, tone: str, matrix: str, to_matrix: str
) -> loops.Colouring:
    """Return all that a conversion needs, as `light_in`, `softened` and `from_light` have it.

    Matrices around it by name, rgb for none.
    """
    (primaries, transfer), (to_primaries, to_transfer) = source, target
    to_rgb = _SAME if matrix == "rgb" else np.linalg.inv(ycbcr_matrix(matrix)).astype(np.float32)
    to_target = _SAME if to_matrix == "rgb" else ycbcr_matrix(to_matrix).astype(np.float32)
    nothing = loops.Colouring(
        to_rgb,
        _EMPTY,
        False,
        _EMPTY,
        _NO_WEIGHTS,
        loops.NO_TONE,
        _SAME,
        _EMPTY,
        _EMPTY,
        _EMPTY,
        _NO_WEIGHTS,
        _SAME,
        False,
        _NO_WEIGHTS,
        1.0,
        _EMPTY,
        _EMPTY,
        _NO_WEIGHTS,
        _EMPTY,
        False,
        to_target,
    )
    if source == target:
        return nothing
    luma = LUMA_2020.astype(np.float32)
    hlg, to_hlg = transfer == "hlg", to_transfer == "hlg"
    colouring = nothing._replace(
        odd=transfer not in ("hlg", "pq"),
        light=table(hlg_to_scene if hlg else TO_LIGHT[transfer]),
        scene_gain=table(lambda y: HLG_PEAK * y ** (HLG_GAMMA - 1)) if hlg else _EMPTY,
        luma_in=luma if hlg else _NO_WEIGHTS,
        display_gain=table(lambda y: (y / HLG_PEAK) ** ((1 - HLG_GAMMA) / HLG_GAMMA) / HLG_PEAK) if to_hlg else _EMPTY,
        luma_out=luma if to_hlg else _NO_WEIGHTS,
        signal=table(scene_to_hlg if to_hlg else FROM_LIGHT[to_transfer]),
        excursions=keeps_excursions(transfer, to_transfer),
        soften=soften,
        luminance=rgb_to_xyz(to_primaries)[1].astype(np.float32),
        peak=PEAKS[to_transfer],
        shown=_EMPTY if to_hlg else table(TO_LIGHT[to_transfer]),
    )
    if is_hdr(transfer) and not is_hdr(to_transfer):
        colouring = colouring._replace(
            to_2020=primaries_matrix(primaries, "bt2020").astype(np.float32), luma_2020=luma, **_tone_tables(tone)
        )
        primaries, scale = "bt2020", white_of(to_transfer) / SDR_WHITE
    else:
        absolute = is_hdr(transfer) and is_hdr(to_transfer)
        scale = 1.0 if absolute else white_of(to_transfer) / white_of(transfer)
    return colouring._replace(primaries=(primaries_matrix(primaries, to_primaries) * scale).astype(np.float32))


def _tone_tables(tone: str) -> dict[str, Any]:
    """Return a tone's tables: each function of `TONES` as it is of one channel, or of luma."""
    if tone == "reference":
        scale = SDR_WHITE / HDR_REFERENCE_WHITE
        return {"tone": loops.REFERENCE, "tone_curve": np.array([[scale], [SDR_WHITE]], np.float32)}
    if tone == "soft":
        return {"tone": loops.SOFT, "tone_curve": table(lambda light: rolled_off([light])[0])}
    return {
        "tone": loops.COMPRESS,
        "tone_coded": table(lambda light: np.clip(light / HLG_PEAK, 0, 1) ** (1 / 2.4)),
        "tone_curve": table(toned_luma),
        "tone_shown": table(lambda signal: SDR_WHITE * np.clip(signal, 0, 1) ** 2.4),
    }


def recoloured(
    planes: Sequence[NDArray[Any]],
    matrices: tuple[str, str],
    source: tuple[str, str],
    target: tuple[str, str],
    *,
    soften: bool = False,
    tone: str = "compress",
    columns: tuple[int, int] | None = None,
) -> tuple[NDArray[np.float32], ...]:
    """Return what `converted` does, clipped, to three planes (h, w) of one size, float32: R′G′B′, or Y′, C′B, C′R
    by `matrices`.

    Columns outside `columns` are black. Raises `KeyError` for unknown names.
    """
    how = _colouring(source, target, soften, tone, *matrices)
    given = [np.ascontiguousarray(plane, np.float32) for plane in planes]
    height, width = given[0].shape
    left, right = columns or (0, width)
    results = tuple(np.empty((height, width), np.float32) for _ in range(3))
    for plane in results:
        plane[:, :left], plane[:, right:] = 0, 0
    by_rows(height, lambda first, last: loops.colour(first, last, left, right, how, *given, *results))
    return results


def rematrixed(planes: Sequence[NDArray[Any]], matrix: str, to_matrix: str) -> tuple[NDArray[np.float32], ...]:
    """Return planes of one size in another matrix, "rgb" for R′G′B′, and in the colour they are in.

    Raises `NotPossible` where neither is a matrix of luma.
    """
    if matrix == to_matrix == "rgb":
        raise NotPossible("R′G′B′ has no luma", subject=matrix)
    same = ("bt709", "bt709")
    return recoloured(planes, (matrix, to_matrix), same, same)


def converted_planes(
    rgb: Sequence[NDArray[Any]],
    source: tuple[str, str],
    target: tuple[str, str],
    *,
    soften: bool = False,
    tone: str = "compress",
) -> tuple[NDArray[np.float32], ...]:
    """Return what `converted` does to R′, G′, B′, each (h, w), as planes, float32; clipped."""
    return recoloured(rgb, ("rgb", "rgb"), source, target, soften=soften, tone=tone)


def linear_light(channel: NDArray[Any], transfer: str, *, back: bool = False) -> NDArray[np.float32]:
    """Return a channel (h, w) of R′G′B′ as light, as a share of its peak (HLG: scene light), or with `back` the
    reverse.
    """
    given = np.ascontiguousarray(channel, np.float32)
    result = np.empty_like(given)
    through = _light_table(transfer, back)
    odd = transfer not in ("hlg", "pq")
    by_rows(len(given), lambda first, last: loops.through(first, last, given, through, odd, result))
    return result


@lru_cache(maxsize=16)
def _light_table(transfer: str, back: bool) -> NDArray[np.float32]:
    if transfer == "hlg":
        return table(scene_to_hlg if back else hlg_to_scene)
    peak = PEAKS[transfer]
    if back:
        return table(lambda light: FROM_LIGHT[transfer](light * peak))
    return table(lambda signal: TO_LIGHT[transfer](signal) / peak)

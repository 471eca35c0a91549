"""Bringing a picture to another raster: separable resampling, whole or field by field, with chroma where it is sited.

All in float32; values are whatever they are (linear light or coded), 0 stands for black outside the picture.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import NotPossible
from idle_quarry.picture.kernels import WeightBand, covered, field_band, line_band, line_blocks, line_phases
from idle_quarry.picture.loops import resample as loops
from idle_quarry.picture.strips import by_rows

Samples = NDArray[np.float32]

#: Where chroma samples lie on the luma grid, across and down, in luma samples from the middle of those they stand for:
#: BT.601 and BT.709 put them on the first luma sample of a pair across ("left"); MPEG-1 and JPEG between ("centre");
#: BT.2020 and BT.2100 on the first across and down ("top-left").
SITINGS = {"left": (-0.5, 0.0), "centre": (0.0, 0.0), "top-left": (-0.5, -0.5)}


@dataclass(frozen=True)
class PictureFit:
    """Where a picture lands on a raster: scale across and down, and its left and top edge in target samples."""

    scale_x: float
    scale_y: float
    offset_x: float = 0.0
    offset_y: float = 0.0


def resampled(
    picture: NDArray[Any],
    height: int,
    width: int,
    fit: PictureFit,
    kernel: str,
    empty: float = 0.0,
    lines: NDArray[np.bool_] | None = None,
    columns: NDArray[np.bool_] | None = None,
) -> Samples:
    """Return a picture on another raster.

    Parameters
    ----------
    picture
        (h, w) or (h, w, channels).
    height, width
        The raster's lines and samples.
    fit
        How large the picture is there, and where.
    kernel
        A key of `kernels.KERNELS`.
    empty
        The value of what the picture does not cover.
    lines, columns
        Which lines and columns it covers, where that is known better than by `fit`.

    Returns
    -------
    (height, width) or (height, width, channels), float32.

    Raises
    ------
    NotPossible
        A picture of another number of dimensions.
    """
    if picture.ndim not in (2, 3):
        raise NotPossible("a picture has lines and samples", subject=f"{picture.ndim} dimensions")
    if picture.ndim == 3:
        channels = [
            resampled(picture[..., n], height, width, fit, kernel, empty, lines, columns)
            for n in range(picture.shape[2])
        ]
        return np.stack(channels, axis=-1)
    source = np.ascontiguousarray(picture, np.float32)
    down = (
        None
        if _as_it_is(source.shape[0], height, fit.scale_y, fit.offset_y)
        else (line_band(source.shape[0], height, fit.scale_y, fit.offset_y, kernel))
    )
    rows = covered(source.shape[0], height, fit.scale_y, fit.offset_y) if lines is None else lines
    places = covered(source.shape[1], width, fit.scale_x, fit.offset_x) if columns is None else columns
    result = _fitted(source, down, height, width, fit, kernel, ends_of(places))
    if not rows.all():
        result[~rows] = empty
    if not places.all():
        result[:, ~places] = empty
    return result


def resampled_field(
    picture: NDArray[Any],
    height: int,
    width: int,
    fit: PictureFit,
    kernel: str,
    parity: int,
    *,
    softened: bool,
    lines: NDArray[np.bool_] | None = None,
    columns: NDArray[np.bool_] | None = None,
    out: Samples | None = None,
) -> Samples:
    """Return every second line of what `resampled` makes of a whole picture.

    Parameters
    ----------
    picture
        (h, w), a whole picture.
    height, width, fit, kernel, lines, columns
        As for `resampled`: they say what the whole picture would be.
    parity
        The first line that is made: 0 for an upper field, 1 for a lower.
    softened
        Soften the picture down its lines first, as `fields.low_passed` does.
    out
        Where the field is put; without it an array is made.

    Returns
    -------
    (height/2, width), float32. What the picture does not cover is 0.
    """
    source = np.ascontiguousarray(picture, np.float32)
    rows = ends_of(covered(source.shape[0], height, fit.scale_y, fit.offset_y) if lines is None else lines)
    left, right = ends_of(covered(source.shape[1], width, fit.scale_x, fit.offset_x) if columns is None else columns)
    down = field_band(source.shape[0], height, fit.scale_y, fit.offset_y, kernel, parity, softened, rows)
    result = _fitted(source, down, height // 2, width, fit, kernel, (left, right), out)
    result[:, :left], result[:, right:] = 0, 0
    return result


def ends_of(places: NDArray[np.bool_]) -> tuple[int, int]:
    """Return the first place that is covered, and the one after the last."""
    result = np.flatnonzero(places)
    return (int(result[0]), int(result[-1]) + 1) if len(result) else (0, 0)


def _as_it_is(source: int, target: int, scale: float, offset: float) -> bool:
    return source == target and (scale, offset) == (1.0, 0.0)


def _fitted(
    source: Samples,
    down: WeightBand | None,
    height: int,
    width: int,
    fit: PictureFit,
    kernel: str,
    ends: tuple[int, int],
    out: Samples | None = None,
) -> Samples:
    """Return a picture fitted by weights down, and by a kernel across, in `out` where it is given.

    What changes nothing is left out.

    What lies outside `ends`, the first column that is wanted and the one after the last, may be anything.
    """
    if _as_it_is(source.shape[1], width, fit.scale_x, fit.offset_x):
        if down is not None:
            return _down(down, source, out)
        if out is None:
            return source.copy()
        out[...] = source
        return out
    if down is None:
        return _wide(source, width, fit, kernel, ends, out)
    phases = line_phases(source.shape[1], width, fit.scale_x, fit.offset_x, kernel)
    if phases is not None:  # both at once, row by row: nothing goes through memory in between
        result = np.empty((height, width), np.float32) if out is None else out
        how = phases.at, phases.weights, phases.makes, phases.takes, phases.begin, phases.end
        by_rows(height, lambda first, last: loops.fitted(first, last, source, down.at, down.weights, *how, result))
        return result
    # the direction that makes the picture smaller goes first: the other then has less to do
    if height <= source.shape[0]:
        return _wide(_down(down, source), width, fit, kernel, ends, out)
    return _down(down, _wide(source, width, fit, kernel, ends), out)


def _wide(
    source: Samples, width: int, fit: PictureFit, kernel: str, ends: tuple[int, int], out: Samples | None = None
) -> Samples:
    """Return a picture fitted across."""
    result = np.empty((source.shape[0], width), np.float32) if out is None else out
    phases = line_phases(source.shape[1], width, fit.scale_x, fit.offset_x, kernel)
    if phases is not None:
        how = phases.at, phases.weights, phases.makes, phases.takes, phases.begin, phases.end
        by_rows(len(source), lambda first, last: loops.phased(first, last, source, *how, result))
        return result
    blocks = line_blocks(source.shape[1], width, fit.scale_x, fit.offset_x, kernel, ends)

    def some(first: int, last: int) -> None:
        for block in blocks:
            np.matmul(
                source[first:last, block.low : block.high],
                block.weights,
                out=result[first:last, block.first : block.last],
            )

    by_rows(len(source), some, least=64)
    return result


def _down(band: WeightBand, picture: Samples, out: Samples | None = None) -> Samples:
    result = np.empty((len(band.at), picture.shape[1]), np.float32) if out is None else out
    by_rows(len(result), lambda first, last: loops.down(first, last, picture, band.at, band.weights, result))
    return result


def resampled_fields(
    picture: NDArray[Any],
    height: int,
    width: int,
    fit: PictureFit,
    kernel: str,
    *,
    empty: float = 0.0,
    whole: bool = False,
) -> Samples:
    """Return an interlaced picture on another raster, each field by itself: two moments are never mixed.

    A field's lines lie a quarter of a field line above and below those of a whole picture of as many lines; the
    target's fields likewise, so that the offset of each is moved by what the quarters differ in target field lines.
    With `whole`, the picture's edge goes on wherever it does not reach. Raises `NotPossible` where source or target has
    an odd number of lines.
    """
    if picture.shape[0] % 2 or height % 2:
        raise NotPossible("fields need an even number of lines", subject=f"{picture.shape[0]} to {height}")
    result = np.empty((height, width, *picture.shape[2:]), np.float32)
    lines = np.ones(height, bool) if whole else covered(picture.shape[0], height, fit.scale_y, fit.offset_y)
    columns = np.ones(width, bool) if whole else None
    for parity in (0, 1):
        # in frame lines a field's line k has its centre at 2k + parity + ½, in its own lines at k + ½
        own = fit.offset_y / 2 + (0.25 - 0.5 * parity) * (1 - fit.scale_y)
        placed = PictureFit(fit.scale_x, fit.scale_y, fit.offset_x, own)
        field = resampled(picture[parity::2], height // 2, width, placed, kernel, empty, lines[parity::2], columns)
        result[parity::2] = field
    return result


def chroma_fit(
    fit: PictureFit, steps: tuple[int, int], to_steps: tuple[int, int], siting: str, to_siting: str
) -> PictureFit:
    """Return where a plane of colour differences lands when luma lands by a fit.

    Parameters
    ----------
    fit
        Where luma lands.
    steps, to_steps
        Luma samples across and down for a chroma sample, before and after: (2, 1) at 4:2:2.
    siting, to_siting
        Where chroma is sited; of no account in a direction that is not split.

    Returns
    -------
    The fit of the plane, in its own samples.
    """
    (dx, dy), (ex, ey) = SITINGS[siting], SITINGS[to_siting]
    scale_x, scale_y = fit.scale_x * steps[0] / to_steps[0], fit.scale_y * steps[1] / to_steps[1]

    def offset(luma_offset: float, scale: float, step: int, to_step: int, at: float, to_at: float, own: float) -> float:
        before = at if step > 1 else 0.0
        after = to_at if to_step > 1 else 0.0
        # a chroma sample's centre on the luma grid, carried to the target's luma grid and counted in its chroma samples
        return (luma_offset + before * scale - after) / to_step

    return PictureFit(
        scale_x,
        scale_y,
        offset(fit.offset_x, fit.scale_x, steps[0], to_steps[0], dx, ex, scale_x),
        offset(fit.offset_y, fit.scale_y, steps[1], to_steps[1], dy, ey, scale_y),
    )

"""A picture as planes of an encoding: codes and values, R′G′B′ and colour differences, chroma of any sampling."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.picture.recolouring import rematrixed
from idle_quarry.picture.resampling import PictureFit, chroma_fit, resampled, resampled_fields
from idle_quarry.picture.rounding import plane_values, values_to_chroma, values_to_luma
from idle_quarry.signal.formats import CHROMA_STEPS, Encoding

Plane = NDArray[Any]
#: Y′ (h, w) from 0 to 1 and C′B, C′R (h', w') from −0.5 to 0.5, float32; R′, G′, B′ of one size where the matrix is
#: RGB.
Planes = tuple[Plane, ...]

#: How chroma is brought to another sampling: sharp enough, and hardly any ringing beside saturated edges.
CHROMA_KERNEL = "bicubic"


def siting_of(encoding: Encoding) -> str:
    """Return where chroma lies: on the first luma sample of a block in BT.2020, else beside it (BT.601, BT.709,
    H.273).
    """
    return "top-left" if encoding.matrix == "bt2020" else "left"


def planes_of_codes(codes: Planes, encoding: Encoding) -> Planes:
    """Return planes of code values as signal values, float32."""
    rgb = encoding.matrix == "rgb"
    return tuple(plane_values(plane, encoding.levels, chroma=n > 0 and not rgb) for n, plane in enumerate(codes))


def codes_of_planes(planes: Planes, encoding: Encoding, rounding: str) -> Planes:
    """Return planes of signal values as code values, uint16. Raises `KeyError` for an unknown rounding."""
    levels = encoding.levels
    if encoding.matrix == "rgb":
        return tuple(values_to_luma(plane, levels, rounding) for plane in planes)
    luma, cb, cr = planes
    return (
        values_to_luma(luma, levels, rounding),
        values_to_chroma(cb, levels, rounding),
        values_to_chroma(cr, levels, rounding),
    )


def to_rgb(planes: Planes, encoding: Encoding) -> Planes:
    """Return R′, G′, B′ of planes; chroma is interpolated to every sample from where it is sited.

    Parameters
    ----------
    planes
        Three planes, the second and third smaller by the encoding's sampling.
    encoding
        Matrix, sampling and siting.

    Returns
    -------
    Three planes of the first one's size (h, w), float32.
    """
    if encoding.matrix == "rgb":
        return planes
    full = chroma_sampled(planes, encoding.sampling, replace(encoding, sampling="4:4:4"), False)
    return rgb_of(full, encoding.matrix)


def rgb_of(planes: Planes, matrix: str) -> Planes:
    """Return R′, G′, B′ of luma and colour differences.

    Parameters
    ----------
    planes
        Three planes of one size (h, w): 0…1, and −0.5…0.5 twice.
    matrix
        BT.601's, BT.709's or BT.2020's.

    Returns
    -------
    Three planes (h, w), float32.

    Raises
    ------
    NotPossible
        R′G′B′, which has no matrix.
    """
    return rematrixed(planes, matrix, "rgb")


def ycbcr_of(rgb: Planes, matrix: str) -> Planes:
    """Return luma and colour differences of R′, G′, B′, all (h, w), float32. Raises `NotPossible` for R′G′B′."""
    return rematrixed(rgb, "rgb", matrix)


def from_rgb(rgb: Planes, encoding: Encoding, *, fields: bool = False) -> Planes:
    """Return R′, G′, B′ as planes of an encoding; with `fields`, chroma lines are made field by field."""
    if encoding.matrix == "rgb":
        return rgb
    return chroma_sampled(ycbcr_of(rgb, encoding.matrix), "4:4:4", encoding, fields)


def chroma_sampled(planes: Planes, sampling: str, encoding: Encoding, fields: bool) -> Planes:
    """Return planes whose chroma, of `sampling`, has that of `encoding`."""
    before, after = CHROMA_STEPS[sampling], CHROMA_STEPS[encoding.sampling]
    if before == after:
        return planes
    height, width = planes[0].shape
    siting = siting_of(encoding)
    fit = chroma_fit(PictureFit(1, 1), before, after, siting, siting)
    shape = -(-height // after[1]), -(-width // after[0])
    by_fields = fields and before[1] != after[1]
    make = _fields_covering if by_fields else _covering
    return (planes[0], *(make(plane, *shape, fit, CHROMA_KERNEL) for plane in planes[1:]))


def _covering(plane: Plane, height: int, width: int, fit: PictureFit, kernel: str) -> Plane:
    # chroma sited beside its block's middle leaves the raster by a part of a sample: its edge goes on
    return resampled(plane, height, width, fit, kernel, lines=np.ones(height, bool), columns=np.ones(width, bool))


def _fields_covering(plane: Plane, height: int, width: int, fit: PictureFit, kernel: str) -> Plane:
    return resampled_fields(plane, height, width, fit, kernel, whole=True)

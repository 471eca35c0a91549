"""Colour bars, known by their columns."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.media.measurement.levels import bar_codes
from idle_quarry.media.pictures import Picture
from idle_quarry.signal.formats import CHROMA_STEPS, Encoding


def shows_bars(picture: Picture, encoding: Encoding) -> bool:
    """Return whether a picture is colour bars: most of what is flat and coloured has the codes of bars under its
    matrix.
    """
    if picture.chroma is None:
        return False
    scale = np.float32(1 / (1 << (picture.bits - 8)))
    across, down = CHROMA_STEPS[encoding.sampling]
    cb, cr = picture.chroma
    luma = picture.luma[::down, ::across][: cb.shape[0], : cb.shape[1]]
    thin = (slice(4, None, 8), slice(4, None, 8))
    points = np.stack(
        [
            plane[thin][: luma[thin].shape[0], : luma[thin].shape[1]].astype(np.float32).ravel() * scale
            for plane in (luma, cb, cr)
        ],
        axis=1,
    )
    coloured = points[np.hypot(points[:, 1] - 128, points[:, 2] - 128) > 20]
    if len(coloured) < 0.15 * len(points):
        return False
    for matrix in dict.fromkeys((encoding.matrix, "bt709", "bt601", "bt2020")):
        if matrix == "rgb":
            continue
        for amplitude in (0.75, 1.0):
            far = np.abs(coloured[:, None, :] - bar_codes(matrix, amplitude)[None]).max(axis=2)
            near = far.min(axis=1) < 4
            if near.mean() > 0.6 and len(set(far.argmin(axis=1)[near].tolist())) >= 4:
                return True
    return False


def _lines(plane: NDArray[Any]) -> NDArray[Any]:
    """Return a plane with what decoders leave behind its lines: whole lines are gone through many samples at once."""
    pitch, size = plane.strides[0], plane.itemsize
    if plane.strides[1] != size or pitch % size:
        return np.ascontiguousarray(plane)
    if plane.flags.c_contiguous:
        return plane
    # behind the end of the last line there may be nothing: whoever takes the whole reads no further than its width
    return np.lib.stride_tricks.as_strided(plane, (plane.shape[0], pitch // size), plane.strides, writeable=False)

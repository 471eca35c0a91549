"""Codes as R′G′B′ of 8 bits, to be looked at: as they are coded, so that HDR is not converted."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from idle_quarry.picture.loops import codes as loops
from idle_quarry.picture.planes import Planes, planes_of_codes
from idle_quarry.picture.strips import by_rows
from idle_quarry.signal.colour import MATRICES
from idle_quarry.signal.formats import Encoding

Rgb8 = NDArray[np.uint8]


def seen(codes: Planes, encoding: Encoding) -> Rgb8:
    """Return a picture's codes as R′G′B′ (h, w, 3); each chroma sample over the luma samples it stands for.

    `codes` are luma (h, w) and colour differences (h', w'), or R′, G′, B′ where the matrix is RGB, by the equations of
    BT.601, BT.709 and BT.2020.
    """
    result = np.empty((*codes[0].shape, 3), np.uint8)
    if encoding.matrix == "rgb":
        for channel, plane in enumerate(planes_of_codes(codes, encoding)):
            result[..., channel] = np.clip(plane * np.float32(255) + np.float32(0.5), 0, 255)
        return result
    given = [np.ascontiguousarray(plane) for plane in codes]
    gains = _gains(encoding)
    by_rows(len(result), lambda first, last: loops.seen(first, last, given[0], given[1], given[2], gains, result))
    return result


@lru_cache(maxsize=32)
def _gains(encoding: Encoding) -> NDArray[np.float32]:
    _, kr, kb, _ = MATRICES[encoding.matrix]
    assert kr is not None and kb is not None
    levels, bits = encoding.levels, encoding.bit_depth
    span = (224 << (bits - 8)) if levels.narrow else (1 << bits) - 1
    red, blue, kg = 2 * (1 - kr), 2 * (1 - kb), 1 - kr - kb
    step = 255 / span
    return np.array(
        [
            levels.black,
            255 / (levels.white - levels.black),
            red * step,
            -kb * blue / kg * step,
            -kr * red / kg * step,
            blue * step,
            levels.chroma_zero,
        ],
        np.float32,
    )

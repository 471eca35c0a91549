"""Numbers for pictures: how far one is from the truth.

Sources: Wang, Bovik, Sheikh and Simoncelli 2004 (SSIM, window of 11 × 11, σ 1.5, K1 0.01, K2 0.03).
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import NotPossible
from idle_quarry.picture.strips import at_once

_SIGMA, _TRUNCATE, _K1, _K2 = 1.5, 3.5, 0.01, 0.03
#: A pair that agrees everywhere has no finite PSNR; this is said instead, dB.
IDENTICAL_DB = 150.0


def _alike(a: NDArray[Any], b: NDArray[Any]) -> None:
    if a.shape != b.shape:
        raise NotPossible("only pictures of one size are compared", subject=f"{a.shape} and {b.shape}")


def psnr_db(picture: NDArray[Any], truth: NDArray[Any], peak: float = 1.0) -> float:
    """Return the peak signal-to-noise ratio in dB; `IDENTICAL_DB` where nothing differs.

    Any shape; `peak` is the value of white. Raises `NotPossible` for unlike shapes.
    """
    _alike(picture, truth)
    error = float(np.mean((np.asarray(picture, np.float64) - np.asarray(truth, np.float64)) ** 2))
    return IDENTICAL_DB if error <= 0 else min(IDENTICAL_DB, 10 * float(np.log10(peak * peak / error)))


def ssim(picture: NDArray[Any], truth: NDArray[Any], peak: float = 1.0) -> float:
    """Return the mean structural similarity of two pictures (h, w), 1 where they are the same.

    Raises `NotPossible` for unlike shapes or more than one channel.
    """
    _alike(picture, truth)
    if picture.ndim != 2:
        raise NotPossible("similarity is of one channel", subject=f"{picture.ndim} dimensions")
    a, b = np.asarray(picture, np.float64), np.asarray(truth, np.float64)

    def mean(values: NDArray[np.float64]) -> NDArray[np.float64]:
        from scipy.ndimage import gaussian_filter  # takes a tenth of a second to load

        return np.asarray(gaussian_filter(values, _SIGMA, truncate=_TRUNCATE))

    ma, mb, aa, bb, ab = at_once(mean, (a, b, a * a, b * b, a * b))
    va, vb, cov = aa - ma * ma, bb - mb * mb, ab - ma * mb
    c1, c2 = (_K1 * peak) ** 2, (_K2 * peak) ** 2
    plane = ((2 * ma * mb + c1) * (2 * cov + c2)) / ((ma * ma + mb * mb + c1) * (va + vb + c2))
    margin = int(_TRUNCATE * _SIGMA + 0.5)
    return float(plane[margin:-margin, margin:-margin].mean()) if min(a.shape) > 2 * margin else float(plane.mean())

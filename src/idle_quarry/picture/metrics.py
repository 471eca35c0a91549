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
    """Return the peak signal-to-noise ratio of a picture against the truth.

    Parameters
    ----------
    picture, truth
        Arrays of one shape, any dtype.
    peak
        The value of white.

    Returns
    -------
    Decibels; `IDENTICAL_DB` where nothing differs.

    Raises
    ------
    NotPossible
        The shapes differ.

    >>> import numpy as np
    >>> round(psnr_db(np.full((8, 8), 0.5), np.full((8, 8), 0.6)), 2)
    20.0
    """
    _alike(picture, truth)
    error = float(np.mean((np.asarray(picture, np.float64) - np.asarray(truth, np.float64)) ** 2))
    return IDENTICAL_DB if error <= 0 else min(IDENTICAL_DB, 10 * float(np.log10(peak * peak / error)))


def ssim(picture: NDArray[Any], truth: NDArray[Any], peak: float = 1.0) -> float:
    """Return the mean structural similarity of two pictures.

    Parameters
    ----------
    picture, truth
        Arrays (h, w) of one channel, any dtype.
    peak
        The value of white.

    Returns
    -------
    1 where they are the same, less the less they share.

    Raises
    ------
    NotPossible
        The shapes differ, or there is more than one channel.

    References
    ----------
    Wang, Bovik, Sheikh, Simoncelli: Image Quality Assessment (IEEE Transactions on Image Processing 13, 2004).
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

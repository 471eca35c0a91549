"""Transfers of HDR: PQ and HLG as signals and as light (SMPTE ST 2084, ITU-R BT.2100)."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float64]

# BT.2100-2, table 5
_A, _B, _C = 0.17883277, 0.28466892, 0.55991073
# BT.2100-2, table 4
_M1, _M2 = 2610 / 16384, 2523 / 4096 * 128
_C1, _C2, _C3 = 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32


def pq_to_light(signal: NDArray[Any]) -> Values:
    """Return the luminance of a PQ signal.

    Parameters
    ----------
    signal
        0…1, any shape; clipped outside.

    Returns
    -------
    cd/m², 0…10 000, float64, of the signal's shape.

    References
    ----------
    SMPTE ST 2084; ITU-R BT.2100, table 4 (EOTF).

    >>> float(pq_to_light(np.array(1.0)))
    10000.0
    """
    power = np.clip(np.asarray(signal, np.float64), 0, 1) ** (1 / _M2)
    return np.asarray(10000 * (np.maximum(power - _C1, 0) / (_C2 - _C3 * power)) ** (1 / _M1))


def light_to_pq(light: NDArray[Any]) -> Values:
    """Return the PQ signal of a luminance.

    Parameters
    ----------
    light
        cd/m², any shape; clipped outside 0…10 000.

    Returns
    -------
    0…1, float64, of the shape given.

    References
    ----------
    SMPTE ST 2084; ITU-R BT.2100, table 4 (inverse EOTF).

    >>> round(float(light_to_pq(np.array(100.0))), 4)
    0.5081
    """
    power = (np.clip(np.asarray(light, np.float64), 0, 10000) / 10000) ** _M1
    return np.asarray(((_C1 + _C2 * power) / (1 + _C3 * power)) ** _M2)


def hlg_to_scene(signal: NDArray[Any]) -> Values:
    """Return the scene light of an HLG signal.

    Parameters
    ----------
    signal
        0…1, any shape; clipped below 0.

    Returns
    -------
    Scene light as a share of its peak, float64.

    References
    ----------
    ITU-R BT.2100, table 5 (inverse OETF).

    >>> round(float(hlg_to_scene(np.array(0.5))), 6)
    0.083333
    """
    e = np.maximum(np.asarray(signal, np.float64), 0)
    return np.where(e <= 0.5, e**2 / 3, (np.exp((e - _C) / _A) + _B) / 12)


def scene_to_hlg(scene: NDArray[Any]) -> Values:
    """Return the HLG signal of scene light.

    Parameters
    ----------
    scene
        A share of the peak, any shape; clipped below 0.

    Returns
    -------
    0…1, float64.

    References
    ----------
    ITU-R BT.2100, table 5 (OETF).
    """
    e = np.maximum(np.asarray(scene, np.float64), 0)
    return np.where(e <= 1 / 12, np.sqrt(3 * e), _A * np.log(np.maximum(12 * e - _B, 1e-12)) + _C)

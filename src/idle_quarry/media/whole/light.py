"""Tables of light over signal values, matrices of colour differences, and means of cells."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from idle_quarry.picture.recolouring import linear_light
from idle_quarry.signal.colour import MATRICES, is_hdr
from idle_quarry.signal.formats import Encoding

#: Rows and columns of cells by which light is told.
CELLS = (27, 48)
#: How many values a table of light has over signal values from −0.25 to 1.25.
TABLE = 3072


def light_table(encoding: Encoding, peak: float) -> NDArray[np.float32]:
    """Return the light on a screen, cd/m², of signal values from −0.25 to 1.25 (BT.1886 for SDR)."""
    return light_of(encoding, peak, np.linspace(-0.25, 1.25, TABLE, dtype=np.float32))


def light_of(encoding: Encoding, peak: float, values: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return the light of signal values on a screen.

    Parameters
    ----------
    encoding
        Whose transfer it is.
    peak
        The screen's white, cd/m².
    values
        Signal values of any shape, 0 is black and 1 is white.

    Returns
    -------
    ndarray
        cd/m², float32, of the values' shape; of HLG the light of its scene, with white at the peak.

    References
    ----------
    ITU-R BT.1886, BT.2100.
    """
    if is_hdr(encoding.transfer):
        light = linear_light(np.clip(values, 0, 1)[None], encoding.transfer)[0]
        return np.asarray(light / max(float(light.max()), 1e-9) * peak, np.float32)
    return (np.maximum(values, 0) ** 2.4 * np.float32(peak)).astype(np.float32)


def difference_gains(matrix: str) -> tuple[float, float, float, float]:
    """Return what R′ takes of C′R, G′ of C′B and C′R, B′ of C′B."""
    _, kr, kb, _ = MATRICES[matrix] if MATRICES[matrix][1] is not None else MATRICES["bt709"]
    assert kr is not None and kb is not None
    kg = 1 - kr - kb
    return 2 * (1 - kr), -2 * kb * (1 - kb) / kg, -2 * kr * (1 - kr) / kg, 2 * (1 - kb)


def means_of_cells(light: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return means of cells of a picture (h, w, 3)."""
    rows = np.linspace(0, light.shape[0], CELLS[0] + 1).astype(int)
    columns = np.linspace(0, light.shape[1], CELLS[1] + 1).astype(int)
    summed = np.add.reduceat(np.add.reduceat(light, rows[:-1], axis=0), columns[:-1], axis=1)
    count = np.maximum(np.diff(rows), 1)[:, None] * np.maximum(np.diff(columns), 1)[None, :]
    return np.asarray(summed / count[..., None], np.float32)

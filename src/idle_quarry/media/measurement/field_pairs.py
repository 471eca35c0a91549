"""What the fields of neighbouring frames have in common: six distances for each pair of frames, by blocks.

A frame is two fields, T (even lines, the upper field) and B (odd lines). Between frame n and the next, six
distances are taken, each a mean square in 8-bit code values that grows with the time between the two fields:

    a  T of n     to  B of n         comb of the frame as it is woven
    b  B of n     to  T of n + 1     comb of the frame woven from its second half and the next one's first
    c  T of n     to  B of n + 1     comb of the frame woven the other way
    t  T of n     to  T of n + 1     plain difference of like fields
    u  B of n     to  B of n + 1     plain difference of like fields
    w  T of n − 1 to  T of n + 1     over two frames: what moves has come farther, what is noise has not

Combs are read with a vertical filter at the finest frequency the lines can carry, since that is where two moments
woven into one frame show; what is finely detailed and stands still adds the same to a, b and c.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.picture.loops import pairs as loops

Luma = NDArray[np.float32]

#: Lines of a field and (reduced) columns in a block.
BLOCK_LINES, BLOCK_COLUMNS = 8, 16
#: Columns a picture is reduced to at the most: neighbours are averaged, which lowers noise and not combs.
MOST_COLUMNS = 480
#: Lines looked at in a picture at the most, and in one band: 16 of each field between what the filter needs.
MOST_LINES, _BAND = 576, 36
#: (6, −4, −4, 1, 1): the filter's gain for white noise, by which combs and differences become comparable.
_COMB_GAIN = 70.0 / 2


class PairMeter:
    """Takes the frames of one unbroken run, in order, and keeps the six distances of each pair of neighbours."""

    def __init__(self) -> None:
        self._before: Luma | None = None
        self._earlier: Luma | None = None  # two frames ago
        self._pairs: list[NDArray[np.float32]] = []

    def take(self, luma: NDArray[Any], bits: int = 8) -> None:
        """Take a frame's luma, shape (h, w), code values of `bits` bits; 16 lines and columns at the least."""
        now = reduced(luma, bits)
        if self._before is not None:
            bands, height, width = now.shape
            # the filter is centred on each odd line but the first and last
            height = height // 2 - 2
            rows, columns = max(1, height // BLOCK_LINES), max(1, width // BLOCK_COLUMNS)
            result = np.empty((6, bands * rows, columns), np.float32)
            earlier = self._before if self._earlier is None else self._earlier
            loops.distances(earlier, self._before, now, (height // rows, width // columns), _COMB_GAIN, result)
            self._pairs.append(result)
        self._earlier, self._before = self._before, now

    def drained(self) -> NDArray[np.float32]:
        """Return the distances so far, as `pairs`, and let go of them; the next pair follows on the last."""
        pairs, self._pairs = self.pairs, []
        return pairs

    @property
    def latest(self) -> NDArray[np.float32] | None:
        """The distances of the last pair, (6, block rows, block columns)."""
        return self._pairs[-1] if self._pairs else None

    @property
    def pairs(self) -> NDArray[np.float32]:
        """The distances so far: shape (pairs, 6, block rows, block columns), mean squares of 8-bit codes."""
        if not self._pairs:
            return np.zeros((0, 6, 1, 1), np.float32)
        return np.stack(self._pairs)


def reduced(luma: NDArray[Any], bits: int) -> Luma:
    """Return bands of lines, shape (bands, lines, columns), as float32 in 8-bit code values.

    A picture of up to `MOST_LINES` lines is one band; a taller one is bands of `_BAND` lines spread evenly over it,
    each beginning on an even line. Columns are averaged to `MOST_COLUMNS` or fewer.
    """
    height, width = luma.shape
    step = -(-width // MOST_COLUMNS)
    used = width // step * step
    if height <= MOST_LINES:
        starts, lines = np.zeros(1, np.int64), height // 2 * 2
    else:
        count, lines = MOST_LINES // _BAND, _BAND
        starts = np.array([(height - _BAND) * n // (count - 1) // 2 * 2 for n in range(count)], np.int64)
    out = np.empty((len(starts), lines, used // step), np.float32)
    loops.averaged(luma, starts, step, 1 / (step * (1 << (bits - 8))), out)
    return out

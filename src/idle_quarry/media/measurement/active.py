"""The active picture: where in the raster there is picture, and where bars, blanking edges or a half line."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from idle_quarry.media.measurement.results import ActivePicture
from idle_quarry.media.pictures import Picture
from idle_quarry.signal.levels import Levels

#: Above black by this many 8-bit codes, a line is not black any more; the picture beside a bar is brighter by
#: `_PICTURE`.
_BLACK, _PICTURE = 9.0, 18.0
#: Within so many lines or columns a bar's edge is at full brightness.
_EDGE = 4


class ActiveMeter:
    """Takes pictures of one size and keeps the brightest that each line and column ever was."""

    def __init__(self) -> None:
        self._rows: NDArray[np.float32] | None = None
        self._columns: NDArray[np.float32] | None = None
        self._ends: NDArray[np.float32] | None = None
        self._size = (0, 0)

    def take(self, picture: Picture) -> None:
        """Add a picture."""
        luma = picture.luma
        height, width = luma.shape
        scale = np.float32(1 / (1 << (picture.bits - 8)))
        # means over 8 neighbours: noise and ringing of single samples are not picture
        across, down = max(1, min(8, width // 8)), max(1, min(8, height // 8))
        wide = luma[:, : width // across * across].reshape(height, -1, across).mean(axis=2, dtype=np.float32) * scale
        tall = luma[: height // down * down].reshape(-1, down, width).mean(axis=1, dtype=np.float32) * scale
        rows, columns = wide.max(axis=1), tall.max(axis=0)
        half = wide.shape[1] // 2
        ends = np.array([[wide[0, :half].max(), wide[0, half:].max()], [wide[-1, :half].max(), wide[-1, half:].max()]])
        if self._rows is None or self._columns is None or self._ends is None or self._size != (height, width):
            self._rows, self._columns, self._ends, self._size = rows, columns, ends, (height, width)
            return
        self._rows = np.maximum(self._rows, rows)
        self._columns = np.maximum(self._columns, columns)
        self._ends = np.maximum(self._ends, ends)

    def measurement(self, narrow: bool) -> ActivePicture | None:
        """Return the active picture so far; the whole raster where all is black or no edge is sharp."""
        if self._rows is None or self._columns is None or self._ends is None:
            return None
        height = self._size[0]
        black = Levels(8, narrow).black
        top, bottom = _inside(self._rows - black)
        left, right = _inside(self._columns - black)
        half = None
        for name, (first, second), outer in (
            ("first", self._ends[0] - black, top == 0),
            ("last", self._ends[1] - black, bottom == height),
        ):
            if outer and min(first, second) < _BLACK and max(first, second) > _PICTURE:
                half = name
        return ActivePicture(left, top, right - left, bottom - top, half)


def _inside(profile: NDArray[np.float32]) -> tuple[int, int]:
    """Return first and one past last place of picture on a profile of brightness above black."""
    size = len(profile)
    bright = np.flatnonzero(profile > _BLACK)
    if not len(bright):
        return 0, size
    first, last = int(bright[0]), int(bright[-1]) + 1
    # a bar ends within a few lines (a dark picture fades in), and where half of the picture's brightness is reached:
    # what is less is the ringing of filters and coding
    start, stop = 0, size
    if first and (bright_edge := profile[first : first + _EDGE].max()) > _PICTURE:
        start = first + int((profile[first : first + _EDGE] > bright_edge / 2).argmax())
    if last < size and (bright_edge := profile[max(0, last - _EDGE) : last].max()) > _PICTURE:
        stop = last - int((profile[max(0, last - _EDGE) : last][::-1] > bright_edge / 2).argmax())
    return start, stop

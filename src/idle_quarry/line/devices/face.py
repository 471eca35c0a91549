"""What a monitor shows of a received frame, drawn from its words; and what it should show."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from idle_quarry.line import kernels
from idle_quarry.line.by_lines import by_lines
from idle_quarry.line.reading.judged import format_of
from idle_quarry.line.reading.lock import nominal_rate
from idle_quarry.line.reading.received import ReceivedFrame
from idle_quarry.line.writing.mapping import Planes
from idle_quarry.path.entries import Monitor
from idle_quarry.path.monitoring import MonitorResponse, response_of
from idle_quarry.picture.colour import converted
from idle_quarry.signal.colour import MATRICES, is_hdr
from idle_quarry.signal.formats import Encoding, SignalFormat

Rgb8 = NDArray[np.uint8]
#: Samples across that a face has at the least, where the picture has them.
_FACE_WIDTH = 900
_CUBE = 33
_NO_CUBE: Rgb8 = np.zeros((1, 1, 1, 3), np.uint8)


@dataclass(frozen=True)
class Face:
    """What a monitor shows: what it takes the signal for, and its picture (h, w, 3), None where it stays black."""

    response: MonitorResponse
    picture: Rgb8 | None


def received_format(frame: ReceivedFrame, mwords: float | None) -> SignalFormat | None:
    """Return what a frame is: as its identifier says, or by raster and clock alone where it has none."""
    if frame.lock.format is not None:
        return frame.lock.format
    timing = frame.lock.timing
    return format_of(frame.links, timing, None, timing.raster.scan, nominal_rate(timing, mwords), frame.lock.interface)


class Drawing:
    """Draws one received frame, each way of seeing it once."""

    def __init__(self, frame: ReceivedFrame, mwords: float | None) -> None:
        self._frame, self._format = frame, received_format(frame, mwords)
        self._planes: tuple[Planes, NDArray[np.int64]] | None = None
        self._pictures: dict[tuple[SignalFormat, float], Rgb8] = {}

    def face(self, monitor: Monitor) -> Face:
        """Return what a monitor makes of it."""
        frame = self._frame
        if self._format is None:
            return Face(MonitorResponse(None, ("nothing tells what the line carries",)), None)
        what = response_of(monitor, self._format, frame.lock.interface or "", payload=frame.lock.payload is not None)
        return Face(what, None if what.seen is None else self._drawn(what.seen, monitor.overscan))

    def meant(self) -> Rgb8 | None:
        """Return the picture that the line is to show, on a screen that takes all of it.

        None where nothing tells what it is.
        """
        fmt = self._frame.lock.format
        return None if fmt is None else self._drawn(fmt, 0.0)

    @property
    def planes(self) -> tuple[Planes, NDArray[np.int64]] | None:
        """The first of the frame's pictures, and where its rows lie.

        None where it is not known what the line carries.
        """
        if self._planes is None and self._format is not None:
            self._planes = _pictures(self._frame, self._format)
        return self._planes

    def _drawn(self, fmt: SignalFormat, overscan: float) -> Rgb8:
        key = fmt, overscan
        if key not in self._pictures:
            assert self.planes is not None
            self._pictures[key] = shown(*self.planes, fmt, self._frame.number, overscan)
        return self._pictures[key]


def face(frame: ReceivedFrame, monitor: Monitor, mwords: float | None = None) -> Face:
    """Return what a monitor makes of a frame that comes at a clock of `mwords` million words a second."""
    return Drawing(frame, mwords).face(monitor)


def _pictures(frame: ReceivedFrame, fmt: SignalFormat) -> tuple[Planes, NDArray[np.int64]]:
    known = frame if frame.lock.format is not None else replace(frame, lock=replace(frame.lock, format=fmt))
    return known.rows()


def shown(planes: Planes, rows: NDArray[np.int64], fmt: SignalFormat, number: int, overscan: float = 0.0) -> Rgb8:
    """Return planes, whose rows are told one by one, of ten or twelve bits as a screen shows them that takes them
    for `seen`: R′G′B′ (h, w, 3) for SDR.

    `number` counts frames: interlaced pictures are shown field by field in turn, as they come. HDR is brought to SDR by
    a soft shoulder, so that it can be looked at here; a screen that does not know it shows it as it is coded.
    `overscan` is the per cent of each side that is hidden.
    """
    height, width = len(rows), planes[0].shape[1]
    step = max(1, width // _FACE_WIDTH)
    picture = np.empty((height // step, width // step, 3), np.uint8)
    bits = 12 if fmt.encoding.bit_depth == 12 else 10
    field = number % 2 if fmt.scan == "interlaced" else -1
    hdr = is_hdr(fmt.encoding.transfer)
    cube = _to_sdr(fmt.encoding.primaries, fmt.encoding.transfer) if hdr else _NO_CUBE
    gains = _gains(replace(fmt.encoding, bit_depth=bits))
    by_lines(kernels.drawn, len(picture), *planes, rows, step, field, gains, cube, picture)
    down, side = round(len(picture) * overscan / 100), round(picture.shape[1] * overscan / 100)
    return np.ascontiguousarray(picture[down : len(picture) - down, side : picture.shape[1] - side])


@lru_cache(maxsize=64)
def _gains(encoding: Encoding) -> NDArray[np.float32]:
    """Return what each plane and one add to red, green and blue of 255, (3, 4)."""
    levels = encoding.levels
    span = 255 / (levels.white - levels.black)
    if encoding.matrix == "rgb":  # planes are G, B, R
        one = np.float32(span)
        zero = np.float32(-span * levels.black)
        return np.array([[0, 0, one, zero], [one, 0, 0, zero], [0, one, 0, zero]], np.float32)
    _, kr, kb, _ = MATRICES[encoding.matrix]
    assert kr is not None and kb is not None
    codes = (224 << (encoding.bit_depth - 8)) if levels.narrow else (1 << encoding.bit_depth) - 1
    red, blue = 2 * (1 - kr) * 255 / codes, 2 * (1 - kb) * 255 / codes
    green = 1 - kr - kb
    result = np.array([[span, 0, red, 0], [span, -kb / green * blue, -kr / green * red, 0], [span, blue, 0, 0]])
    result[:, 3] = -result[:, 0] * levels.black - (result[:, 1] + result[:, 2]) * levels.chroma_zero
    return result.astype(np.float32)


@lru_cache(maxsize=8)
def _to_sdr(primaries: str, transfer: str) -> Rgb8:
    """Return a cube (n, n, n, 3) from an HDR signal to BT.709 for looking at here."""
    axis = np.linspace(0, 1, _CUBE)
    grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    result = converted(grid, (primaries, transfer), ("bt709", "bt709"), tone="soft")
    return np.asarray(np.clip(result * 255 + 0.5, 0, 255), np.uint8)

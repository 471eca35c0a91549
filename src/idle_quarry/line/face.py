"""What a monitor shows of a received frame, drawn from its words; and what it should show."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from idle_quarry.line.judged import format_of
from idle_quarry.line.lock import nominal_rate
from idle_quarry.line.mapping import Planes
from idle_quarry.line.received import ReceivedFrame
from idle_quarry.path.entries import Monitor
from idle_quarry.path.monitoring import Taken, taken
from idle_quarry.picture.colour import converted
from idle_quarry.picture.scopes import field_shown, normalised, ycbcr_to_rgb
from idle_quarry.signal.colour import is_hdr
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.levels import Levels

Rgb8 = NDArray[np.uint8]
#: Samples across that a face has at the least, where the picture has them.
_FACE_WIDTH = 900
_CUBE = 33


@dataclass(frozen=True)
class Face:
    """What a monitor shows: what it takes the signal for, and its picture (h, w, 3), None where it stays black."""

    taken: Taken
    picture: Rgb8 | None


def received_format(frame: ReceivedFrame, mwords: float | None) -> SignalFormat | None:
    """Return what a frame is: as its identifier says, or by raster and clock alone where it has none."""
    if frame.lock.format is not None:
        return frame.lock.format
    timing = frame.lock.timing
    return format_of(frame.links, timing, None, timing.raster.scan, nominal_rate(timing, mwords), frame.lock.interface)


def face(frame: ReceivedFrame, monitor: Monitor, mwords: float | None = None) -> Face:
    """Return what a monitor makes of a frame that comes at a clock of `mwords` million words a second."""
    fmt = received_format(frame, mwords)
    if fmt is None:
        return Face(Taken(None, ("nothing tells what the line carries",)), None)
    what = taken(monitor, fmt, frame.lock.interface or "", payload=frame.lock.payload is not None)
    if what.seen is None:
        return Face(what, None)
    return Face(what, shown(_pictures(frame, fmt), what.seen, frame.number, monitor.overscan))


def meant(frame: ReceivedFrame) -> Rgb8 | None:
    """Return the picture that the line is to show, on a screen that takes all of it; None where nothing tells what it is."""
    fmt = frame.lock.format
    return None if fmt is None else shown(_pictures(frame, fmt), fmt, frame.number)


def _pictures(frame: ReceivedFrame, fmt: SignalFormat) -> Planes:
    known = frame if frame.lock.format is not None else replace(frame, lock=replace(frame.lock, format=fmt))
    return known.pictures()[0]


def shown(planes: Planes, seen: SignalFormat, number: int, overscan: float = 0.0) -> Rgb8:
    """Return planes of ten or twelve bits as a screen shows them that takes them for `seen`: R′G′B′ (h, w, 3) for SDR.

    `number` counts frames: interlaced pictures are shown field by field in turn, as they come. HDR is brought to SDR by a
    soft shoulder, so that it can be looked at here; a screen that does not know it shows it as it is coded. `overscan` is
    the per cent of each side that is hidden.
    """
    height, width = planes[0].shape
    trim = round(height * overscan / 100), round(width * overscan / 200) * 2
    step = max(1, width // _FACE_WIDTH)
    bits = 12 if int(seen.encoding.bit_depth) == 12 else 10
    field = number % 2 if seen.scan == "interlaced" else None
    made = _decimated(planes, step, field)
    encoding = replace(seen.encoding, bit_depth=bits)
    if encoding.matrix == "rgb":
        levels = Levels(bits, encoding.range == "narrow")
        channels = [(each.astype(np.float32) - levels.black) / (levels.white - levels.black) for each in made]
        red, green, blue = channels[2], channels[0], channels[1]
    else:
        across = made[0].shape[1] // made[1].shape[1]
        luma, cb, cr = normalised(made[0], (made[1], made[2]), bits, encoding)
        if across > 1:
            cb, cr = (np.repeat(plane, across, axis=1) for plane in (cb, cr))
        red, green, blue = ycbcr_to_rgb(luma, cb, cr, encoding.matrix)
    picture = np.empty((*red.shape, 3), np.uint8)
    for n, channel in enumerate((red, green, blue)):
        np.clip(channel * np.float32(255) + np.float32(0.5), 0, 255, out=channel)
        picture[..., n] = channel
    if is_hdr(encoding.transfer):
        cube = _to_sdr(encoding.primaries, encoding.transfer)
        index = (picture.astype(np.uint16) * (_CUBE - 1) + 127) // 255
        picture = cube[index[..., 0], index[..., 1], index[..., 2]] if step > 8 else _through(cube, picture)
    if seen.scan == "interlaced" and step == 1:
        picture = field_shown(picture, "top" if number % 2 == 0 else "bottom")
    down, side = trim[0] // step, trim[1] // step
    return np.ascontiguousarray(picture[down : picture.shape[0] - down or None, side : picture.shape[1] - side or None])


def _decimated(planes: Planes, step: int, field: int | None) -> Sequence[NDArray[np.uint16]]:
    """Return planes thinned by `step`: pairs of lines mixed, or of one field only where a field is meant."""
    if step == 1:
        return planes
    made = []
    for plane in planes:
        across = step if plane.shape[1] == planes[0].shape[1] else max(1, step)
        start = 0 if field is None else field
        rows = plane[start::step, ::across]
        if field is None:
            below = plane[1::step, ::across][: rows.shape[0]]
            rows = ((rows[: below.shape[0]].astype(np.uint32) + below + 1) >> 1).astype(np.uint16)
        made.append(rows)
    return made


@lru_cache(maxsize=8)
def _to_sdr(primaries: str, transfer: str) -> Rgb8:
    """Return a cube (n, n, n, 3) from an HDR signal to BT.709 for looking at here."""
    axis = np.linspace(0, 1, _CUBE)
    grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    made = converted(grid, (primaries, transfer), ("bt709", "bt709"), tone="soft")
    return np.asarray(np.clip(made * 255 + 0.5, 0, 255), np.uint8)


def _through(cube: Rgb8, picture: Rgb8) -> Rgb8:
    """Return a picture through a cube, mixed along each axis in turn from its two neighbours' nearest corners."""
    place = picture.astype(np.float32) * np.float32((_CUBE - 1) / 255)
    low = place.astype(np.uint8)
    part = place - low
    high = np.minimum(low + 1, _CUBE - 1)
    near = cube[low[..., 0], low[..., 1], low[..., 2]].astype(np.float32)
    made = near.copy()
    for axis in range(
        3
    ):  # along each axis by itself: exact on greys of smooth cubes to a code, in half a trilinear's time
        at = [low[..., n] if n != axis else high[..., n] for n in range(3)]
        made += (cube[at[0], at[1], at[2]] - near) * part[..., axis : axis + 1]
    return np.asarray(np.clip(made + 0.5, 0, 255), np.uint8)

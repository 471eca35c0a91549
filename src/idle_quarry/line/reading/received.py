"""What was received: what a line is locked to, and one frame of it with its pictures, sound, packets and faults."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import NotPossible
from idle_quarry.line.reading import unmapping
from idle_quarry.line.reading.faults import Fault
from idle_quarry.line.reading.lock import Timing
from idle_quarry.line.reading.packets import Packet
from idle_quarry.line.reading.sound import GroupSound
from idle_quarry.line.reading.unmapping import Planes
from idle_quarry.line.words import Words
from idle_quarry.line.writing.packets import HD_SOUND_CONTROL, SD_SOUND_CONTROL
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.timecode import Timecode


@dataclass(frozen=True)
class Lock:
    """What the line turned out to be; None for what nothing tells."""

    interface: str | None
    timing: Timing
    scan: str | None
    rate: Fraction | None
    payload: tuple[int, int, int, int] | None
    format: SignalFormat | None

    @property
    def height(self) -> int:
        if self.format is not None:
            return self.format.raster.height
        lines = sum(last - first + 1 for first, last in self.timing.raster.active)
        return min(lines, 486) if self.timing.raster.lines == 525 else lines

    @property
    def width(self) -> int:
        return self.format.raster.width if self.format is not None else self.timing.width


@dataclass(frozen=True)
class ReceivedFrame:
    """One frame as received: words of each link (lines, words, streams), packets, sound by group, timecodes, faults."""

    number: int
    lock: Lock
    links: tuple[Words, ...]
    packets: tuple[Packet, ...]
    sound_words: NDArray[np.int32]  #: for each line, how many words of its blanking are sound
    sound: dict[int, GroupSound]
    timecode: Timecode | None
    active_format: int | None
    faults: tuple[Fault, ...]

    @property
    def active_channels(self) -> dict[int, int]:
        """How many channels of each group of sound its control packet calls active."""
        results = {}
        for packet in self.packets:
            for dids, at in ((HD_SOUND_CONTROL, 2), (SD_SOUND_CONTROL, 3)):
                if packet.did in dids and packet.whole and len(packet.data) > at:
                    results[dids.index(packet.did) + 1] = (packet.data[at] & 0xF).bit_count()
        return results

    def pictures(self) -> list[Planes]:
        """Return the frame's pictures as planes: luma and colour differences, or G, B, R; two where a frame holds two.

        Values have ten bits, twelve where the line says so. Raises `NotPossible` where it is not known what the line
        holds.
        """
        return _pictures(self)

    def rows(self) -> tuple[Planes, NDArray[np.int64]]:
        """Return the frame's first picture as planes and, for each row of it, the plane's row that holds it.

        Of 4:2:2 in ten bits the planes are views of the words themselves: nothing is copied. Raises as `pictures` does.
        """
        fmt, timing = self.lock.format, self.lock.timing
        whole = fmt is not None and fmt.encoding.sampling == "4:2:2" and fmt.encoding.bit_depth == 10
        if not whole or timing.raster.of_sd or timing.streams != 2 or len(self.links) != 1 or timing.step != 1:
            planes = self.pictures()[0]
            return planes, np.arange(len(planes[0]))
        begin = timing.sav + 4
        link = self.links[0]
        spans = [np.arange(first - 1, last) for first, last in timing.raster.active]
        rows = spans[0] if len(spans) == 1 else np.stack(spans, axis=1).reshape(-1)
        return (link[:, begin:, 1], link[:, begin::2, 0], link[:, begin + 1 :: 2, 0]), rows

    @property
    def samples(self) -> NDArray[np.int32]:
        """Sound of all groups, (n, 4 × groups), as many samples as the group with most has."""
        groups = [self.sound[n].samples for n in sorted(self.sound)]
        if not groups:
            return np.zeros((0, 0), np.int32)
        most = max(len(group) for group in groups)
        return np.concatenate([np.pad(plane, ((0, most - len(plane)), (0, 0))) for plane in groups], axis=1)


def _pictures(frame: ReceivedFrame) -> list[Planes]:
    lock, timing = frame.lock, frame.lock.timing
    fmt = lock.format
    if fmt is None:
        raise NotPossible("it is not known what the line carries", remedy="send a payload identifier, or say the clock")
    raster = timing.raster
    begin = timing.sav + 4
    if raster.of_sd:
        return [unmapping.of_sd(unmapping.field_rows(frame.links[0][:, begin:, 0], raster, fmt.raster.height))]
    half = timing.streams // 2
    order = {1: (0,), 2: (1, 0), 4: (3, 1, 2, 0)}[half]
    streams = [(link[:, begin:, rank], link[:, begin:, half + rank]) for link in frame.links for rank in order]
    lines_height = {750: 720, 1125: 1080}[raster.lines]
    sampling, bits = fmt.encoding.sampling, fmt.encoding.bit_depth
    carried = "4:2:2" if sampling == "4:2:0" else sampling
    if lock.interface == "3G-B" and fmt.rate > 30:
        results = []
        for first, last in raster.active:
            rows = [unmapping.planes_of(c[first - 1 : last], y[first - 1 : last], carried, bits) for c, y in streams]
            results.append(unmapping.joined_lines(rows))
    else:
        parts = [tuple(unmapping.field_rows(plane, raster, lines_height) for plane in pair) for pair in streams]
        if lock.interface == "3G-B":
            results = [unmapping.of_two_links([(c, y) for c, y in parts])]
        else:
            planes = [unmapping.planes_of(c, y, carried, bits) for c, y in parts]
            if lock.interface == "quad 3G square":
                results = [unmapping.joined_quarters(planes)]
            elif len(planes) == 4:
                results = [unmapping.joined_pairs(planes, carried)]
            else:
                results = planes
    return [unmapping.sampled_420(row, fmt.scan == "interlaced") for row in results] if sampling == "4:2:0" else results

"""A line read: what a receiver makes of words, without knowing how they were made, and every fault it finds."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import NotPossible
from idle_quarry.line import kernels
from idle_quarry.line.by_lines import by_lines
from idle_quarry.line.rasters import LineRaster
from idle_quarry.line.reading.faults import Fault, FrameFaults
from idle_quarry.line.reading.judged import contradiction, format_of, stream_name
from idle_quarry.line.reading.line_finder import LineFinder
from idle_quarry.line.reading.lock import Timing, nominal_rate
from idle_quarry.line.reading.packets import MANY, Packet, PacketGroup, single, stream_packets
from idle_quarry.line.reading.received import Lock, ReceivedFrame
from idle_quarry.line.reading.sound import GroupSound, sound_of
from idle_quarry.line.words import CRC_16, CRC_18, Words, line_number_of, line_number_words, reference, with_complement
from idle_quarry.line.writing.packets import ACTIVE_FORMAT, EDH, PAYLOAD, TIMECODE, read_timecode
from idle_quarry.line.writing.payload import Payload, read_payload
from idle_quarry.signal.timecode import Timecode

#: Packets of one line and stream that are looked for.
_MOST_PACKETS = 24


@dataclass(frozen=True)
class _Expected:
    """What stands in each line of a raster: its timing references by H (lines, 4), its number's words, whether it
    holds picture.
    """

    references: tuple[Words, Words]
    numbers: Words
    active: NDArray[np.bool_]


@lru_cache(maxsize=8)
def _expected(raster: LineRaster) -> _Expected:
    result = np.zeros((2, raster.lines, 4), np.uint16)
    result[:, :, 0] = 0x3FF
    for h in (0, 1):
        result[h, :, 3] = [reference(f, v, h) for f, v in raster.all_flags]
    numbers = np.array([line_number_words(n + 1) for n in range(raster.lines)], np.uint16)
    return _Expected((result[0], result[1]), numbers, np.array([v == 0 for _, v in raster.all_flags]))


class LineReader:
    """Reads frames off one line of one link or more; knows what came before, so that breaks between frames are seen.

    `mwords` is the receiver's clock in million words a second of one link, where there is one: a file of words has
    none.
    """

    def __init__(self, mwords: float | None = None) -> None:
        self._mwords = mwords
        self._last_lines: list[Words | None] = []
        self._last_frames: list[Words] = []
        self._numbers: dict[int, int] = {}
        self._timecode: Timecode | None = None
        self._frame = 0

    def frame(self, links: Sequence[Words], timing: Timing, faults: Sequence[Fault] = ()) -> ReceivedFrame:
        """Return what one frame holds.

        Parameters
        ----------
        links
            (lines, words, streams) uint16 for each link, from line 1 on.
        timing
            What the lines are.
        faults
            What was wrong on the way to it.
        """
        frame_faults = FrameFaults(self._frame)
        if len(self._last_lines) != len(links):
            self._last_lines = [None] * len(links)
            self._last_frames = []
        packets: list[Packet] = []
        groups: list[PacketGroup] = []
        for number, link in enumerate(links):
            self._protected(link, timing, number, frame_faults)
            for stream, many in self._looked(link, timing, frame_faults):
                if many.did in MANY:
                    if number == 0 and stream in (0, timing.streams // 2 - 1 if timing.streams > 1 else 0):
                        groups.append(many)
                else:
                    packets += single(many, number * timing.streams + stream)
        sound = sound_of(groups, self._numbers, frame_faults)
        lock = self._lock(links, timing, packets, frame_faults)
        if timing.raster.of_sd:
            self._field_codes(links[0][:, :, 0], packets, timing, frame_faults)
        self._counted(sound, lock, frame_faults)
        moment = self._moment(packets, lock, frame_faults)
        active = next(
            (
                packet.bytes[0] >> 3 & 0xF
                for packet in packets
                if (packet.did, packet.sdid) == ACTIVE_FORMAT and packet.whole
            ),
            None,
        )
        self._numbers = {group: item.last for group, item in sound.items()}
        self._last_lines = [link[-1] for link in links]
        self._last_frames = list(links)
        lines = [replace(fault, frame=self._frame) for fault in faults]
        frame = ReceivedFrame(
            number=self._frame,
            lock=lock,
            links=tuple(links),
            packets=tuple(packets),
            sound_words=_sound_words(groups, timing.raster.lines),
            sound=sound,
            timecode=moment,
            active_format=active,
            faults=(*lines, *frame_faults.all()),
        )
        self._frame += 1
        return frame

    def _counted(self, sound: Mapping[int, GroupSound], lock: Lock, frame_faults: FrameFaults) -> None:
        """Tell groups that ended, and those with fewer or more samples than the time of a frame holds."""
        for group in self._numbers.keys() - sound.keys():
            frame_faults.tell("sound gap", 0, f"group {group}: nothing, where the frame before had sound")
        if lock.rate is None:
            return
        exact = Fraction(48000) / lock.rate * (2 if lock.interface == "3G-B" and lock.rate > 30 else 1)
        for group, item in sound.items():
            if not math.floor(exact) <= len(item.samples) <= math.ceil(exact):
                frame_faults.tell(
                    "sound gap", 0, f"group {group}: {len(item.samples)} samples in a frame that lasts {float(exact):g}"
                )

    def _protected(self, link: Words, timing: Timing, number: int, frame_faults: FrameFaults) -> None:
        """Tell timing references, line numbers and CRC that are not as they must be."""
        lines, raster = timing.raster.lines, timing.raster
        of = f" of link {number + 1}" if number else ""
        expected = _expected(raster)
        for at, h in ((0, 1), (timing.sav, 0)):
            wrong = (link[:, at : at + 4] != expected.references[h][:, :, None]).any(axis=(1, 2))
            for line in np.flatnonzero(wrong):
                frame_faults.tell("timing reference", int(line) + 1, f"{'EAV' if h else 'SAV'}{of} has wrong bits")
        if raster.of_sd:
            return
        wrong = (link[:, 4:6] != expected.numbers[:, :, None]).any(axis=(1, 2))
        for line in np.flatnonzero(wrong):
            value = line_number_of(int(link[line, 4, -1]), int(link[line, 5, -1]))
            frame_faults.tell(
                "line number",
                int(line) + 1,
                (
                    f"line {int(line) + 1}{of} calls itself {value}"
                    if value != line + 1
                    else f"the line number{of} has wrong bits"
                ),
            )
        codes = np.empty((lines, timing.streams), np.uint32)
        before = self._last_lines[number]
        by_lines(kernels.line_codes, lines, link, timing.sav + 4, CRC_18, codes, link[-1] if before is None else before)
        wrong_codes = (link[:, 6] != with_complement(codes & 0x1FF)) | (link[:, 7] != with_complement(codes >> 9))
        if before is None:  # what came before the first line is not known
            wrong_codes[0] = False
        for line, stream in np.argwhere(wrong_codes):
            # the code stands behind the number of the line after the one that it covers
            covers = int(line) or lines
            frame_faults.tell(
                "crc",
                covers,
                f"line {covers} or the number after it{of} is not as it was sent ({stream_name(timing, int(stream))})",
            )

    def _looked(self, link: Words, timing: Timing, frame_faults: FrameFaults) -> Iterator[tuple[int, PacketGroup]]:
        """Yield packets of each stream, telling reserved codes and what is wrong in blanking."""
        lines, streams = link.shape[0], timing.streams
        positions = np.zeros((lines, streams, _MOST_PACKETS), np.int32)
        faults = np.zeros((lines, streams, 4), np.int32)
        head = 4 if timing.raster.of_sd else 8
        by_lines(
            kernels.look,
            lines,
            link,
            _expected(timing.raster).active,
            head,
            timing.sav,
            timing.raster.of_sd,
            positions,
            faults,
        )
        for line, stream in np.argwhere(faults[:, :, 0] > 0):
            count, at = int(faults[line, stream, 0]), int(faults[line, stream, 1])
            frame_faults.tell(
                "reserved code",
                int(line) + 1,
                f"{count} words, the first {int(link[line, at, stream]):03X} at word {at}"
                f" ({stream_name(timing, int(stream))})",
            )
        for line, stream in np.argwhere(faults[:, :, 2] > 0):
            count, at = int(faults[line, stream, 2]), int(faults[line, stream, 3])
            frame_faults.tell(
                "blanking",
                int(line) + 1,
                f"{count} words that are not blank, the first {int(link[line, at, stream]):03X} at word {at}"
                f" ({stream_name(timing, int(stream))})",
            )
        for stream in range(streams):
            for group in stream_packets(link[:, :, stream], positions[:, stream], stream, frame_faults):
                yield stream, group

    def _lock(
        self, links: Sequence[Words], timing: Timing, packets: Sequence[Packet], frame_faults: FrameFaults
    ) -> Lock:
        raster = timing.raster
        lines = [packet for packet in packets if (packet.did, packet.sdid) == PAYLOAD and len(packet.data) == 4]
        whole = [packet.bytes for packet in lines if packet.whole]
        payload: Payload | None = None
        data: tuple[int, int, int, int] | None = None
        if whole:
            first = min(whole, key=lambda data: data[3])  # of several parts, the first
            data = (first[0], first[1], first[2], first[3])
            payload = read_payload(data)
        elif lines:
            pass  # told as a wrong packet
        else:
            frame_faults.tell("payload missing", raster.payload[0], "no payload identifier says what the line carries")
        interface = self._interface(len(links), timing, payload)
        rate = nominal_rate(timing, self._mwords)
        if payload is not None:
            wrong = contradiction(payload, timing, len(links), self._mwords)
            if wrong:
                frame_faults.tell("payload contradicts", raster.payload[0], wrong)
            else:
                rate = payload.rate
        scan = payload.scan if payload is not None else raster.scan
        fmt = format_of(links, timing, payload, scan, rate, interface)
        return Lock(interface, timing, scan, rate, data, fmt)

    def _interface(self, links: int, timing: Timing, payload: Payload | None) -> str | None:
        if timing.raster.of_sd:
            return "SD"
        text = payload.interface if payload is not None else None
        if links == 4:
            return "quad 3G square" if text == "3G-A" else "quad 3G"
        if timing.streams == 4:
            return text if text in ("3G-B", "3G-B two streams") else "3G-B"
        if timing.streams == 8:
            fast = None if self._mwords is None else self._mwords > 600
            return text if text in ("6G", "12G") else None if fast is None else "12G" if fast else "6G"
        if text in ("HD", "3G-A"):
            return text
        if self._mwords is not None:
            return "3G-A" if self._mwords > 200 else "HD"
        return "3G-A" if timing.step == 2 else None

    def _moment(self, packets: Sequence[Packet], lock: Lock, frame_faults: FrameFaults) -> Timecode | None:
        """Return the frame's timecode, LTC before VITC, telling numbers of no clock and breaks."""
        if lock.rate is None:
            return None
        read: dict[int, Timecode] = {}
        for packet in packets:
            if (packet.did, packet.sdid) != TIMECODE or not packet.whole:
                continue
            result = read_timecode(packet.bytes, lock.rate)
            if result is None:
                frame_faults.tell("timecode", packet.line, "the number is none that a clock shows")
            else:
                read.setdefault(result[0], result[1])
        if not read:
            return None
        moment = read[min(read)]
        step = 2 if lock.interface == "3G-B" and lock.rate > 30 else 1
        if self._timecode is not None and (self._timecode.rate, self._timecode.drop) == (moment.rate, moment.drop):
            timecode = self._timecode + step
            if moment != timecode:
                frame_faults.tell("timecode break", 0, f"{moment} follows {self._timecode}, not {timecode}")
        self._timecode = moment
        return moment

    def _field_codes(self, stream: Words, packets: Sequence[Packet], timing: Timing, frame_faults: FrameFaults) -> None:
        """Hold the codes of RP 165 against the fields they cover.

        The second field of the frame before where that is known.
        """
        raster = timing.raster
        for packet in packets:
            if packet.did != EDH or not packet.whole or len(packet.data) != 16 or packet.line not in raster.edh:
                continue
            index = 1 - raster.edh.index(
                packet.line
            )  # the packet of field 1 covers the second field of the frame before
            if index == 1 and not self._last_frames:
                continue
            rows = np.concatenate([self._last_frames[0][:, :, 0], stream]) if index == 1 else stream
            spans = [raster.edh_active[index], raster.edh_full[index]]
            if spans[1][1] < spans[1][0]:
                spans[1] = (spans[1][0], spans[1][1] + raster.lines)
            for kind, (first, last), at in (("picture", spans[0], 0), ("field", spans[1], 3)):
                lines = packet.data[at : at + 3]
                code = (lines[0] >> 2 & 0x3F) | (lines[1] >> 2 & 0x3F) << 6 | (lines[2] >> 2 & 0xF) << 12
                if not lines[2] & 0x80:
                    continue
                part = rows[first - 1 : last]
                words = part[:, timing.sav + 4 :].reshape(-1) if kind == "picture" else part.reshape(-1)[4:]
                if kernels.code_of(np.ascontiguousarray(words), CRC_16) != code:
                    frame_faults.tell(
                        "edh",
                        packet.line,
                        f"the {kind} of lines {first} to {(last - 1) % raster.lines + 1} is not as it was sent",
                    )


def _sound_words(held: Sequence[PacketGroup], lines: int) -> NDArray[np.int32]:
    counted = np.zeros(lines, np.int32)
    for group in held:
        np.add.at(counted, group.line - 1, group.words.shape[1])
    return counted


def read_words(links: Sequence[Words], mwords: float | None = None) -> Iterator[ReceivedFrame]:
    """Yield the frames of words as they come off each link; only whole ones.

    Lines that are too short or too long, frames with other than their count of lines, and links that are missing are
    faults of the frame after.

    Parameters
    ----------
    links
        Words of ten bits, (n,) uint16, for each link. They need not begin with a line.
    mwords
        Million words a second, where that is known: it tells rates of one line length apart.

    Yields
    ------
    ReceivedFrame
        What each frame holds, and what is wrong with it.

    Raises
    ------
    NotPossible
        Where nothing in the words is a line that is known.
    """
    if not 1 <= len(links) <= 4:
        raise NotPossible("a signal has one link or four", subject=f"{len(links)} files")
    cut = [LineFinder(link) for link in links]
    reader = LineReader(mwords)
    timing = cut[0].timing
    for frames in zip(*(line_finder.frames() for line_finder in cut), strict=False):
        faults = [fault for _, value in frames for fault in value]
        yield reader.frame([words for words, _ in frames], timing, faults)

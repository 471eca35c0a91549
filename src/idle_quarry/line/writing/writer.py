"""A line written: pictures, sound and timecode as the words that a serial interface carries."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from idle_quarry.line import kernels
from idle_quarry.line.by_lines import by_lines
from idle_quarry.line.transport import Transport
from idle_quarry.line.words import BLANK_C, BLANK_Y, CRC_18, Words, line_number_words, reference, with_complement
from idle_quarry.line.writing.edh import lay_edh
from idle_quarry.line.writing.mapping import Planes, lay_pictures
from idle_quarry.line.writing.packets import ACTIVE_FORMAT, PAYLOAD, TIMECODE, active_format_data, packet, timecode_data
from idle_quarry.line.writing.payload import payload_bytes
from idle_quarry.line.writing.sound import free_word, lay_sound
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rasters import SIXTEEN_NINE
from idle_quarry.signal.timecode import Timecode


@dataclass(frozen=True)
class LineSignalling:
    """What a line says beside picture and sound: whether a payload identifier, and an active format (a code of ST
    2016-1).
    """

    payload: bool = True
    active_format: int | None = None


@lru_cache(maxsize=2)
def blank_frame(fmt: SignalFormat, way: Transport, number: int, line_signalling: LineSignalling) -> Words:
    """Return a frame without picture: timing references, line numbers and identifiers; the codes are still to come.

    Parameters
    ----------
    fmt, way
        The format, and how it travels.
    number
        The link, from 0.
    line_signalling
        Which packets the lines have.

    Returns
    -------
    Words
        (lines, words, streams) uint16 of ten bits. It is kept and shared: nobody may write into it.
    """
    lines, words = way.raster.lines, way.words
    frame = np.empty((lines, words, way.streams), np.uint16)
    half = way.streams // 2
    if way.raster.of_sd:
        frame[:, 0::2, 0], frame[:, 1::2, 0] = BLANK_C, BLANK_Y
    else:
        frame[:, :, :half], frame[:, :, half:] = BLANK_C, BLANK_Y
    for at in (0, way.sav):
        frame[:, at], frame[:, at + 1 : at + 3] = 0x3FF, 0
    for n in range(lines):
        f, v = way.raster.flags(n + 1)
        frame[n, 3], frame[n, way.sav + 3] = reference(f, v, 1), reference(f, v, 0)
        if not way.raster.of_sd:
            frame[n, 4], frame[n, 5] = line_number_words(n + 1)
            frame[n, 6:8] = BLANK_Y
    if line_signalling.payload:
        for part in range(max(1, way.streams // 2)):
            channel = number if way.interface.links > 1 else part
            for line in way.raster.payload:
                _lay(
                    frame[line - 1, :, way.luma_at(part)], way.head, packet(*PAYLOAD, payload_bytes(fmt, way, channel))
                )
                if way.interface.id == "3G-A" or way.interface.links > 1:  # in both streams of level A (ST 425-1)
                    _lay(
                        frame[line - 1, :, way.chroma_at(part)],
                        way.head,
                        packet(*PAYLOAD, payload_bytes(fmt, way, channel)),
                    )
    if line_signalling.active_format is not None:
        wide = fmt.raster.display_aspect == SIXTEEN_NINE
        for line in way.raster.active_format:
            at = way.sav + 4
            _lay(
                frame[line - 1, :, way.luma_at(0)],
                at,
                packet(*ACTIVE_FORMAT, active_format_data(line_signalling.active_format, wide)),
            )
    return frame


def _lay(line: Words, at: int, words: Words) -> None:
    at = free_word(line, at)
    line[at : at + len(words)] = words


class LineWriter:
    """Writes a format's line, frame after frame, for every link.

    Frames hold `pictures` pictures of the format each (two over links of ST 372 above 30 a second, and where two
    pictures share a line); sound is 24 bits at 48 kHz, as many samples as `samples_in` counts for each picture.
    """

    def __init__(self, fmt: SignalFormat, way: Transport, line_signalling: LineSignalling | None = None) -> None:
        self.format, self.way = fmt, way
        line_signalling = line_signalling or LineSignalling()
        self._blank = [blank_frame(fmt, way, n, line_signalling) for n in range(way.interface.links)]
        # what came before the first line of the first frame: vertical blanking
        self._before: list[Words | None] = [None] * way.interface.links
        self._last_line = [frame[-1].copy() for frame in self._blank]
        self._recent: dict[int, tuple[list[NDArray[np.uint16]], Words]] = {}
        self._frame = 0
        self._sent = 0

    @property
    def pictures(self) -> int:
        """How many pictures a frame of the interface takes."""
        return 2 if self.way.division == "two pictures" else self.way.pictures

    def frame(
        self, pictures: Sequence[Planes], sound: NDArray[np.int32] | None = None, timecode: Timecode | None = None
    ) -> list[Words]:
        """Return the next frame's words.

        Parameters
        ----------
        pictures
            Planes of code values at the format's depth, as many as the way has in a frame.
        sound
            (samples, channels) int32 of 24 bits, of all the frame's pictures; None for none.
        timecode
            That of the first picture; None for none.

        Returns
        -------
        list of Words
            (lines, words, streams) uint16 of ten bits for each link.

        Raises
        ------
        NotPossible
            Where there are more channels than have room.
        ValueError
            For another number of pictures.

        References
        ----------
        SMPTE ST 259, ST 292-1, ST 372, ST 425, ST 2081, ST 2082; ST 272 and ST 299 for sound, ST 12-2 for timecode.
        """
        if len(pictures) != self.pictures:
            raise ValueError(f"a frame here takes {self.pictures} pictures, not {len(pictures)}")
        results = []
        for number, blank in enumerate(self._blank):
            frame, still = self._with_pictures(number, blank, pictures)
            if timecode is not None:
                self._lay_timecode(frame, timecode)
            if sound is not None and number == 0:
                lay_sound(
                    frame,
                    self.way,
                    0,
                    sound,
                    self._frame * self.way.pictures,
                    self.format.rate / self.way.pictures,
                    self._sent,
                )
            self._close(frame, number, still)
            results.append(frame)
        self._frame += 1
        self._sent += 0 if sound is None else len(sound)
        return results

    def _with_pictures(self, number: int, blank: Words, pictures: Sequence[Planes]) -> tuple[Words, bool]:
        """Return a frame of a link with pictures laid in, and whether they stand still: those are laid, and closed,
        once.
        """
        planes = [plane for picture in pictures for plane in picture]
        last_frame = self._recent.get(number)
        if (
            last_frame is None
            or len(last_frame[0]) != len(planes)
            or any(a is not b for a, b in zip(last_frame[0], planes, strict=True))
        ):
            frame = blank.copy()
            lay_pictures(frame, self.format, self.way, number, pictures)
            self._recent[number] = (planes, frame)
            return frame.copy(), False
        return last_frame[1].copy(), True

    def _lay_timecode(self, frame: Words, moment: Timecode) -> None:
        ltc, first, *second = self.way.raster.timecode
        at = self.way.sav + 4
        later = moment + 1 if self.way.pictures == 2 else moment
        for line, kind, timecode in ((ltc, 0, moment), (first, 1, moment), *((line, 2, later) for line in second)):
            words = packet(*TIMECODE, timecode_data(timecode, kind, second=kind == 2))
            _lay(frame[line - 1, :, self.way.luma_at(0)], at, words)

    def _close(self, frame: Words, number: int, still: bool) -> None:
        """Put in what protects the words: CRC of each line, in SD the codes of RP 165."""
        if self.way.raster.of_sd:
            lay_edh(frame, self._before[number], self.way)
            self._before[number] = frame
            return
        codes = np.empty((self.way.raster.lines, self.way.streams), np.uint32)
        given = (frame, self.way.sav + 4, CRC_18, codes, self._last_line[number])
        blanking = self._recent[number][1]
        if still:  # codes cover no horizontal blanking: only the lines behind those with timecode have others
            frame[:, 6:8] = blanking[:, 6:8]
            rows = sorted(line % len(frame) for line in self.way.raster.timecode)
            for row in rows:
                kernels.line_codes(row, row + 1, *given)
        else:
            rows = list(range(len(frame)))
            by_lines(kernels.line_codes, len(frame), *given)
        frame[rows, 6], frame[rows, 7] = with_complement(codes[rows] & 0x1FF), with_complement(codes[rows] >> 9)
        if not still:
            blanking[:, 6:8] = frame[:, 6:8]
        self._last_line[number] = frame[-1].copy()

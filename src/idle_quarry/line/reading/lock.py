"""What a receiver locks to: streams, words of a line, raster and scan, by the timing references alone."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from idle_quarry.line import kernels
from idle_quarry.line.rasters import LineRaster, line_rasters
from idle_quarry.line.words import Words, line_number_of, mended_reference

#: Words of a stream's line: samples of ST 296 and ST 274 by raster, with the nominal rates at the slower clock.
SAMPLES = {750: {1650: 60, 1980: 50, 3300: 30, 3960: 25, 4125: 24}, 1125: {2200: 30, 2640: 25, 2750: 24}}
#: Samples of a picture that a stream of one word a sample carries, at the most.
WIDEST = 2048
#: No line is longer or shorter, in words of all streams.
_SHORTEST, _LONGEST = 1000, 60000


@dataclass(frozen=True)
class Timing:
    """Streams in the multiplex, words of one stream in a line, where the picture's reference stands, and the raster."""

    streams: int
    words: int
    sav: int
    raster: LineRaster

    @property
    def line_words(self) -> int:
        return self.streams * self.words

    @property
    def step(self) -> int:
        """Words a sample takes in a stream: 2 where structures of ST 425-1 send 4:4:4 or 12 bits."""
        return 1 if self.raster.of_sd or self.words - self.sav - 4 <= WIDEST else 2

    @property
    def samples(self) -> int:
        return self.words // 2 if self.raster.of_sd else self.words // self.step

    @property
    def width(self) -> int:
        active = self.words - self.sav - 4
        return active // 2 if self.raster.of_sd else active // self.step


def first_references(words: Words) -> tuple[int, NDArray[np.int64]] | None:
    """Return how many streams are multiplexed and where lines begin, in the first words that tell.

    None where nothing does.
    """
    best: tuple[int, NDArray[np.int64]] | None = None
    for streams in (1, 2, 4, 8):
        held = np.zeros(len(words) // _SHORTEST + 2, np.int64)
        count = kernels.references(words, streams, held)
        if count and (best is None or count > len(best[1])):
            best = streams, held[:count]
    return best


def line_words(starts: NDArray[np.int64]) -> int | None:
    """Return the distance of lines that most of the starts have, None where fewer than three agree."""
    gaps = np.diff(starts)
    gaps = gaps[(gaps >= _SHORTEST) & (gaps <= _LONGEST)]
    if len(gaps) < 3:
        return None
    values, counts = np.unique(gaps, return_counts=True)
    return int(values[np.argmax(counts)]) if counts.max() >= 3 else None


def timing_of(lines: Words, streams: int) -> Timing | None:
    """Return what lines are, by their length and their references.

    Parameters
    ----------
    lines
        (lines, words, streams) uint16, each line from its reference on.
    streams
        How many streams are multiplexed in a link.

    Returns
    -------
    Timing or None
        None where it is no known one.
    """
    words = lines.shape[1]
    sav = _sav_of(lines)
    if sav is None:
        return None
    flags = [mended_reference(int(line)) for line in lines[:, 3, streams // 2]]
    numbers = [line_number_of(int(a), int(b)) for a, b in zip(lines[:, 4, -1], lines[:, 5, -1], strict=True)]
    best: tuple[int, Timing] | None = None
    for raster in line_rasters().values():
        timing = Timing(streams, words, sav, raster)
        if not _possible(timing):
            continue
        if raster.of_sd:
            return timing
        score = sum(
            flag is not None and 1 <= number <= raster.lines and raster.flags(number) == flag[:2]
            for flag, number in zip(flags, numbers, strict=True)
        )
        if best is None or score > best[0]:
            best = score, timing
    return best[1] if best is not None and best[0] > len(flags) // 2 else None


def _possible(timing: Timing) -> bool:
    if timing.raster.of_sd:
        return timing.streams == 1 and (timing.words, timing.width) == (
            {625: 1728, 525: 1716}[timing.raster.lines],
            720,
        )
    if timing.streams == 1 or timing.words % timing.step or timing.samples not in SAMPLES[timing.raster.lines]:
        return False
    return timing.width in ((1280,) if timing.raster.lines == 750 else (1920, 2048))


def _sav_of(lines: Words) -> int | None:
    """Return where the picture's timing reference stands in most lines."""
    first = lines[:64, :, 0]
    here = (
        (first[:, 8:-4] == 0x3FF) & (first[:, 9:-3] == 0) & (first[:, 10:-2] == 0) & (first[:, 11:-1] & 0x240 == 0x200)
    )
    votes = here.sum(axis=0)
    at = int(np.argmax(votes)) if votes.size else 0
    return at + 8 if votes.size and votes[at] * 2 > len(first) else None


def nominal_rate(timing: Timing, mwords: float | None) -> Fraction | None:
    """Return the frame rate that a clock of `mwords` million words a second gives, /1.001 told apart.

    None without a clock.

    SD has but one rate for each count of lines.
    """
    if timing.raster.of_sd:
        return Fraction(25) if timing.raster.lines == 625 else Fraction(30000, 1001)
    if mwords is None:
        return None
    exact = mwords * 1e6 / (timing.line_words * timing.raster.lines)
    base = round(exact)
    return Fraction(base) if abs(exact - base) < abs(exact - base / 1.001) else Fraction(base * 1000, 1001)

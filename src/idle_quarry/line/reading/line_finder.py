"""Where lines and frames lie in the words of one link, kept in step through damage."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import NotPossible
from idle_quarry.line import kernels
from idle_quarry.line.reading.faults import Fault
from idle_quarry.line.reading.lock import first_references, line_words, timing_of
from idle_quarry.line.words import Words


class LineFinder:
    """The lines of one link's words, found by their timing references and kept in step through damage."""

    def __init__(self, words: Words) -> None:
        self.words = np.ascontiguousarray(words, np.uint16)
        looked = first_references(self.words[:400_000])
        period = None if looked is None else line_words(looked[1])
        if looked is None or period is None or period % looked[0]:
            raise NotPossible(
                "no lines of a serial signal are in it",
                remedy="give words of 16 bits, lowest byte first, each line with its timing references",
            )
        self.streams, self.period = looked[0], period
        held = np.zeros(len(self.words) // 1000 + 2, np.int64)
        count = kernels.references(self.words, self.streams, held)
        self.lines = held[:count]
        at = self._in_step(looked[1])
        sample = self._rows(at, min(1500, (len(self.words) - at) // period))
        timing = timing_of(sample, self.streams) if len(sample) else None
        if timing is None:
            raise NotPossible("its lines are of no standard that is known here", subject=f"{period} words a line")
        self.timing = timing

    def _in_step(self, starts: NDArray[np.int64]) -> int:
        for a, b in pairwise(starts):
            if b - a == self.period:
                return int(a)
        return int(starts[0])

    def _rows(self, at: int, count: int) -> Words:
        return self.words[at : at + count * self.period].reshape(count, self.period // self.streams, self.streams)

    def _starts(self) -> tuple[NDArray[np.int64], list[tuple[int, int]]]:
        """Return where lines begin, those without a reference too, and (line index, words too many) of those that
        are not as long.
        """
        starts: list[int] = []
        odd: list[tuple[int, int]] = []
        result = self.lines
        if len(result) > 1 and (np.diff(result) == self.period).all():
            return result[result + self.period <= len(self.words)], odd
        here = 0
        at = self._in_step(result)
        while at + self.period <= len(self.words):
            starts.append(at)
            here = int(np.searchsorted(result, at + 1))
            following = int(result[here]) if here < len(result) else -1
            step = following - at
            if following < 0 or step == self.period or step > self.period * 3 // 2:
                at += self.period
            elif step < self.period // 2 and here + 1 < len(result) and int(result[here + 1]) - at == self.period:
                at += self.period  # a reference that only looks like one
            else:
                odd.append((len(starts) - 1, step - self.period))
                at = following
        return np.array(starts, np.int64), odd

    def frames(self) -> Iterator[tuple[Words, list[Fault]]]:
        """Yield frames (lines, words, streams), each with what was wrong with its lines' length and count."""
        starts, odd = self._starts()
        numbers = self._numbers(starts)
        lines = self.timing.raster.lines
        begins = [int(n) for n in np.flatnonzero(numbers == 1)]
        for n, begin in enumerate(begins):
            end = begins[n + 1] if n + 1 < len(begins) else min(len(starts), begin + lines)
            count = end - begin
            faults = [
                Fault(
                    0,
                    index - begin + 1,
                    "line length",
                    f"line {index - begin + 1} has {abs(by)} words too {'many' if by > 0 else 'few'}",
                )
                for index, by in odd
                if begin <= index < end
            ]
            if count != lines:
                if n + 1 == len(begins):
                    return  # the words end in the middle of a frame
                faults.append(Fault(0, 0, "line count", f"the frame has {count} lines, not {lines}"))
            if count < lines // 2:
                continue
            rows = starts[begin:end][:lines]
            if len(rows) < lines:
                rows = np.concatenate([rows, np.repeat(rows[-1:], lines - len(rows))])
            if (np.diff(rows) == self.period).all():
                yield self._rows(int(rows[0]), lines), faults
            else:
                picked = self.words[rows[:, None] + np.arange(self.period)]
                yield picked.reshape(lines, -1, self.streams), faults

    def _numbers(self, starts: NDArray[np.int64]) -> NDArray[np.int64]:
        """Return each line's number: as most lines around it tell, by their own number or in SD by F."""
        lines, streams = self.timing.raster.lines, self.streams
        index = np.arange(len(starts))
        if self.timing.raster.of_sd:
            words = self.words[starts + 3]
            f = (words >> 8 & 1).astype(np.int64)
            falls = np.flatnonzero((f[:-1] == 1) & (f[1:] == 0)) + 1
            falls = np.array(
                [at for at in falls if f[at : at + 20].sum() <= 2 and f[max(0, at - 20) : at].sum() >= min(18, at - 1)]
            )
            anchors, value = falls, np.full(len(falls), self.timing.raster.f[0])
            if not len(anchors) and len(starts):
                rises = np.flatnonzero((f[:-1] == 0) & (f[1:] == 1)) + 1
                anchors, value = rises[:1], np.full(len(rises[:1]), self.timing.raster.f[1])
        else:
            at = 5 * streams - 1, 6 * streams - 1
            read = (self.words[starts + at[0]] >> 2 & 0x7F).astype(np.int64) | (
                self.words[starts + at[1]] >> 2 & 0xF
            ).astype(np.int64) << 7
            steady = np.zeros(len(starts), bool)
            if len(starts) > 2:
                steady[1:] = np.diff(read) == 1
            anchors, value = index[steady], read[steady]
        if not len(anchors):
            return np.zeros(len(starts), np.int64)
        near = np.clip(np.searchsorted(anchors, index, side="right") - 1, 0, len(anchors) - 1)
        return (value[near] - 1 + index - anchors[near]) % lines + 1

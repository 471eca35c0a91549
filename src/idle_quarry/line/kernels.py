"""Loops over words that NumPy cannot do: cyclic redundancy codes, and one look at each word of a stream.

Compiled by Numba and kept on disk; nothing but the line's writer and reader imports this.
"""

from __future__ import annotations

import numpy as np
from numba import njit, prange

from idle_quarry.line.words import Words


@njit(cache=True, nogil=True, parallel=True)
def line_codes(streams: Words, sav_end: int, table: Words, codes: Words, before: Words) -> None:  # pragma: no cover
    """Put the CRC of each line of streams (lines, words, n) into `codes` (lines, n).

    A code covers the picture part of the line before (from `sav_end`) and the first six words of its own line: timing
    reference and line number. `before` (words, n) is the line before the first.
    """
    lines, words, count = streams.shape
    for line in prange(lines):
        for k in range(count):
            code = np.uint32(0)
            if line == 0:
                for at in range(sav_end, words):
                    code = (code >> np.uint32(10)) ^ table[(code ^ before[at, k]) & np.uint32(0x3FF)]
            else:
                for at in range(sav_end, words):
                    code = (code >> np.uint32(10)) ^ table[(code ^ streams[line - 1, at, k]) & np.uint32(0x3FF)]
            for at in range(6):
                code = (code >> np.uint32(10)) ^ table[(code ^ streams[line, at, k]) & np.uint32(0x3FF)]
            codes[line, k] = code


@njit(cache=True, nogil=True)
def code_of(words: Words, table: Words) -> int:  # pragma: no cover
    """Return the code of words in a row."""
    code = np.uint32(0)
    for word in words:
        code = (code >> np.uint32(10)) ^ table[(code ^ word) & np.uint32(0x3FF)]
    return int(code)


@njit(cache=True, nogil=True)
def references(words: Words, count: int, found: Words) -> int:  # pragma: no cover
    """Put where timing references of `count` multiplexed streams begin into `found`; return how many there are.

    One is `count` words of 3FF, twice as many of 000, and a word whose H is 1.
    """
    size, held, n, at = 4 * count, 0, len(words), 0
    while at + size <= n:
        if words[at] != 0x3FF:
            at += 1
            continue
        good = True
        for i in range(count):
            if words[at + i] != 0x3FF:
                good = False
                break
        if good:
            for i in range(count, 3 * count):
                if words[at + i] != 0:
                    good = False
                    break
        if good and words[at + 3 * count] & 0x240 == 0x240 and held < len(found):
            found[held] = at
            held += 1
            at += size
        else:
            at += 1
    return held


@njit(cache=True, nogil=True, parallel=True)
def look(
    streams: Words, active: Words, head: int, sav: int, of_one: bool, packets: Words, faults: Words
) -> None:  # pragma: no cover
    """Look at each word of streams (lines, words, n) that is not of a timing reference, line number or code.

    `active` tells for each line whether it holds picture, `head` where blanking begins after the timing reference and what
    follows it, `sav` where that of the picture begins; `of_one` whether luma and colour differences share a stream. In
    blanking, packets are put into `packets` (lines, n, most): their positions, 0 for none more. Into `faults`
    (lines, n, 4) go: how many words of the picture have codes that it may not, where the first is; how many words of
    blanking are neither blank nor of a packet, where the first is.
    """
    lines, words, count = streams.shape
    for line in prange(lines):
        for k in range(count):
            held = 0
            half = count // 2 if count > 1 else 0
            for part in range(2):
                begin, end = (head, sav) if part == 0 else (sav + 4, words)
                if part == 1 and active[line]:
                    for at in range(begin, end):
                        value = streams[line, at, k]
                        if value < 4 or value > 1019:
                            if faults[line, k, 0] == 0:
                                faults[line, k, 1] = at
                            faults[line, k, 0] += 1
                    continue
                at = begin
                while at < end:
                    value = streams[line, at, k]
                    if of_one:
                        blank = 0x200 if (at - sav) % 2 == 0 else 0x040
                    else:
                        blank = 0x040 if k >= half else 0x200
                    if value == blank:
                        at += 1
                        continue
                    if (
                        value == 0
                        and at + 6 < end
                        and streams[line, at + 1, k] == 0x3FF
                        and streams[line, at + 2, k] == 0x3FF
                    ):
                        size = (streams[line, at + 5, k] & 0xFF) + 7
                        if at + size <= end and held < packets.shape[2]:
                            packets[line, k, held] = at
                            held += 1
                            at += size
                            continue
                    if faults[line, k, 2] == 0:
                        faults[line, k, 3] = at
                    faults[line, k, 2] += 1
                    at += 1


def compiled() -> None:
    """Compile every loop for the arrays it is given, once: what is kept on disk is taken from there."""
    streams = np.zeros((2, 32, 2), np.uint16)
    line_codes(streams, 12, np.zeros(1024, np.uint32), np.zeros((2, 2), np.uint32), streams[0])
    code_of(streams.reshape(-1), np.zeros(1024, np.uint32))
    references(streams.reshape(-1), 1, np.zeros(4, np.int64))
    look(streams, np.zeros(2, np.bool_), 8, 12, False, np.zeros((2, 2, 4), np.int32), np.zeros((2, 2, 4), np.int32))

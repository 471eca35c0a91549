"""Loops over words that NumPy cannot do: cyclic redundancy codes, and one look at each word of a stream.

Compiled by Numba and kept on disk; nothing but the line's writer and reader imports this.
"""

from __future__ import annotations

import numpy as np

from idle_quarry.compiling.loop import loop
from idle_quarry.line.words import Words


@loop()
def line_codes(
    first: int, last: int, streams: Words, sav_end: int, table: Words, codes: Words, before: Words
) -> None:  # pragma: no cover
    """Put the CRC of lines `first` to `last` (not held) of streams (lines, words, n) into `codes` (lines, n).

    A code covers the picture part of the line before (from `sav_end`) and the first six words of its own line: timing
    reference and line number. `before` (words, n) is the line before the first.
    """
    _, words, count = streams.shape
    ten, low = np.uint32(10), np.uint32(0x3FF)
    pairs = count // 2
    for line in range(first, last):
        above = before if line == 0 else streams[line - 1]
        for k in range(pairs):  # two at a time: each waits for its own table, not for the other's
            other = k + pairs
            one, two = np.uint32(0), np.uint32(0)
            for at in range(sav_end, words):
                one = (one >> ten) ^ table[(one ^ above[at, k]) & low]
                two = (two >> ten) ^ table[(two ^ above[at, other]) & low]
            for at in range(6):
                one = (one >> ten) ^ table[(one ^ streams[line, at, k]) & low]
                two = (two >> ten) ^ table[(two ^ streams[line, at, other]) & low]
            codes[line, k], codes[line, other] = one, two


@loop()
def code_of(words: Words, table: Words) -> int:  # pragma: no cover
    """Return the code of words in a row."""
    code = np.uint32(0)
    for word in words:
        code = (code >> np.uint32(10)) ^ table[(code ^ word) & np.uint32(0x3FF)]
    return int(code)


@loop()
def references(words: Words, count: int, result: Words) -> int:  # pragma: no cover
    """Put where timing references of `count` multiplexed streams begin into `result`; return how many there are.

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
        if good and words[at + 3 * count] & 0x240 == 0x240 and held < len(result):
            result[held] = at
            held += 1
            at += size
        else:
            at += 1
    return held


@loop()
def look(
    first: int,
    last: int,
    streams: Words,
    active: Words,
    head: int,
    sav: int,
    of_one: bool,
    packets: Words,
    faults: Words,
) -> None:  # pragma: no cover
    """Look at each word of lines `first` to `last` (not held) of streams (lines, words, n) that is not of a timing
    reference, line number or code.

    `active` tells for each line whether it holds picture, `head` where blanking begins after the timing reference and
    what follows it, `sav` where that of the picture begins; `of_one` whether luma and colour differences share a
    stream. In blanking, packets are put into `packets` (lines, n, most): their positions, 0 for none more. Into
    `faults` (lines, n, 4) go: how many words of the picture have codes that it may not, where the first is; how many
    words of blanking are neither blank nor of a packet, where the first is.
    """
    _, words, count = streams.shape
    for line in range(first, last):
        lowest, highest = np.uint16(0xFFFF), np.uint16(0)
        if active[line]:  # most lines hold picture, and nearly all of them are well
            row = streams[line].reshape(-1)
            for at in range((sav + 4) * count, row.size):
                lowest, highest = min(lowest, row[at]), max(highest, row[at])
        bad = lowest < 4 or highest > 1019
        for k in range(count):
            held = 0
            half = count // 2 if count > 1 else 0
            for part in range(2):
                begin, end = (head, sav) if part == 0 else (sav + 4, words)
                if part == 1 and active[line]:
                    if not bad:
                        continue
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


@loop()
def drawn(
    first: int,
    last: int,
    y: Words,
    cb: Words,
    cr: Words,
    rows: Words,
    step: int,
    field: int,
    gains: Words,
    cube: Words,
    shown: Words,
) -> None:  # pragma: no cover
    """Draw rows `first` to `last` (not held) of a picture as R, G and B of eight bits, (h, w, 3).

    Every `step`th sample and line is taken, pairs of lines mixed; with `field` 0 or 1 only lines of that field, and
    where every line is drawn, the others between from their neighbours. `gains` (3, 4) are what luma, both colour
    differences and one add to red, green and blue, of 255 (row n of the picture is row `rows[n]` of its planes); of G,
    B, R planes each has its own. `cube` (n, n, n, 3), where n is more than 1, is looked up by the result, mixed from
    its eight neighbours.
    """
    height = len(rows)
    across = max(1, y.shape[1] // cb.shape[1])
    down = max(1, y.shape[0] // cb.shape[0])
    n = cube.shape[0]
    rgb = np.zeros(3, np.float32)
    for row in range(first, last):
        one = row * step
        other = min(one + 1, height - 1) if step > 1 else one
        if field >= 0:
            if step > 1:
                one = other = min(row * step + field, height - 1)
            elif row % 2 != field:
                one, other = (row - 1 if row > 0 else row + 1), (row + 1 if row < height - 1 else row - 1)
        one, other = rows[one], rows[other]
        for column in range(shown.shape[1]):
            at = column * step
            half = at // across
            luma = np.float32(0.5) * (y[one, at] + y[other, at])
            blue = np.float32(0.5) * (cb[one // down, half] + cb[other // down, half])
            red = np.float32(0.5) * (cr[one // down, half] + cr[other // down, half])
            for k in range(3):
                value = gains[k, 0] * luma + gains[k, 1] * blue + gains[k, 2] * red + gains[k, 3]
                rgb[k] = min(max(value, np.float32(0)), np.float32(255))
            if n == 1:
                for k in range(3):
                    shown[row, column, k] = np.uint8(rgb[k] + np.float32(0.5))
                continue
            scale = np.float32((n - 1) / 255)
            r, g, b = rgb[0] * scale, rgb[1] * scale, rgb[2] * scale
            i, j, m = min(int(r), n - 2), min(int(g), n - 2), min(int(b), n - 2)
            r, g, b = r - i, g - j, b - m
            for k in range(3):
                low = (cube[i, j, m, k] * (1 - r) + cube[i + 1, j, m, k] * r) * (1 - g)
                low += (cube[i, j + 1, m, k] * (1 - r) + cube[i + 1, j + 1, m, k] * r) * g
                high = (cube[i, j, m + 1, k] * (1 - r) + cube[i + 1, j, m + 1, k] * r) * (1 - g)
                high += (cube[i, j + 1, m + 1, k] * (1 - r) + cube[i + 1, j + 1, m + 1, k] * r) * g
                shown[row, column, k] = np.uint8(low * (1 - b) + high * b + 0.5)


def compiled() -> None:
    """Compile every loop for the arrays it is given, once: what is kept on disk is taken from there."""
    streams = np.zeros((2, 32, 2), np.uint16)
    line_codes(0, 2, streams, 12, np.zeros(1024, np.uint32), np.zeros((2, 2), np.uint32), streams[0])
    code_of(streams.reshape(-1), np.zeros(1024, np.uint32))
    references(streams.reshape(-1), 1, np.zeros(4, np.int64))
    look(
        0, 2, streams, np.zeros(2, np.bool_), 8, 12, False, np.zeros((2, 2, 4), np.int32), np.zeros((2, 2, 4), np.int32)
    )
    plane, gains = np.zeros((4, 4), np.uint16), np.zeros((3, 4), np.float32)
    drawn(
        0,
        1,
        plane,
        plane,
        plane,
        np.arange(4),
        1,
        -1,
        gains,
        np.zeros((1, 1, 1, 3), np.uint8),
        np.zeros((4, 4, 3), np.uint8),
    )
    drawn(
        0,
        1,
        plane,
        plane[:, ::2],
        plane[:, ::2],
        np.arange(4),
        1,
        -1,
        gains,
        np.zeros((1, 1, 1, 3), np.uint8),
        np.zeros((4, 4, 3), np.uint8),
    )

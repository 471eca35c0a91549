"""Ancillary packets: what is laid into blanking (SMPTE ST 291-1), and the numbers of those that are known here.

A packet is a flag of three words, DID, SDID (or a count of packets), the count of data words, the data, a checksum.
"""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction

import numpy as np

from idle_quarry.line.words import ADF, Words, checksum, with_parity
from idle_quarry.signal.rates import counting_base, is_pulled
from idle_quarry.signal.timecode import Timecode

#: DID and SDID of ST 352, ST 12-2 and ST 2016-3.
PAYLOAD, TIMECODE, ACTIVE_FORMAT = (0x41, 0x01), (0x60, 0x60), (0x41, 0x05)
#: DID of sound by group, 1 first: ST 299-1's data and control, ST 272's data, extended data and control; RP 165.
HD_SOUND, HD_SOUND_CONTROL = (0xE7, 0xE6, 0xE5, 0xE4), (0xE3, 0xE2, 0xE1, 0xE0)
SD_SOUND, SD_SOUND_MORE, SD_SOUND_CONTROL = (0xFF, 0xFD, 0xFB, 0xF9), (0xFE, 0xFC, 0xFA, 0xF8), (0xEF, 0xEE, 0xED, 0xEC)
EDH = 0xF4
#: DBB1 of ST 12-2: which kind of timecode a packet holds.
TIMECODE_KINDS = {0: "LTC", 1: "VITC 1", 2: "VITC 2"}


def packet(did: int, sdid: int, data: Sequence[int]) -> Words:
    """Return a packet with data of eight bits each.

    >>> [f"{word:03X}" for word in packet(0x41, 0x01, (0x89, 0xCA, 0x00, 0x01))]
    ['000', '3FF', '3FF', '241', '101', '104', '189', '2CA', '200', '101', '19A']
    """
    inner = with_parity(np.array([did, sdid, len(data), *data]))
    return np.concatenate([np.array(ADF, np.uint16), inner, np.atleast_1d(checksum(inner))])


def timecode_data(moment: Timecode, kind: int, second: bool = False) -> list[int]:
    """Return the sixteen words of data of a timecode packet (ST 12-2, table 6): nibbles from b4, DBB1 and DBB2 in b3.

    `kind` is a key of `TIMECODE_KINDS`. Above 30 frames a second the number counts pairs; `second` marks the second of
    a pair (the field mark of ST 12-1, whose place depends on the rate).
    """
    text = str(moment)
    hours, minutes, seconds, frames = int(text[0:2]), int(text[3:5]), int(text[6:8]), int(text[9:])
    if moment.rate > 30:
        frames, second = frames // 2, bool(frames % 2)
    of_50 = counting_base(moment.rate) in (25, 50)
    nibbles = [0] * 16
    for at, value in ((0, frames), (4, seconds), (8, minutes), (12, hours)):
        nibbles[at], nibbles[at + 2] = value % 10, value // 10
    nibbles[2] |= 4 if moment.drop else 0
    nibbles[14 if of_50 else 6] |= 8 if second else 0
    return [nibble << 4 | (8 if n < 8 and kind >> n & 1 else 0) for n, nibble in enumerate(nibbles)]


def read_timecode(data: Sequence[int], rate: Fraction) -> tuple[int, Timecode, bool] | None:
    """Return kind, timecode and whether it is of the second field or picture; None for numbers that no clock shows.

    `rate` is that of the pictures; above 30 a second the number counts pairs of them.
    """
    if len(data) != 16:
        return None
    nibbles = [number >> 4 & 0xF for number in data]
    kind = sum((number >> 3 & 1) << n for n, number in enumerate(data[:8]))
    of_50 = counting_base(rate) in (25, 50)
    second = bool(nibbles[14 if of_50 else 6] & 8)
    drop = bool(nibbles[2] & 4)
    frames, seconds = nibbles[0] + 10 * (nibbles[2] & 3), nibbles[4] + 10 * (nibbles[6] & 7)
    minutes, hours = nibbles[8] + 10 * (nibbles[10] & 7), nibbles[12] + 10 * (nibbles[14] & 3)
    if rate > 30:
        frames = 2 * frames + second
    if not (max(nibbles[0::4]) < 10 and frames < counting_base(rate) and seconds < 60 and minutes < 60 and hours < 24):
        return None
    drop = drop and is_pulled(rate)
    try:
        text = f"{hours:02d}:{minutes:02d}:{seconds:02d}{';' if drop else ':'}{frames:02d}"
        return kind, Timecode.from_text(text, rate), second
    except Exception:
        return None


def active_format_data(code: int, wide: bool) -> list[int]:
    """Return the eight words of data of an active-format packet (ST 2016-3): the code of four bits, and whether of
    16:9.
    """
    return [(code & 0xF) << 3 | (4 if wide else 0), 0, 0, 0, 0, 0, 0, 0]

"""Sound in the line, written: 24 bits at 48 kHz, up to sixteen channels in four groups (SMPTE ST 299-1; in SD ST 272).

Samples travel in the blanking of the line after the one in which they fall, and later where that line carries none (RP
168).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import NotPossible
from idle_quarry.line.transport import Transport
from idle_quarry.line.words import ADF, Words, checksum, with_complement, with_parity
from idle_quarry.line.writing.packets import (
    HD_SOUND,
    HD_SOUND_CONTROL,
    SD_SOUND,
    SD_SOUND_CONTROL,
    SD_SOUND_MORE,
    packet,
)

RATE = 48000
#: Samples of a block of channel status (AES3).
BLOCK = 192
#: Channel status of AES3, professional, linear, 48 kHz, 24 bits: bytes 0, 1 and 2; byte 23 is their CRC.
_STATUS = (0x85, 0x08, 0x2C)
#: Words of an HD packet: 24 of data between the flag and the checksum.
HD_PACKET = 31
#: Degrees 5 to 0 of the code over each bit, (x + 1)(x⁵ + x² + 1), ST 299-1.
_BCH = (1, 0, 1, 1, 1, 1)


def samples_in(frame: int, rate: Fraction) -> int:
    """Return how many samples of 48 kHz fall into frame `frame`: at 29.97 the cadence 1602, 1601, 1602, 1601, 1602.

    >>> [samples_in(n, Fraction(30000, 1001)) for n in range(5)]
    [1602, 1601, 1602, 1601, 1602]
    """
    exact = RATE / rate
    if exact.denominator == 1:
        return int(exact)
    half = Fraction(1, 2)
    return math.floor(exact * (frame + 1) + half) - math.floor(exact * frame + half)


def cadence_length(rate: Fraction) -> int:
    """Return after how many frames the count of samples begins anew: 5 at 29.97."""
    return (RATE / rate).denominator


@dataclass(frozen=True)
class SamplePositions:
    """Where a frame's samples go: for each sample its line, the word its packet begins at, its clock phase, and
    whether late.
    """

    line: NDArray[np.int64]
    word: NDArray[np.int64]
    phase: NDArray[np.int64]
    late: NDArray[np.bool_]


def most_channels(way: Transport) -> int:
    """Return how many channels have room in a line's blanking."""
    room = way.sav - way.head
    if way.raster.of_sd:
        return 16
    per_line = Fraction(RATE) / (_line_rate(way))
    number = -(-per_line.numerator // per_line.denominator)  # the most samples in a line
    return min(16, 4 * (room // (HD_PACKET * number)))


def _line_rate(way: Transport) -> Fraction:
    """Return lines a second, near enough to count samples in: 1000/1001 less changes no ceiling."""
    words_a_second = Fraction(int(way.interface.mwords * 10), 10) * 10**6
    return words_a_second / (way.words * way.streams)


@lru_cache(maxsize=64)
def hd_places(way: Transport, count: int, groups: int) -> SamplePositions:
    """Return where `count` samples of `groups` groups go in a frame of an HD line or faster."""
    lines = way.raster.lines
    exact = np.arange(count) * lines / count
    falls = exact.astype(np.int64)  # the line after the one in which it falls, from 0
    room = way.sav - way.head
    barred = {line - 1 for line in way.raster.switch}
    per_line = room // (HD_PACKET * groups)
    line, word, late = np.zeros(count, np.int64), np.zeros(count, np.int64), np.zeros(count, bool)
    counts: dict[int, int] = {}
    for n in range(count):
        at = int(falls[n])
        while at in barred or counts.get(at, 0) >= per_line:
            at += 1
        late[n] = at > falls[n]
        line[n], word[n] = at, way.head + counts.get(at, 0) * HD_PACKET * groups
        counts[at] = counts.get(at, 0) + 1
    phase = ((exact - falls) * way.samples).astype(np.int64)
    return SamplePositions(line, word, phase, late)


def _status_bits(starts: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return the bit of channel status of each sample, by its place in a block."""
    data = [*_STATUS, *[0] * 20]
    register = 0xFF  # x⁸ + x⁴ + x³ + x² + 1 (AES3, annex), bits lowest first
    for byte in data:
        for bit in range(8):
            mixed = (byte >> bit & 1) ^ (register & 1)
            register = register >> 1 ^ (0xB8 if mixed else 0)
    data.append(register)
    bits = np.array([byte >> bit & 1 for byte in data for bit in range(8)])
    return np.asarray(bits[starts % BLOCK], np.int64)


def _parity(values: NDArray[np.int64]) -> NDArray[np.int64]:
    folded = values.copy()
    for shift in (16, 8, 4, 2, 1):
        folded ^= folded >> shift
    return folded & 1


def hd_packets(
    samples: NDArray[np.int32],
    group: int,
    first: int,
    numbers: NDArray[np.int64],
    phase: NDArray[np.int64],
    late: NDArray[np.bool_],
) -> Words:
    """Return the packets of one group of HD sound.

    Parameters
    ----------
    samples
        (n, 4) int32, signed, 24 bits.
    group
        0 to 3.
    first
        The number of the first sample in its block of 192.
    numbers, phase, late
        (n,) each: the packet's data block number, its clock phase in words, and whether it lies a line later.

    Returns
    -------
    Words
        (n, 31) uint16 of ten bits.

    References
    ----------
    SMPTE ST 299-1.
    """
    n = len(samples)
    result = np.empty((n, HD_PACKET), np.uint16)
    result[:, :3] = ADF
    result[:, 3], result[:, 4], result[:, 5] = (
        with_parity(HD_SOUND[group]),
        with_parity(numbers % 255 + 1),
        with_parity(24),
    )
    result[:, 6] = with_parity(phase & 0xFF)
    result[:, 7] = with_parity((phase >> 8 & 0xF) | late.astype(np.int64) << 4 | (phase >> 12 & 1) << 5)
    place = first + np.arange(n)
    status, begins = _status_bits(place), (place % BLOCK == 0).astype(np.int64)
    for channel in range(4):
        value = samples[:, channel].astype(np.int64) & 0xFFFFFF
        parity = _parity(value ^ status)  # even over sample, validity, user bit (both 0) and status
        at = 8 + 4 * channel
        result[:, at] = with_parity((value & 0xF) << 4 | begins << 3)
        result[:, at + 1], result[:, at + 2] = with_parity(value >> 4), with_parity(value >> 12)
        result[:, at + 3] = with_parity((value >> 20 & 0xF) | status << 6 | parity << 7)
    result[:, 24:30] = with_parity(error_code(result[:, :24]))
    result[:, 30] = checksum(result[:, 3:30])
    return result


def error_code(words: Words) -> NDArray[np.uint16]:
    """Return ECC 0 to 5 (n, 6), eight bits each, of the first 24 words (n, 24) of packets (ST 299-1, BCH)."""
    registers = [np.zeros(len(words), np.uint16) for _ in range(6)]
    for column in range(24):
        mixed = (words[:, column] & 0xFF) ^ registers[0]
        shifted = [*registers[1:], np.zeros_like(mixed)]
        registers = [plane ^ mixed if tap else plane for plane, tap in zip(shifted, _BCH, strict=True)]
    return np.stack(registers, axis=1)


def control_data(frame_in_cadence: int, channels: int, whole: bool) -> list[int]:
    """Return the eleven words of a group's control packet: frame number, 48 kHz in step, channels in use, no delay
    told.
    """
    number = 0 if whole else frame_in_cadence + 1
    return [number, 0, (1 << channels) - 1, *[0] * 8]


def lay_sound(
    link: Words, way: Transport, stream: int, samples: NDArray[np.int32], frame: int, rate: Fraction, first: int
) -> None:
    """Put sound into the blanking of one picture's streams of a link.

    Parameters
    ----------
    link
        (lines, words, streams), changed in place.
    way
        How the format travels.
    stream
        The part whose streams are used.
    samples
        (n, channels) int32, signed, 24 bits.
    frame
        The number of the frame in its cadence of samples.
    rate
        Frames a second.
    first
        How many samples were sent before.

    Raises
    ------
    NotPossible
        Where there are more channels than have room.

    References
    ----------
    SMPTE ST 272 (SD) and ST 299-1, -2 (HD and faster).
    """
    n, channels = samples.shape
    if channels > most_channels(way):
        raise NotPossible(
            f"blanking has room for {most_channels(way)} channels of sound, not {channels}", subject=way.interface.text
        )
    groups = -(-channels // 4)
    whole = np.zeros((n, 4 * groups), np.int32)
    whole[:, :channels] = samples
    cadence = cadence_length(rate)
    if way.raster.of_sd:
        _lay_sd(link, way, whole, channels, frame, rate, first)
        return
    places = hd_places(way, n, groups)
    chroma, luma = link[:, :, way.chroma_at(stream)], link[:, :, way.luma_at(stream)]
    across = np.arange(HD_PACKET)
    free = {line: free_word(chroma[line - 1], way.head) - way.head for line in way.raster.payload}
    word = places.word + np.array([free.get(line + 1, 0) for line in places.line.tolist()], np.int64)
    for group in range(groups):
        result = hd_packets(
            whole[:, 4 * group : 4 * group + 4], group, first, first + np.arange(n), places.phase, places.late
        )
        chroma[places.line[:, None], (word + HD_PACKET * group)[:, None] + across] = result
    for line in way.raster.sound_control:
        at = free_word(luma[line - 1], way.head)
        for group in range(groups):
            used = min(4, channels - 4 * group)
            words = packet(HD_SOUND_CONTROL[group], 0, control_data(frame % cadence, used, cadence == 1))
            luma[line - 1, at : at + len(words)] = words
            at += len(words)


def free_word(line: Words, at: int) -> int:
    """Return where the next packet goes in a line's blanking, from word `at` on, by the packets that are there."""
    while line[at] == 0 and line[at + 1] == 0x3FF and line[at + 2] == 0x3FF:
        at += (int(line[at + 5]) & 0xFF) + 7
    return at


@lru_cache(maxsize=64)
def sd_shares(way: Transport, count: int, group: int) -> tuple[tuple[int, int, int], ...]:
    """Return (line, first sample, samples) for each line of SD that carries some: three or four, by groups in turn."""
    lines = way.raster.lines
    barred = {line - 1 for line in (*way.raster.switch, *way.raster.sound_control)}
    open_lines = [n for n in range(lines) if n not in barred]
    shares, sent = [], 0
    for n, line in enumerate(open_lines):
        due = (count * (n + 1) + len(open_lines) * group // 4) // len(open_lines)
        due = count if n == len(open_lines) - 1 else min(count, due)
        if due > sent:
            shares.append((line, sent, due - sent))
            sent = due
    return tuple(shares)


@lru_cache(maxsize=64)
def _sd_packets_a_cadence(way: Transport, rate: Fraction, group: int) -> tuple[int, ...]:
    """Return how many packets of a group each frame of a cadence of SD has."""
    counts = [samples_in(frame, rate) for frame in range(cadence_length(rate))]
    return tuple(len(sd_shares(way, count, group)) for count in counts)


def _lay_sd(
    link: Words, way: Transport, samples: NDArray[np.int32], channels: int, frame: int, rate: Fraction, first: int
) -> None:
    n, cadence = len(samples), cadence_length(rate)
    place = first + np.arange(n)
    status, begins = _status_bits(place), (place % BLOCK == 0).astype(np.int64)
    stream = link[:, :, 0]
    free = np.array([free_word(line, way.head) for line in stream])
    for group in range(samples.shape[1] // 4):
        three = np.empty((n, 4, 3), np.int64)
        more = np.empty((n, 2), np.int64)
        for channel in range(4):
            value = samples[:, 4 * group + channel].astype(np.int64) & 0xFFFFFF
            twenty = value >> 4
            three[:, channel, 0] = (twenty & 0x3F) << 3 | channel << 1 | begins
            three[:, channel, 1] = twenty >> 6 & 0x1FF
            three[:, channel, 2] = (twenty >> 15 & 0x1F) | status << 7
            three[:, channel, 2] |= _parity(three[:, channel, 0] ^ three[:, channel, 1] ^ three[:, channel, 2]) << 8
        for pair in range(2):
            low, high = (samples[:, 4 * group + 2 * pair + n].astype(np.int64) & 0xF for n in (0, 1))
            more[:, pair] = low | high << 4
        shares = np.array(sd_shares(way, n, group))
        packets = _sd_packets_a_cadence(way, rate, group)
        sent = frame // cadence * sum(packets) + sum(packets[: frame % cadence])  # data blocks count on (ST 272)
        for count in np.unique(shares[:, 2]):
            numbers = np.flatnonzero(shares[:, 2] == count)
            lines, begin = shares[numbers, 0], shares[numbers, 1]
            span = begin[:, None] + np.arange(count)
            inner = _sd_packets(SD_SOUND[group], sent + numbers, with_complement(three[span].reshape(len(lines), -1)))
            extra = _sd_packets(SD_SOUND_MORE[group], sent + numbers, with_parity(more[span].reshape(len(lines), -1)))
            both = np.concatenate([inner, extra], axis=1)
            stream[lines[:, None], free[lines][:, None] + np.arange(both.shape[1])] = both
            free[lines] += both.shape[1]
        for line in way.raster.sound_control:
            at = free_word(stream[line - 1], way.head)
            text = [0 if cadence == 1 else frame % cadence + 1] * 2
            words = packet(SD_SOUND_CONTROL[group], 0, [*text, 0, (1 << min(4, channels - 4 * group)) - 1, *[0] * 14])
            stream[line - 1, at : at + len(words)] = words


def _sd_packets(did: int, numbers: NDArray[np.int64], data: Words) -> Words:
    """Return packets (n, words) of data words (n, words), numbered 1 to 255 over and over."""
    result = np.empty((len(data), data.shape[1] + 7), np.uint16)
    result[:, :3] = ADF
    result[:, 3], result[:, 4], result[:, 5] = (
        with_parity(did),
        with_parity(numbers % 255 + 1),
        with_parity(data.shape[1]),
    )
    result[:, 6:-1] = data
    result[:, -1] = checksum(result[:, 3:-1])
    return result


def as_24_bits(samples: NDArray[np.int32] | Sequence[int]) -> NDArray[np.int32]:
    """Return samples of 32 bits as those of 24, rounded."""
    wide = (np.asarray(samples, np.int64) + 128) >> 8
    return np.asarray(np.clip(wide, -(1 << 23), (1 << 23) - 1), np.int32)

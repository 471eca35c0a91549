"""Damage is found and placed: each bit of a line, and whatever else can happen to words on their way."""

from __future__ import annotations

from copy import deepcopy
from itertools import islice

import numpy as np
import pytest

from idle_quarry.errors import NotPossible
from idle_quarry.line.rasters import line_rasters
from idle_quarry.line.reading.lock import Timing
from idle_quarry.line.reading.reader import LineReader, read_words
from idle_quarry.line.transport import transport
from idle_quarry.line.writing.sending import SentSound, sent_frames
from idle_quarry.path.registry import sound_layouts
from idle_quarry.signal.timecode import Timecode
from idle_quarry.signal.words import format_from_words


def stream_of(words: str, frames: int = 3, interface: str = "") -> np.ndarray:
    fmt = format_from_words(words)
    sound = SentSound("tone", -18, sound_layouts()["5.1"], fmt)
    result = islice(sent_frames(fmt, transport(fmt, interface), "bars", sound, Timecode(100, fmt.rate)), frames)
    return np.concatenate([frame[0].reshape(-1) for frame in result])


@pytest.mark.parametrize("words", ["480i29.97", "720p50"])
def test_any_bit_that_turns_is_reported_in_its_line(words: str) -> None:
    clean = stream_of(words)
    fmt = format_from_words(words)
    way = transport(fmt)
    timing = Timing(way.streams, way.words, way.sav, way.raster)
    frames = clean.reshape(3, way.raster.lines, way.words, way.streams)
    rng = np.random.default_rng(11)
    # all bits of the words around the timing references and packets of one line, and random ones of any
    places = [(way.raster.payload[0] - 1, at) for at in (*range(24), *range(way.sav - 4, way.sav + 8))]
    places += [(int(rng.integers(way.raster.lines)), int(rng.integers(way.words))) for _ in range(8)]
    fresh = LineReader()
    assert not fresh.frame([frames[0]], timing).faults
    for number, (line, at) in enumerate(places):
        bits = range(10) if number < 4 else [int(rng.integers(10))]
        for bit in bits:
            damaged = frames[1].copy()
            damaged[line, at, int(rng.integers(way.streams))] ^= np.uint16(1 << bit)
            reader = deepcopy(fresh)  # as it is after a whole frame
            faults = [*reader.frame([damaged], timing).faults, *reader.frame([frames[2]], timing).faults]
            assert faults, (line, at, bit)
            if not way.raster.of_sd:
                assert {line, line + 1} & {fault.line for fault in faults} or {item.kind for item in faults} <= {
                    "timecode break",
                    "sound gap",
                }


def test_what_goes_wrong_is_named() -> None:
    clean = stream_of("1080i25", 4)
    lines = clean.reshape(4, 1125, 5280)

    def kinds(words: np.ndarray) -> set[str]:
        return {fault.kind for frame in read_words([words]) for fault in frame.faults}

    assert kinds(clean) == set()
    dropped = np.concatenate(
        [lines[0].reshape(-1), lines[1, :700].reshape(-1), lines[1, 701:].reshape(-1), lines[2:].reshape(-1)]
    )
    assert "line count" in kinds(dropped)
    short = np.concatenate([lines[:2].reshape(-1)[:-3000], lines[2:].reshape(-1)])
    assert "line length" in kinds(short)
    twice = np.concatenate([lines[:2].reshape(-1), lines[3:].reshape(-1)])
    assert {"timecode break", "sound gap"} <= kinds(twice)
    frame = clean.reshape(4, 1125, 2640, 2).copy()
    frame[1, 300, 1000, 1] = 0x3FE
    frame[2, 9, 8:20, 1] = 0x040
    assert {"reserved code", "crc"} <= kinds(frame.reshape(-1))
    other = stream_of("1080psf25", 2).reshape(2, 1125, 2640, 2)
    frame = clean.reshape(4, 1125, 2640, 2).copy()
    frame[:, 9, 8:19, 1] = stream_of("1080p25", 1).reshape(1125, 2640, 2)[9, 8:19, 1]
    frame[:, 571, 8:19, 1] = frame[:, 9, 8:19, 1]
    assert "payload contradicts" in kinds(frame.reshape(-1)) and kinds(other.reshape(-1)) == set()


def test_words_that_begin_anywhere_are_locked_to() -> None:
    for words in ("1080i25", "576i25"):
        clean = stream_of(words)
        read = list(read_words([clean[12_345:]]))
        assert len(read) == 2 and not read[0].faults and read[0].lock.format == format_from_words(words)


def test_random_damage_ends_in_faults_or_in_a_sentence() -> None:
    rng = np.random.default_rng(2)
    clean = {words: stream_of(words, 2) for words in ("1080i25", "576i25", "1080p50")}
    for number in range(24):
        words = clean[list(clean)[number % 3]].copy()
        damage(words, rng)
        try:
            for frame in read_words([words]):
                assert all(0 <= fault.line <= 1126 for fault in frame.faults)
                frame.samples  # noqa: B018
        except NotPossible:
            pass


def damage(words: np.ndarray, rng: np.random.Generator) -> None:
    """Do to words what cables, files and people do: bits, bursts, zeros, shifts, references where none belong."""
    size = len(words)
    for _ in range(int(rng.integers(1, 6))):
        at, length = int(rng.integers(size)), int(rng.integers(1, size // 4))
        part = words[at : at + length]
        match int(rng.integers(6)):
            case 0:
                part[rng.integers(0, len(part), 20)] ^= np.uint16(1 << int(rng.integers(16)))
            case 1:
                part[:] = rng.integers(0, 1024, len(part))
            case 2:
                part[:] = int(rng.choice([0, 0x3FF, 0x200, 0xFFFF]))
            case 3:
                part[:] = np.roll(part, int(rng.integers(1, 5000)))
            case 4:
                part[:8] = [0x3FF, 0x3FF, 0, 0, 0, 0, 0x3C4, 0x3C4][: len(part)]
            case _:
                part[:4] = [0, 0x3FF, 0x3FF, int(rng.integers(1024))][: len(part)]


def test_rasters_say_where_they_are_from() -> None:
    assert all(raster.standard and raster.lines in (525, 625, 750, 1125) for raster in line_rasters().values())

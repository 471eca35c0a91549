"""Words against what the standards print, and against other people's arithmetic."""

from __future__ import annotations

from fractions import Fraction

import anycrc
import numpy as np
import pytest
from tests.line.pictures import noise

from idle_quarry.line import kernels
from idle_quarry.line.rasters import line_rasters
from idle_quarry.line.reading.sound import _error_code
from idle_quarry.line.transport import transport
from idle_quarry.line.words import CRC_16, CRC_18, XYZ, line_number_of, line_number_words, mended_reference
from idle_quarry.line.writing.packets import packet, read_timecode, timecode_data
from idle_quarry.line.writing.payload import payload_bytes, payload_text, read_payload
from idle_quarry.line.writing.sound import error_code, hd_packets, samples_in
from idle_quarry.line.writing.writer import LineWriter
from idle_quarry.signal.rasters import SIXTEEN_NINE
from idle_quarry.signal.timecode import Timecode
from idle_quarry.signal.words import format_from_words


def test_timing_references_are_those_of_bt_656_and_mend_one_bit() -> None:
    for index, word in enumerate(XYZ):
        f, v, h = index >> 2 & 1, index >> 1 & 1, index & 1
        bits = (1, f, v, h, v ^ h, f ^ h, f ^ v, f ^ v ^ h, 0, 0)  # BT.656-5, table 3
        assert word == int("".join(map(str, bits)), 2)
        assert all(mended_reference(word ^ 1 << bit) == (f, v, h) for bit in range(10))
        assert mended_reference(word ^ 0b0011000000) != (f, v, h)


@pytest.mark.parametrize(("table", "width", "polynomial"), [(CRC_18, 18, 0x00031), (CRC_16, 16, 0x1021)])
def test_codes_are_those_of_another_library(table: np.ndarray, width: int, polynomial: int) -> None:
    words = np.random.default_rng(3).integers(0, 1024, 776).astype(np.uint16)
    bits = words[:, None] >> np.arange(10) & 1  # lowest first, as the line sends them
    theirs = anycrc.CRC(width, polynomial, 0, False, False, 0).calc(np.packbits(bits.astype(np.uint8)).tobytes())
    assert int(f"{kernels.code_of(words, table):0{width}b}"[::-1], 2) == theirs


def test_packets_as_st_352_and_st_291_print_them() -> None:
    words = [int(word) for word in packet(0x41, 0x01, (0x89, 0xCA, 0x00, 0x01))]
    assert words[:6] == [0x000, 0x3FF, 0x3FF, 0x241, 0x101, 0x104]
    for word in words[3:-1]:
        assert (word & 0x1FF).bit_count() % 2 == 0 and word >> 9 != word >> 8 & 1
    assert words[-1] & 0x1FF == sum(word & 0x1FF for word in words[3:-1]) % 512


@pytest.mark.parametrize(
    ("words", "interface", "identifier"),
    [
        ("1080p59.94", "3G-A", "0x89CA0001"),
        ("1080i25", "HD", "0x85052001"),
        ("1080psf25", "HD", "0x85452001"),
        ("720p50", "HD", "0x84C92001"),
        ("576i25", "SD", "0x81050001"),
        ("480i29.97 16:9", "SD", "0x81068001"),
        ("1080p50", "3G-B", "0x8A490001"),
        ("2160p50 hlg", "12G", "0xCED92001"),
        ("2160p25 4:2:2", "6G", "0xC0C50001"),
        ("1080p25 4:4:4 12bit", "3G-A", "0x89C50102"),
        ("2048x1080p24", "HD", "0x85C34001"),
    ],
)
def test_payload_identifiers(words: str, interface: str, identifier: str) -> None:
    fmt = format_from_words(words)
    data = payload_bytes(fmt, transport(fmt, interface))
    assert payload_text(data) == identifier
    text = read_payload(data)
    assert (text.rate, text.scan, text.sampling, text.bits) == (
        fmt.rate,
        fmt.scan,
        fmt.encoding.sampling,
        fmt.encoding.bit_depth,
    )
    assert text.transfer == fmt.encoding.transfer
    assert text.sixteen_nine == (interface in ("SD", "HD") and fmt.raster.display_aspect == SIXTEEN_NINE)


def test_lines_of_pictures() -> None:
    rows = {
        name: raster.picture_lines(height)
        for name, raster, height in (
            ("625", line_rasters()["625"], 576),
            ("486", line_rasters()["525"], 486),
            ("480", line_rasters()["525"], 480),
            ("i", line_rasters()["1125 interlaced"], 1080),
            ("p", line_rasters()["1125 progressive"], 1080),
            ("720", line_rasters()["750"], 720),
        )
    }
    ends = {name: (result[0][0], result[1][0], result[-2][0], result[-1][0]) for name, result in rows.items()}
    assert ends == {
        "625": (23, 336, 310, 623), "486": (283, 21, 525, 263), "480": (285, 23, 524, 262), "i": (21, 584, 560, 1123),
        "p": (42, 43, 1120, 1121), "720": (26, 27, 744, 745),
    }  # fmt: skip
    for raster in line_rasters().values():
        lines = {
            line
            for result in (raster.payload, raster.timecode, raster.active_format, raster.sound_control)
            for line in result
        }
        assert all(raster.flags(line)[1] == 1 for line in lines)  # all of it lies in vertical blanking
    assert [line_number_of(*line_number_words(n)) for n in range(1, 1126)] == list(range(1, 1126))
    assert line_number_words(1125) == (0x194, 0x220)  # 1125 is 1000 1100101 in binary; ST 292-1, table 3


def test_a_line_has_its_parts_where_st_292_has_them() -> None:
    fmt = format_from_words("1080i25")
    frame = LineWriter(fmt, transport(fmt)).frame([noise(fmt)])[0]
    assert [f"{int(word):03X}" for word in frame[9, :8, 1]][:6] == ["3FF", "000", "000", "2D8", "228", "200"]
    assert [int(word) for word in frame[9, 716:720, 0]] == [0x3FF, 0, 0, 0x2AC]
    assert frame.reshape(-1)[:8].tolist() == [0x3FF, 0x3FF, 0, 0, 0, 0, 0x2D8, 0x2D8]  # C before Y


def test_sound_follows_the_cadence_of_st_299_and_its_error_code_divides() -> None:
    assert [samples_in(n, Fraction(30000, 1001)) for n in range(5)] == [1602, 1601, 1602, 1601, 1602]
    assert sum(samples_in(n, Fraction(60000, 1001)) for n in range(5)) == 4004
    rng = np.random.default_rng(5)
    samples = rng.integers(-(1 << 23), 1 << 23, (40, 4)).astype(np.int32)
    words = hd_packets(samples, 2, 0, np.arange(40), np.arange(40), np.zeros(40, bool))
    assert (_error_code(words) == error_code(words[:, :24])).all()  # a register and a long division
    damaged = words.copy()
    damaged[:, 11] ^= 0x10
    assert (_error_code(damaged) != error_code(words[:, :24])).any(axis=1).all()
    assert hex(words[0, 3]) == "0x1e5"


@pytest.mark.parametrize("text", ["10:20:30:24", "23:59:59:00", "00:00:00:01"])
@pytest.mark.parametrize(
    "rate", [Fraction(25), Fraction(50), Fraction(30000, 1001), Fraction(60000, 1001), Fraction(24)]
)
def test_timecode_comes_back(text: str, rate: Fraction) -> None:
    moment = Timecode.from_text(text if rate != 24 else text.replace(":24", ":23"), rate)
    for kind in (0, 1, 2):
        read = read_timecode(timecode_data(moment, kind), rate)
        assert read is not None and read[:2] == (kind, moment)
    nibbles = timecode_data(Timecode.from_text("12:34:56:07", Fraction(25)), 0)
    assert [nibble >> 4 for nibble in nibbles][0::2] == [7, 0, 6, 5, 4, 3, 2, 1]
    assert read_timecode([0xF0, *nibbles[1:]], Fraction(25)) is None


def packets_in(words: np.ndarray, did: int) -> list[np.ndarray]:
    """Packets of a stream with a DID, by their flags alone (ST 291-1)."""
    flags = np.flatnonzero((words[:-2] == 0) & (words[1:-1] == 0x3FF) & (words[2:] == 0x3FF))
    return [words[at : at + 7 + (int(words[at + 5]) & 0xFF)] for at in flags if int(words[at + 3]) & 0xFF == did]


@pytest.mark.parametrize("name", ["576i25", "480i29.97"])
def test_data_blocks_of_sd_sound_count_on_across_frames(name: str) -> None:
    """They run 1 to 255 unbroken (ST 272, 13.2)."""
    fmt = format_from_words(name)
    writer, numbers = LineWriter(fmt, transport(fmt)), list[int]()
    for frame in range(7):
        sound = np.zeros((samples_in(frame, fmt.rate), 4), np.int32)
        words = writer.frame([noise(fmt)], sound)[0].reshape(-1)
        numbers += [int(packet[4]) & 0xFF for packet in packets_in(words, 0xFF)]
    assert numbers[0] == 1 and len(numbers) > 3000
    assert numbers == [n % 255 + 1 for n in range(len(numbers))]


@pytest.mark.parametrize("name", ["1080p50", "1080p59.94"])
def test_level_a_says_its_payload_in_both_streams_beside_sound(name: str) -> None:
    fmt = format_from_words(name)
    way = transport(fmt, "3G-A")
    sound = np.ones((samples_in(0, fmt.rate), 16), np.int32)
    frame = LineWriter(fmt, way).frame([noise(fmt)], sound)[0]
    for stream in (way.luma_at(0), way.chroma_at(0)):
        said = packets_in(frame[:, :, stream].reshape(-1), 0x41)
        assert [payload_text(tuple(int(word) & 0xFF for word in words[6:10])) for words in said] == [  # type: ignore[arg-type]
            payload_text(payload_bytes(fmt, way))
        ] * len(way.raster.payload), stream
    assert len(packets_in(frame[:, :, way.chroma_at(0)].reshape(-1), 0xE7)) == len(sound)


def test_codes_of_625_lines_cover_the_lines_of_rp_165() -> None:
    """Field 1 is lines 8 to 317, field 2 lines 321 to 4 of the next frame (RP 165, BT.1304)."""
    fmt = format_from_words("576i25")
    writer, way = LineWriter(fmt, transport(fmt)), transport(fmt)
    first, second = (writer.frame([noise(fmt)])[0][:, :, 0] for _ in range(2))

    def code(words: np.ndarray) -> int:
        """By another library, lowest bit first; zeros before change nothing."""
        bits = (words[:, None] >> np.arange(10) & 1).astype(np.uint8).reshape(-1)
        bits = np.concatenate([np.zeros(-len(bits) % 8, np.uint8), bits])
        return int(f"{anycrc.CRC(16, 0x1021, 0, False, False, 0).calc(np.packbits(bits).tobytes()):016b}"[::-1], 2)

    def said(line: np.ndarray) -> int:
        (words,) = packets_in(line, 0xF4)
        six = [int(word) >> 2 & 0x3F for word in words[9:12]]
        return six[0] | six[1] << 6 | (six[2] & 0xF) << 12

    assert said(first[318 - 1]) == code(first[8 - 1 : 317].reshape(-1)[4:])
    whole = np.concatenate([first[321 - 1 :], second[:4]])
    assert said(second[5 - 1]) == code(whole.reshape(-1)[4:])
    assert way.raster.edh == (5, 318)

"""Every format over every interface that carries it: pictures, sound and timecode come back bit for bit.

The rest is refused.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice
from pathlib import Path

import numpy as np
import pytest
from tests.line.pictures import noise

from idle_quarry.errors import NotPossible, QuarryError
from idle_quarry.line.files import read_links, write_words
from idle_quarry.line.reading.reader import read_words
from idle_quarry.line.transport import INTERFACES, Transport, interface_named, transport, transports
from idle_quarry.line.writing.mapping import Planes
from idle_quarry.line.writing.sending import SentSound, picture_of, sent_frames, sent_pictures
from idle_quarry.line.writing.sound import most_channels, samples_in
from idle_quarry.line.writing.writer import LineSignalling, LineWriter
from idle_quarry.path.registry import sound_layouts
from idle_quarry.signal.catalogue import standard_formats
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.timecode import Timecode
from idle_quarry.signal.words import format_from_words

#: Not all of the catalogue's formats need be tried over each: one of each raster, scan, mapping and division, and every
#: rate.
CASES = [
    "576i25",
    "480i29.97",
    "720p50",
    "720p59.94",
    "720p50 4:4:4",
    "1080i25",
    "1080i29.97",
    "1080psf23.976",
    "1080p24",
    "1080p50",
    "1080p59.94",
    "1080p25 4:2:0",
    "1080p25 4:4:4",
    "1080psf24 4:4:4 12bit",
    "1080p25 12bit",
    "1080p50 8bit",
    "2048x1080p24",
    "2048x1080p48",
    "2160p25",
    "2160p50 hlg",
    "2160p59.94 4:2:0",
    "4096x2160p24 4:4:4 12bit",
    "1080p25 full pq bt2020",
]


GO_ON = [format_from_words(each) for each in ("1080i25", "480i29.97", "1080p59.94", "1080psf23.976")]


def cases() -> Iterator[tuple[SignalFormat, Transport]]:
    for words in CASES:
        fmt = format_from_words(words)
        yield from ((fmt, way) for way in transports(fmt))


def sent(
    fmt: SignalFormat, way: Transport, frames: int, channels: int
) -> Iterator[tuple[list[Planes], np.ndarray, list[np.ndarray]]]:
    writer = LineWriter(fmt, way, LineSignalling(active_format=8))
    rng = np.random.default_rng(7)
    start = Timecode.from_text("09:59:59:23", fmt.rate)
    index = 0
    for _ in range(frames):
        pictures = [noise(fmt, index + n) for n in range(writer.pictures)]
        count = sum(samples_in(index + n, fmt.rate) for n in range(way.pictures))
        sound = rng.integers(-(1 << 23), 1 << 23, (count, channels)).astype(np.int32)
        yield pictures, sound, writer.frame(pictures, sound, start + index)
        index += way.pictures


@pytest.mark.parametrize(("fmt", "way"), list(cases()))
def test_it_comes_back_bit_for_bit(fmt: SignalFormat, way: Transport) -> None:
    channels = most_channels(way)
    # numbers and sound go on from frame to frame alike in all: shown where a frame has five counts of samples, and one
    frames = 2 if fmt in GO_ON else 1
    result = list(sent(fmt, way, frames, channels))
    links = [np.concatenate([words[n].reshape(-1) for _, _, words in result]) for n in range(way.interface.links)]
    read = list(read_words(links))
    assert len(read) == frames
    for number, (frame, (pictures, sound, _)) in enumerate(zip(read, result, strict=True)):
        assert frame.faults == ()
        assert frame.lock.interface == way.interface.id
        shift = max(0, 10 - fmt.encoding.bit_depth)
        assert frame.lock.format == (fmt.with_encoding(bit_depth=10) if shift else fmt)
        for back, picture in zip(frame.pictures(), pictures, strict=True):
            for one, other in zip(back, picture, strict=True):
                np.testing.assert_array_equal(one, other << shift)
        np.testing.assert_array_equal(frame.samples[:, :channels], sound)
        assert str(frame.timecode) == str(Timecode.from_text("09:59:59:23", fmt.rate) + number * way.pictures)
        assert frame.active_format == 8


def test_every_format_of_the_catalogue_travels_or_is_refused_with_a_reason() -> None:
    carried = 0
    for standard_format in standard_formats():
        ways = list(transports(standard_format.format))
        carried += bool(ways)
        for name in INTERFACES:
            if name in {way.interface.id for way in ways}:
                assert transport(standard_format.format, name).interface.id == name
            else:
                with pytest.raises(NotPossible, match=r"\w{4}"):
                    transport(standard_format.format, name)
        if ways:
            assert transport(standard_format.format) == ways[0] and most_channels(ways[0]) >= 8
    assert carried > 20


def test_interfaces_are_named_as_people_write_them() -> None:
    assert interface_named("3g a").id == "3G-A" and interface_named("quad-3G").id == "quad 3G"
    with pytest.raises(NotPossible, match="use SD, HD"):
        interface_named("fibre")


@pytest.mark.parametrize("words", ["1080i25", "1080p25", "1080psf25"])
def test_without_a_payload_identifier_what_is_not_told_is_not_guessed(words: str) -> None:
    fmt = format_from_words(words)
    frames = [LineWriter(fmt, transport(fmt), LineSignalling(payload=False)).frame([noise(fmt)])[0].reshape(-1)]
    first = next(read_words(frames))
    assert (first.lock.interface, first.lock.rate, first.lock.format) == (None, None, None)
    assert [fault.kind for fault in first.faults] == ["payload missing"]
    clocked = next(read_words(frames, mwords=148.5))
    assert clocked.lock.scan == (
        "progressive" if words == "1080p25" else "interlaced"
    )  # PsF cannot be told from fields
    assert clocked.lock.rate == 25 and clocked.lock.interface == "HD"
    pulled = next(read_words(frames, mwords=148.5 / 1.001))
    assert pulled.lock.rate is not None and float(pulled.lock.rate) == pytest.approx(25 / 1.001)


def test_files_of_words_hold_one_link_each(tmp_path: Path) -> None:
    fmt = format_from_words("2160p50")
    way = transport(fmt, "quad 3G")
    sound = SentSound("tone", -18, sound_layouts()["5.1"], fmt)
    frames = islice(sent_frames(fmt, way, "bars", sound, Timecode(0, fmt.rate)), 2)
    paths = write_words(tmp_path / "line.words", 4, frames)
    assert [path.name for path in paths] == ["line.1.words", "line.2.words", "line.3.words", "line.4.words"]
    assert paths[0].stat().st_size == 2 * 2 * way.words_per_frame
    for named in (paths[0], tmp_path / "line.words"):
        read = list(read_words(read_links(named)))
        assert len(read) == 2 and not read[1].faults
        np.testing.assert_array_equal(read[0].pictures()[0][0], picture_of("bars", fmt, 0)[0])
        assert np.abs(read[1].samples[:, 0]).max() == pytest.approx((1 << 23) * 10 ** (-18 / 20), rel=0.001)
    with pytest.raises(QuarryError, match="could not be read"):
        read_links(tmp_path / "nothing.words")
    (tmp_path / "odd.words").write_bytes(b"123")
    with pytest.raises(QuarryError, match="16-bit words"):
        read_links(tmp_path / "odd.words")
    with pytest.raises(NotPossible, match="no lines of a serial signal"):
        list(read_words([np.zeros(40_000, np.uint16)]))


@pytest.mark.parametrize("words", ["576i25", "1080p25", "1080p24 4:4:4 12bit"])
def test_every_picture_that_can_be_sent_is_of_codes_that_travel(words: str) -> None:
    fmt = format_from_words(words)
    bits = fmt.encoding.bit_depth
    for ident in sent_pictures():
        for plane in picture_of(ident, fmt, 1):
            assert plane.min() >= 4 << (bits - 10) and plane.max() <= 1019 << (bits - 10) | (1 << (bits - 10)) - 1, (
                ident
            )

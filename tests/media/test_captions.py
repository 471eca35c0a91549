"""Captions: each form held against ttconv or the standard's own bytes, moved and read again, and attacked."""

from __future__ import annotations

import io
import xml.etree.ElementTree as ElementTree
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from idle_quarry.errors import MediaError
from idle_quarry.media.captions.caption_file import beside
from idle_quarry.media.captions.coded import coded_captions
from idle_quarry.media.captions.moving import CaptionMove, write_moved
from idle_quarry.media.captions.reading import read_captions
from idle_quarry.signal.rates import NAMED_RATES
from idle_quarry.signal.timecode import Timecode

PAL, NTSC = Fraction(25), NAMED_RATES["29.97"]


def stl(cues: list[tuple[str, str, str]], rate: int = 25, start: str = "10000000") -> bytes:
    """An EBU STL as Tech 3264 has it: the general block's fields at their bytes, a block of text for each caption."""
    head = bytearray(b" " * 1024)
    head[0:3], head[3:11], head[11:12], head[12:14], head[14:16] = b"437", b"STL%d.01" % rate, b"1", b"00", b"09"
    head[238:243] = head[243:248] = b"%05d" % len(cues)
    head[248:251], head[251:253], head[253:255], head[255:256] = b"001", b"38", b"23", b"1"
    head[256:264], head[264:272], head[272:274] = start.encode(), start.encode(), b"11"
    blocks = b""
    for number, (begin, end, text) in enumerate(cues, 1):
        times = bytes(int(part) for time in (begin, end) for part in time.split(":"))
        shown = text.encode("latin-1").replace(b"\n", b"\x8a")
        block = b"\x00" + number.to_bytes(2, "little") + b"\xff\x00" + times + bytes((20, 2, 0)) + shown
        blocks += block.ljust(128, b"\x8f")
    return bytes(head) + blocks


SRT = """1
00:00:01,000 --> 00:00:02,500
The quarry wakes.

2
00:01:00,040 --> 00:01:02,000
<i>Nobody</i> is there.
Is there?
"""
VTT = f"WEBVTT\n\nNOTE made up\n\n{SRT.replace(',', '.')}"
TTML = """<?xml version="1.0" encoding="UTF-8"?>
<tt xmlns="http://www.w3.org/ns/ttml" xmlns:ttp="http://www.w3.org/ns/ttml#parameter" xml:lang="en"
 xmlns:tts="http://www.w3.org/ns/ttml#styling" ttp:frameRate="25"
 ttp:profile="http://www.w3.org/ns/ttml/profile/imsc1.1/text">
<head><layout><region xml:id="low" tts:origin="10% 80%" tts:extent="80% 10%"/>
<region xml:id="edge" tts:origin="1% 80%" tts:extent="98% 10%"/></layout></head>
<body><div begin="00:00:01.000"><p region="low" begin="0s" end="1.5s">The quarry wakes.</p></div>
<div><p region="edge" begin="00:01:00:01" end="62s">Nobody<br/>is there.</p></div></body></tt>
"""
#: "HI" by a pop-on caption, at a drop-frame timecode (CEA-608: load, place, letters, show; erase later).
SCC = """Scenarist_SCC V1.0

01:00:02;00\t9420 9420 9470 9470 c849 942f 942f

01:00:05;00\t942c 942c
"""


def write(folder: Path, name: str, content: str | bytes) -> Path:
    path = folder / name
    path.write_bytes(content if isinstance(content, bytes) else content.encode())
    return path


def test_every_form_is_read_as_it_says(tmp_path: Path) -> None:
    two = ((Fraction(1), Fraction(5, 2)), (Fraction(1501, 25), Fraction(62)))
    for name, content in (("a.srt", SRT), ("a.vtt", VTT), ("a.ttml", TTML)):
        file = read_captions(write(tmp_path, name, content))
        assert tuple((cue.begin, cue.end) for cue in file.cues) == two, name
        assert file.cues[0].lines == ("The quarry wakes.",) and len(file.cues[1].lines) == 2
    assert [cue.inside for cue in file.cues] == [True, False] and file.kind == "IMSC 1.1"
    tape = read_captions(write(tmp_path, "a.stl", stl([("10:00:01:00", "10:00:02:12", "The quarry\nwakes.")])))
    assert tape.cues[0].lines == ("The quarry", "wakes.") and tape.cues[0].row == 20 and tape.most_columns == 38
    assert (tape.cues[0].begin, tape.cues[0].end) == (
        Fraction(36001),
        Fraction(900062, 25),
    ) and tape.programme_start == 36000
    coded = read_captions(write(tmp_path, "a.scc", SCC))
    assert [cue.lines for cue in coded.cues] == [("HI",)] and coded.drop
    # shown when the last code arrives, a picture for each pair of bytes after the timecode; erased by the next line
    start = Timecode.from_text("01:00:02;00", NTSC).seconds
    assert start <= coded.cues[0].begin <= start + Fraction(10) / NTSC
    assert coded.cues[0].end == pytest.approx(Timecode.from_text("01:00:05;00", NTSC).seconds, abs=2 / 29)
    assert sorted(path.name for path in beside(tmp_path / "a.mxf")) == ["a.scc", "a.srt", "a.stl", "a.ttml", "a.vtt"]


def test_our_reading_agrees_with_another_library(tmp_path: Path) -> None:
    """EBU STL, SRT, WebVTT and TTML by ttconv, which shares nothing with this reader."""
    import ttconv.imsc.reader
    import ttconv.srt.reader
    import ttconv.stl.reader
    import ttconv.vtt.reader
    from ttconv.model import P, Text

    def told(document: Any) -> list[tuple[Any, Any, str]]:
        return [
            (p.get_begin(), p.get_end(), "".join(t.get_text() for t in p.dfs_iterator() if isinstance(t, Text)))
            for p in document.get_body().dfs_iterator()
            if isinstance(p, P)
        ]

    data = stl([("10:00:01:00", "10:00:02:12", "The quarry wakes."), ("10:01:00:01", "10:01:02:00", "Nobody.")])
    theirs = told(ttconv.stl.reader.to_model(io.BytesIO(data)))
    ours = read_captions(write(tmp_path, "a.stl", data)).cues
    assert [(begin, end) for begin, end, _ in theirs] == [(cue.begin, cue.end) for cue in ours]
    assert [text.strip() for _, _, text in theirs] == ["".join(cue.lines) for cue in ours]
    flat = TTML.replace(
        '<div begin="00:00:01.000"><p region="low" begin="0s" end="1.5s">', '<div><p begin="1s" dur="1.5s">'
    )
    theirs = told(ttconv.imsc.reader.to_model(ElementTree.parse(io.StringIO(flat))))
    ours = read_captions(write(tmp_path, "flat.ttml", flat)).cues
    assert theirs == [(cue.begin, cue.end, "".join(cue.lines)) for cue in ours]
    for name, content, reader in (("a.srt", SRT, ttconv.srt.reader), ("a.vtt", VTT, ttconv.vtt.reader)):
        theirs = told(reader.to_model(io.StringIO(content)))
        ours = read_captions(write(tmp_path, name, content)).cues
        assert [(begin, end) for begin, end, _ in theirs] == [(float(cue.begin), float(cue.end)) for cue in ours]


@pytest.mark.parametrize(
    ("name", "content"),
    [
        ("a.srt", SRT),
        ("a.vtt", VTT),
        ("a.ttml", TTML),
        ("a.stl", stl([("10:00:01:00", "10:00:02:12", "One."), ("10:01:00:01", "10:01:02:00", "Two.")])),
    ],
)
def test_moved_captions_lie_where_their_pictures_do(name: str, content: str | bytes, tmp_path: Path) -> None:
    """24 pictures played as 25, with 30 s before the programme, and a break of 10 s after its first half minute."""
    source, target = write(tmp_path, name, content), tmp_path / f"moved {name}"
    ten = Timecode.from_text("10:00:00:00", PAL)
    move = CaptionMove(
        ten, ten - 30 * 25, Fraction(25, 24), ((Fraction(0), Fraction(30)), (Fraction(30), Fraction(40)))
    )
    write_moved(source, target, move)
    before, after = read_captions(source), read_captions(target)
    base = Fraction(36000) if name == "a.stl" else Fraction(0)
    for cue, moved in zip(before.cues, after.cues, strict=True):
        assert moved.lines == cue.lines
        for old, new in ((cue.begin, moved.begin), (cue.end, moved.end)):
            played = (old - base) * 24 / 25
            wanted = played + (30 if played < 30 else 40) + (base - 30 if base else 0)
            assert new == pytest.approx(wanted, abs=0.021)
    if isinstance(content, str) and name != "a.ttml":  # nothing but times is changed; TTML's are all written as clocks
        before_text, after_text = (
            "".join(sign for sign in text if not sign.isdigit()) for text in (content, target.read_text())
        )
        assert after_text == before_text


def test_captions_of_a_drop_frame_tape_go_to_a_non_drop_file(tmp_path: Path) -> None:
    """At 01:10:00;00 drop-frame 126 000 − 126 numbers less have passed: real time tells where it lies in the other."""
    source = write(tmp_path, "a.scc", SCC.replace("01:00:02;00", "01:10:00;00").replace("01:00:05;00", "01:10:03;00"))
    old = Timecode.from_text("01:00:00;00", NTSC)
    write_moved(source, tmp_path / "b.scc", CaptionMove(old, Timecode.from_text("01:00:00:00", NTSC)))
    text = (tmp_path / "b.scc").read_text()
    frames = Timecode.from_text("01:10:00;00", NTSC).frames - old.frames
    assert str(Timecode.from_text("01:00:00:00", NTSC) + frames) == "01:09:59:12" and "01:09:59:12\t9420" in text
    thirty = write(tmp_path, "c.stl", stl([("01:10:00:00", "01:10:02:00", "One.")], 30, "01000000"))
    write_moved(thirty, tmp_path / "d.stl", CaptionMove(old, Timecode.from_text("01:00:00:00", NTSC)))
    cue = read_captions(tmp_path / "d.stl").cues[0]
    assert cue.begin == 3600 + 9 * 60 + 59 + Fraction(12, 30)


@pytest.mark.parametrize(
    ("name", "content", "why"),
    [
        ("a.stl", b"no", "no EBU STL"),
        ("a.stl", stl([("25:00:00:00", "10:00:02:00", "x")]), "no clock"),
        ("a.stl", stl([]), "no captions"),
        ("a.srt", "nothing", "no times"),
        ("a.vtt", SRT, "WEBVTT"),
        ("a.scc", "9420", "does not begin"),
        ("a.ttml", TTML.replace("<tt ", '<!DOCTYPE t [<!ENTITY a "aaaa">]><tt '), "entities"),
        ("a.ttml", TTML.replace('ttp:frameRate="25"', 'ttp:timeBase="smpte"'), "counts by smpte"),
        ("a.ttml", "<tt xmlns='http://www.w3.org/ns/ttml'>" + "<div>" * 3000, "cannot be read"),
        (
            "a.ttml",
            f"<tt xmlns='http://www.w3.org/ns/ttml'><body>{'<div>' * 900}{'</div>' * 900}</body></tt>",
            "nested",
        ),
        ("a.txt", "x", "no file of captions"),
    ],
)
def test_what_is_no_captions_is_said_in_a_sentence(name: str, content: str | bytes, why: str, tmp_path: Path) -> None:
    with pytest.raises(MediaError, match=why) as refused:
        read_captions(write(tmp_path, name, content))
    assert name in str(refused.value) and "\n" not in str(refused.value)


@settings(max_examples=150, deadline=None)
@given(st.sampled_from([".stl", ".srt", ".vtt", ".scc", ".ttml"]), st.data())
def test_damaged_captions_are_read_or_refused(tmp_path_factory: pytest.TempPathFactory, suffix: str, data: Any) -> None:
    whole: dict[str, str | bytes] = {
        ".stl": stl([("10:00:01:00", "10:00:02:12", "One.")]),
        ".srt": SRT,
        ".vtt": VTT,
        ".scc": SCC,
        ".ttml": TTML,
    }
    content = whole[suffix]
    damaged = bytearray(content if isinstance(content, bytes) else content.encode())
    for _ in range(data.draw(st.integers(1, 4))):
        damaged[data.draw(st.integers(0, len(damaged) - 1))] = data.draw(st.integers(0, 255))
    path = tmp_path_factory.getbasetemp() / f"damaged{suffix}"
    path.write_bytes(bytes(damaged))
    try:
        assert read_captions(path).cues
    except MediaError as refused:
        assert path.name in str(refused)


@pytest.mark.parametrize(
    ("triplets", "kinds"),
    [(b"", ()), (b"\xfc\x80\x80\xfa\x00\x00", ()), (b"\xfc\xc8\x49", ("CEA-608",)), (b"\xff\x01\x22", ("CEA-708",))],
)
def test_captions_in_coded_pictures_are_found(triplets: bytes, kinds: tuple[str, ...], tmp_path: Path) -> None:
    """A/53 part 4: user data GA94, type 3, after each picture's header."""
    path = tmp_path / "a.m2v"
    with av.open(str(path), "w", format="mpeg2video") as container:
        stream: Any = container.add_stream("mpeg2video", rate=25, width=64, height=64, pix_fmt="yuv420p")
        packets: list[Any] = []
        for number in range(4):
            frame = av.VideoFrame.from_ndarray(np.full((96, 64), 100 + number, np.uint8), format="yuv420p")
            packets += stream.encode(frame)
        packets += stream.encode(None)
        data = b"".join(bytes(packet) for packet in packets)
    words = b"GA94\x03" + bytes((0x40 | len(triplets) // 3, 0xFF)) + triplets + b"\xff"
    at = 0
    while triplets and (at := data.find(b"\x00\x00\x01\x01", at)) >= 0:  # before each picture's first slice
        data = data[:at] + b"\x00\x00\x01\xb2" + words + data[at:]
        at += len(words) + 8
    path.write_bytes(data)
    assert coded_captions(path) == kinds

"""MXF as broadcasters ask for it: held by a reader of KLV that knows the standards alone, by FFprobe, by MediaInfo."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path

import numpy as np
import pytest
from pymediainfo import MediaInfo
from tests.klv import MxfFile, read_mxf

from idle_quarry.errors import MediaError, NotPossible
from idle_quarry.media.coding.sound_writing import WrittenSound
from idle_quarry.media.coding.writing import ClipWriter
from idle_quarry.media.inspecting import inspect
from idle_quarry.path.registry import codecs, sound_layouts
from idle_quarry.path.sound_tracks import sound_tracks
from idle_quarry.signal import SignalFormat
from idle_quarry.signal import format_from_words as words
from idle_quarry.signal.formats import CHROMA_STEPS
from idle_quarry.signal.timecode import Timecode

_OP1A = bytes.fromhex("060e2b34040101010d01020101010900")
_FULL, _FIELDS = 0, 1


def write(path: Path, codec: str, fmt: SignalFormat, sound: WrittenSound, frames: int = 3) -> MxfFile:
    """Write a few pictures with numbered levels of sound, one a channel; return what the file says."""
    encoding = fmt.encoding
    across, down = CHROMA_STEPS[encoding.sampling]
    luma = np.full((fmt.raster.height, fmt.raster.width), 1 << (encoding.bit_depth - 2))
    grey = np.full((fmt.raster.height // down, fmt.raster.width // across), 1 << (encoding.bit_depth - 1))
    start = Timecode.from_text("10:00:00:00", fmt.rate)
    with ClipWriter(path, codecs()[codec], fmt, start=start, sound=sound) as writer:
        for number in range(frames):
            count = int((number + 1) * 48000 / fmt.rate) - int(number * 48000 / fmt.rate)
            levels = (np.arange(sound.channels) + 1) << 24
            writer.write((luma, grey, grey), np.broadcast_to(levels, (count, sound.channels)).astype(np.int32))
        writer.finish()
    return read_mxf(path)


@pytest.mark.parametrize(
    ("codec", "text", "label", "layout", "height", "lines", "called", "scan"),
    [
        # ST 381-1: MPEG elementary streams wrapped by frame; RDD 9's 422P@HL
        ("mpeg2-422-50", "1080i25 8bit", "020d01030102046001", _FIELDS, 544, [21, 584], "MPEG Video", "Interlaced"),
        ("mpeg2-422-35", "1440x1080i25 8bit 4:2:0", "020d01030102046001", _FIELDS, 544, [21, 584], "MPEG Video", None),
        # ST 386: D-10 by its raster and rate
        ("d10-50", "576i25 8bit", "010d01030102010101", _FIELDS, 304, [7, 320], "MPEG Video", "Interlaced"),
        ("d10-50", "486i29.97 8bit", "010d01030102010201", _FIELDS, 256, [7, 270], "MPEG Video", "Interlaced"),
        # ST 381-3: AVC byte streams wrapped by frame
        ("avci-100", "1080i25", "0a0d01030102106001", _FIELDS, 544, [21, 584], "AVC", None),
        ("avci-100", "1080p25", "0a0d01030102106001", _FULL, 1088, [42, 0], "AVC", None),
        # RDD 44, and ST 2019-4
        ("rdd36-hq", "1080i29.97", "0d0d010301021c0100", _FIELDS, 540, [21, 584], "ProRes", "Interlaced"),
        ("rdd36-hq", "1080p23.976", "0d0d010301021c0100", _FULL, 1080, [42, 0], "ProRes", "Progressive"),
        ("rdd36-lt", "576i25", "0d0d010301021c0100", _FIELDS, 288, [23, 336], "ProRes", "Interlaced"),
        ("vc3-220x", "1080i25", "0a0d01030102110100", _FIELDS, 540, [21, 584], "VC-3", "Interlaced"),
        # ST 383: DV DIF sequences wrapped by frame
        ("dv50", "576i25 8bit bff", "010d01030102025101", _FIELDS, 288, [23, 335], "DV", "Interlaced"),
        ("dv25-525", "480i29.97 8bit 4:1:1 bff", "010d01030102024001", _FIELDS, 240, [23, 285], "DV", "Interlaced"),
    ],
)
def test_each_wrapping_says_what_its_standard_asks(
    codec: str,
    text: str,
    label: str,
    layout: int,
    height: int,
    lines: list[int],
    called: str,
    scan: str | None,
    tmp_path: Path,
) -> None:
    path, fmt = tmp_path / "a.mxf", words(text)
    file = write(path, codec, fmt, WrittenSound(2))
    assert (
        file.pattern == _OP1A
        and file.partitions[0] == "header"
        and file.partitions[-2:]
        == [
            "footer",
            "random index",
        ]
    )
    assert any(container.hex().endswith(label) for container in file.containers), [c.hex() for c in file.containers]
    picture = file.picture
    assert (picture.number(0x320C), picture.number(0x3202), picture.numbers(0x320D)) == (layout, height, lines)
    assert len(file.of("TimecodeComponent")) == 2  # of the material, and of the file
    pictures = next(lengths for key, lengths in file.elements.items() if key[12] in (0x05, 0x15, 0x18))
    assert len(pictures) == 3
    tracks = MediaInfo.parse(path).tracks
    video = next(track for track in tracks if track.track_type == "Video")
    assert video.format == called and (scan is None or video.scan_type == scan)
    assert next(track for track in tracks if track.track_type == "General").format_profile == "OP-1a"
    shown = subprocess.run(
        ["ffprobe", "-v", "error", "-show_streams", "-show_format", "-of", "json", path],
        capture_output=True,
        check=True,
    ).stdout
    probe = json.loads(shown)
    assert probe["streams"][0]["codec_name"] == codecs()[codec].coded.decoder
    assert probe["format"]["tags"]["timecode"][:2] == "10"
    assert inspect(path).declared.rate == fmt.rate


def test_sound_lies_in_the_tracks_that_are_asked_for(tmp_path: Path) -> None:
    fmt = words("1080i25 8bit")
    mono = write(tmp_path / "mono.mxf", "mpeg2-422-50", fmt, WrittenSound(4))  # RDD 9: one channel a track, AES3
    assert [(s.kind, s.number(0x3D07), s.number(0x3D01)) for s in mono.sounds] == [("AES3Descriptor", 1, 24)] * 4
    pairs = write(tmp_path / "pairs.mxf", "mpeg2-422-50", fmt, WrittenSound(5, tracks="pairs"))
    assert [s.number(0x3D07) for s in pairs.sounds] == [2, 2, 1]
    tape = write(tmp_path / "tape.mxf", "d10-50", words("576i25 8bit"), WrittenSound(4))
    assert [s.number(0x3D07) for s in tape.sounds] == [8]
    # ST 331: a header of four bytes, then eight words of four bytes for each of 1920 samples
    assert {size for key, sizes in tape.elements.items() if key[12] == 0x06 for size in sizes} == {4 + 1920 * 8 * 4}
    for name in ("mono", "pairs", "tape"):
        shown = subprocess.run(
            ["ffmpeg", "-v", "error", "-i", tmp_path / f"{name}.mxf", *["-map", "0:a:0", "-f", "s32le", "-"]],
            capture_output=True,
            check=True,
        ).stdout
        assert np.frombuffer(shown, "<i4")[0] == 1 << 24, "the first channel is the first track's first"


def test_a_track_says_what_it_carries(tmp_path: Path) -> None:
    path, layout = tmp_path / "a.mov", sound_layouts()["stereo-ad"]
    fmt = words("576i25")
    with ClipWriter(path, codecs()["rdd36-lt"], fmt, sound=WrittenSound(4, tracks="pairs", layout=layout)) as writer:
        writer.write((np.full((576, 720), 256), *[np.full((576, 360), 512)] * 2), np.zeros((1920, 4), np.int32))
        writer.finish()
    shown = subprocess.run(
        ["ffprobe", "-v", "error", "-show_streams", "-select_streams", "a", "-of", "json", path],
        capture_output=True,
        check=True,
    ).stdout
    tracks = json.loads(shown)["streams"]
    assert [track["channels"] for track in tracks] == [2, 2]
    assert [track["tags"]["handler_name"] for track in tracks] == ["1 L, 2 R", "3 L AD, 4 R AD"]


@pytest.mark.parametrize(
    ("wanted", "codec", "container", "channels", "why"),
    [
        ("mono", "d10-50", "mxf", 4, "one element of eight channels"),
        ("pairs", "d10-50", "mxf", 4, "one element of eight channels"),
        ("usual", "d10-50", "mxf", 16, "8 channels at the most"),
        ("mono", "dv25", "dv", 2, "one pair"),
        ("one", "dv25", "dv", 4, "one pair"),
    ],
)
def test_tracks_that_cannot_be_are_refused_with_what_can(
    wanted: str, codec: str, container: str, channels: int, why: str
) -> None:
    with pytest.raises(NotPossible, match=why) as refused:
        sound_tracks(wanted, codecs()[codec], container, channels)
    assert refused.value.remedy


def test_fields_that_mxf_cannot_describe_are_refused_and_leave_nothing(tmp_path: Path) -> None:
    with pytest.raises(MediaError, match="lower one is earlier"):
        write(tmp_path / "a.mxf", "rdd36-hq", words("576i25 bff"), WrittenSound())
    assert not list(tmp_path.iterdir())

"""What travels with pictures, as other readers find it: FFmpeg's prober, and MediaInfo's library."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from pymediainfo import MediaInfo

from idle_quarry.errors import MediaError
from idle_quarry.media.coding.declaring import CODES, MasteringDisplay, declare_light
from idle_quarry.media.coding.sound_writing import WrittenSound
from idle_quarry.media.coding.writing import ClipWriter
from idle_quarry.media.inspecting import inspect
from idle_quarry.media.pictures import Reader
from idle_quarry.path.registry import codecs
from idle_quarry.signal.words import format_from_words


def written(path: Path, codec: str, words: str, word: str | None, frames: int = 4) -> Path:
    """A clip of grey noise with sound."""
    fmt, rng = format_from_words(words), np.random.default_rng(1)
    with ClipWriter(path, codecs()[codec], fmt, sound=WrittenSound(2), active_format=word) as writer:
        height, width = writer.format.raster.height, writer.format.raster.width
        across, down = (2, 2) if writer.format.encoding.sampling == "4:2:0" else (2, 1)
        deep = 2 ** (writer.format.encoding.bit_depth - 8)
        for _ in range(frames):
            luma = rng.integers(60 * deep, 180 * deep, (height, width)).astype(np.uint16)
            writer.write(
                (luma, *(np.full((height // down, width // across), 128 * deep, np.uint16) for _ in "uv")),
                np.zeros((1920, 2), np.int32),
            )
        writer.finish()
    return path


def probed(path: Path, *what: str) -> dict[str, Any]:
    done = subprocess.run(
        ["ffprobe", "-v", "error", "-of", "json", "-select_streams", "v", *what, str(path)],
        check=True,
        capture_output=True,
        text=True,
    )
    result: dict[str, Any] = json.loads(done.stdout)
    return result


def test_pictures_of_one_size_keep_it(tmp_path: Path) -> None:
    """RP 2027: what says an active format would make pictures of AVC-Intra greater than the index has them."""
    sizes = [
        [packet["size"] for packet in probed(path, "-show_packets")["packets"]]
        for path in (
            written(tmp_path / "with.mxf", "avci-100", "1080i25", "16:9 letterbox", 2),
            written(tmp_path / "without.mxf", "avci-100", "1080i25", None, 2),
        )
    ]
    assert sizes[0] == sizes[1] and len(set(sizes[0])) == 1


@pytest.mark.parametrize(
    ("name", "codec", "words"),
    [
        ("a.mxf", "d10-50", "576i25 16:9 8 bit"),
        ("b.mxf", "mpeg2-422-50", "1080i25 8 bit"),
        ("c.mp4", "avc-light", "640x360p25 8 bit 4:2:0"),
        ("d.mp4", "hevc-10", "640x360p25 10 bit 4:2:0"),
    ],
)
def test_active_formats_are_said_in_every_picture(tmp_path: Path, name: str, codec: str, words: str) -> None:
    path = written(tmp_path / name, codec, words, "protect 14:9")
    if codec != "hevc-10":  # Debian's FFmpeg does not look for it there
        frames = probed(path, "-show_frames")["frames"]
        every = (item for frame in frames for item in frame.get("side_data_list", ()))
        assert [item["active_format"] for item in every if "active_format" in item] == [CODES["protect 14:9"]] * 4
    (video,) = MediaInfo.parse(str(path)).video_tracks
    assert str(video.to_data()["active_format_description"]) == "14"
    bare = written(tmp_path / f"bare {name}", codec, words, None)
    with Reader(path, inspect(path).declared) as one, Reader(bare, inspect(bare).declared) as other:
        for a, b in zip(one.onward(0), other.onward(0), strict=True):
            assert np.array_equal(a.luma, b.luma)
    if name == "a.mxf":
        assert path.stat().st_size == bare.stat().st_size, "pictures of constant size stay so"


def test_light_is_declared_where_others_look_for_it(tmp_path: Path) -> None:
    path = written(tmp_path / "pq.mov", "rdd36-hq", "640x360p25 pq 10 bit 4:2:2", None)
    bare = path.read_bytes()
    assert declare_light(path, MasteringDisplay("bt2020", 1000, 0.005), 987.4, 312.0)
    (stream,) = probed(path, "-show_streams")["streams"]
    light = {key: value for item in stream["side_data_list"] for key, value in item.items()}
    assert (light["max_content"], light["max_average"]) == (987, 312)
    assert (
        (light["max_luminance"], light["min_luminance"]) == ("10000000/10000", "50/10000")
        and light["red_x"] == "35400/50000"
        and light["green_y"] == "39850/50000"
    )
    (video,) = MediaInfo.parse(str(path)).video_tracks
    lines = video.to_data()
    assert "987" in str(lines["maximum_content_light_level"]) and "312" in str(
        lines["maximum_frameaverage_light_level"]
    )
    assert "1000" in str(lines["mastering_display_luminance"]) and "BT.2020" in str(
        lines["mastering_display_color_primaries"]
    )
    with Reader(path, inspect(path).declared) as reader:
        assert len(list(reader.onward(0))) == 4
    assert path.read_bytes()[: len(bare) // 2] == bare[: len(bare) // 2], "pictures are not touched"
    assert not declare_light(tmp_path / "x.mxf", None, 1, 1)
    (tmp_path / "odd.mov").write_bytes(b"\0\0\0\x10free12345678")
    with pytest.raises(MediaError, match="could not be declared"):
        declare_light(tmp_path / "odd.mov", None, 1, 1)

"""Declared properties against ffprobe, on clips that Debian's FFmpeg wrote; runs, gaps and files that are no clips."""

from __future__ import annotations

import json
import subprocess
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import pytest
from tests.conftest import CLIPS, demo_template

from idle_quarry.demo import make_clips
from idle_quarry.errors import MediaError
from idle_quarry.media import grouped, inspect
from idle_quarry.media.against import against
from idle_quarry.signal.words import format_from_words, format_words

Make = Callable[..., Path]

_TFF = ("-vf", "setfield=tff")
WRITTEN: dict[str, tuple[str, str, tuple[str, ...], bool]] = {
    "hd.mov": (
        "1920x1080",
        "25",
        (
            *_TFF,
            "-flags",
            "+ildct",
            "-c:v",
            "prores_ks",
            "-pix_fmt",
            "yuv422p10le",
            "-timecode",
            "10:00:00:00",
            "-c:a",
            "pcm_s24le",
            "-ac",
            "2",
        ),
        True,
    ),
    "drop.mxf": (
        "1920x1080",
        "30000/1001",
        (
            *_TFF,
            "-flags",
            "+ildct+ilme",
            "-c:v",
            "mpeg2video",
            "-b:v",
            "50M",
            "-pix_fmt",
            "yuv422p",
            "-timecode",
            "01:00:00;00",
        ),
        False,
    ),
    "hlg.mp4": (
        "1280x720",
        "50",
        (
            "-c:v",
            "libx265",
            "-pix_fmt",
            "yuv420p10le",
            "-color_primaries",
            "bt2020",
            "-color_trc",
            "arib-std-b67",
            "-colorspace",
            "bt2020nc",
            "-color_range",
            "tv",
            "-x265-params",
            "log-level=none",
        ),
        False,
    ),
    "film.mkv": ("1920x1080", "24000/1001", ("-c:v", "ffv1", "-pix_fmt", "yuv422p10le"), False),
    "wide.mpg": (
        "720x576",
        "25",
        (*_TFF, "-flags", "+ildct+ilme", "-aspect", "16:9", "-c:v", "mpeg2video", "-b:v", "8M", "-c:a", "mp2"),
        True,
    ),
    "fast.ts": ("1280x720", "60000/1001", ("-c:v", "libx264", "-pix_fmt", "yuv420p", "-c:a", "aac"), True),
    "tape.dv": (
        "720x576",
        "25",
        ("-vf", "setfield=bff", "-c:v", "dvvideo", "-pix_fmt", "yuv420p", "-c:a", "pcm_s16le", "-ac", "2"),
        True,
    ),
    "vc3.mxf": (
        "1920x1080",
        "25",
        (*_TFF, "-flags", "+ildct", "-c:v", "dnxhd", "-b:v", "120M", "-pix_fmt", "yuv422p"),
        False,
    ),
    "thin.mov": (
        "1440x1080",
        "25",
        (
            "-vf",
            "setsar=4/3,setfield=tff",
            "-flags",
            "+ildct+ilme",
            "-c:v",
            "libx264",
            "-x264opts",
            "tff=1",
            "-pix_fmt",
            "yuv420p",
        ),
        False,
    ),
    "full.mov": ("640x360", "30", ("-c:v", "libx264", "-pix_fmt", "yuvj420p", "-color_range", "pc"), False),
}


@pytest.mark.parametrize("name", WRITTEN)
def test_agrees_with_ffprobe(name: str, ffmpeg: Make) -> None:
    size, rate, options, sound = WRITTEN[name]
    path = ffmpeg(name, size, rate, *options, seconds=0.12, sound=sound)
    shown = subprocess.run(
        ["ffprobe", "-v", "error", "-of", "json", "-show_streams", "-show_format", str(path)],
        capture_output=True,
        check=True,
    )
    probed = json.loads(shown.stdout)
    video = next(s for s in probed["streams"] if s["codec_type"] == "video")
    d = inspect(path).declared
    assert (d.width, d.height, d.codec, d.pixel_format) == (
        video["width"],
        video["height"],
        video["codec_name"],
        video["pix_fmt"],
    )
    assert d.rate == Fraction(rate)
    if video.get("sample_aspect_ratio", "0:1") not in ("0:1", "1:1"):
        assert d.sample_aspect == Fraction(video["sample_aspect_ratio"].replace(":", "/"))
    order = video.get("field_order", "unknown")
    if order != "unknown":
        # the first letter: what files and FFmpeg's decoders mean (see declared._ORDERS)
        assert (d.scan, d.field_order) == {
            "progressive": ("progressive", None),
            "t": ("interlaced", "top"),
            "b": ("interlaced", "bottom"),
        }[order if order == "progressive" else order[0]]
    names = {"bt2020": "bt2020", "bt709": "bt709", "bt470bg": "bt601-625", "smpte170m": "bt601-525"}
    if video.get("color_primaries"):
        assert d.primaries == names[video["color_primaries"]]
    assert d.transfer == {"arib-std-b67": "hlg", None: None}.get(video.get("color_transfer"), "bt709")
    assert d.range == {"tv": "narrow", "pc": "full", None: None}[video.get("color_range")]
    tags = [item.get("tags", {}).get("timecode") for item in [*probed["streams"], probed["format"]]]
    assert (d.timecode is None) == (not any(tags)) and (d.timecode is None or d.timecode in tags)
    assert d.drop_frame is (None if d.timecode is None else ";" in d.timecode)
    sounds = [s for s in probed["streams"] if s["codec_type"] == "audio"]
    assert [(a.channels, a.sample_rate) for a in d.audio] == [(s["channels"], int(s["sample_rate"])) for s in sounds]
    if d.audio and d.audio[0].bit_depth:
        assert d.audio[0].bit_depth == int(sounds[0].get("bits_per_raw_sample") or sounds[0]["bits_per_sample"])


def test_formats_as_meant(ffmpeg: Make) -> None:
    def words(name: str) -> str:
        size, rate, options, sound = WRITTEN[name]
        fmt = inspect(ffmpeg(name, size, rate, *options, seconds=0.12, sound=sound)).format
        assert fmt is not None
        return format_words(fmt)

    assert words("tape.dv") == "576i25 4:3 bff 8bit 4:2:0"
    assert words("wide.mpg") == "576i25 16:9 8bit 4:2:0"
    assert words("thin.mov") == "1440x1080i25 8bit 4:2:0"
    assert words("hlg.mp4") == "720p50 hlg 4:2:0"
    assert words("film.mkv") == "1080p23.976"
    assert words("full.mov") == "640x360p30.00 8bit 4:2:0 full"


@pytest.mark.parametrize(
    ("suffix", "pixels", "bits"),
    [("dpx", "gbrp10be", 10), ("exr", "gbrpf32le", 32), ("tif", "rgb48le", 16), ("png", "rgb24", 8)],
)
def test_a_numbered_run_is_one_clip(suffix: str, pixels: str, bits: int, ffmpeg: Make) -> None:
    pattern = ffmpeg(f"run_{suffix}.%04d.{suffix}", "320x180", "24", "-pix_fmt", pixels, seconds=0.5)
    folder = pattern.parent
    (folder / f"run_{suffix}.0005.{suffix}").unlink()
    (folder / f"run_{suffix}.0006.{suffix}").unlink()
    paths = grouped(sorted(folder.glob(f"run_{suffix}.*.{suffix}")))
    assert len(paths) == 1
    clip = inspect(paths[0])
    assert clip.name == f"run_{suffix}.[0001-0012].{suffix}"
    d = clip.declared
    assert (d.width, d.height, d.frames, d.gaps, d.bit_depth) == (320, 180, 10, ((5, 6),), bits)
    verdict = against(demo_template("House HD 50i"), clip)
    assert "clip_gaps" in {finding.code for finding in verdict.findings}
    assert d.rate == (Fraction(24) if suffix == "exr" else None)  # only OpenEXR's header was given one


@pytest.mark.parametrize("made", make_clips.CLIPS, ids=lambda made: made.name)
def test_demo_clips_declare_what_their_maker_meant(made: make_clips.DemoClip) -> None:
    """Their flags are read; where a clip lies on purpose, the lie is what is declared."""
    truth = format_from_words(made.words)
    clip = inspect(CLIPS / made.name)
    assert clip.format is not None
    expected = "progressive" if truth.scan == "progressive" else "interlaced"
    assert (clip.format.raster, clip.format.rate, clip.declared.scan) == (truth.raster, truth.rate, expected)
    assert clip.format.encoding == truth.encoding
    assert clip.declared.timecode == made.timecode or (made.timecode is None and made.codec == "mpeg2video")
    if expected == "interlaced":
        assert clip.declared.field_order == made.flags.get("order", truth.field_order)


def test_the_demo_is_small_and_complete() -> None:
    total = sum(path.stat().st_size for path in CLIPS.rglob("*") if path.is_file())
    assert total < 20_000_000
    assert all((CLIPS / result.name).is_file() for result in make_clips.CLIPS)


def test_what_is_no_clip_says_why(tmp_path: Path, ffmpeg: Make) -> None:
    whole = ffmpeg("hd.mov", "1920x1080", "25", *WRITTEN["hd.mov"][2], seconds=0.12, sound=True).read_bytes()
    cases = {
        "empty.mov": b"",
        "noise.mov": bytes(range(256)) * 40,
        "text.mxf": b"hello\n" * 900,
        "cut.mov": whole[: len(whole) // 3],
        "head.mov": whole[:40],
        "page.mp4": b"<!doctype html><html></html>",
        "zero.dpx": b"SDPX" + bytes(3000),
        "zero.exr": b"\x76\x2f\x31\x01" + bytes(60),
        "list.mov": b"ffconcat version 1.0\nfile '/etc/hostname'\n",
        "play.ts": b"#EXTM3U\n#EXTINF:1,\nfile:///etc/hostname\n",
    }
    for name, data in cases.items():
        path = tmp_path / name
        path.write_bytes(data)
        try:
            clip = inspect(path)
        except MediaError as error:
            assert name in str(error) and "\n" not in str(error)
        else:
            assert name.startswith("zero"), name  # a header with nothing behind it may be all a still says
            assert clip.format is None or clip.declared.width > 0
    for missing in (tmp_path / "not there.mov", tmp_path):
        with pytest.raises(MediaError):
            inspect(missing)


def test_clips_against_a_template() -> None:
    lamp = demo_template("The Lamp Room")
    verdict = against(lamp, inspect(CLIPS / "lamp tape 014.mpg"))
    assert verdict.source is not None and verdict.source.id == "tapes"
    assert [step.numbers["field_order_changes"] for step in verdict.steps] == [True]  # the label says upper first
    seven = demo_template("Sheet Seven")
    assert against(seven, inspect(CLIPS / "stone fixed 2.mxf")).source.id == "fixed"  # type: ignore[union-attr]
    phone = against(seven, inspect(CLIPS / "stone bench phone.mp4"))
    assert phone.source is None and phone.grade == "lossy"
    near = against(seven, inspect(CLIPS / "train platform.mxf"))
    assert near.source is None and near.findings[0].severity == "caution"

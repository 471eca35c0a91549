"""`convert`: a clip as a template has it, read back by ffprobe and by `inspect`; stopped or killed, nothing is left."""

from __future__ import annotations

import json
import signal
import subprocess
import sys
import time
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from tests.app.conftest import filled
from tests.conftest import shortened

from idle_quarry.app.background.workers import Cancelled
from idle_quarry.cli.main import run
from idle_quarry.errors import MediaError, NotPossible
from idle_quarry.line.writing.sending import SentSound, picture_of, sent_pictures
from idle_quarry.media import inspect
from idle_quarry.media.coding.converting import ConversionTarget, convert
from idle_quarry.media.coding.sound_writing import WrittenSound
from idle_quarry.media.coding.writing import ClipWriter
from idle_quarry.media.measurement.sync import flash_and_pip
from idle_quarry.media.pictures import Reader
from idle_quarry.media.sounds import SoundReader
from idle_quarry.path.policies import DEFAULT_POLICY
from idle_quarry.path.registry import codecs, sound_layouts
from idle_quarry.signal.words import format_from_words


@pytest.fixture(scope="module")
def tape(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return shortened("lamp tape 014.mpg", tmp_path_factory.mktemp("tape"), 0.5)


@pytest.fixture
def library(tmp_path: Path) -> str:
    return str(filled(tmp_path / "library.db"))


def probed(path: Path) -> dict[str, object]:
    """What ffprobe says of the first stream of pictures."""
    keys = "codec_name,width,height,pix_fmt,field_order,r_frame_rate"
    keys += ",color_space,color_transfer,color_primaries,color_range"
    text = subprocess.run(
        [
            "ffprobe",
            "-v",
            "error",
            "-select_streams",
            "v:0",
            "-show_entries",
            f"stream={keys}",
            "-of",
            "json",
            str(path),
        ],
        check=True,
        capture_output=True,
        text=True,
    )
    stream: dict[str, object] = json.loads(text.stdout)["streams"][0]
    return stream


def test_a_tape_becomes_the_programme(
    library: str, tape: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """Flags, shape and field order as other readers find them; and in the pictures themselves, measured."""
    out, frames = tmp_path / "tape.mxf", inspect(tape).declared.frames
    arguments = [
        "--library",
        library,
        "convert",
        str(tape),
        str(out),
        "--template",
        "The Lamp Room",
        "--source",
        "tapes",
    ]
    assert run([*arguments, "--json"], lambda _place: 9) == 0
    text = json.loads(capsys.readouterr().out)
    assert (text["format"], text["frames"], text["source"], text["as_source"]) == (
        "1080i25",
        frames,
        "source:tapes",
        True,
    )
    result = probed(out)
    assert (result["codec_name"], result["width"], result["height"], result["field_order"]) == (
        "h264",
        1920,
        1080,
        "tt",
    )
    assert (result["color_space"], result["color_primaries"], result["color_range"]) == ("bt709", "bt709", "tv")
    assert run(["inspect", str(out), "--json"], lambda _place: 9) == 0
    measured = json.loads(capsys.readouterr().out)[0]["measured"]
    assert (measured["scan"], measured["field_order"]) == ("interlaced", "top"), "as its flags say"
    # pillars at the sides: 4:3 in 16:9
    assert abs(measured["active_picture"]["x"] - 240) < 24 and abs(measured["active_picture"]["width"] - 1440) < 48
    for again, said_of in (
        (arguments, "is there already"),
        ([*arguments[:4], str(tmp_path / "x.wav"), *arguments[5:]], "is not kept in such a file"),
        ([*arguments[:4], str(tmp_path / "x.mxf"), *arguments[5:-1], "nobody"], "is no source of the template"),
    ):
        assert run(again, lambda _place: 9) == 2
        assert said_of in capsys.readouterr().err
    assert [path.name for path in tmp_path.glob("*.*") if path.suffix in (".mxf", ".wav")] == ["tape.mxf"]


@pytest.mark.parametrize(("source", "target"), [("640x360p25", "640x360p23.976"), ("640x360p50", "576i25")])
def test_sound_stays_with_the_picture(source: str, target: str, tmp_path: Path) -> None:
    """Flash and pip through a conversion, also where the speed changes: they begin together, and last as long."""
    before, after = format_from_words(source), format_from_words(target)
    sound = SentSound("pip", -18, sound_layouts()["stereo"], before)
    frames = int(2.2 * before.rate)
    with ClipWriter(tmp_path / "a.mov", codecs()["rdd36-proxy"], before, sound=WrittenSound(2)) as writer:
        for n in range(frames):
            first, last = int(n * 48000 / before.rate), int((n + 1) * 48000 / before.rate)
            writer.write(picture_of("flash", before, n), sound.samples(first, last - first) << 8)
        writer.finish()
    clip = inspect(tmp_path / "a.mov")
    policy = DEFAULT_POLICY.with_parts(retime="speed")
    output = convert(clip, ConversionTarget(after, codecs()["rdd36-proxy"], policy), tmp_path / "b.mov")
    assert output.channels == 2
    seconds = Fraction(frames) / before.rate * (Fraction(25) / after.rate if after.rate.denominator != 1 else 1)
    assert abs(output.frames - seconds * after.rate) <= 1
    result = flash_and_pip(output.path, inspect(output.path).declared)
    assert result.pairs >= 2 and abs(result.offset_ms) < 1.5 * 1000 / float(before.rate)
    with SoundReader(output.path) as heard:
        samples = heard.samples(0, int(seconds * 48000)).astype(np.int64)
    assert abs(20 * np.log10(np.abs(samples).max() / 2**31) + 18) < 0.3


def test_what_agrees_goes_through_as_it_is(tmp_path: Path) -> None:
    """Nothing is converted that agrees: codes into a lossless codec and out of it are the clip's own.

    A run of files has its own folder.
    """
    fmt = format_from_words("720p50")
    moving = [sent_pictures()["wedge"].draw(fmt, n) for n in range(3)]
    with ClipWriter(tmp_path / "a.mkv", codecs()["ffv1"], fmt) as writer:
        for codes in moving:
            writer.write(codes)
        writer.finish()
    clip = inspect(tmp_path / "a.mkv")
    assert clip.format == fmt
    result = convert(clip, ConversionTarget(fmt, codecs()["ffv1"], DEFAULT_POLICY), tmp_path / "b.mkv")
    with Reader(result.path, inspect(result.path).declared) as reader:
        for sent, got in zip(moving, reader.window(0, 3), strict=True):
            for ours, theirs in zip(sent, (got.luma, *(got.chroma or ())), strict=True):
                np.testing.assert_array_equal(ours, theirs)
    many = convert(clip, ConversionTarget(fmt, codecs()["dpx-10"], DEFAULT_POLICY), tmp_path / "run.dpx")
    assert [path.name for path in sorted(many.path.parent.iterdir())] == [f"run.{n:04d}.dpx" for n in (1, 2, 3)]
    with pytest.raises(NotPossible, match="cannot hold it"):
        convert(
            clip,
            ConversionTarget(format_from_words("1000x700p25"), codecs()["d10-50"], DEFAULT_POLICY),
            tmp_path / "c.mxf",
        )


def test_stopped_or_killed_nothing_is_left(library: str, tape: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    out.mkdir()
    wanted = ConversionTarget(format_from_words("1080i25"), codecs()["rdd36-proxy"], DEFAULT_POLICY)

    def stop(done: int, _of: int, _speed: float) -> None:
        if done == 4:
            raise Cancelled

    with pytest.raises(Cancelled):
        convert(inspect(tape), wanted, out / "a.mov", stop)
    assert not list(out.iterdir())
    with pytest.raises(MediaError, match="could not be written"):
        convert(inspect(tape), wanted, out / "nowhere" / "a.mov")
    command = [
        sys.executable,
        "-m",
        "idle_quarry",
        "--library",
        library,
        "convert",
        str(tape),
        str(out / "b.mxf"),
        "--template",
        "The Lamp Room",
        "--source",
        "tapes",
    ]
    for how, status in ((signal.SIGINT, 2), (signal.SIGKILL, -signal.SIGKILL)):
        running = subprocess.Popen(
            command,
            stderr=subprocess.PIPE,
            text=True,
            preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),  # a shell's background work ignores it
        )
        end = time.monotonic() + 60
        while not any(item.stat().st_size for item in out.rglob("*.mxf")) and time.monotonic() < end:
            time.sleep(0.02)
        running.send_signal(how)
        _, text = running.communicate(timeout=60)
        assert running.returncode == status, text
        assert not [path for path in out.iterdir() if not path.name.startswith(".")]
        if how == signal.SIGINT:
            assert "cancelled; nothing was left behind" in text and not list(out.iterdir())

"""Levels, active picture, sound, timecode, damage and memory of what was measured, against independent truth."""

from __future__ import annotations

import json
import re
import subprocess
from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from numpy.typing import NDArray
from tests.conftest import CLIPS, demo_template
from tests.material import Chance, frames, written
from tests.oracles import colour

from idle_quarry.demo import make_clips
from idle_quarry.media import kept_measurements
from idle_quarry.media.against import against
from idle_quarry.media.inspecting import inspect
from idle_quarry.media.looking import corrected_clip, look, look_at_all
from idle_quarry.media.measurement.levels import LevelMeter, bar_codes
from idle_quarry.media.measurement.measure import measure
from idle_quarry.media.measurement.sound import LINE_UPS, tone_of
from idle_quarry.media.pictures import Picture, Reader
from idle_quarry.media.report import as_csv, as_html, totals, write_report
from idle_quarry.media.words import measured_lines
from idle_quarry.picture.scopes import field_shown, histogram, vectors, waveform
from idle_quarry.picture.seen import seen
from idle_quarry.signal.words import format_from_words as words

FFmpeg = Callable[..., Path]


@pytest.mark.parametrize("made", make_clips.CLIPS, ids=lambda made: made.name)
def test_the_demo_clips_are_measured_as_they_were_made(made: make_clips.DemoClip) -> None:
    clip = look(CLIPS / made.name)
    truth = words(made.words)
    result = clip.measured.to_json() if clip.measured else None
    assert result is not None and not clip.trouble
    scan = {
        "frames": "progressive",
        "fields": "interlaced",
        "psf": "psf",
        "still": "undetermined",
        "mixed": "mixed",
        "2:2": "progressive",
        "3:2": "progressive",
    }.get(made.motion, "pulldown")
    assert result["scan"] == scan
    assert result["field_order"] == (truth.field_order if scan in ("interlaced", "pulldown") else None)
    cadence = made.motion.split()[0] if ":" in made.motion else None
    assert result["cadence"] == cadence
    if ":" in made.motion and made.motion != "2:2":
        assert result["true_rate"] == "24000/1001"
    assert len(result["cadence_breaks"]) == ("broken" in made.motion)
    x, y, w, h = made.window or (0, 0, truth.raster.width, truth.raster.height)
    assert result["active_picture"] == {"x": x, "y": y, "width": w, "height": h}
    assert result["half_line"] == ("first" if made.half_line else None)
    untrue = {disagreement.field for disagreement in clip.disagreements}
    assert ("range" in untrue) == made.codes_as_full == (result["range"] == "full")
    assert ("field_order" in untrue) == ("order" in made.flags)
    assert ("rate" in untrue) == (made.motion in ("2:2", "3:2"))
    assert ("scan" in untrue) == (scan in ("psf", "pulldown", "mixed"))
    if made.motion in ("frames", "fields") and not made.codes_as_full:
        assert clip.format == truth
    text = " ".join(measured_lines(clip))
    assert ("out of phase" in text) == (made.sound == "inverted")
    assert ("silent: channels 3, 4" in text and "1 and 2 are identical" in text) == ("silent" in made.sound)


def _picture(planes: Sequence[NDArray[np.uint8]], bits: int = 8) -> Picture:
    luma, cb, cr = planes
    return Picture(0, 0.0, luma, (cb, cr), None, bits, False)


def test_levels_are_counted_and_the_gamut_is_that_of_another_library() -> None:
    rng = np.random.default_rng(2)
    encoding = words("640x360p25 4:4:4 8bit").encoding
    planes = [rng.integers(0, 256, (96, 128)).astype(np.uint8) for _ in range(3)]
    meter = LevelMeter(encoding)
    meter.take(_picture(planes))
    result = meter.measurement()
    assert result is not None
    assert (result.luma.minimum, result.luma.maximum) == (planes[0].min(), planes[0].max())
    assert result.luma.below_black == pytest.approx((planes[0] < 16).mean(), abs=1e-12)
    assert result.luma.above_white == pytest.approx((planes[0] > 235).mean(), abs=1e-12)
    assert result.range == "full"
    theirs = colour.YCbCr_to_RGB(
        np.stack(planes, axis=-1),
        K=colour.WEIGHTS_YCBCR["ITU-R BT.709"],
        in_bits=8,
        in_legal=True,
        in_int=True,
        out_legal=False,
    )
    outside = ((theirs < -0.05) | (theirs > 1.05)).any(axis=-1).mean()
    assert result.outside_gamut == pytest.approx(outside, abs=1e-3)


@pytest.mark.parametrize("matrix", ["bt601", "bt709", "bt2020"])
def test_bars_tell_their_matrix(matrix: str) -> None:
    """The six bars computed by another library: the matrix they were made with is found whatever is declared."""
    rgb = np.array([[1, 1, 0], [0, 1, 1], [0, 1, 0], [1, 0, 1], [1, 0, 0], [0, 0, 1]]) * 0.75
    key = {"bt601": "ITU-R BT.601", "bt709": "ITU-R BT.709", "bt2020": "ITU-R BT.2020"}[matrix]
    codes = colour.RGB_to_YCbCr(rgb, K=colour.WEIGHTS_YCBCR[key], out_bits=8, out_legal=True, out_int=True)
    assert np.abs(bar_codes(matrix, 0.75) - codes).max() < 1
    picture = np.repeat(np.repeat(codes[None], 96, axis=0), 32, axis=1).astype(np.uint8)
    for declared in ("bt601", "bt709"):
        meter = LevelMeter(words("640x360p25 4:4:4 8bit").with_encoding(matrix=declared).encoding)
        meter.take(_picture(list(np.moveaxis(picture, -1, 0))))
        result = meter.measurement()
        assert result is not None and result.bars_matrix == matrix


def test_eight_bits_in_a_ten_bit_file_are_told(ffmpeg: FFmpeg) -> None:
    shallow = ffmpeg("shallow.mkv", "320x240", "25", "-vf", "format=yuv420p,format=yuv420p10le", "-c:v", "ffv1")
    deep = ffmpeg(
        "deep.mkv",
        "320x240",
        "25",
        "-vf",
        "scale=in_color_matrix=bt601,format=yuv420p10le,noise=alls=3",
        "-c:v",
        "ffv1",
    )
    assert [disagreement.field for disagreement in look(shallow).disagreements if disagreement.field == "bit_depth"]
    assert not [item.field for item in look(deep).disagreements if item.field == "bit_depth"]


@pytest.mark.parametrize(
    ("filters", "box"),
    [
        ("scale=320:240", (0, 0, 320, 240)),
        ("scale=320:180,pad=320:240:0:30", (0, 30, 320, 180)),
        ("scale=240:240,pad=320:240:40:0", (40, 0, 240, 240)),
        ("scale=200:160,pad=320:240:60:40", (60, 40, 200, 160)),
    ],
)
def test_bars_around_the_picture(ffmpeg: FFmpeg, filters: str, box: tuple[int, int, int, int]) -> None:
    clip = look(
        ffmpeg(
            f"bars-{box[0]}-{box[1]}.mp4",
            "320x240",
            "25",
            "-vf",
            filters,
            "-c:v",
            "libx264",
            "-crf",
            "26",
            "-pix_fmt",
            "yuv420p",
        )
    )
    assert clip.measured is not None and clip.measured.active is not None
    active = clip.measured.active
    assert (active.x, active.y, active.width, active.height) == box


def test_loudness_and_peaks_are_those_of_ffmpegs_own_program(ffmpeg: FFmpeg) -> None:
    path = ffmpeg("tone.mov", "64x64", "25", "-c:v", "mpeg4", "-c:a", "pcm_s24le", seconds=4, sound=True)
    clip = look(path)
    assert clip.measured is not None and clip.measured.sound[0] is not None
    ours = clip.measured.sound[0]
    text = subprocess.run(
        ["ffmpeg", "-hide_banner", "-nostats", "-i", str(path), "-af", "ebur128=peak=true", "-f", "null", "-"],
        capture_output=True,
        text=True,
        check=True,
    ).stderr
    theirs = [float(x) for x in re.findall(r"(?:I:|Peak:)\s+(-?[\d.]+)", text[text.index("Summary") :])]
    assert ours.loudness_lufs == pytest.approx(theirs[0], abs=0.11)
    assert ours.true_peak_dbtp == pytest.approx(theirs[1], abs=0.11)
    tone = ours.channels[0].tone
    assert tone is not None and tone.frequency_hz == pytest.approx(440, abs=0.2)


@pytest.mark.parametrize("level", LINE_UPS)
def test_line_up_is_found_and_named(level: float) -> None:
    t = np.arange(96_000) / 48_000
    sine = (10 ** (level / 20) * np.sin(2 * np.pi * 1000 * t)).astype(np.float32)
    result = tone_of(sine, 48_000)
    assert result is not None and result.line_up == LINE_UPS[level]
    assert result.level_dbfs == pytest.approx(level, abs=0.02)
    assert tone_of(np.random.default_rng(1).standard_normal(96_000).astype(np.float32) * 0.1, 48_000) is None


def test_damage_is_counted_and_passed_over(ffmpeg: FFmpeg, tmp_path: Path) -> None:
    whole = ffmpeg("whole.mpg", "352x288", "25", "-c:v", "mpeg2video", "-g", "6", "-b:v", "4M", seconds=3)
    data = bytearray(whole.read_bytes())
    rng = np.random.default_rng(3)
    for at in rng.integers(len(data) // 4, len(data), 60):
        data[at : at + 40] = rng.bytes(40)
    hurt = tmp_path / "hurt.mpg"
    hurt.write_bytes(data)
    clip = look(hurt)
    assert clip.measured is not None and clip.measured.frames_examined > 20
    assert clip.measured.damaged > 0 and clip.measured.stamped_rate is None
    empty = tmp_path / "only a head.mov"
    empty.write_bytes(Path(CLIPS / "stone commentary.mov").read_bytes()[:3000])
    answers = dict(look_at_all([hurt, empty, CLIPS / "train 03.mov"]))
    assert [type(answer).__name__ for answer in answers.values()].count("MediaError") == 1


def test_timecode_that_jumps_is_told(tmp_path: Path) -> None:
    """Two MPEG-2 streams one after the other: the second one's groups count from elsewhere."""
    parts = []
    for start in ("10:00:00:00", "11:30:00:00"):
        path = tmp_path / f"{start[:2]}.m2v"
        command = ["ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=s=352x288:r=25", "-t", "1", "-c:v"]
        subprocess.run([*command, "mpeg2video", "-timecode", start, "-g", "5", "-bf", "0", str(path)], check=True)
        parts.append(path.read_bytes())
    joined = tmp_path / "joined.m2v"
    joined.write_bytes(b"".join(parts))
    clip = inspect(joined)
    result = measure(joined, clip.declared, clip.format)
    assert [timecode_break.found[:5] for timecode_break in result.timecode_breaks] == ["11:30"]
    assert abs(result.timecode_breaks[0].frame - 25) <= 4


def test_a_second_look_is_from_memory_and_knows_a_renamed_clip(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    run, _ = frames("bottom", Chance(np.random.default_rng(9), 96, 128, 20))
    first = look(written(tmp_path / "first.mkv", run, interlaced=True))
    (tmp_path / "first.mkv").rename(tmp_path / "renamed.mkv")

    def never(*_arguments: object, **_more: object) -> None:
        raise AssertionError("measured again")

    monkeypatch.setattr("idle_quarry.media.looking.measure", never)
    again = look(tmp_path / "renamed.mkv")
    assert again.measured == first.measured and again.name == "renamed.mkv"
    assert again.format == first.format and again.disagreements == first.disagreements
    # a note of another version of measurement, or a damaged one, is no memory
    note = kept_measurements._note(kept_measurements.identity(tmp_path / "renamed.mkv"))
    note.write_bytes(note.read_bytes()[:-20])
    with pytest.raises(AssertionError, match="measured again"):
        look(tmp_path / "renamed.mkv")


def test_a_correction_stays_with_the_content_and_can_be_taken_back(tmp_path: Path) -> None:
    run, _ = frames("still", Chance(np.random.default_rng(10), 96, 128, 12, noise=0.0))
    clip = look(written(tmp_path / "card.mkv", run))
    assert clip.format is not None and clip.format.scan == "progressive"
    better = words("128x96i25 8bit 4:2:0")
    assert corrected_clip(clip, better).format == better
    again = look(tmp_path / "card.mkv")
    assert again.corrected and again.format == better and again.to_json()["corrected"]
    assert corrected_clip(again, None).format == clip.format
    assert not look(tmp_path / "card.mkv").corrected


def test_work_can_be_stopped_between_pictures() -> None:
    class Stop(Exception):
        pass

    def progress(_what: str, share: float) -> None:
        if share > 0.2:
            raise Stop

    clip = inspect(CLIPS / "stone old reel.mpg")
    with pytest.raises(Stop):
        measure(clip.path, clip.declared, clip.format, progress)


def test_reports_say_what_was_found(tmp_path: Path) -> None:
    clips = [look(CLIPS / "lamp tape 014.mpg"), look(CLIPS / "train 03.mov"), look(CLIPS / "gauge location tone.wav")]
    shares = totals(clips)
    assert sum(total.share for total in shares) == pytest.approx(1) and len(shares) == 2
    page = as_html(clips, "The Lamp Room")
    assert "movement runs lower field first" in page and "The Lamp Room" in page
    rows = as_csv(clips).splitlines()
    assert len(rows) == 4 and "lower field first" in rows[1]
    write_report(tmp_path / "intake.json", clips, lambda _html, _path: None)
    document = json.loads((tmp_path / "intake.json").read_text())
    assert document[0]["measured"]["field_order"] == "bottom"


def test_scopes_count_every_sample_they_look_at() -> None:
    luma = np.tile(np.arange(256, dtype=np.uint8), (64, 1))
    wave = waveform(luma, 8, 64)
    assert wave.shape == (256, 64) and wave.sum() == luma.size
    assert all(wave[level, level // 4] == 64 for level in range(256))
    assert (histogram(luma, 8) == 64).all()
    cb, cr = np.full((8, 8), 300, np.uint16), np.full((8, 8), 700, np.uint16)
    counted = vectors((cb, cr), 10, 128)
    assert counted[700 * 128 // 1024, 300 * 128 // 1024] == 64 and counted.sum() == 64


def test_pictures_to_look_at_are_those_of_ffmpegs_own_conversion() -> None:
    encoding = words("1080p25 8bit 4:4:4").encoding
    rng = np.random.default_rng(4)
    planes = [rng.integers(16, 236, (16, 32)).astype(np.uint8) for _ in range(3)]
    ours = seen(tuple(planes), encoding).astype(int)
    theirs = colour.YCbCr_to_RGB(
        np.stack(planes, axis=-1), K=colour.WEIGHTS_YCBCR["ITU-R BT.709"], in_bits=8, in_legal=True, in_int=True
    )
    assert np.abs(ours - np.clip(theirs, 0, 1) * 255).max() <= 1
    luma, small = planes[0][:15, :31], [plane[:8, :16] for plane in planes[1:]]  # an odd raster, in 4:2:0
    wide = [plane.repeat(2, axis=0).repeat(2, axis=1)[:15, :31] for plane in small]
    assert (seen((luma, *small), encoding) == seen((luma, *wide), encoding)).all()
    picture = np.repeat(np.arange(0, 160, 10, dtype=np.uint8)[:, None, None], 3, axis=2).repeat(4, axis=1)
    for order, first in (("top", 0), ("bottom", 1)):
        shown = field_shown(picture, order)
        assert (shown[first::2] == picture[first::2]).all()
        inner = shown[2:-2]  # between two lines of a ramp lies their middle, which is the other field's line
        assert np.abs(inner.astype(int) - picture[2:-2]).max() <= 1


def test_a_clip_of_no_pictures_is_heard(tmp_path: Path) -> None:
    path = tmp_path / "silence.wav"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("pcm_s16le", rate=48000)
        frame = av.AudioFrame.from_ndarray(np.zeros((1, 96000), np.int16), "s16", "stereo")
        frame.sample_rate, frame.pts, frame.time_base = 48000, 0, Fraction(1, 48000)
        container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    clip = look(path)
    assert clip.measured is not None and clip.measured.fields is None
    assert "the sound is silent" in " ".join(measured_lines(clip))


def test_a_turned_clip_is_taken_as_it_is_shown(ffmpeg: FFmpeg, tmp_path: Path) -> None:
    """A telephone held upright: FFmpeg's own program turns the picture the same way."""
    lying = ffmpeg("lying.mp4", "320x180", "25", "-c:v", "libx264", "-crf", "12", "-pix_fmt", "yuv420p")
    turned, shown = tmp_path / "turned.mp4", tmp_path / "shown.gray"
    command = ["ffmpeg", "-v", "error", "-i", str(lying), "-c", "copy", "-metadata:s:v:0", "rotate=90", str(turned)]
    subprocess.run(command, check=True, capture_output=True)
    command = [
        "ffmpeg",
        "-v",
        "error",
        "-i",
        str(turned),
        "-frames:v",
        "1",
        "-pix_fmt",
        "yuv420p",
        "-f",
        "rawvideo",
        str(shown),
    ]
    subprocess.run(command, check=True, capture_output=True)
    clip = look(turned)
    assert clip.format is not None and clip.declared.rotation in (90, 270)
    assert (clip.format.raster.width, clip.format.raster.height) == (180, 320)
    with Reader(turned, clip.declared) as reader:
        picture = next(iter(reader.window(0, 1)))
    theirs = np.frombuffer(shown.read_bytes()[: 180 * 320], np.uint8).reshape(320, 180)
    np.testing.assert_array_equal(picture.luma, theirs)
    result = against(demo_template("House HD 50i"), clip)
    assert "clip_turned" in {finding.code for finding in result.findings}


def test_alpha_is_a_fact_of_a_clip(ffmpeg: FFmpeg) -> None:
    matte = ffmpeg(
        "matte.mov",
        "320x180",
        "25",
        "-vf",
        "format=yuva444p10le",
        "-c:v",
        "prores_ks",
        "-profile:v",
        "4",
        "-alpha_bits",
        "16",
    )
    clip = look(matte)
    assert (
        clip.declared.alpha == "straight"
        and inspect(ffmpeg("plain.png", "64x64", "25", "-frames:v", "1")).declared.alpha is None
    )
    assert "clip_alpha" in {finding.code for finding in against(demo_template("House HD 50i"), clip).findings}


def test_a_variable_rate_is_called_so(ffmpeg: FFmpeg) -> None:
    """Two seconds at 30 pictures and two at 10: what a fixed rate does is counted over the same times."""
    keep = "select='lt(n,60)+not(mod(n,3))'"
    path = ffmpeg(
        "phone.mp4", "160x120", "30", "-vf", keep, "-vsync", "vfr", "-c:v", "libx264", "-pix_fmt", "yuv420p", seconds=4
    )
    clip = look(path)
    assert clip.measured is not None and clip.measured.variable is not None and clip.format is not None
    result = clip.measured.variable
    assert result.slowest == pytest.approx(10, rel=0.02) and result.fastest == pytest.approx(30, rel=0.02)
    assert result.mean == pytest.approx(80 / 4, rel=0.03) and clip.format.rate == result.fixed
    [text] = [disagreement for disagreement in clip.disagreements if disagreement.field == "rate"]
    assert text.measured == "variable" and "10 to 30 pictures/s" in text.text and "fast against" not in text.text
    steady = look(ffmpeg("steady.mkv", "160x120", "60000/1001", "-c:v", "libx264", "-pix_fmt", "yuv420p", seconds=2))
    assert steady.measured is not None and steady.measured.variable is None


def test_levels_of_dpx_are_in_its_own_bits(ffmpeg: FFmpeg) -> None:
    clip = look(ffmpeg("run.0001.dpx", "64x64", "25", "-frames:v", "1", "-pix_fmt", "gbrp10be"))
    assert clip.measured is not None and clip.measured.levels is not None
    assert clip.measured.levels.luma.bits == 10 and clip.measured.levels.luma.maximum < 1024
    no_rate = against(demo_template("House HD 50i"), clip)
    assert no_rate.grade == "broken" and no_rate.findings[0].code == "clip_no_rate"  # what it costs cannot be told

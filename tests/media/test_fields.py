"""Fields read from pictures: synthesised truth of every kind, chance's worst, other people's encoders, honest doubt."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from tests.footage import woven
from tests.material import CODERS, KINDS, Chance, coded, drawn, frames, written

from idle_quarry.media import inspect
from idle_quarry.media.looking import look
from idle_quarry.media.measurement.field_pairs import PairMeter
from idle_quarry.media.measurement.field_structure import CYCLES, PATTERNS, evidence
from idle_quarry.media.measurement.fields import ExaminedRun, fields_of
from idle_quarry.media.measurement.measure import measure
from idle_quarry.media.measurement.results import Fields

FFmpeg = Callable[..., Path]


def read(run: np.ndarray[tuple[int, ...], np.dtype[np.uint8]], rate: int = 30, *, flagged: bool = False) -> Fields:
    meter = PairMeter()
    for frame in run:
        meter.take(frame)
    return fields_of([ExaminedRun(0, evidence(meter.pairs))], Fraction(rate), flagged)


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("height", [144, 720])
def test_every_kind_is_read_from_its_pictures(kind: str, height: int) -> None:
    chance = Chance(np.random.default_rng(3), height, 192, 30, speed=3.0, still_share=0.3)
    run, truth = frames(kind, chance)
    result = read(run)
    assert (result.scan, result.field_order) == (truth.scan, truth.order)
    assert result.cadence == truth.cadence
    if kind == "still":
        assert result.confidence < 0.5 and result.true_rate is None
    elif kind == "mixed":
        assert truth.change is not None and abs(result.stretches[1].start - truth.change) <= 1
        assert [s.scan for s in result.stretches] == ["interlaced", "progressive"]
    else:
        assert result.confidence > 0.9
        moments = {"top": 60, "bottom": 60, "repeats 2:2": 15, "repeats 3:2": 12}
        assert result.true_rate == moments.get(kind, 24 if "2:3" in kind else 30)
    assert (result.repeated_frames > 0.3) == kind.startswith("repeats")


def test_whole_pictures_under_interlaced_flags_are_psf() -> None:
    run, _ = frames("progressive", Chance(np.random.default_rng(5), speed=2.0))
    assert read(run, flagged=True).scan == "psf" and read(run).scan == "progressive"


def test_a_recut_pulldown_says_where_its_cadence_breaks() -> None:
    chance = Chance(np.random.default_rng(8), count=30, speed=2.5, still_share=0.0)
    run, _ = frames("2:3 top", chance)
    recut = np.concatenate([run[:12], run[14:]])
    assert read(run).breaks == ()
    assert [abs(at - 12) <= 1 for at in read(recut).breaks] == [True]


@pytest.mark.parametrize("at", [21, 22])
def test_a_cut_is_no_break_where_the_cadence_goes_on(at: int, ffmpeg: FFmpeg) -> None:
    """Two films spliced before pulldown: inside its cycle of four, before and after a repeat, the repeats go on
    unbroken.
    """
    graph = (
        f"[1]setsar=1,format=yuv420p[b];[0]trim=end_frame={at},setpts=PTS-STARTPTS,setsar=1,format=yuv420p[a];"
        "[a][b]concat=n=2,telecine=first_field=bottom:pattern=23"
    )
    path = ffmpeg(
        f"cut-{at}.mov",
        "240x160",
        "24000/1001",
        "-f",
        "lavfi",
        "-i",
        "mandelbrot=s=240x160:r=24000/1001:maxiter=200",
        "-filter_complex",
        graph,
        "-c:v",
        "prores_ks",
        "-flags",
        "+ildct",
        "-field_order",
        "bb",
        seconds=2.0,
    )
    result = look(path).measured
    assert result is not None and result.fields is not None
    assert (result.fields.scan, result.fields.cadence, result.fields.breaks) == ("pulldown", "2:3", ())


@pytest.mark.parametrize("material", ["drawn", "real"])
def test_confidence_is_honest(material: str) -> None:
    """Of the answers given at 0.9 and more, nine in ten are right; the full draw is in benchmarks/calibration.py."""
    right: dict[bool, list[bool]] = defaultdict(list)
    sure_of_stills = 0
    for seed in range(28 if material == "real" else 56):
        rng = np.random.default_rng(77_000 + seed)
        kind = KINDS[seed % len(KINDS)]
        run, truth = woven(kind, rng) if material == "real" else frames(kind, drawn(rng))
        codec = str(rng.choice(["", *CODERS]))
        if codec:
            fields = truth.scan in ("interlaced", "pulldown", "mixed")
            run = coded(run, int(rng.choice(CODERS[codec])), interlaced=fields, codec=codec)
        result = read(run, 60 if kind.startswith("repeats") else 30)
        if kind == "still":
            sure_of_stills += result.confidence >= 0.9
            continue
        if result.scan != "undetermined":
            text = (result.scan, result.field_order, result.cadence)
            right[result.confidence >= 0.9].append(text == (truth.scan, truth.order, truth.cadence))
    assert len(right[True]) > 15  # about half of the draws hardly move
    assert np.mean(right[True]) >= 0.9 and np.mean(right[False]) >= 0.5
    assert sure_of_stills == 0


@pytest.mark.parametrize(
    ("kind", "codec", "quality"), [("repeats 3:2", "libx264", 23), ("repeats 2:2", "mpeg2video", 5)]
)
def test_repeats_are_told_from_the_noise_of_their_coding(kind: str, codec: str, quality: int) -> None:
    """Coded between pictures, hardly two repeats are equal.

    And where the same footage moves in each, none are found.
    """
    for seed in range(6):
        run, truth = woven(kind, np.random.default_rng(seed), 30)
        repeated = coded(run, quality, interlaced=False, codec=codec)
        assert sum(np.array_equal(one, other) for one, other in pairwise(repeated)) < 3
        result = read(repeated, 50)
        assert result.cadence == truth.cadence or result.scan == "undetermined", seed
        moving, _ = woven("progressive", np.random.default_rng(seed), 30)
        assert read(coded(moving, quality, interlaced=False, codec=codec), 50).cadence is None


def test_patterns_and_cycles_are_of_one_piece() -> None:
    assert {pattern for cycle in CYCLES.values() for pattern in cycle} <= set(PATTERNS)
    meter = PairMeter()
    assert meter.pairs.shape[0] == 0
    assert fields_of([], Fraction(25), True).scan == "undetermined"


_WOVEN = ["-flags", "+ildct+ilme"]
_X264 = ["-c:v", "libx264", "-crf", "22", "-pix_fmt", "yuv420p"]
_MPEG2 = ["-c:v", "mpeg2video", "-b:v", "12M", "-pix_fmt", "yuv422p"]


@pytest.mark.parametrize(
    ("name", "rate", "filters", "options", "scan", "order", "cadence", "moments"),
    [
        (
            "top.mxf",
            "50",
            "tinterlace=interleave_top,setfield=tff",
            [*_MPEG2, *_WOVEN, "-top", "1"],
            "interlaced",
            "top",
            None,
            "50/1",
        ),
        (
            "wrong.mxf",
            "50",
            "tinterlace=interleave_bottom,setfield=tff",
            [*_MPEG2, *_WOVEN, "-top", "1"],
            "interlaced",
            "bottom",
            None,
            "50/1",
        ),
        (
            "lowpassed.mov",
            "50",
            "tinterlace=interleave_top:flags=vlpf,setfield=tff",
            [*_X264, *_WOVEN, "-x264-params", "tff=1"],
            "interlaced",
            "top",
            None,
            "50/1",
        ),
        ("psf.mov", "25", "setfield=tff", [*_X264, *_WOVEN, "-x264-params", "tff=1"], "psf", None, None, "25/1"),
        ("combed.mp4", "50", "tinterlace=interleave_top", _X264, "interlaced", "top", None, "50/1"),
        (
            "pulldown.mov",
            "24000/1001",
            "telecine=pattern=23,setfield=tff",
            [*_X264, *_WOVEN, "-x264-params", "tff=1"],
            "pulldown",
            "top",
            "2:3",
            "24000/1001",
        ),
        (
            "lower.mov",
            "24000/1001",
            "telecine=first_field=bottom:pattern=23,setfield=bff",
            ["-c:v", "prores_ks", *_WOVEN],
            "pulldown",
            "bottom",
            "2:3",
            "24000/1001",
        ),
        (
            "advanced.mov",
            "24000/1001",
            "telecine=pattern=2332,setfield=tff",
            ["-c:v", "prores_ks", *_WOVEN],
            "pulldown",
            "top",
            "2:3:3:2",
            "24000/1001",
        ),
        ("held.mp4", "24000/1001", "fps=60000/1001", _X264, "progressive", None, "3:2", "24000/1001"),
        ("doubled.mp4", "25", "fps=50", _X264, "progressive", None, "2:2", "25/1"),
        ("hitch.mp4", "24", "fps=25", _X264, "progressive", None, None, "24/1"),
        ("still.mp4", "25", "trim=end_frame=1,loop=60:1,fps=25", _X264, "undetermined", None, None, None),
        (
            "noise.mp4",
            "25",
            "trim=end_frame=1,loop=60:1,fps=25,noise=alls=12:allf=t",
            _X264,
            "undetermined",
            None,
            None,
            None,
        ),
    ],
)
def test_what_ffmpeg_wove(
    ffmpeg: FFmpeg,
    name: str,
    rate: str,
    filters: str,
    options: list[str],
    scan: str,
    order: str | None,
    cadence: str | None,
    moments: str | None,
) -> None:
    clip = inspect(
        ffmpeg(f"woven-{name}", "320x576", rate, "-vf", filters, *options, seconds=2.6 if name == "hitch.mp4" else 1.6)
    )
    measured = measure(clip.path, clip.declared, clip.format).to_json()
    assert measured is not None
    assert (measured["scan"], measured["field_order"], measured["cadence"]) == (scan, order, cadence)
    if name != "hitch.mp4":
        assert measured["true_rate"] == moments
    else:  # 24 and 23.976 in 25 differ by one hitch in a minute
        assert measured["true_rate"] in ("24/1", "24000/1001") and 0.02 < measured["repeated_frames"] < 0.06
    assert measured["confidence"] > 0.9 or scan == "undetermined"


def test_a_long_clip_costs_windows_and_its_change_is_found(tmp_path: Path) -> None:
    chance = Chance(np.random.default_rng(4), 144, 160, 900, speed=1.0, still_share=0.0)
    steady, _ = frames("top", chance)
    result = look(written(tmp_path / "steady.mkv", steady, interlaced=True)).measured
    assert result is not None and result.fields is not None
    assert result.fields.scan == "interlaced" and result.frames_examined < 150
    chance = Chance(np.random.default_rng(5), 144, 160, 900, speed=1.0, still_share=0.0)
    changing, truth = frames("mixed", chance)
    changed = look(written(tmp_path / "changing.mkv", changing, interlaced=True)).measured
    assert changed is not None and changed.fields is not None and truth.change is not None
    assert changed.fields.scan == "mixed" and changed.frames_examined < 500
    assert abs(changed.fields.stretches[1].start - truth.change) <= 14


@pytest.mark.parametrize(("height", "width", "bits"), [(576, 720, 8), (1080, 1920, 10), (486, 1440, 12), (70, 49, 8)])
def test_the_six_distances_are_what_they_are_said_to_be(height: int, width: int, bits: int) -> None:
    rng = np.random.default_rng(height)
    frames = [
        rng.integers(0, 1 << bits, (height, width)).astype(np.uint8 if bits == 8 else np.uint16) for _ in range(3)
    ]
    meter = PairMeter()
    for frame in frames:
        meter.take(frame, bits)
    step = -(-width // 480)
    starts = [0] if height <= 576 else [(height - 36) * n // 15 // 2 * 2 for n in range(16)]
    lines = height // 2 * 2 if height <= 576 else 36

    def band(frame: np.ndarray, start: int) -> np.ndarray:
        columns = width // step
        cut = frame[start : start + lines, : columns * step].astype(np.float64).reshape(lines, columns, step)
        return np.asarray(cut.mean(axis=2) / (1 << (bits - 8)))

    def fields(at: np.ndarray) -> tuple[np.ndarray, ...]:
        top, bottom = at[0::2], at[1::2]
        return top[1:-1], bottom[1:-1], 6 * bottom[1:-1] + bottom[:-2] + bottom[2:], 4 * (top[1:-1] + top[2:])

    def blocks(difference: np.ndarray) -> np.ndarray:
        rows, columns = max(1, difference.shape[0] // 8), max(1, difference.shape[1] // 16)
        down, across = difference.shape[0] // rows, difference.shape[1] // columns
        cut = difference[: rows * down, : columns * across].reshape(rows, down, columns, across)
        return np.asarray((cut**2).mean(axis=(1, 3)))

    result = []
    for start in starts:
        (te, *_), (t0, b0, odd0, even0), (t1, b1, odd1, even1) = (fields(band(frame, start)) for frame in frames)
        combs = [blocks(odd0 - even0) / 35, blocks(odd0 - even1) / 35, blocks(odd1 - even0) / 35]
        result.append(np.stack([*combs, blocks(t1 - t0), blocks(b1 - b0), blocks(t1 - te)]))
    latest = meter.latest
    assert latest is not None and meter.pairs.shape[0] == 2
    np.testing.assert_allclose(latest, np.concatenate(result, axis=1), rtol=2e-4)

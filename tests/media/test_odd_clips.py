"""Odd clips: each is a row that says what is wrong with it, none takes another along."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

import av
import numpy as np
import pytest
from PIL import Image
from tests.material import Chance, frames, written
from tests.media.mutated import attacked

from idle_quarry.errors import MediaError
from idle_quarry.media import Clip, grouped
from idle_quarry.media.looking import look, look_at_all
from idle_quarry.media.sequences import run_of

SVG = b'<svg xmlns="http://www.w3.org/2000/svg" width="64" height="64"><rect width="64" height="64"/></svg>'


def two_rasters(path: Path) -> Path:
    """Write a file of two MPEG streams of different rasters, one after the other."""
    parts = []
    for height, width in ((96, 128), (144, 160)):
        run, _ = frames("progressive", Chance(np.random.default_rng(height), height, width, 24))
        parts.append(written(path.with_name(f"{height}.m2v"), run, codec="mpeg2video").read_bytes())
    path.write_bytes(b"".join(parts))
    return path


def jumping(path: Path) -> Path:
    """Write a clip whose time stamps jump by a day in its middle."""
    run, _ = frames("progressive", Chance(np.random.default_rng(5), 96, 128, 24))
    whole = written(path.with_name("whole.mkv"), run)
    with av.open(str(whole)) as source, av.open(str(path), "w") as target:
        stream = target.add_stream_from_template(source.streams.video[0])
        for number, packet in enumerate(source.demux(video=0)):
            if packet.dts is None:
                continue
            if number > 12:
                packet.pts = packet.dts = packet.dts + 86_400_000
            packet.stream = stream
            target.mux(packet)
    whole.unlink()
    return path


def test_odd_clips_are_rows_and_the_others_go_on(tmp_path: Path) -> None:
    run, _ = frames("bottom", Chance(np.random.default_rng(3), 96, 128, 20))
    good = written(tmp_path / "good.mkv", run, interlaced=True)
    odd: dict[str, Callable[[Path], object]] = {
        "rasters.mpg": two_rasters,
        "jumps.mkv": jumping,
        "thin.png": lambda path: Image.new("RGB", (1, 400)).save(path),
        "low.png": lambda path: Image.new("L", (400, 1)).save(path),
        "point.png": lambda path: Image.new("L", (1, 1)).save(path),
        "drawing.png": lambda path: path.write_bytes(SVG),
        "empty.mov": lambda path: path.write_bytes(b""),
        "words.mov": lambda path: path.write_bytes(b"no film\n" * 400),
        "half.mkv": lambda path: path.write_bytes(good.read_bytes()[: good.stat().st_size // 2]),
        "folder.mov": lambda path: path.mkdir(),
    }
    for name, make in odd.items():
        make(tmp_path / name)
    strange = tmp_path / os.fsdecode(b"caf\xe9 \xff.mkv")  # no UTF-8
    strange.write_bytes(good.read_bytes())
    paths = [good, strange, *(tmp_path / name for name in odd), tmp_path / "gone.mov"]
    answers = dict(look_at_all(paths))
    assert set(answers) == set(paths)
    for path in (good, strange):
        clip = answers[path]
        assert isinstance(clip, Clip) and clip.measured and clip.measured.fields
        assert clip.measured.fields.field_order == "bottom" and not clip.trouble
        assert clip.name.encode()  # it can be written down
    for name in ("empty.mov", "words.mov", "folder.mov", "gone.mov", "drawing.png"):
        answer = answers[tmp_path / name]
        assert isinstance(answer, MediaError) or answer.trouble, name
    for name in ("thin.png", "low.png", "point.png", "jumps.mkv"):
        answer = answers[tmp_path / name]
        assert isinstance(answer, Clip) and not answer.trouble, answer
        assert answer.to_json()["declared"]["width"] > 0


def test_where_a_clip_becomes_another_is_a_fact_with_its_place(tmp_path: Path) -> None:
    clip = look(two_rasters(tmp_path / "rasters.mpg"))
    assert clip.measured is not None and clip.measured.frames_examined < 48
    (change,) = (item for item in clip.measured.changes if item.what == "raster")
    assert (change.was, change.becomes) == ("128 × 96", "160 × 144") and abs(change.frame - 24) <= 1
    assert "From frame 2" in clip.disagreements[0].text and "160 × 144, not 128 × 96" in clip.disagreements[0].text
    assert clip.to_json()["measured"]["changes"][0]["what"] == "raster"
    run, _ = frames("progressive", Chance(np.random.default_rng(6), 96, 128, 20))
    plain = look(written(tmp_path / "plain.mkv", run))
    assert plain.measured is not None and plain.measured.changes == ()


def test_what_nobody_foresaw_is_a_row_with_a_report(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    run, _ = frames("progressive", Chance(np.random.default_rng(7), 96, 128, 12))
    paths = [written(tmp_path / f"{name}.mkv", run) for name in ("one", "two")]
    for error in (ZeroDivisionError("x"), AssertionError("y")):

        def fails(*_given: object, error: Exception = error, **_more: object) -> None:
            raise error

        monkeypatch.setattr("idle_quarry.media.looking.measure", fails)
        text = [item.what if isinstance(item, MediaError) else item.trouble for _, item in look_at_all(paths)]
        assert len(text) == 2 and all(type(error).__name__ in item and "report" in item for item in text)
    reports = list((tmp_path / "state").rglob("reports/*.txt"))
    assert len(reports) == 4 and all(path.stat().st_mode & 0o777 == 0o600 for path in reports)


def test_a_folder_of_stills_is_read_once(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for number in range(1, 1501):
        (tmp_path / f"scan_{number:04d}.dpx").touch()
    for name in ("scan_0001.png", "other 7.dpx", "plain.dpx", "shot_٠١.png", "shot_٠٢.png"):
        (tmp_path / name).touch()
    reads: list[object] = []
    scandir = os.scandir

    def counted(path: Path) -> object:
        reads.append(path)
        return scandir(path)

    monkeypatch.setattr("idle_quarry.media.sequences.os.scandir", counted)
    result = grouped(sorted(tmp_path.iterdir()))
    assert len(reads) == 1
    # digits of another script are letters of a name here
    assert [path.name for path in result] == [
        "other 7.dpx",
        "plain.dpx",
        "scan_0001.dpx",
        "scan_0001.png",
        "shot_٠١.png",
        "shot_٠٢.png",
    ]
    assert run_of(tmp_path / "shot_٠١.png") is None
    run = run_of(tmp_path / "scan_0700.dpx")
    assert run is not None and run.numbers == tuple(range(1, 1501)) and not run.gaps


def test_mutated_clips_neither_raise_nor_hang_nor_take_the_memory(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    looker = attacked(tmp_path, 6.0, seed=2026)
    assert not looker.failures and looker.looked > 50

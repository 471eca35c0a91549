"""`line write` and `line read`: the contract's keys, what a file of words is, and damage that is told."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from idle_quarry.cli.main import run


def said(capsys: pytest.CaptureFixture[str], *arguments: str) -> dict[str, object]:
    assert run([*arguments, "--json"], lambda _library: 9) == 0
    result: dict[str, object] = json.loads(capsys.readouterr().out)
    return result


@pytest.mark.parametrize(
    ("words", "arguments", "lines", "samples", "per_frame", "interface", "level"),
    [
        ("1080i25", [], 1125, 2640, 5_940_000, "HD", -18.0),
        ("576i25 16:9", [], 625, 864, 1_080_000, "SD", -18.0),
        ("1080p59.94", ["--interface", "3G-A", "--test", "pluge"], 1125, 2200, 4_950_000, "3G-A", -20.0),
        ("720p50", ["--start", "23:59:59:49"], 750, 1980, 2_970_000, "HD", -18.0),
    ],
)
def test_what_is_written_is_read(
    words: str,
    arguments: list[str],
    lines: int,
    samples: int,
    per_frame: int,
    interface: str,
    level: float,
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    path = tmp_path / "line.words"
    wrote = said(capsys, "line", "write", words, str(path), "--frames", "3", *arguments)
    assert {
        key: wrote[key] for key in ("lines", "samples_per_line", "words_per_frame", "interface", "links", "frames")
    } == {
        "lines": lines,
        "samples_per_line": samples,
        "words_per_frame": per_frame,
        "interface": interface,
        "links": 1,
        "frames": 3,
    }
    assert path.stat().st_size == 3 * 2 * per_frame
    read = said(capsys, "line", "read", str(path))
    for key in ("format", "payload_id", "interface", "lines", "samples_per_line", "frames"):
        assert read[key] == wrote[key], key
    assert (read["locked"], read["faults"]) == (True, [])
    assert read["audio"] == [{"group": 1, "channels": 2, "sample_rate": 48000, "level_dbfs": [level, level]}]
    assert read["timecode"] == ("23:59:59:49" if arguments[:1] == ["--start"] else "10:00:00:00")


def test_damage_is_told_with_frame_and_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "line.words"
    said(capsys, "line", "write", "1080i25", str(path))
    words = np.fromfile(path, "<u2")
    words.reshape(2, 1125, 2640, 2)[1, 299, 1500, 1] ^= 4
    words.tofile(path)
    faults = said(capsys, "line", "read", str(path))["faults"]
    assert isinstance(faults, list) and [(fault["kind"], fault["frame"], fault["line"]) for fault in faults] == [
        ("crc", 1, 300)
    ]
    assert run(["line", "read", str(path)], lambda _library: 9) == 0
    assert "crc" in capsys.readouterr().out


@pytest.mark.parametrize(
    ("arguments", "reason"),
    [
        (["write", "1080p50", "F", "--interface", "HD"], "twice what HD carries; use 3G-A or 3G-B"),
        (["write", "1080x1920p25", "F"], "no serial interface carries it"),
        (["write", "1080i25", "F", "--test", "kitten"], "no such picture"),
        (["write", "1080i25", "F", "--frames", "0"], "1 to 100 000"),
        (["write", "1080i25", "nowhere/F"], "could not be written"),
        (["read", "F"], "could not be read"),
    ],
)
def test_what_cannot_be_is_refused_in_a_line(
    arguments: list[str], reason: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    given = [str(tmp_path / argument) if argument.endswith("F") else argument for argument in arguments]
    assert run(["line", *given], lambda _library: 9) == 2
    lines = capsys.readouterr().err
    assert reason in lines and lines.count("\n") == 1
    assert list(tmp_path.iterdir()) == []

"""`cuts read`: its document by the contract, its status, its report; hostile lists end in one sentence."""

from __future__ import annotations

import csv
import json
import shutil
from importlib.resources import files
from pathlib import Path

import pytest
from tests.app.conftest import filled
from tests.conftest import CLIPS

from idle_quarry.cli.main import run

CUTS = Path(str(files("idle_quarry.demo").joinpath("cuts")))
#: The keys of an event by the contract, and what stands there.
KEYS = {
    "track": str,
    "kind": str,
    "name": str,
    "tape": (str, type(None)),
    "source_in": str,
    "source_out": str,
    "record_in": str,
    "record_out": str,
    "speed": str,
    "status": str,
    "matters": bool,
    "media": (str, type(None)),
    "offset_frames": (int, type(None)),
    "text": str,
}


@pytest.fixture
def library(tmp_path: Path) -> str:
    return str(filled(tmp_path / "library.db"))


def read(library: str, path: Path, *more: str) -> tuple[list[str], int]:
    arguments = ["--library", library, "cuts", "read", str(path), "--template", "The Lamp Room", *more]
    return arguments, run([*arguments, "--json"], lambda _place: 0)


def test_a_list_is_read_by_the_contract(library: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    rushes = tmp_path / "rushes"
    rushes.mkdir()
    for name in ("lamp tape 014.mpg", "lamp tape 031 edges.mpg", "lamp scan 3.mov"):
        shutil.copy(CLIPS / name, rushes)
    report = tmp_path / "report.csv"
    arguments, status = read(library, CUTS / "lamp room selects.edl", "--media", str(rushes), "--report", str(report))
    document = json.loads(capsys.readouterr().out)
    assert status == 0, "nothing lacks that matters"
    assert {key: document[key] for key in ("name", "kind", "rate", "drop_frame", "start")} == {
        "name": "LAMP ROOM SELECTS",
        "kind": "edl",
        "rate": None,
        "drop_frame": False,
        "start": "10:00:00:00",
    }
    for event in document["events"]:
        assert set(event) == set(KEYS)
        assert all(isinstance(event[key], kind) for key, kind in KEYS.items())  # type: ignore[arg-type]
    scan = next(event for event in document["events"] if event["name"].startswith("LAMP SCAN"))
    assert (scan["source_in"], scan["source_out"], scan["record_in"]) == ("10:12:00:04", "10:12:01:04", "10:00:02:20")
    assert (scan["tape"], scan["status"], scan["speed"], scan["offset_frames"]) == ("LS003", "found", "1/1", 0)
    assert scan["media"] == str(rushes / "lamp scan 3.mov")
    assert [event["status"] for event in document["events"] if not event["matters"]] == ["no media needed"]
    assert next(iter(csv.DictReader(report.open())))["name"] == "LAMP TAPE 014.MPG"
    assert run(arguments, lambda _place: 0) == 0
    text = capsys.readouterr().out
    assert "no rate said, counted at 25" in text and "lamp scan 3.mov by name and timecode" in text


def test_what_lacks_and_matters_is_status_one(library: str, capsys: pytest.CaptureFixture[str]) -> None:
    _, status = read(library, CUTS / "lamp room elsewhere.otio", "--media", str(CLIPS))
    document = json.loads(capsys.readouterr().out)
    assert status == 1 and (document["rate"], document["start"]) == ("24/1", "01:00:00:00")
    assert [finding["code"] for finding in document["findings"]] == ["list-rate", "list-start"]
    assert document["findings"][0]["numbers"]["seconds_an_hour"] == -144
    by_name = {(event["track"], event["name"]): event for event in document["events"]}
    assert by_name["V1", "lamp tape 030 letterbox"]["speed"] == "1/2"
    assert by_name["V1", "lamp room interview"] | {"text": ""} == by_name["V1", "lamp room interview"] | {
        "status": "missing",
        "matters": True,
        "media": None,
        "text": "",
    }
    assert not by_name["V2", "old lamp insert"]["matters"]
    assert by_name["V1", "lamp tape 021 wide"]["offset_frames"] == -90_000


@pytest.mark.parametrize(
    ("name", "more", "words"),
    [
        ("none.edl", (), "cannot be read"),
        ("a.edl", ("--media", "/nowhere/at/all"), "no such folder"),
        ("a.txt", (), "no column for"),
    ],
)
def test_what_cannot_be_read_is_one_sentence(
    library: str, tmp_path: Path, name: str, more: tuple[str, ...], words: str, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "a.edl").write_text("001 A V C 00:00:00:00 00:00:01:00 00:00:00:00 00:00:01:00\n")
    (tmp_path / "a.txt").write_text("hello\n")
    _, status = read(library, tmp_path / name, *more)
    text = capsys.readouterr()
    assert status == 2 and not text.out and text.err.count("\n") == 1 and words in text.err


def test_a_list_of_a_59_94_house_keeps_each_count(library: str, capsys: pytest.CaptureFixture[str]) -> None:
    """Drop and non-drop tapes under one `FCM` after the other, a number that drop-frame skips, a clip that is gone."""
    arguments = [
        "--library",
        library,
        "cuts",
        "read",
        str(CUTS / "sheet seven week 3.edl"),
        "--template",
        "Sheet Seven",
    ]
    run([*arguments, "--media", str(CLIPS), "--json"], lambda _place: 0)
    document = json.loads(capsys.readouterr().out)
    assert (document["rate"], document["drop_frame"], document["start"]) == ("30000/1001", True, "01:00:00;00")
    events = {event["name"]: event for event in document["events"]}
    assert [event["status"] for event in events.values()][:5] == ["found"] * 5
    tape = events["STONE REEL 2 NON-DROP.MOV"]
    assert (tape["source_in"], tape["offset_frames"]) == ("19:31:00:05", 0), (
        "counted without drop-frame, as its tape is"
    )
    assert events["STONE FIXED 2.MXF"]["source_in"] == "19:30:00;10"
    # 01:04:10:02 is the clip's own number at 23.976, and the list's frame 115 502 at 29.97: 92 401.6 of the clip's
    assert events["TRAIN 03.MOV"]["speed"] == "1/2", "12 frames a second of a reel that counts 24"
    assert (events["TRAIN 03.MOV"]["offset_frames"], events["STONE ROAMING 1.MOV"]["offset_frames"]) == (1, 0)
    assert events["STONE FIXED 9.MXF"]["status"] == "missing"
    assert "19:31:00;00 is a number that drop-frame skips; read as 19:31:00;02" in document["lost"][0]

"""The command line as scripts meet it: the contract's keys, exit statuses, one line for each error."""

from __future__ import annotations

import io
import json
import os
import re
import subprocess
import sys
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from typing import Any

import pytest
from tests.postgres import PrivateServer

from idle_quarry.cli.command import COMMANDS
from idle_quarry.cli.main import run as cli_run
from idle_quarry.cli.parser import read_command, typed_command
from idle_quarry.cli.table import TABLE
from idle_quarry.demo.lay_out import clips_folder, lay_out
from idle_quarry.path.evaluation import SEVERITIES
from idle_quarry.path.grades import GRADES, STEP_KINDS
from idle_quarry.places import memory_folder, settings_folder

ROOT = Path(__file__).resolve().parents[2]


def run(*arguments: str, status: int = 0) -> str:
    """Return what a command writes, in this process: a start costs more than most commands."""
    out, text = io.StringIO(), io.StringIO()
    with redirect_stdout(out), redirect_stderr(text):
        code = cli_run(list(arguments), _no_window)
    assert code == status, (arguments, out.getvalue()[-500:], text.getvalue())
    if status == 2:
        assert text.getvalue().count("\n") == 1 and text.getvalue().startswith("idle-quarry: ")
    return out.getvalue()


def _no_window(_place: str | None) -> int:
    raise AssertionError("no command of these opens a window")


def test_a_command_as_a_program_of_its_own() -> None:
    done = subprocess.run(
        [sys.executable, "-m", "idle_quarry", "plan", "1080i50", "1080p25", "--json"],
        capture_output=True,
        text=True,
        check=False,
        timeout=120,
        env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
    )
    assert done.returncode == 0 and json.loads(done.stdout)["to"]["words"] == "1080p25" and not done.stderr


def test_every_row_of_the_table_is_a_command_of_its_module() -> None:
    for words, (module, text) in TABLE.items():
        assert text and (read_command(words) is not None) == bool(module), words
    assert set(COMMANDS) == {words for words, (module, _) in TABLE.items() if module}
    assert typed_command(["--library", "demo", "template", "list", "--json"]) == "template list"


def test_whatever_is_asked_ends_in_one_line(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Names with line breaks and bytes that are no text, places that are none, and what nobody foresaw."""
    run("inspect", "no\nsuch\nfile.mov", status=2)
    run("inspect", "", status=2)
    run("--library", "demo", "job", "new", "House HD 50i", "--title", "Here", "--at", "", status=2)
    run("--library", "demo", "job", "new", "House HD 50i", "--title", "a\udcffb", "--at", str(tmp_path), status=2)
    assert not list(tmp_path.iterdir())
    monkeypatch.setattr("idle_quarry.cli.opening.format_from_words", lambda _text: 1 / 0)
    run("codecs", "--format", "1080i25", status=2)
    report = max((memory_folder() / "reports").iterdir())
    assert "ZeroDivisionError" in report.read_text() and report.stat().st_mode & 0o777 == 0o600


def document(*arguments: str, status: int = 0) -> Any:
    return json.loads(run(*arguments, "--json", status=status))


@pytest.fixture(scope="module", autouse=True)
def demo(qapp: object) -> None:  # papers are drawn by Qt: the application is the one the window's tests need
    lay_out(None)
    (clips_folder().parent / "jobs").mkdir(exist_ok=True)  # this module's own jobs are enough


def test_inspect() -> None:
    tape, tone = str(clips_folder() / "lamp tape 014.mpg"), str(clips_folder() / "gauge location tone.wav")
    result = document("inspect", tape, tone)
    assert set(result[0]) >= {"path", "declared", "measured", "format", "disagreements"}
    for item in result:
        assert set(item["measured"]) >= {
            "scan",
            "field_order",
            "cadence",
            "true_rate",
            "repeated_frames",
            "active_picture",
            "luma",
            "frames_examined",
            "confidence",
        }
    measured = result[0]["measured"]
    assert (measured["scan"], measured["field_order"], measured["true_rate"]) == ("interlaced", "bottom", "50/1")
    assert set(measured["luma"]) == {"min", "max", "below_black", "above_white"}
    assert [disagreement["field"] for disagreement in result[0]["disagreements"]] == ["field_order"]
    assert set(result[0]["disagreements"][0]) == {"field", "declared", "measured", "text"}
    assert result[0]["format"] == "576i25 (50 fields/s) 4:3 bff 8bit 4:2:0"
    assert result[1]["measured"]["sound"][0]["channels"][0]["tone"]["line_up"] == "EBU R 68"
    declared = result[0]["declared"]
    assert set(declared) >= {
        "width",
        "height",
        "sample_aspect",
        "display_aspect",
        "rate",
        "scan",
        "field_order",
        "pixel_format",
        "bit_depth",
        "sampling",
        "primaries",
        "transfer",
        "matrix",
        "range",
        "codec",
        "profile",
        "container",
        "timecode",
        "drop_frame",
        "frames",
        "audio",
    }
    assert (declared["rate"], declared["scan"], declared["field_order"]) == ("25/1", "interlaced", "top")
    assert result[1]["declared"]["audio"] == [
        {"channels": 2, "layout": "stereo", "sample_rate": 48000, "bit_depth": 24}
    ]


def test_templates_are_found_by_their_settings() -> None:
    result = document("--library", "demo", "template", "find", "monitor is bay two", "working.rate=25")
    assert {"The Lamp Room"} <= {item["name"] for item in result} and all(
        set(item) >= {"name", "shelf", "revision", "state", "values"} for item in result
    )
    assert result[0]["values"] == {"monitor.monitor": "Bay 2 grading monitor", "working.format.rate": "25"}
    assert document("--library", "demo", "template", "find", "working.rate=120", status=1) == []
    run("--library", "demo", "template", "find", "working.rat=120", status=2)


def test_suggest(tmp_path: Path) -> None:
    tape = str(clips_folder() / "lamp tape 014.mpg")
    result = document("suggest", "--source", f"{tape}=65", "--source", "1080psf25", "--delivery", "hd-50")
    assert set(result[0]) >= {"working", "grade", "cost", "reasons", "links"}
    assert result[0]["working"] == "1080i25 (50 fields/s)" and len(result) > 5
    assert {"from", "to", "grade", "steps"} <= set(result[0]["links"][0])
    assert "lower" not in result[0]["working"] and "bff" in json.dumps(
        result[0]["reasons"]
    )  # the tape as it is measured
    report = tmp_path / "intake.pdf"
    run("inspect", tape, "--report", str(report))
    assert report.read_bytes()[:5] == b"%PDF-"
    run("inspect", tape, "--report", str(tmp_path / "intake.odd"), status=2)


def test_plan() -> None:
    result = document("plan", "1080i50", "1080p25")
    assert result["from"]["words"] == "1080i25 (50 fields/s)" and result["grade"] in GRADES
    assert set(result["to"]) >= {
        "width",
        "height",
        "sample_aspect",
        "rate",
        "scan",
        "field_order",
        "sampling",
        "bit_depth",
        "range",
        "primaries",
        "transfer",
        "matrix",
        "words",
    }
    fit = document("plan", "576i25", "1080i25", "--fit", "fill")["steps"][1]
    assert set(fit) >= {
        "kind",
        "grade",
        "text",
        "scale_x",
        "scale_y",
        "offset_x",
        "offset_y",
        "cropped",
        "unused",
        "geometry_error",
    }
    rate = document("plan", "1080p24", "1080p25")["steps"][0]
    assert rate["speed"] == "25/24" and set(rate) >= {
        "method",
        "repeated",
        "dropped",
        "blended",
        "drift_seconds_per_hour",
        "pitch_semitones",
    }
    depth = document("plan", "1080p25", "1080p25 8bit")["steps"][0]
    assert (depth["from_bits"], depth["to_bits"], depth["codes_lost"]) == (10, 8, 657)


def test_library_commands(tmp_path: Path) -> None:
    listed = document("--library", "demo", "template", "list")
    assert len(listed) >= 8 and all(
        set(item) >= {"name", "shelf", "revision", "state", "default", "worst_grade", "working"} for item in listed
    )
    assert sum(item["default"] for item in listed) == 1
    explained = document("--library", "demo", "explain", "The Lamp Room")
    assert {link["from"] for link in explained["links"]} <= {station["id"] for station in explained["stations"]}
    assert all(step["kind"] in STEP_KINDS for link in explained["links"] for step in link["steps"])
    assert all(
        f["severity"] in SEVERITIES and set(f) >= {"code", "where", "text", "remedy"} for f in explained["findings"]
    )
    diff = document("--library", "demo", "template", "diff", "The Lamp Room@1", "The Lamp Room@2", status=1)
    [order] = [item for item in diff if item["setting"] == "sources.tapes.format.field_order"]
    assert (order["a"], order["b"]) == ("top", "bottom") and any(
        "lower field first" in item for item in order["effect"]
    )
    assert document("--library", "demo", "template", "diff", "The Lamp Room", "The Lamp Room") == []
    file, library = str(tmp_path / "t.json"), str(tmp_path / "own.db")
    run("--library", "demo", "template", "export", "The Lamp Room", file)
    assert document("template", "validate", file)["genuine"] is True
    assert document("--library", library, "template", "import", file)["revision"] == 1
    run("--library", library, "template", "import", file, status=2)
    assert document("--library", library, "template", "import", file, "--if-taken", "revision")["revision"] == 2
    assert (
        document("--library", library, "template", "import", file, "--if-taken", "keep-both")["name"]
        == "The Lamp Room 2"
    )
    assert document("--library", library, "template", "import", file, "--if-taken", "leave")["imported"] is False
    assert document("--library", library, "template", "show", "The Lamp Room")["template"]["name"] == "The Lamp Room"


def test_the_librarys_file_is_checked_copied_and_put_back(tmp_path: Path) -> None:
    place, copy = str(tmp_path / "l.db"), str(tmp_path / "copy.db")
    run("--library", place, "template", "list")  # made where it was not
    assert document("--library", place, "library", "check")["troubles"] == []
    assert document("--library", place, "library", "backup", copy)["library"] == copy
    put = document("--library", place, "library", "restore", copy)
    assert Path(put["kept"]).name == "l before restore.db" and Path(put["kept"]).exists()
    run("--library", place, "library", "backup", copy, status=2)
    run("--library", str(tmp_path / "none.db"), "library", "check", status=2)


def test_bundles_tables_and_the_house_book(tmp_path: Path) -> None:
    bundle, table, book, library = (str(tmp_path / name) for name in ("some.zip", "some.csv", "book.pdf", "own.db"))
    both = ("The Lamp Room", "Sheet Seven")
    assert [d["name"] for d in document("--library", "demo", "template", "export", *both, bundle)] == list(both)
    run("--library", "demo", "template", "export", *both, table)
    assert Path(table).read_text().splitlines()[0] == "sheet,setting,The Lamp Room,Sheet Seven"
    run("--library", "demo", "template", "export", *both, str(tmp_path / "two.json"), status=2)
    assert document("--library", "demo", "template", "book", book)["templates"] >= 5
    assert Path(book).read_bytes().startswith(b"%PDF")
    taken = document("--library", library, "template", "import", bundle)
    assert [(d["name"], d["revision"], d["imported"]) for d in taken] == [(name, 1, True) for name in both]
    run("--library", library, "template", "import", bundle, status=2)  # never silently
    again = document("--library", library, "template", "import", bundle, "--if-taken", "replace-draft")
    assert [d["revision"] for d in again] == [2, 2]
    run("--library", library, "template", "book", book, status=2)  # nothing is approved there


def test_jobs_start_from_what_is_approved(tmp_path: Path) -> None:
    listed = {item["name"]: item for item in document("--library", "demo", "template", "list")}
    gauge = listed["Narrow Gauge"]
    assert (gauge["revision"], gauge["state"], gauge["approved"]) == (2, "in review", 1)
    result = document(
        "--library", "demo", "job", "new", "Narrow Gauge", "--title", "Branch line", "--at", str(tmp_path)
    )
    assert result["revision"] == 1
    run("--library", "demo", "job", "new", "Narrow Gauge@2", "--title", "Try", "--at", str(tmp_path), status=2)
    meant = ("job", "new", "Narrow Gauge@2", "--title", "Try", "--at", str(tmp_path), "--unapproved")
    assert document("--library", "demo", *meant)["revision"] == 2
    assert json.loads((tmp_path / "Try/job.json").read_text())["template"]["state"] == "in review"


def test_a_house_is_begun_and_its_templates_are_decided_without_a_window(tmp_path: Path) -> None:
    """The whole way of a template: begun, set, sent to review, refused to its author, sent back, approved, merged,
    withdrawn.
    """
    place = ("--library", str(tmp_path / "house.db"))

    def by(person: str, *arguments: str, status: int = 0) -> Any:
        return document(*place, "--person", person, *arguments, status=status)

    entries = by("Runa", "house", "begin", "--delivery", "hd-50", "--delivery", "sd-50", "--work", str(tmp_path))
    assert [item["made"] for item in entries] == [True] * 3 and {item["revision"] for item in entries} == {1}
    for folder in ("/tmp/a\udcffb", "a" * 5000):  # what a shell hands over need not be text
        run(*place, "house", "begin", "--delivery", "uhd-50", "--work", folder, status=2)
    assert not any(item["made"] for item in by("Odo", "house", "begin", "--delivery", "hd-50", "--delivery", "sd-50"))
    name = "Broadcast HD, 50 Hz"
    result = by(
        "Runa", "template", "set", name, "sound.line_up_dbfs=−20", "working.format=HD PAL 25p", "--note", "quieter"
    )
    assert result["revision"] == 2 and {item["setting"] for item in result["changed"]} == {
        "sound.line_up_dbfs",
        "working.format.scan",
    }
    run(*place, "template", "set", name, "sound.loudnes=−20", status=2)
    run(*place, "template", "set", name, "sound.line_up_dbfs=loud", status=2)
    stops = [f["text"] for f in by("Runa", "explain", f"{name}@2")["findings"] if f["severity"] == "stop"]
    assert by("Runa", "template", "review", f"{name}@2")["state"] == "in review"
    run(*place, "--person", "Runa", "template", "approve", name, status=2)
    run(*place, "--person", "Odo", "template", "send-back", name, status=2)  # without a word
    assert by("Odo", "template", "send-back", name, "--note", "why 25p?")["state"] == "draft"
    by("Runa", "template", "review", f"{name}@2")
    answers = [part for _ in stops for part in ("--answer", "the disk is changed on Monday")]
    if stops:
        run(*place, "--person", "Odo", "template", "approve", name, status=2)
    assert by("Odo", "template", "approve", name, *answers)["state"] == "approved"
    by("Runa", "template", "set", f"{name}@2", "sound.bit_depth=16")
    by("Odo", "template", "set", f"{name}@2", "sound.bit_depth=32", "note=ours")
    run(*place, "template", "merge", name, "3", "4", status=2)  # both changed it, differently
    merged = by("Wren", "template", "merge", name, "3", "4", "--take-a", "sound.bit_depth")
    assert merged["revision"] == 5 and "note" in merged["from_b"]
    shown = by("Wren", "template", "show", f"{name}@5")["template"]
    assert (shown["sound"]["bit_depth"], shown["note"]) == (16, "ours")
    exported = tmp_path / "one.json"
    run(*place, "template", "export", f"{name}@4", str(exported))
    assert by("Ivo", "template", "save", f"{name}@5", str(exported))["revision"] == 6
    assert by("Odo", "template", "withdraw", f"{name}@2", "--note", "superseded")["state"] == "withdrawn"
    assert by("Odo", "template", "bring-back", f"{name}@2")["state"] == "draft"
    lines = run(*place, "template", "diff", f"{name}@1", f"{name}@2", status=1)
    assert "Line-up level: −18 → −20" in lines


def test_one_person_and_one_library_for_window_and_command_line(tmp_path: Path) -> None:
    """The profile that the window keeps says who works here, and in which house."""
    profile = settings_folder() / "window.json"
    profile.parent.mkdir(parents=True, exist_ok=True)
    house = tmp_path / "house.db"
    profile.write_text(json.dumps({"name": "Bryn Ash", "house": str(house)}))
    try:
        document("house", "begin", "--delivery", "hd-50")
        assert house.is_file()
        shown = document("template", "show", "Broadcast HD, 50 Hz")
        assert shown["author"] == "Bryn Ash"
        assert document("--person", "Odo", "template", "set", "Broadcast HD, 50 Hz", "note=x")["revision"] == 2
        assert document("template", "show", "Broadcast HD, 50 Hz@2")["author"] == "Odo"
    finally:
        profile.unlink()


def test_a_server_is_set_up_and_a_library_carried_to_it_and_back(tmp_path: Path) -> None:
    server = PrivateServer()
    try:
        server.start()
        server.database("larkmoor")
        url = server.url("keeper", "larkmoor")
        done = document("server", "setup", url, "--editor", "Runa", "--approver", "Odo", "--approver", "keeper")
        assert set(done["passwords"]) == {"Runa", "Odo"} and any("audit" in item for item in done["did"])
        shown = run("server", "setup", url)
        assert "tables: there already" in shown and "password of" not in shown
        counts = document("--library", "demo", "library", "carry", url)
        assert counts["templates"] >= 9
        here = document("--library", "demo", "template", "list")
        odo = server.url("Odo", "larkmoor")
        house = [item for item in here if item["shelf"] == "house"]
        assert [e["name"] for e in document("--library", odo, "template", "list")] == [e["name"] for e in house]
        assert document("--library", odo, "library", "check")["troubles"] == []
        back = tmp_path / "back.db"
        assert document("--library", url, "library", "backup", str(back))["revisions"] > 15
        run("--library", url, "library", "restore", str(back), status=2)
        run("--library", "demo", "library", "carry", url, status=2)  # it is not empty
        server.stop()
        run("--library", odo, "template", "list", status=2)
    finally:
        server.close()


def test_a_torn_library_is_rescued(tmp_path: Path) -> None:
    run("--library", str(tmp_path / "l.db"), "template", "list")
    place, rescued = str(tmp_path / "torn.db"), str(tmp_path / "rescued.db")
    run("--library", "demo", "library", "backup", place)
    data = bytearray(Path(place).read_bytes())
    page = int.from_bytes(data[16:18], "big")
    at = data.find(b"Upright and square") // page * page
    data[at : at + page] = b"\x5a" * page
    Path(place).write_bytes(data)
    assert document("--library", place, "library", "check", status=1)["troubles"]
    done = document("--library", place, "library", "rescue", rescued, status=1)
    assert done["lost"] >= 1 and done["revisions"] >= 5
    assert document("--library", rescued, "library", "check")["troubles"] == []


def test_check_and_jobs(tmp_path: Path) -> None:
    scan, phone = str(clips_folder() / "lamp scan 3.mov"), str(clips_folder() / "stone bench phone.mp4")
    good = document("--library", "demo", "check", scan, "--template", "The Lamp Room")
    assert good[0]["source"] == "source:scans"
    assert next((f["code"], f["severity"]) for f in good[0]["findings"]) == ("clip_scan_untrue", "note")
    bad = document("--library", "demo", "check", phone, "--template", "The Lamp Room", status=1)
    assert bad[0]["source"] is None and set(bad[0]) >= {"path", "source", "grade", "steps", "findings"}
    result = document("--library", "demo", "job", "new", "House HD 50i", "--title", "Try", "--at", str(tmp_path))
    assert (
        set(result) >= {"folder", "template", "revision", "files"}
        and Path(result["folder"], result["files"][0]).is_file()
    )
    assert document("job", "check", result["folder"])["drift"] == []
    Path(result["folder"], result["files"][0]).unlink()
    drift = document("job", "check", result["folder"], status=1)["drift"]
    assert [(d["kind"], d["path"]) for d in drift] == [("missing", result["files"][0])]
    run("--library", "demo", "job", "new", "House HD 50i", "--title", "Try", "--at", str(tmp_path), status=2)


def test_codecs() -> None:
    result = document("codecs", "--format", "1080i25")
    assert [item["mbps"] for item in result] == sorted(item["mbps"] for item in result)
    assert set(result[0]) >= {
        "id",
        "name",
        "standard",
        "profile",
        "mbps",
        "gb_per_hour",
        "lossless",
        "bit_depth",
        "sampling",
    }


@pytest.mark.parametrize(
    "arguments",
    [
        ("plan", "50i", "1080p25"),
        ("plan", "1080i25"),
        ("plan", "1080i25", "1080p25", "--fit", "wide"),
        ("nonsense",),
        ("template",),
        ("template", "show", "No such"),
        ("template", "validate", "/no/such/file"),
        ("inspect", "/no/such/clip.mov"),
        ("inspect",),
        ("job", "check", "/no/such/folder"),
        ("codecs", "--format", "1080psf50"),
        ("--library", "/proc/nowhere/l.db", "template", "list"),
        ("--library", "postgresql://host/db", "template", "list"),
        ("check", "/no/such.mov", "--template", "No such"),
        ("job", "new", "No such", "--title", "x", "--at", "/tmp"),
        ("suggest",),
        ("suggest", "--source", "1080i25"),
        ("suggest", "--source", "1080i25", "--delivery", "nowhere"),
        ("suggest", "--source", "1080i25=101", "--delivery", "hd-50"),
    ],
)
def test_errors_are_one_line(arguments: tuple[str, ...]) -> None:
    assert run(*arguments, status=2) == ""


def test_a_bad_clip_does_not_hide_the_good_ones(tmp_path: Path) -> None:
    bad = tmp_path / "bad.mov"
    bad.write_bytes(b"not a clip at all")
    out = run("inspect", str(bad), str(clips_folder() / "train 03.mov"), "--json", status=2)
    assert [Path(load["path"]).name for load in json.loads(out)] == ["train 03.mov"]


def test_no_screen_is_said_in_a_line() -> None:
    without = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
    done = subprocess.run(
        [sys.executable, "-m", "idle_quarry", "demo"],
        capture_output=True,
        text=True,
        check=False,
        timeout=60,
        env={**without, "PYTHONPATH": str(ROOT / "src")},
    )
    assert done.returncode == 2 and "no screen" in done.stderr and done.stderr.count("\n") == 1


def test_the_house_s_own_entries(tmp_path: Path) -> None:
    place, file = ("--library", str(tmp_path / "house.db")), tmp_path / "entry.json"
    listed = document(*place, "house", "list", "monitor")
    assert {item["shelf"] for item in listed} == {"built-in"} and all(item["revision"] is None for item in listed)
    run(*place, "house", "list", "lamp", status=2)
    shown = document(*place, "house", "show", "bay-two-grade")
    assert shown["kind"] == "monitor" and shown["says"]["accepts"][0]["lines"] == [1080]
    assert re.search(r"Black inside +look 1, fails 2", run(*place, "house", "show", "hd-50")), "what it says is printed"
    run(*place, "house", "export", "bay-two-grade", str(file))
    assert document(*place, "house", "validate", str(file))["genuine"] is True
    output = document(*place, "house", "import", str(file), "--shelf", "house")
    assert (output["kind"], output["revision"], output["state"]) == ("monitor", 1, "draft")
    text = json.loads(file.read_text())
    text["entry"]["overscan"] = 4
    file.write_text(json.dumps(text))
    run(*place, "house", "validate", str(file), status=1)
    run(*place, "house", "import", str(file), status=2)
    assert document(*place, "house", "import", str(file), "--changed")["revision"] == 2
    [mine] = [item for item in document(*place, "house", "list") if item["shelf"] == "house"]
    assert (mine["id"], mine["revision"], mine["used_by"]) == (output["id"], 2, [])
    for bad in ("{", '{"kind": "recipe"}', json.dumps({**text, "entry": {**text["entry"], "overscan": 90}})):
        file.write_text(bad)
        run(*place, "house", "validate", str(file), status=2)
    # where every template is one of 59.94 Hz countries, 60 is said for 59.94, and that is told
    run(*place, "plan", "1080i60", "480i29.97", status=2)
    document(*place, "house", "begin", "--delivery", "hd-59")
    assert document(*place, "plan", "1080i60", "480i29.97")["from"]["words"].startswith("1080i29.97")
    told = io.StringIO()
    with redirect_stderr(told):
        cli_run([*place, "codecs", "--format", "720p60"], _no_window)
    assert "'720p60' is read as 720p59.94" in told.getvalue()
    # what the house has is reckoned with: a kept format by its name, a codec of its own, a spec of its own
    for kind, body in (
        ("format", {"words": "1080p50"}),
        ("codec", {"base": "mpeg2-422-50", "mbps": 45, "containers": ["mxf"]}),
        ("delivery", {"territory": "50 Hz", "format": "1080i25", "codec": "avci-100"}),
    ):
        entry = {"entry": kind, "uid": f"0123456789-{kind}", "name": f"Ours {kind}", **body}
        file.write_text(json.dumps({"kind": "idle-quarry entry", "entry": entry}))
        run(*place, "house", "import", str(file))
    assert document(*place, "plan", "ours format", "1080i25")["from"]["words"] == "1080p50"
    result = document(*place, "codecs", "--format", "1080i25 8bit")
    assert [item["mbps"] for item in result] == sorted(item["mbps"] for item in result)
    assert next(item for item in result if item["name"] == "Ours codec")["mbps"] == 45
    ranked = document(*place, "suggest", "--source", "1080i25", "--delivery", "Ours delivery")
    assert ranked[0]["working"].startswith("1080i25")
    lines = document("--library", "demo", "explain", "Ferry Talk")
    assert "entry_newer" in {finding["code"] for finding in lines["findings"]}
    assert "Ferry Talk" in document("--library", "demo", "house", "show", "Harbour Six")["used_by"]


@pytest.mark.parametrize("shell", ["bash", "zsh", "fish"])
def test_a_shell_completes_every_command(shell: str, tmp_path: Path) -> None:
    script = run("completion", shell)
    assert all(word in script for word in ("plan", "template", "book", "--if-taken", "verify"))
    if shell == "bash":
        (tmp_path / "completion").write_text(script)
        typed = "COMP_WORDS=(idle-quarry template sh) COMP_CWORD=2; _shtab_idle_quarry; echo ${COMPREPLY[@]}"
        text = subprocess.run(
            ["bash", "-c", f"source {tmp_path}/completion; {typed}"], check=True, capture_output=True, text=True
        ).stdout
        assert text.split() == ["show"]

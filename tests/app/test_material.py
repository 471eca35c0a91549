"""A job's material in the real window: dropped, told what it is, asked for its class, brought in, kept."""

from __future__ import annotations

import json
import shutil
from fractions import Fraction
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot
from tests.app.conftest import Open
from tests.app.test_cuts import a_job, dropped
from tests.conftest import CLIPS, shortened
from tests.jobs.test_renders import shot

from idle_quarry.app.models.jobs.material.material import JobMaterial
from idle_quarry.app.models.jobs.material.material_rows import MaterialRow, used_words
from idle_quarry.app.shell.window import MainWindow
from idle_quarry.app.views.jobs.material_page import MaterialPage
from idle_quarry.app.views.jobs.view import JobsView
from idle_quarry.jobs.check import check_job
from idle_quarry.jobs.cutting import edits
from idle_quarry.jobs.cutting.timeline_files import keep, read_timeline, timelines_in
from idle_quarry.jobs.material import read_material


@pytest.fixture(autouse=True)
def _looks_often(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("idle_quarry.app.models.jobs.material.material._GLANCE_MS", 150)


def asks_what_fits_no_class(
    qtbot: QtBot, folder: Path, page: MaterialPage, model: JobMaterial, scan: MaterialRow
) -> None:
    """One that fits no class asks; the answer is kept with the job, not in the template."""
    QTest.mouseClick(page.all_button, Qt.MouseButton.LeftButton)
    assert page.ask.isVisible() and "train 03.mov is 1080p23.976" in page.ask.question.text()
    next(button for button in page.ask.buttons if button.text().startswith("As Film scans (")).click()
    qtbot.waitUntil(
        lambda: (
            len(list((folder / "Brought in").glob("*.mov"))) == 2
            and not model.summary().startswith(("bringing", "looking"))
        ),
        timeout=120000,
    )
    assert {row.entry.path.name for row in model.rows if row.row.state == "brought in"} == {
        "lamp scan 3.mov",
        "train 03.mov",
    }
    kept = {entry.path.name: entry for entry in read_material(folder)}
    assert kept["train 03.mov"].source == "scans" and len(kept["train 03.mov"].brought) == 1
    assert json.loads((folder / "material.json").read_text())["clips"][0]["path"].startswith("/"), (
        "what lies elsewhere is named whole"
    )
    assert not check_job(folder).drift

    # a timeline that is made while the page is seen uses its clip
    assert {used_words(row.row) for row in model.rows} == {"not used"}
    path = timelines_in(folder)[0]
    timeline = read_timeline(path, Fraction(25))
    track = next(track.ident for track in timeline.tracks if track.kind == "picture")
    keep(path, edits.add(timeline, [(track, shot(scan.entry.path, 0, 0, 10))]))
    qtbot.waitUntil(lambda: [used_words(row.row) for row in model.rows].count("0.4 s") == 1, timeout=20000)


def another_file_is_told(qtbot: QtBot, folder: Path, rushes: Path, page: MaterialPage, model: JobMaterial) -> None:
    """A file that is another now is told, and what was made of it no longer counts."""
    shutil.copy(CLIPS / "lamp tape 014.mpg", rushes / "lamp scan 3.mov")
    (rushes / "train 03.mov").unlink()
    model.look_again()
    qtbot.waitUntil(lambda: {"changed since", "missing"} <= {row.row.state for row in model.rows}, timeout=60000)
    page.table.selectRow([row.row.state for row in model.rows].index("missing"))
    page.forget_button.click()
    qtbot.waitUntil(lambda: len(model.rows) == 3, timeout=60000)
    assert len(read_material(folder)) == 3


def stopped_in_the_middle(
    qtbot: QtBot, window: MainWindow, folder: Path, rushes: Path, name: str, page: MaterialPage, model: JobMaterial
) -> None:
    """Stopped in the middle: the queue goes on with what is asked for next, and nothing half-made is left."""
    model.choose_class([rushes / "lamp scan 3.mov"], "scans")
    shutil.copy(CLIPS / "lamp tape 021 wide.mpg", rushes)
    wide = rushes / "lamp tape 021 wide.mpg"
    model.add([wide])
    qtbot.waitUntil(lambda: wide in model.can_bring_in(), timeout=60000)
    model.choose_class([wide], "tapes", lambda: model.bring_in([wide]))
    qtbot.waitUntil(lambda: "wide.mpg, " in model.summary() and ", 0 %" not in model.summary(), timeout=60000)
    page.cancel_button.click()
    assert not model.bringing.words and not page.cancel_button.isVisible()
    qtbot.waitUntil(lambda: "was not brought in" in window.say_bar.text, timeout=60000)
    assert len(list((folder / "Brought in").iterdir())) == 2

    # what somebody puts into the job's folders is there without leaving the page, once it is whole
    top = next(name for name in check_job(folder).folders if name.startswith("01"))
    shutil.copy(CLIPS / "gauge location tone.wav", folder / top / "late.wav")
    qtbot.waitUntil(lambda: "late.wav" in {row.entry.path.name for row in model.rows}, timeout=60000)
    (folder / top / "late.wav").unlink()
    qtbot.waitUntil(
        lambda: "missing" in {row.row.state for row in model.rows if row.entry.path.name == "late.wav"}, timeout=60000
    )


def test_clips_are_added_asked_about_and_brought_in(open_window: Open, qtbot: QtBot, tmp_path: Path) -> None:
    window = open_window()
    folder = a_job(window, tmp_path)
    rushes = tmp_path / "rushes"
    rushes.mkdir()
    for name, seconds in (("lamp scan 3.mov", 0.6), ("train 03.mov", 0.3)):
        shortened(name, rushes, seconds)
    shutil.copy(CLIPS / "gauge location tone.wav", rushes)
    (rushes / "broken.mov").write_bytes(b"no clip")
    jobs = window.desk.jobs
    jobs.reload()
    window.show_view("Jobs")
    view = window.view("Jobs")
    assert isinstance(view, JobsView)
    jobs.choose(jobs.records[0].id)
    view.tabs.buttons["Material"].click()
    page, model = view.material, jobs.material
    qtbot.waitUntil(lambda: page.isVisible() and model.job is not None and page.empty.isVisible(), timeout=20000)
    dropped(page, rushes)
    qtbot.waitUntil(lambda: len(model.rows) == 4 and not model.doing, timeout=60000)
    by_name = {row.entry.path.name: row for row in model.rows}
    scan, train = by_name["lamp scan 3.mov"], by_name["train 03.mov"]
    assert scan.source is not None and scan.source.id == "scans" and scan.fits
    assert train.source is None and by_name["gauge location tone.wav"].words == "sound alone"
    assert by_name["broken.mov"].clip is None and set(model.can_bring_in()) == {scan.entry.path, train.entry.path}
    asks_what_fits_no_class(qtbot, folder, page, model, scan)
    another_file_is_told(qtbot, folder, rushes, page, model)
    stopped_in_the_middle(qtbot, window, folder, rushes, name, page, model)

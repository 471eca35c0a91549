"""The hand-over page in the real window: a file verified, its checks and places, accepted, reported."""

from __future__ import annotations

import json
import os
import shutil
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytest import MonkeyPatch
from pytestqt.qtbot import QtBot
from tests.app.conftest import Open, answer
from tests.app.test_cuts import a_job
from tests.jobs.test_handover import MOVING, NOISE, filmed

from idle_quarry.app.models.jobs.handover.handover import Handover
from idle_quarry.app.models.jobs.handover.words import wanted_words
from idle_quarry.app.models.jobs.jobs import Jobs
from idle_quarry.app.shell.window import MainWindow
from idle_quarry.app.views.jobs.handover_page import HandoverPage
from idle_quarry.app.views.jobs.view import JobsView
from idle_quarry.errors import JobError
from idle_quarry.jobs.check import Job
from idle_quarry.jobs.handover.record import (
    RECORD_FILE,
    VerificationRecord,
    handed_over,
    note_made,
    read_record,
    with_made,
)


@pytest.fixture(autouse=True)
def _looks_often(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("idle_quarry.app.models.jobs.handover.watched_folder._LOOK_MS", 150)


def cell(page: HandoverPage, row: int, column: int) -> str:
    item = page.table.item(row, column)
    return item.text() if item is not None else ""


def is_accepted_for_a_reason(
    qtbot: QtBot, tmp_path: Path, folder: Path, model: Handover, page: HandoverPage
) -> VerificationRecord:
    """What is to be looked at is accepted by a person for a reason, and kept."""
    assert page.accept_button.isVisible()
    QTest.mouseClick(page.accept_button, Qt.MouseButton.LeftButton)
    answer(page.ask, "")
    assert page.ask.refusal.text().endswith("say why it is accepted")
    answer(page.ask, "a pause that is meant")
    qtbot.waitUntil(lambda: bool(read_record(folder) and read_record(folder)[0].accepted), timeout=20000)
    qtbot.waitUntil(lambda: model.accepted_words("black") != "", timeout=20000)
    kept = read_record(folder)[0]
    assert kept.accepted[0].because == "a pause that is meant" and kept.verdict == "fails"
    for name in ("report.html", "report.csv", "report.json", "report.pdf"):
        model.report(tmp_path / name)
    qtbot.waitUntil(
        lambda: all((tmp_path / f"report.{kind}").is_file() for kind in ("html", "csv", "json", "pdf")), timeout=60000
    )
    html = (tmp_path / "report.html").read_text()
    assert "a pause that is meant" in html and "data:image/png;base64," in html and kept.document["sha256"] in html
    assert json.loads((tmp_path / "report.json").read_text())["accepted"][0]["check"] == "black"
    assert (tmp_path / "report.csv").read_text().count("\n") > 28
    return kept


def files_that_arrive_are_verified(
    qtbot: QtBot,
    tmp_path: Path,
    monkeypatch: MonkeyPatch,
    folder: Path,
    path: Path,
    model: Handover,
    page: HandoverPage,
    kept: VerificationRecord,
) -> tuple[Path, Path]:
    """From a check to the setting that it is of, and from a picture that was made here to its frame."""
    page.table.selectRow(0)
    assert page.setting_button.isVisible() and not page.trial_button.isVisible(), "it was made elsewhere"
    assert model.chosen is not None
    parts = [{"first": 0, "frames": 200, "shows": 0}]
    made_of = {"timeline": model.timelines()[0], "parts": parts, "scale": 1.0}
    note_made(folder, kept.document["sha256"], made_of)
    arriving = tmp_path / "arriving"
    arriving.mkdir()
    monkeypatch.setattr(
        "idle_quarry.app.views.jobs.watch_line.QFileDialog.getExistingDirectory", lambda *_rest: str(arriving)
    )
    QTest.mouseClick(page.watching.button, Qt.MouseButton.LeftButton)
    assert (
        page.watching.text() == f"Watching {arriving}: what arrives there is held against {model.deliveries()[1].name}."
    )
    (arriving / "a folder.mov").mkdir()
    (arriving / "gone.mov").symlink_to(tmp_path / "nowhere")
    os.mkfifo(arriving / "pipe.mov")
    (arriving / "broken.mov").write_bytes(b"none of it")
    shutil.copy2(path, arriving / "came.mxf")
    (arriving / "notes.txt").write_text("none of it")
    qtbot.waitUntil(lambda: model.chosen is not None and model.chosen.path.name == "came.mxf", timeout=60000)
    shown = [page.files.item(row).text() for row in range(page.files.count())]
    assert [text.split("\n")[0] for text in shown][:2] == [
        "broken.mov",
        "came.mxf",
    ] and "cannot be verified: not readable" in shown[0]
    aside = arriving.rename(tmp_path / "aside")
    qtbot.waitUntil(lambda: "cannot be read just now" in page.watching.text(), timeout=20000)
    return arriving, aside


def checks_lead_to_trial_and_setting(
    qtbot: QtBot,
    window: MainWindow,
    folder: Path,
    view: JobsView,
    jobs: Jobs,
    model: Handover,
    page: HandoverPage,
    arriving: Path,
    aside: Path,
) -> None:
    aside.rename(arriving)
    qtbot.waitUntil(lambda: "just now" not in page.watching.text(), timeout=20000)
    QTest.mouseClick(page.watching.button, Qt.MouseButton.LeftButton)
    assert not page.watching.isVisible() and len(read_record(folder)) == 2
    model.look_at("black")
    qtbot.waitUntil(lambda: page.trial_button.isVisible(), timeout=20000)
    QTest.mouseClick(page.trial_button, Qt.MouseButton.LeftButton)
    assert jobs.page == "Trial"
    qtbot.waitUntil(lambda: jobs.trial.here is not None, timeout=30000)
    QTest.mouseClick(view.tabs.buttons["Hand-over"], Qt.MouseButton.LeftButton)
    model.look_at("field_order")
    QTest.mouseClick(page.setting_button, Qt.MouseButton.LeftButton)
    assert window.desk.path.sheet == "delivery:sd-50"


def becomes_evidence(
    qtbot: QtBot, window: MainWindow, folder: Path, path: Path, jobs: Jobs, model: Handover, kept: VerificationRecord
) -> None:
    """What holds against its delivery is evidence for the revision that it was made from."""
    checks = [{**check, "verdict": "look" if check["id"] == "black" else "passes"} for check in kept.document["checks"]]
    good = replace(kept, document={**kept.document, "verdict": "look", "checks": checks})
    assert isinstance(jobs.result(jobs.chosen), Job)
    assert handed_over(good, jobs.result(jobs.chosen), "t", "Runa") is None, "it was made elsewhere"  # type: ignore[arg-type]
    good = with_made(folder, good)
    assert jobs.result(jobs.chosen) is not None and jobs.record is not None
    model.keep(jobs.result(jobs.chosen), good)  # type: ignore[arg-type]
    store, ident = window.desk.library, jobs.record.template_id
    qtbot.waitUntil(lambda: bool(store.handovers_from(ident)), timeout=20000)
    result = store.handovers_from(ident)[0]
    assert (result.file, result.verdict, result.revision, result.sha256) == (
        path.name,
        "accepted",
        jobs.record.revision,
        kept.document["sha256"],
    )
    chosen = window.desk.shelf.chosen
    chosen.show_summary(store.summary(ident))
    chosen.pick(result.revision)
    assert (
        f"handed over {path.name} of Episode 4" in " ".join(chosen.history)
        and "1 hand-over verified" in chosen.about_words()
    )


def broken_record_is_refused(folder: Path) -> None:
    (folder / RECORD_FILE).write_text("{")
    with pytest.raises(JobError, match="can be verified again"):
        read_record(folder)


def test_a_file_is_verified_looked_at_accepted_and_reported(
    open_window: Open, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = open_window()
    folder = a_job(window, tmp_path)
    black = "color=black:s=720x576:r=25:d=1.5"  # long enough to be looked at, too short to fail
    path = filmed(
        tmp_path,
        "from elsewhere.mxf",
        [MOVING.format(1, "bff"), black, MOVING.format(1, "bff")],
        NOISE.format(3.5, 48000, 3.5, 48000),
        "-timecode",
        "10:00:00:00",
    )
    window.desk.jobs.reload()
    window.show_view("Jobs")
    view = window.view("Jobs")
    assert isinstance(view, JobsView)
    jobs, model, page = window.desk.jobs, window.desk.jobs.handover, view.handover
    jobs.choose(jobs.records[0].id)
    QTest.mouseClick(view.tabs.buttons["Hand-over"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: page.verify_button.isEnabled(), timeout=20000)
    assert page.empty.isVisible() and not page.report_button.isEnabled() and page.make_button.isEnabled()
    page.delivery.setCurrentIndex(page.delivery.findData("sd-50"))
    monkeypatch.setattr(
        "idle_quarry.app.views.jobs.handover_page.QFileDialog.getOpenFileNames", lambda *_rest: ([str(path)], "")
    )
    QTest.mouseClick(page.verify_button, Qt.MouseButton.LeftButton)
    assert page.cancel_button.isVisible()
    qtbot.waitUntil(lambda: model.measured is not None and bool(page.table.rowCount()), timeout=120000)
    assert model.check == "field_order" and page.head.text().startswith("from elsewhere.mxf: fails")
    assert cell(page, 0, 0) == "field order" and cell(page, 0, 1) == "fails"
    rows = [cell(page, row, 0) for row in range(page.table.rowCount())]
    page.table.selectRow(rows.index("black"))
    assert model.check == "black" and cell(page, rows.index("black"), 3) == "10:00:01:00"
    qtbot.waitUntil(lambda: 25 <= model.scrubber.frame < 63, timeout=20000)
    before = model.scrubber.frame
    QTest.keyClick(page.lanes, Qt.Key.Key_Right)
    assert model.scrubber.frame == before + 1
    kept = is_accepted_for_a_reason(qtbot, tmp_path, folder, model, page)
    arriving, aside = files_that_arrive_are_verified(qtbot, tmp_path, monkeypatch, folder, path, model, page, kept)
    checks_lead_to_trial_and_setting(qtbot, window, folder, view, jobs, model, page, arriving, aside)
    becomes_evidence(qtbot, window, folder, path, jobs, model, kept)
    broken_record_is_refused(folder)


def test_what_a_check_wants_is_said_in_words() -> None:
    layout = [{"what": "bars", "seconds": 3.0}, {"what": "programme", "seconds": None}]
    for wanted, words in (
        ("top", "upper field first"),
        (1, "1"),
        (-23.0, "-23"),
        ({"transfer": "hlg", "max_cll": 1000, "max_fall": None}, "transfer hlg, MaxCLL 1000"),
        (layout, "bars 3 s, programme any length"),
        (["L", "R"], "L, R"),
    ):
        assert wanted_words(wanted) == words

"""A list of cuts in the real window: dropped on a job, held against its template, matched, taken as a timeline,
reported.
"""

from __future__ import annotations

import csv
import shutil
from fractions import Fraction
from importlib.resources import files
from pathlib import Path
from typing import Any

from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot
from tests.app.conftest import Open, let_drop, press
from tests.conftest import CLIPS, small_lamp_room

from idle_quarry.app.drawing.lanes.cut_lanes import piece
from idle_quarry.app.models.jobs.cuts.rows import COLUMNS
from idle_quarry.app.views.jobs.view import JobsView
from idle_quarry.jobs.check import Job
from idle_quarry.jobs.conform.lists import read_list
from idle_quarry.jobs.start import start_job
from idle_quarry.printing import write_pdf


def a_job(window: object, tmp_path: Path) -> Path:
    """A job of the Lamp Room with small pictures, which the window knows."""
    store = window.desk.library  # type: ignore[attr-defined]
    revision = store.stored(store.find("The Lamp Room").id).revision
    saved = store.save_revision(revision.template_id, small_lamp_room(), "", parent=revision.number)
    stored = store.stored(saved.template_id, saved.number)
    job = start_job(stored, "Episode 4", tmp_path, write_pdf, "Runa")
    store.record_job("Episode 4", job.folder, stored)
    job.note.forget()  # it is listed
    return job.folder


def dropped(view: QWidget, path: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    event = QDropEvent(
        QPointF(5, 5), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    let_drop(view, event)


def rows_and_lanes_choose_one_another(
    qtbot: QtBot, tmp_path: Path, page: Any, model: Any, answer: Any, by_name: Any
) -> None:
    """A click on the lanes goes to the row, and the other way round."""
    number = answer.events.index(by_name["V1", "lamp scan 3"])
    at = piece(answer.cuts.timeline, answer.events[number], page.lanes.width()).center().toPoint()
    QTest.mouseClick(page.lanes, Qt.MouseButton.LeftButton, pos=at)
    assert model.chosen == number and page.table.currentIndex().row() == number and "lamp scan 3.mov" in page.one.text()
    page.table.selectRow(number + 1)
    assert model.chosen == number + 1
    QTest.keyClick(page.only, Qt.Key.Key_Down)
    assert page.rows.rowCount() == sum(
        event.status in ("missing", "offset", "found elsewhere") for event in answer.events
    )
    lines = [page.rows.data(page.rows.index(row, len(COLUMNS) - 1)) for row in range(page.rows.rowCount())]
    assert any("−90\u2009000 frames from the list's" in str(text) for text in lines)

    report = tmp_path / "report.csv"
    model.write_report(report)
    qtbot.waitUntil(report.exists, timeout=20000)
    assert len(list(csv.DictReader(report.open()))) == len(answer.events)


def is_taken_at_another_rate(qtbot: QtBot, window: Any, folder: Any, page: Any, few: Any) -> None:
    """The list counts at another rate: it is asked how it is read."""
    QTest.mouseClick(page.take_button, Qt.MouseButton.LeftButton)
    assert page.ask.isVisible() and "counts at 24" in page.ask.question.text()
    press(page.ask, "By time, cuts moved to the nearest frame")
    output = folder / "Timelines" / "First assembly, cut elsewhere.otio"
    qtbot.waitUntil(lambda: output.exists() and "among the job's timelines" in window.say_bar.text, timeout=20000)
    taken = read_list(output, Fraction(25)).timeline
    assert (taken.rate, str(taken.start)) == (Fraction(25), "10:00:00:00")
    tape, scan, wide, *_ = taken.track(
        "video-1" if any(t.ident == "video-1" for t in taken.tracks) else taken.tracks[0].ident
    ).items
    assert tape.media is not None and tape.media.path == str(few / "lamp tape 014.mpg")
    assert [(item.at, item.length) for item in (tape, scan)] == [
        (0, 42),
        (42, 37),
    ]  # 40 and 76 frames at 24 are 41.7 and 79.2 at 25
    assert wide.begins == 6 and wide.speed == 1
    result = window.desk.jobs.result(window.desk.jobs.chosen)
    assert isinstance(result, Job) and not result.drift, "what was cut here is work, not drift"


def test_a_list_from_elsewhere_is_matched_and_taken(open_window: Open, qtbot: QtBot, tmp_path: Path) -> None:
    window = open_window()
    folder = a_job(window, tmp_path)
    window.desk.jobs.reload()
    window.show_view("Jobs")
    view = window.view("Jobs")
    assert isinstance(view, JobsView)
    page, model = view.cuts, window.desk.jobs.cuts
    window.desk.jobs.choose(window.desk.jobs.records[0].id)
    QTest.mouseClick(view.tabs.buttons["Cuts"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: page.isVisible() and model.job is not None, timeout=20000)
    assert page.empty.isVisible() and not page.take_button.isEnabled()

    (tmp_path / "broken.edl").write_text("001 A V C 01:00\n")
    dropped(page, tmp_path / "broken.edl")
    qtbot.waitUntil(lambda: "line 1" in window.say_bar.text, timeout=20000)
    assert model.report is None

    # the job's own clips first: none; then in a folder besides
    elsewhere = Path(str(files("idle_quarry.demo").joinpath("cuts"))) / "lamp room elsewhere.otio"
    dropped(page, elsewhere)
    qtbot.waitUntil(lambda: model.report is not None and not model.doing, timeout=20000)
    assert model.report is not None and model.report.counts()["missing"] == 9
    few = tmp_path / "rushes"
    few.mkdir()
    for name in ("lamp tape 014.mpg", "lamp scan 3.mov", "lamp tape 021 wide.mpg", "lamp reel mixed.mpg"):
        shutil.copy(CLIPS / name, few)
    dropped(page, few)
    qtbot.waitUntil(lambda: model.report is not None and "offset" in model.report.counts(), timeout=20000)
    answer = model.report
    assert answer is not None
    by_name = {(event.track.name, event.item.name): event for event in answer.events}
    assert (
        by_name["V1", "lamp tape 014"].status == "found elsewhere"
        and by_name["V1", "lamp tape 021 wide"].offset == -90_000
    )
    assert by_name["V1", "lamp room interview"].matters and not by_name["V2", "old lamp insert"].matters
    assert "2 min 24 s early an hour" in page.frame_words.item(0).text()
    rows_and_lanes_choose_one_another(qtbot, tmp_path, page, model, answer, by_name)
    is_taken_at_another_rate(qtbot, window, folder, page, few)

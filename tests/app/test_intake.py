"""Intake in the real window: clips come in and are measured, looked at, corrected, shared out, reported and watched."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QListWidgetItem
from pytestqt.qtbot import QtBot
from tests.app.conftest import Open, type_into
from tests.conftest import CLIPS

from idle_quarry.app.models.intake.facts import facts_of
from idle_quarry.app.models.intake.rows import CLIP, VERDICT, ClipRow
from idle_quarry.app.models.intake.scrubber import FIELDS, WOVEN
from idle_quarry.app.shell.window import MainWindow
from idle_quarry.app.views.intake.view import IntakeView
from idle_quarry.signal.words import format_words

TAPE, SCAN, ROAMING = "lamp tape 014.mpg", "lamp scan 3.mov", "stone roaming 1.mov"


def looked_at(window: MainWindow, qtbot: QtBot, *names: str) -> IntakeView:
    """Open The Lamp Room, bring clips in, and wait until all are measured."""
    window.desk.open_stored(window.desk.library.find("The Lamp Room").id)
    window.take_files([CLIPS / name for name in names])
    intake = window.view("Intake")
    assert isinstance(intake, IntakeView)
    qtbot.waitUntil(lambda: len(intake.model.rows.rows) == len(names) and not intake.model.running, timeout=60_000)
    return intake


def choose(intake: IntakeView, name: str) -> ClipRow:
    for row in range(intake.model.filtered.rowCount()):
        if intake.model.filtered.index(row, CLIP).data() == name:
            intake.table.selectRow(row)
            result = intake.model.row
            assert result is not None
            return result
    raise AssertionError(f"no row of {name}")


def test_the_row_says_what_the_clip_is_and_what_it_declares(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    intake = looked_at(window, qtbot, TAPE, SCAN, ROAMING)
    assert not intake.progress.isVisible() and intake.table.isVisible()
    row = choose(intake, TAPE)
    index = intake.table.currentIndex()
    text = index.siblingAtColumn(2).data()
    assert "576i25 4:3 lower field first" in text and "declared upper field first" in text
    assert index.siblingAtColumn(VERDICT).data() == "Tape archive exact"
    assert row.picture is not None and row.picture[:4] == b"\x89PNG"
    assert row.match is not None and row.match.source is not None
    scan = next(fact for fact in facts_of(row.clip, row.match.source) if fact.name == "Scan")  # type: ignore[arg-type]
    assert scan.untrue and scan.agrees and scan.measured == "interlaced, lower field first"
    # held against nothing, clips still say what they are
    intake.template.setCurrentIndex(intake.template.findData("none"))
    intake.template.activated.emit(intake.template.currentIndex())
    assert intake.model.rows.rows[0].match is None
    # the filter and the shares narrow the rows
    intake.search.setText("roaming")
    assert intake.model.filtered.rowCount() == 1
    intake.search.clear()
    assert intake.model.filtered.rowCount() == 3 and intake.shares.count() == 4
    item = next(i for n in range(4) if "psf25" in (i := intake.shares.item(n)).text())
    assert isinstance(item, QListWidgetItem) and item.text().startswith("33 %")
    intake.shares.setCurrentItem(item)
    assert [intake.model.filtered.index(n, CLIP).data() for n in range(intake.model.filtered.rowCount())] == [SCAN]


def test_the_picture_is_scrubbed_with_the_keyboard(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    intake = looked_at(window, qtbot, TAPE)
    choose(intake, TAPE)
    picture, at = intake.evidence.picture, intake.model.scrubber
    qtbot.waitUntil(lambda: at.rgb is not None, timeout=10_000)
    assert at.frame == 25 and at.mode == WOVEN
    picture.setFocus()
    for key, frame in ((Qt.Key.Key_Right, 26), (Qt.Key.Key_PageUp, 1), (Qt.Key.Key_End, 49), (Qt.Key.Key_Home, 0)):
        with qtbot.waitSignal(at.decoded, timeout=10_000) as got:
            QTest.keyClick(picture, key)
        assert at.frame == frame and got.args[0].frame == frame
    QTest.keyClick(picture, Qt.Key.Key_F)
    assert at.mode == FIELDS and "lower field" in picture.caption()  # the lower is earlier, as measured
    first = picture.grab().toImage()
    QTest.keyClick(picture, Qt.Key.Key_Right)
    assert at.frame == 0 and at.second_field and "upper field" in picture.caption()
    assert picture.grab().toImage() != first
    with qtbot.waitSignal(at.decoded, timeout=10_000):
        QTest.keyClick(picture, Qt.Key.Key_Right)
    assert at.frame == 1 and not at.second_field
    # the ribbon is clicked where the end is
    ribbon = picture.ribbon_room()
    with qtbot.waitSignal(at.decoded, timeout=10_000):
        QTest.mouseClick(picture, Qt.MouseButton.LeftButton, pos=ribbon.adjusted(0, 0, -4, 0).bottomRight().toPoint())
    assert at.frame >= 48
    intake.evidence.tabs.buttons["Levels"].click()
    assert intake.evidence.scopes._seen is not None and intake.evidence.scopes.isVisible()


def test_a_correction_by_hand_is_kept_and_put_back(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    intake = looked_at(window, qtbot, SCAN)
    row = choose(intake, SCAN)
    assert row.clip is not None and row.clip.format is not None and row.clip.format.scan == "psf"
    type_into(intake.evidence.taken_as, "1080i25 8bit 4:2:0")
    row = choose(intake, SCAN)
    assert row.clip is not None and row.clip.corrected and row.clip.format is not None
    assert format_words(row.clip.format) == "1080i25 8bit 4:2:0"
    assert "corrected by hand" in intake.table.currentIndex().siblingAtColumn(2).data()
    type_into(intake.evidence.taken_as, "1080i24i")
    assert "not a signal format" in window.say_bar.text and intake.evidence.taken_as.text() == "1080i25 8bit 4:2:0"
    assert intake.evidence.put_back.isVisible()
    intake.evidence.put_back.click()
    row = choose(intake, SCAN)
    assert row.clip is not None and not row.clip.corrected and row.clip.format is not None
    assert row.clip.format.scan == "psf" and not intake.evidence.put_back.isVisible()


def test_two_ends_rank_and_one_is_taken(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    intake = looked_at(window, qtbot, TAPE, SCAN)
    choose(intake, TAPE)
    intake.ends_button.click()
    ends = intake.two_ends
    assert ends.isVisible() and ends.sources.topLevelItemCount() == 2 and not ends.take_button.isEnabled()
    for n in range(ends.deliveries.count()):
        if ends.deliveries.item(n).text() == "Broadcast HD, 50 Hz":
            ends.deliveries.item(n).setCheckState(Qt.CheckState.Checked)
    qtbot.waitUntil(lambda: ends.ranking.count() > 5, timeout=5000)
    best = ends.model.chosen
    assert best is not None and format_words(best.working) == "1080i25"
    assert ends.reasons.text().startswith("Above ")
    type_into(ends.another_in, "12 apples")
    assert "not a signal format" in ends.refusal.text() and ends.refusal.isVisible()
    type_into(ends.another_in, "1080p50=20")
    qtbot.waitUntil(lambda: ends.sources.topLevelItemCount() == 3 and not ends.refusal.isVisible(), timeout=5000)
    ends.take_button.click()
    document = window.desk.document
    assert document is not None and window.shown == "Path"
    assert document.template.working.format == best.working and len(document.template.sources) >= 2
    assert document.template.deliveries[0].standard == "hd-50"


def test_a_clip_sets_a_source_of_the_template(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    intake = looked_at(window, qtbot, TAPE, ROAMING)
    row = choose(intake, ROAMING)
    intake.model.uses.add_as_source()
    document = window.desk.document
    assert document is not None and row.clip is not None
    added = document.template.sources[-1]
    assert added.format == row.clip.format and added.share == pytest.approx(49.9, abs=1)
    window.show_view("Intake")
    choose(intake, ROAMING)
    intake.model.uses.set_source("scans")
    assert next(s.format for s in document.template.sources if s.id == "scans") == row.clip.format
    window.desk.undo()
    assert next(s.format.scan for s in document.template.sources if s.id == "scans") == "psf"


def test_a_watched_folder_announces_what_does_not_fit(open_window: Open, qtbot: QtBot, tmp_path: Path) -> None:
    window = open_window()
    window.desk.open_stored(window.desk.library.find("The Lamp Room").id)
    window.show_view("Intake")
    intake = window.view("Intake")
    assert isinstance(intake, IntakeView)
    folder = tmp_path / "incoming"
    folder.mkdir()
    shutil.copy(CLIPS / "train 03.mov", folder / "was there.mov")
    intake.model.watch_folder(folder)
    assert intake.model.watch is not None
    qtbot.waitUntil(lambda: intake.model.watch is not None and intake.model.watch.ready, timeout=5000)
    growing = folder / "new.mov"
    data = (CLIPS / "stone commentary.mov").read_bytes()
    growing.write_bytes(data[:5000])  # still being copied
    qtbot.wait(900)
    assert not intake.model.rows.rows
    growing.write_bytes(data)
    qtbot.waitUntil(lambda: len(intake.model.rows.rows) == 1, timeout=20_000)
    assert intake.model.rows.rows[0].path == growing
    assert "new.mov arrived and does not fit The Lamp Room" in window.say_bar.text
    intake.watch_button.click()
    assert intake.model.watch is None and intake.watch_button.text() == "Watch a folder"


def test_the_report_and_the_cancel(open_window: Open, qtbot: QtBot, tmp_path: Path) -> None:
    window = open_window()
    intake = looked_at(window, qtbot, TAPE)
    intake.model.report(tmp_path / "intake.pdf")
    qtbot.waitUntil(
        lambda: (tmp_path / "intake.pdf").is_file() and "report is in" in window.say_bar.text, timeout=10_000
    )
    assert (tmp_path / "intake.pdf").read_bytes().startswith(b"%PDF-")
    intake.model.clear()
    assert not intake.model.rows.rows and intake.empty.isVisible()
    intake.model.look_at([CLIPS / "gauge A004.mp4", CLIPS / "stone fixed 2.mxf", CLIPS / "train platform.mxf"])
    intake.model.cancel()
    qtbot.waitUntil(lambda: not intake.model.running, timeout=30_000)
    assert not intake.progress.isVisible()
    assert (
        "Stopped" in window.say_bar.text or len(intake.model.rows.rows) == 3
    )  # stopped, or it was quicker than the hand

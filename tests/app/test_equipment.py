"""Equipment and specs as a person uses them: copied, changed, refused, saved, taken by a template, told when it is
newer.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot
from tests.app.conftest import Open, answer, path_of, press, type_into
from tests.path.test_edid import CASES

from idle_quarry.app.drawing.entry_shapes import picture_of
from idle_quarry.app.drawing.shapes import TextShape
from idle_quarry.app.shell.window import MainWindow
from idle_quarry.app.views.library.equipment import EquipmentPage
from idle_quarry.app.views.library.view import LibraryView
from idle_quarry.library.house_entries import own_copy, put
from idle_quarry.path.entries import KINDS, Monitor
from idle_quarry.path.registry import known, monitors
from idle_quarry.path.settings.entries import blank
from idle_quarry.signal.words import format_from_words as words


def page_of(window: MainWindow) -> EquipmentPage:
    library = window.view("Library")
    assert isinstance(library, LibraryView)
    page = library.pages.currentWidget()
    assert isinstance(page, EquipmentPage)
    return page


def typed(page: EquipmentPage, place: str, text: str) -> str:
    """Type into a row of the sheet; return what stands beside it then."""
    row = page.sheet.row(place)
    assert row is not None
    type_into(row.editor, text)
    now = page.sheet.row(place)
    return now.follows.text() if now is not None else ""


def template_takes_it_by_its_name(window: Any, desk: Any, page: Any) -> None:
    """A template takes it by its name."""
    window.show_view("Path")
    desk.path.choose("monitor")
    sheet = path_of(window).sheets.sheet
    row = sheet.row("monitor.monitor")
    assert row is not None and "Bay 9" in row.setting.choices
    row.type("Bay 9")
    assert desk.document is not None
    assert [entry.name for entry in desk.document.template.house] == ["Bay 9"]
    assert "1080i25: shown" in " ".join(
        picture_of(page.model.entry or monitors()["suite-sdr"], 400, words("1080i25"), "It").texts
    )


def template_is_told_that_it_is_newer(desk: Any, page: Any) -> None:
    """And is told that it is newer, with what would be otherwise."""
    bay = page.model.entry
    assert isinstance(bay, Monitor)
    put(desk.library, type(bay).model_validate({**bay.model_dump(), "peak_cd_m2": 300.0}), "house", "")
    desk.shelves_changed.emit()
    [finding] = [item for item in desk.document.evaluation.findings if item.code == "entry_newer"]
    assert "peak cd m2 nothing → 300" in finding.text and finding.remedy is not None
    desk.path.cure(finding)
    assert desk.document.template.house[0].id != bay.id
    assert not [item for item in desk.document.evaluation.findings if item.code == "entry_newer"]
    desk.undo()
    assert desk.document.template.house == (bay,)


def two_people_decide(window: Any, desk: Any, page: Any, uid: Any) -> None:
    """Two people."""
    desk.equipment.choose(uid)
    window.show_view("Library")
    press(page, "Send to review")
    assert "in review" in page.about.text() and not page.approve_button.isVisible()  # not by who wrote it
    desk.change_person("Odo")
    press(page, "Approve")
    assert "approved" in page.about.text()
    press(page, "Put aside")
    assert uid not in [item.ident for item in page.model.rows]
    page.model.look_for(shelf="Put aside")
    page.model.choose(uid)
    press(page, "Put back on the shelf")
    page.model.look_for(shelf="All shelves")
    assert uid in [item.ident for item in page.model.rows]


def test_a_monitor_is_copied_changed_and_taken_and_then_is_newer(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    desk = window.desk
    desk.open_stored(desk.library.find("The Lamp Room").id)
    window.acting.actions["Equipment and specs of the house"].trigger()
    page = page_of(window)
    QTest.keyClicks(page.search, "edit suite")
    assert [item.entry.name for item in page.model.rows] == ["Edit suite panel"]
    page.search.clear()
    page.model.choose("bay-two-grade")
    assert "read-only" in page.about.text() and not page.sheet.isEnabled()
    qtbot.waitUntil(lambda: "Named by" in page.uses.text(), timeout=5000)
    press(page, "Copy and change")
    answer(page.ask, "Bay 9")
    assert page.name.text() == "Bay 9" and "house shelf" in page.about.text() and page.sheet.isEnabled()
    uid = page.model.ident
    # refused in place, nothing changed
    assert "no scan" in typed(page, "accepts.0", "1920 × 1080; sideways; 25; SDR; HD")
    assert not page.model.dirty
    assert "out of range" in typed(page, "overscan", "90")
    typed(page, "accepts.0", "1920 × 1080; interlaced; 25; SDR; HD")
    count = len(page.model.settings())
    typed(page, "accepts.3", "720 × 576; interlaced; 25; SDR; SD")
    assert len(page.model.settings()) == count + 1 and page.model.dirty
    typed(page, "accepts.3", "")
    assert len(page.model.settings()) == count
    # edits stay with the entry that is left, and survive the program
    page.model.choose("suite-sdr")
    other = open_window()
    other.desk.shelf.show_equipment(uid)
    assert "changed, not saved" in page_of(other).about.text()
    other.desk.equipment.discard()
    page.model.choose(uid)
    press(page, "Save draft")
    answer(page.ask, "only what we use")
    assert "revision 2" in page.about.text() and "only what we use" in page.history.item(0).text()
    template_takes_it_by_its_name(window, desk, page)
    template_is_told_that_it_is_newer(desk, page)
    two_people_decide(window, desk, page, uid)


def test_each_kind_is_begun_exported_and_read_from_a_screen(open_window: Open, tmp_path: Path) -> None:
    window = open_window()
    window.desk.shelf.show_equipment()
    page = page_of(window)
    for kind in KINDS.values():
        page.model.begin.ask_new(kind.word)
        answer(page.ask, f"Our {kind.one.lower()}")
        assert page.name.text() == f"Our {kind.one.lower()}" and page.sheet.isEnabled(), kind
    page.model.begin.export_to(tmp_path / "rule.json")
    page.model.put_aside()
    page.model.begin.import_from(tmp_path / "rule.json")  # the same again is nothing new
    assert len(window.desk.library.revisions(page.model.ident)) == 1
    screen = tmp_path / "edid"
    screen.write_bytes(CASES["HDR"])
    page.model.begin.ask_screen(screen)
    answer(page.ask, "Lamp panel")
    assert page.name.text() == "Lamp panel" and "2160" in page.picture.accessibleDescription()
    screen.write_bytes(CASES["HDR"][:200])
    page.model.begin.ask_screen(screen)
    assert "cut short" in window.say_bar.text
    page.model.look_for(typed="nothing is called so")
    assert page.nothing.isVisible() and "Clear the search" in page.nothing.text()
    QTest.keyClick(page, Qt.Key.Key_Escape)


@pytest.mark.parametrize("width", [300, 460, 900])
@pytest.mark.parametrize("kind", KINDS)
def test_what_an_entry_means_stays_in_its_room(kind: str, width: int) -> None:
    for entry in list(known(kind).values()) or [blank(kind, "a" * 8, "x")]:
        for item in (entry, own_copy(entry)):
            result = picture_of(item, width, words("1080i25"), "The Lamp Room")
            outside = [shape for shape in result.shapes if shape.x < -0.5 or shape.x + shape.w > width + 0.5]
            assert result.shapes and outside == [], entry.name
            assert max(shape.y for shape in result.shapes) <= result.height + 1
            assert any(isinstance(shape, TextShape) for shape in result.shapes)

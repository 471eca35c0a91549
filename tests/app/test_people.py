"""People and beginnings: profiles with keys of their own, carried as files; the starter set on a first start."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QKeySequenceEdit, QLabel
from pytestqt.qtbot import QtBot
from tests.app.conftest import Open, library_of

from idle_quarry.app import preferences as preferences_module
from idle_quarry.app import profiles as profiles_module
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.command import conflicts
from idle_quarry.app.desk import Desk
from idle_quarry.app.preferences import Preferences
from idle_quarry.app.profiles import called, exported, imported, profiles
from idle_quarry.app.shell.window import MainWindow
from idle_quarry.app.views.library.standard_set import StandardSetPage
from idle_quarry.app.views.profile.view import ProfileView
from idle_quarry.errors import ExchangeError
from idle_quarry.library import open_library
from idle_quarry.path.beginning.standard_set import lines_of, offered, starter_set
from idle_quarry.path.registry import deliveries, territories
from idle_quarry.proof.disks import Speed
from idle_quarry.proof.work_place import judged


@pytest.fixture(autouse=True)
def _own_settings(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    for module in (preferences_module, profiles_module):
        monkeypatch.setattr(module, "settings_folder", lambda: tmp_path / "settings")
    yield
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    theme.apply(app, "dim room", 100)


def page_of(window: MainWindow) -> ProfileView:
    page = window.view("Profile")
    assert isinstance(page, ProfileView)
    return page


def test_keys_are_one_s_own_and_conflicts_are_shown(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    window.desk.open_stored(window.desk.library.find("House HD 50i").id)
    window.show_view("Profile")
    page = page_of(window)
    names = list(window.desk.profile.keys())
    row = names.index("Show Jobs")
    table = page.keys.table

    def press(key: str) -> None:
        """Press a key for the command, as its cell takes it after a click."""
        table.cellClicked.emit(row, 0)
        edit = table.viewport().findChild(QKeySequenceEdit)
        assert isinstance(edit, QKeySequenceEdit)
        edit.setKeySequence(QKeySequence(key))
        edit.editingFinished.emit()
        qtbot.waitUntil(lambda: table.viewport().findChild(QKeySequenceEdit) is None)

    def shown() -> str:
        item = table.item(row, 1)
        return item.text() if item is not None else ""

    press("F8")
    action = window.acting.actions["Show Jobs"]
    assert action.shortcut().toString() == "F8"
    action.trigger()
    assert window.shown == "Jobs"
    window.show_view("Profile")
    assert shown() == "F8"
    press("Ctrl+S")
    text = {names[n]: item.text() for n in range(len(names)) if (item := table.item(n, 2)) and item.text()}
    assert text == {"Show Jobs": "also: Save revision", "Save revision": "also: Show Jobs"}
    assert "2 commands share a key" in page.keys.note.text()
    page.model.keys_back()
    assert not page.keys.note.text() and window.desk.profile.keys()["Show Jobs"] == ("Ctrl+6", "Ctrl+6")
    assert conflicts({"a": "X", "b": "X", "c": "", "d": ""}) == {"a": ["b"], "b": ["a"]}
    assert not conflicts(
        {name: own for name, (own, _) in window.desk.profile.keys().items()}
    )  # the program's own have none


def test_another_person_sits_down_without_a_restart(open_window: Open, qtbot: QtBot, tmp_path: Path) -> None:
    window = open_window()
    store = window.desk.library
    mine = {summary.name for summary in store.summaries() if summary.shelf == "own"}
    window.desk.open_stored(store.find("House HD 50i").id)
    assert mine and window.desk.document is not None
    before = {item.id: item.latest.hash for item in store.summaries() if item.shelf == "house"}
    window.show_view("Profile")
    page = page_of(window)
    page.model.ask_new()
    page.ask.line.setText("Bryn Ash")
    QTest.keyClick(page.ask.line, Qt.Key.Key_Return)
    fresh = window
    assert fresh.header.standing.text().startswith("Bryn Ash") and fresh.desk.document is None
    assert not [item for item in store.summaries() if item.shelf == "own"]  # an own shelf is one's own
    page = page_of(fresh)
    assert page.initials.text() == "BA" and set(profiles()) == {"Bryn Ash", "Runa"}
    fresh.desk.preferences.shortcuts["Undo"] = "F9"
    page.model.dress("office", 115)
    file = tmp_path / "bryn.json"
    page.model.export_to(file)
    page.profile.setCurrentText("Runa")
    page.profile.textActivated.emit("Runa")
    assert fresh.desk.library.person == "Runa" and theme.scheme.name == "dim room" and theme.percent == 100
    assert {item.name for item in store.summaries() if item.shelf == "own"} == mine
    carried = imported(file)
    assert (carried.name, carried.brightness, carried.text_percent, carried.shortcuts) == (
        "Bryn Ash",
        "office",
        115,
        {"Undo": "F9"},
    )
    page = page_of(fresh)
    page.model.import_from(file)
    assert page.ask.isVisible()  # never silently over one that is there
    page.ask.buttons[1].click()
    assert fresh.desk.library.person == "Bryn Ash" and fresh.desk.profile.keys()["Undo"] == ("Ctrl+Z", "F9")
    assert before == {item.id: item.latest.hash for item in store.summaries() if item.shelf == "house"}


def test_profiles_that_are_none(tmp_path: Path) -> None:
    exported(Preferences(name="Runa"), tmp_path / "good.json")
    good = json.loads((tmp_path / "good.json").read_text())
    for name, content in {
        "text": "words",
        "list": "[]",
        "kind": json.dumps({**good, "kind": "recipe"}),
        "newer": json.dumps({**good, "format_number": 2}),
        "huge": " " * 300_000,
        "missing": None,
    }.items():
        path = tmp_path / f"{name}.json"
        if content is not None:
            path.write_text(content)
        with pytest.raises(ExchangeError):
            imported(path)
    odd = {**good, "profile": {"name": "Runa", "text_percent": "big", "shortcuts": {"Undo": 5, "Redo": "F2"}, "x": 1}}
    (tmp_path / "odd.json").write_text(json.dumps(odd))
    assert imported(tmp_path / "odd.json") == Preferences(name="Runa", shortcuts={"Redo": "F2"})
    with pytest.raises(ExchangeError):
        called("nobody")


def test_a_first_start_offers_the_standard_set_and_never_overwrites(qtbot: QtBot, tmp_path: Path) -> None:
    desk = Desk(open_library(tmp_path / "library.db", "Runa"), Preferences())
    window = MainWindow(desk)
    window.show()
    window.first_start()
    page = library_of(window).pages.currentWidget()
    assert isinstance(page, StandardSetPage) and not page.make_button.isEnabled()
    page.territories["50 Hz"].setChecked(True)
    page.rasters[576].setChecked(True)
    page.rasters[1080].setChecked(True)
    assert set(page.model.chosen()) == {"sd-50", "hd-50", "hd-50-psf"}
    page.model.keep_work_in(str(tmp_path / "nowhere"))
    assert not page.make_button.isEnabled()
    page.folder.setText(str(tmp_path))
    page.model.keep_work_in(str(tmp_path))
    qtbot.wait(10)
    words = [item.text() for item in page.findChildren(QLabel) if item.isVisible()]
    assert [v.text for v in page.model.verdicts()] == [
        text for text in words if text in {v.text for v in page.model.verdicts()}
    ]
    page.measure_button.click()
    qtbot.waitUntil(lambda: page.model.ticket is None, timeout=20000)
    assert any("It reads" in verdict.text for verdict in page.model.verdicts())
    page.make_button.click()
    names = {summary.name for summary in desk.library.summaries()}
    assert names == {
        "Broadcast SD, 50 Hz",
        "Broadcast HD, 50 Hz",
        "Broadcast HD, 25 pictures as PsF",
        "50 Hz countries: all deliveries",
    }
    assert {item.latest.state for item in desk.library.summaries()} == {"draft"}
    all_of = desk.library.stored(desk.library.find("50 Hz countries: all deliveries").id).template
    assert len(all_of.deliveries) == 3 and all_of.working.format.raster.height == 1080
    assert {place.path for place in all_of.places} == {str(tmp_path), str(tmp_path / "cache")}
    hashes = {item.id: item.latest.hash for item in desk.library.summaries()}
    window.desk.shelf.show_standard_set()
    assert "All of it is there already" in page.sum.text() and not page.make_button.isEnabled()
    page.rasters[2160].setChecked(True)
    page.make_button.click()
    now = {item.id: item.latest.hash for item in desk.library.summaries()}
    assert hashes.items() <= now.items() and len(now) == 5
    window.close()
    window.deleteLater()
    desk.close()


def test_every_standard_delivery_has_a_template_in_the_set(tmp_path: Path) -> None:
    every = list(deliveries())
    result = starter_set(every, ())
    assert {item for template in result for item in (d.standard for d in template.deliveries)} == set(every)
    assert len({item.name for item in result}) == len(result)
    lines = {lines_of(delivery) for delivery in deliveries().values()}
    assert [item.id for item in offered(territories(), lines)] == every and offered((), lines) == []
    slow, fast = (Speed("/x", 900, mb_s, 1, True, "") for mb_s in (20.0, 2000.0))
    graves = [[v.severity for v in judged(tmp_path, speed, 184.0) if "It reads" in v.text] for speed in (slow, fast)]
    assert graves == [["stop"], ["note"]]

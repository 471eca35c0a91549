"""The window under many hands: looks that change, fields whose owners are gone, and a monkey."""

from __future__ import annotations

import gc
import random
from pathlib import Path

import shiboken6
from PySide6.QtCore import QEvent
from PySide6.QtWidgets import QApplication, QLineEdit
from pytestqt.qtbot import QtBot
from tests.app.conftest import Open
from tests.app.monkey import Monkey

from idle_quarry.app.appearance.theme import BRIGHTNESSES
from idle_quarry.app.shell.window import MainWindow
from idle_quarry.app.widgets.basic.finder import FinderItem


def shown() -> MainWindow:
    return next(
        topLevelWidget
        for topLevelWidget in QApplication.topLevelWidgets()
        if isinstance(topLevelWidget, MainWindow) and topLevelWidget.isVisible()
    )


def windows() -> int:
    return sum(isinstance(topLevelWidget, MainWindow) for topLevelWidget in QApplication.topLevelWidgets())


def ended() -> None:
    QApplication.processEvents()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    gc.collect()


def test_changes_of_looks_leave_one_window_that_hears_once(open_window: Open, qtbot: QtBot) -> None:
    desk = open_window().desk
    ident = desk.library.find("Narrow Gauge").id
    for number in range(12):
        desk.shelf.choose(ident)
        desk.shelf.compare(1, 2)  # a page that listens to the shelves while it is shown
        desk.profile.dress(BRIGHTNESSES[number % len(BRIGHTNESSES)], 100)
        ended()
    windows = [
        get_object
        for get_object in gc.get_objects()
        if isinstance(get_object, MainWindow) and shiboken6.isValid(get_object)
    ]
    assert len(windows) == 1
    with qtbot.captureExceptions() as raised:
        desk.shelves_changed.emit()
    assert not raised
    shown().close()


def test_the_keyboard_goes_back_to_nobody_who_is_gone(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    gone = QLineEdit(window)
    gone.show()
    gone.setFocus()
    qtbot.waitUntil(gone.hasFocus)
    done: list[int] = []
    window.finder.open([FinderItem("Act", "", "", lambda: done.append(1))], "")
    gone.deleteLater()
    ended()
    window.finder._carry_out()
    assert done == [1]


def test_a_monkey_breaks_nothing(open_window: Open, tmp_path: Path) -> None:
    window = open_window()
    files = [tmp_path / name for name in ("junk.json", "junk.zip", "junk.mov", "note.txt")]
    for path in files:
        path.write_bytes(b"PK\x03\x04 no archive" * 20)
    monkey = Monkey([*files, tmp_path, tmp_path / "gone.mov"], random.Random(5))
    before = windows()
    monkey.run(250)
    assert not monkey.failures, monkey.failures[:3]
    ended()
    assert monkey.most_windows <= before + 1 and windows() <= before
    if shown() is not window:
        shown().close()

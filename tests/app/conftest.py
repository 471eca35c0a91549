"""The real window on a library of the demo's templates, in a folder of the test's own."""

from __future__ import annotations

import gc
import tempfile
import threading
from collections.abc import Callable, Iterator
from functools import lru_cache
from pathlib import Path

import pytest
import shiboken6
from PySide6.QtCore import QCoreApplication, QEvent, Qt
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QLineEdit, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from idle_quarry.app.appearance.style import prepare
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.desk import Desk
from idle_quarry.app.preferences import Preferences
from idle_quarry.app.shell.window import MainWindow
from idle_quarry.app.views.library.view import LibraryView
from idle_quarry.app.views.path.view import PathView
from idle_quarry.app.widgets.basic.ask_bar import AskBar
from idle_quarry.app.widgets.basic.file_drop import FileDrop
from idle_quarry.demo.lay_out import fill
from idle_quarry.library import open_library

Open = Callable[[], MainWindow]


def library_of(window: MainWindow) -> LibraryView:
    view = window.view("Library")
    assert isinstance(view, LibraryView)
    return view


def path_of(window: MainWindow) -> PathView:
    view = window.view("Path")
    assert isinstance(view, PathView)
    return view


def answer(bar: AskBar, text: str | None = None) -> None:
    """Type an answer to what is asked in place, and press Enter."""
    if text is not None:
        bar.line.setText(text)
    QTest.keyClick(bar.line, Qt.Key.Key_Return)


def press(inside: QWidget, text: str) -> None:
    """Press the button of that name."""
    result = next(b for b in inside.findChildren(QPushButton) if b.text() == text and b.isVisible())
    QTest.mouseClick(result, Qt.MouseButton.LeftButton)


@pytest.fixture(autouse=True)
def _collected_here() -> Iterator[None]:
    """As in the application: what Qt made dies on this thread, never on a worker's.

    What was loaded is not walked again.
    """
    gc.disable()
    gc.freeze()
    yield
    gc.collect()
    gc.enable()


@lru_cache(maxsize=1)
def _shelves() -> bytes:
    """The file of a library with the demo's templates, made once."""
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder) / "library.db"
        library = open_library(place, "Runa")
        fill(library)
        library.close()
        return place.read_bytes()  # its log was written back when it was closed


def filled(place: Path) -> Path:
    """Put the demo's templates into a new library at `place`."""
    place.write_bytes(_shelves())
    return place


@pytest.fixture
def open_window(qtbot: QtBot, tmp_path: Path) -> Iterator[Open]:
    """Return a function that opens a window, as often as wanted, on one library."""
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    prepare(app)
    theme.apply(app, "dim room", 100)
    place = filled(tmp_path / "library.db")
    desks: list[Desk] = []
    windows: list[MainWindow] = []

    def make() -> MainWindow:
        desk = Desk(open_library(place, "Runa"), Preferences(jobs_folder=str(tmp_path)))
        desks.append(desk)
        window = MainWindow(desk)
        windows.append(window)
        window.show()
        window.activateWindow()
        qtbot.waitExposed(window)
        return window

    yield make
    for window in windows:
        if shiboken6.isValid(window):
            window.close()
            window.deleteLater()
    for desk in desks:
        desk.close()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    assert not [t for t in threading.enumerate() if t.name.startswith("quarry") and t.is_alive()]


def type_into(editor: QComboBox | QLineEdit, text: str) -> None:
    """Type as a person does: select all, keys, Enter."""
    line = editor.lineEdit() if isinstance(editor, QComboBox) else editor
    assert line is not None, "this setting is chosen, not typed"
    line.setFocus()
    line.selectAll()
    QTest.keyClick(line, Qt.Key.Key_Delete)
    QTest.keyClicks(line, text)
    QTest.keyClick(line, Qt.Key.Key_Return)


def let_drop(widget: QWidget, event: QDropEvent) -> None:
    """Drop something on a widget: what has it first is asked first, as Qt does with a real mouse."""
    drop = widget.findChild(FileDrop, options=Qt.FindChildOption.FindDirectChildrenOnly)
    if drop is None or not drop.eventFilter(widget, event):
        widget.dropEvent(event)

"""A monkey at the window: seeded random clicks, keys, texts, drops and changes of looks; what goes wrong is kept."""

from __future__ import annotations

import gc
import importlib
import pkgutil
import random
import sys
import traceback
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path
from types import ModuleType, TracebackType

import shiboken6
from PySide6.QtCore import QEvent, QPoint, Qt, QTimer, QtMsgType, qInstallMessageHandler
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QApplication,
    QComboBox,
    QDialog,
    QFileDialog,
    QLineEdit,
    QMenu,
    QPlainTextEdit,
    QWidget,
)

from idle_quarry import app
from idle_quarry.app.appearance.theme import BRIGHTNESSES, TEXT_SIZES
from idle_quarry.app.models.jobs.job_list import PAGES
from idle_quarry.app.shell.window import MainWindow
from idle_quarry.app.views.registry import VIEWS

TEXTS = (
    "",
    " ",
    "1080i25",
    "PAL",
    "4K",
    "25",
    "-1",
    "1e999",
    "10:00:00:00",
    "99:99:99:99",
    "a/b",
    "..",
    "x" * 400,
    "ü–×′漢字",
    "'; DROP TABLE",
    "nul\0",
    "\ud800",
    "<b>bold</b>",
    "%s {0}",
    "0",
    "Saltmarsh Hours",
)
KEYS = (
    Qt.Key.Key_Return,
    Qt.Key.Key_Escape,
    Qt.Key.Key_Tab,
    Qt.Key.Key_Backtab,
    Qt.Key.Key_Delete,
    Qt.Key.Key_Up,
    Qt.Key.Key_Down,
    Qt.Key.Key_Left,
    Qt.Key.Key_Right,
    Qt.Key.Key_Home,
    Qt.Key.Key_End,
    Qt.Key.Key_PageDown,
    Qt.Key.Key_Space,
    Qt.Key.Key_F2,
    Qt.Key.Key_D,
    Qt.Key.Key_F,
    Qt.Key.Key_Z,
)
#: What Qt says without a screen or a window manager, which is not ours to mend.
_NOT_OURS = ("propagateSizeHints", "does not support", "QStandardPaths", "requestActivate", "This plugin")
_NEVER = ("Close the window",)


@dataclass
class Monkey:
    """Works at whichever window is shown; `files` are what it drops and what it names in dialogs."""

    files: list[Path]
    chance: random.Random
    failures: list[str] = field(default_factory=list)
    done: list[str] = field(default_factory=list)
    most_windows: int = 0
    reached: Counter[str] = field(
        default_factory=Counter
    )  #: how many events each view, and each page of a job, was in front

    def run(self, events: int) -> None:
        """Do so many things. Dialogs answer by themselves, and errors do not end it."""
        before, handler = sys.excepthook, qInstallMessageHandler(self._hear)
        for module in pkgutil.walk_packages(app.__path__, "idle_quarry.app."):  # what a dialog is asked by
            importlib.import_module(module.name)
        kept = _answered(self)
        timer = QTimer()
        timer.timeout.connect(self._popup)
        timer.start(20)
        sys.excepthook = self._raised
        try:
            for _ in range(events):
                window = self._window()
                if window is None:
                    self.failures.append("no window is left")
                    return
                act = self.chance.choices(
                    (
                        self._click,
                        self._key,
                        self._type,
                        self._choose,
                        self._pick,
                        self._command,
                        self._view,
                        self._job,
                        self._drop,
                        self._dress,
                    ),
                    (30, 16, 10, 10, 12, 5, 3, 3, 2, 1),
                )[0]
                try:
                    act(window)
                    QApplication.processEvents()
                except Exception as error:
                    self._raised(type(error), error, error.__traceback__)
                QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
                self._count(window)
                self.most_windows = max(self.most_windows, len(self._windows()))
                if len(self.done) % 200 == 0:
                    gc.collect()
        finally:
            timer.stop()
            sys.excepthook = before
            qInstallMessageHandler(handler)
            for owner, name, what in kept:
                setattr(owner, name, what)

    def _popup(self) -> None:
        """Take an act of a menu that stands open, or close whatever stands before the window."""
        menu, modal = QApplication.activePopupWidget(), QApplication.activeModalWidget()
        if isinstance(menu, QMenu):
            actions = [
                item for item in menu.actions() if item.isEnabled() and not item.isSeparator() and item.menu() is None
            ]
            menu.close()
            if actions and self.chance.random() < 0.7:
                action = self.chance.choice(actions)
                self._note(f"menu {action.text()}")
                QTimer.singleShot(0, action, action.trigger)  # what it opens is closed by the next tick
        elif menu is not None:
            menu.close()
        elif isinstance(modal, QDialog):
            modal.reject()

    def _windows(self) -> list[MainWindow]:
        return [
            topLevelWidget
            for topLevelWidget in QApplication.topLevelWidgets()
            if isinstance(topLevelWidget, MainWindow)
        ]

    def _window(self) -> MainWindow | None:
        windows = self._windows()
        if windows and not any(item.isVisible() for item in windows):
            self._note("opened again")  # it found the command that closes the window
            windows[0].show()
        return next((window for window in windows if window.isVisible()), None)

    def _note(self, what: str) -> None:
        self.done.append(what)

    def _some(self, window: QWidget, kind: type[QWidget]) -> QWidget | None:
        result = [item for item in window.findChildren(kind) if item.isVisible() and item.isEnabled()]
        return self.chance.choice(result) if result else None

    def _click(self, window: MainWindow) -> None:
        target = self._some(window, self.chance.choice((QAbstractButton, QAbstractButton, QWidget)))
        if target is None:
            return
        self._note(f"click {type(target).__name__} {target.accessibleName() or target.objectName()!r}")
        spot = QPoint(self.chance.randrange(max(1, target.width())), self.chance.randrange(max(1, target.height())))
        button = Qt.MouseButton.RightButton if self.chance.random() < 0.08 else Qt.MouseButton.LeftButton
        press = QTest.mouseDClick if self.chance.random() < 0.1 else QTest.mousePress
        press(target, button, pos=spot)
        if shiboken6.isValid(target):  # what a press takes away gets no release
            QTest.mouseRelease(target, button, pos=spot)

    def _key(self, window: MainWindow) -> None:
        target, key = window.focusWidget() or window, self.chance.choice(KEYS)
        modifier = self.chance.choices(
            (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.AltModifier),
            (8, 1, 1),
        )[0]
        self._note(f"key {key.name} in {type(target).__name__}")
        self._press(target, key, modifier)

    def _press(self, target: QWidget, key: Qt.Key, modifier: Qt.KeyboardModifier) -> None:
        QTest.keyPress(target, key, modifier)
        if shiboken6.isValid(target):
            QTest.keyRelease(target, key, modifier)

    def _type(self, window: MainWindow) -> None:
        target = self._some(window, self.chance.choice((QLineEdit, QLineEdit, QPlainTextEdit)))
        text = self.chance.choice(TEXTS)
        if isinstance(target, QLineEdit):
            self._note(f"type {text[:20]!r} into {target.accessibleName()}")
            target.setFocus()
            if shiboken6.isValid(target):
                target.setText(text)
                self._press(target, Qt.Key.Key_Return, Qt.KeyboardModifier.NoModifier)
        elif isinstance(target, QPlainTextEdit):
            target.setPlainText(text)

    def _choose(self, window: MainWindow) -> None:
        box = self._some(window, QComboBox)
        if isinstance(box, QComboBox) and box.count():
            index = self.chance.randrange(box.count())
            self._note(f"choose {box.itemText(index)!r} in {box.accessibleName()}")
            box.setCurrentIndex(index)
            box.activated.emit(index)
            box.textActivated.emit(box.itemText(index))

    def _pick(self, window: MainWindow) -> None:
        view = self._some(window, QAbstractItemView)
        model = view.model() if isinstance(view, QAbstractItemView) else None
        if isinstance(view, QAbstractItemView) and model is not None and model.rowCount():
            row = self.chance.randrange(model.rowCount())
            self._note(f"pick row {row} of {view.accessibleName()}")
            view.setCurrentIndex(model.index(row, 0))

    def _command(self, window: MainWindow) -> None:
        command = self.chance.choice([item for item in window.acting.commands if item.name not in _NEVER])
        self._note(f"command {command.name}")
        command.carry_out(window.desk.say)

    def _view(self, window: MainWindow) -> None:
        name = self.chance.choice([view.name for view in VIEWS])
        self._note(f"view {name}")
        window.show_view(name)

    def _job(self, window: MainWindow) -> None:
        """Look at a page of one of the jobs."""
        jobs = window.desk.jobs
        window.show_view("Jobs")
        if not jobs.records:
            jobs.reload()
            return
        record, page = self.chance.choice(jobs.records), self.chance.choice(PAGES)
        self._note(f"{page} of {record.title}")
        jobs.choose(record.id)
        jobs.show_page(page)

    def _count(self, window: MainWindow) -> None:
        if shiboken6.isValid(window) and window.isVisible():
            self.reached[window.shown] += 1
            if window.shown == "Jobs" and window.desk.jobs.chosen is not None:
                self.reached[window.desk.jobs.page] += 1

    def _drop(self, window: MainWindow) -> None:
        paths = self.chance.sample(self.files, k=min(len(self.files), self.chance.randint(1, 3)))
        self._note(f"drop {[path.name for path in paths]}")
        window.take_files(paths)

    def _dress(self, window: MainWindow) -> None:
        self._note("looks")
        window.desk.profile.dress(self.chance.choice(BRIGHTNESSES), self.chance.choice(TEXT_SIZES))

    def _raised(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        last = "".join(traceback.format_exception(kind, error, trace)[-3:])
        self.failures.append(f"after {self.done[-3:]}: {last}")

    def _hear(self, kind: QtMsgType, _where: object, text: str) -> None:
        if kind != QtMsgType.QtDebugMsg and not any(part in text for part in _NOT_OURS):
            self.failures.append(f"after {self.done[-3:]}: Qt says {text}")


def _answered(monkey: Monkey) -> list[tuple[ModuleType, str, object]]:
    """Have the application's dialogs answer by themselves, and menus that pop up take an act; return what they were."""
    chance, folder = monkey.chance, monkey.files[0].parent

    class Dialog:
        Option = QFileDialog.Option

        @staticmethod
        def getOpenFileName(*_given: object, **_more: object) -> tuple[str, str]:
            return (str(chance.choice(monkey.files)) if chance.random() < 0.6 else "", "")

        @staticmethod
        def getOpenFileNames(*_given: object, **_more: object) -> tuple[list[str], str]:
            return ([str(chance.choice(monkey.files))] if chance.random() < 0.6 else [], "")

        @staticmethod
        def getSaveFileName(*_given: object, **_more: object) -> tuple[str, str]:
            name = chance.choice(("out.json", "out.zip", "out.csv", "out.pdf", "no such folder/out.pdf", "out"))
            return (str(folder / name) if chance.random() < 0.6 else "", "")

        @staticmethod
        def getExistingDirectory(*_given: object, **_more: object) -> str:
            return str(folder) if chance.random() < 0.5 else ""

    class Services:
        @staticmethod
        def openUrl(_url: object) -> bool:
            return chance.random() < 0.5

    kept: list[tuple[ModuleType, str, object]] = []
    for name, module in list(sys.modules.items()):
        for what, stand_in in (("QFileDialog", Dialog), ("QDesktopServices", Services)):
            if name.startswith("idle_quarry.app") and hasattr(module, what):
                kept.append((module, what, getattr(module, what)))
                setattr(module, what, stand_in)
    return kept

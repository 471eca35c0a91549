"""Each small widget alone: with the keyboard, with its name for a screen reader, and in another dress.

And the window in motion.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLineEdit, QPushButton, QWidget
from pytestqt.qtbot import QtBot
from tests.app.conftest import Open, answer, path_of, press
from tests.conftest import demo_template

from idle_quarry.app.appearance.sizes import dress
from idle_quarry.app.appearance.style import prepare
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.questions import Answered, Choice, Question
from idle_quarry.app.widgets.basic.ask_bar import AskBar
from idle_quarry.app.widgets.basic.edit_tree import EditTree
from idle_quarry.app.widgets.basic.progress_bar import ProgressBar
from idle_quarry.app.widgets.basic.say_bar import SayBar
from idle_quarry.app.widgets.basic.tabs import Tabs
from idle_quarry.app.widgets.templates.findings import Findings
from idle_quarry.app.widgets.templates.sheet import Sheet
from idle_quarry.app.widgets.templates.strip import Strip
from idle_quarry.demo import make_clips
from idle_quarry.path.changes.edits import Edit
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.settings import settings_on

SALT = demo_template("Saltmarsh Hours")


@pytest.fixture
def app(qapp: QApplication) -> Iterator[QApplication]:
    prepare(qapp)
    theme.apply(qapp, "dim room", 100)
    yield qapp
    theme.apply(qapp, "dim room", 100)


def _findings() -> QWidget:
    result = Findings()
    result.show_evaluation(evaluate(SALT))
    return result


def _ask() -> QWidget:
    result = AskBar()
    result.put(Question("Name:", "Save", lambda _text, done: done(None)))
    return result


def _say() -> QWidget:
    result = SayBar()
    result.say("It was put aside.", action=("Undo", lambda: None))
    return result


def _progress() -> QWidget:
    result = ProgressBar()
    result.begin("measuring", lambda: None)
    result.step("measuring", 0.3, 12.0)
    return result


def _sheet() -> QWidget:
    result = Sheet(lambda _setting, _text: None)
    result.show_settings(settings_on(SALT, "working"), {})
    return result


def _strip() -> QWidget:
    result = Strip()
    result.show_evaluation(evaluate(SALT))
    return result


def _tree() -> QWidget:
    result = EditTree("Folders", ("Folder",))
    result.begin()
    result.add("a", ("Material",))
    result.end()
    return result


@pytest.mark.parametrize(
    "make", [_findings, _ask, _say, _progress, _sheet, _strip, _tree, lambda: Tabs(("One", "Two"))]
)
def test_a_widget_alone(make: Callable[[], QWidget], app: QApplication, qtbot: QtBot) -> None:
    widget = make()
    qtbot.addWidget(widget)
    widget.resize(700, 300)
    widget.show()
    qtbot.waitExposed(widget)
    controls = [
        item
        for kind in (QAbstractButton, QLineEdit, QComboBox)
        for item in widget.findChildren(kind)
        if item.isVisible()
    ]
    for control in controls:
        inside = isinstance(control.parent(), QComboBox) or control.objectName().startswith("qt_")
        assert inside or control.accessibleName() or (isinstance(control, QAbstractButton) and control.text()), control
        assert inside or control.height() >= 22, (control, control.height())
    reached = [
        item
        for item in (widget, *widget.findChildren(QWidget))
        if item.isVisible() and item.focusPolicy() & Qt.FocusPolicy.TabFocus
    ]
    assert reached, "the keyboard reaches it"
    if not controls:
        assert any(item.accessibleName() for item in (widget, *widget.findChildren(QWidget)))
    before, high = widget.grab().toImage(), widget.sizeHint().height()
    theme.apply(app, "office", 150)
    dress(widget)
    qtbot.wait(20)
    assert widget.grab().toImage() != before and widget.sizeHint().height() >= high
    theme.apply(app, "dim room", 100)
    dress(widget)
    qtbot.waitUntil(lambda: widget.sizeHint().height() == high)


def test_a_question_waits_for_its_answer_and_keeps_what_was_typed(app: QApplication, qtbot: QtBot) -> None:
    bar = AskBar()
    qtbot.addWidget(bar)
    waiting: list[Answered] = []
    bar.put(Question("Name:", "Save", lambda _text, done: waiting.append(done), value="Estuary"))
    assert bar.isVisible() and bar.line.selectedText() == "Estuary"
    QTest.keyClick(bar.line, Qt.Key.Key_Return)
    QTest.keyClick(bar.line, Qt.Key.Key_Return)
    assert len(waiting) == 1 and not bar.line.isEnabled(), "asked once"
    waiting[0]("There is one of that name.")
    assert bar.line.isEnabled() and bar.line.text() == "Estuary" and "of that name" in bar.refusal.text()
    QTest.keyClick(bar.line, Qt.Key.Key_Escape)
    assert not bar.isVisible()
    chosen: list[str] = []
    bar.put(Choice("Which?", {"This": lambda: chosen.append("this"), "That": lambda: chosen.append("that")}))
    press(bar, "That")
    assert chosen == ["that"] and not bar.isVisible()


def test_dressed_then_cured(open_window: Open, qtbot: QtBot) -> None:
    """After a change of looks a remedy in the Library does what it says, once."""
    window = open_window()
    desk = window.desk
    desk.shelf.choose(desk.library.find("Saltmarsh Hours").id)
    desk.profile.dress("office", 130)
    QTest.qWait(30)
    shown = window.view("Library").findChild(Findings)
    assert shown is not None
    row = next(
        n
        for n in range(shown.model.rowCount())
        if "Use RDD 36 Standard"
        in str(shown.model.index(n, 0).data(Qt.ItemDataRole.AccessibleTextRole) or shown.model.index(n, 0).data())
    )
    shown.list.setCurrentIndex(shown.model.index(row, 0))
    QTest.keyClick(shown.list, Qt.Key.Key_Return)
    assert desk.document is not None and desk.document.template.intermediate.codec == "rdd36-standard"
    assert desk.document.undo_stack.count() == 1
    desk.undo()
    desk.profile.dress("dim room", 100)


def test_two_views_show_one_document(open_window: Open) -> None:
    window = open_window()
    desk = window.desk
    desk.open_stored(desk.library.find("Saltmarsh Hours").id)
    for name in ("Proof", "Jobs", "Path"):
        window.show_view(name)
    strips = [strip for view in ("Path", "Proof") for strip in window.view(view).findChildren(Strip)]
    before = [strip.grab().toImage() for strip in strips]
    desk.edit("Name", Edit("working.name", "Conform"))
    window.show_view("Proof")
    edited = [strip.grab().toImage() for strip in strips]
    assert len(strips) == 2 and all(a != b for a, b in zip(before, edited, strict=True))
    desk.undo()
    window.show_view("Path")
    assert [strip.grab().toImage() for strip in strips] == before


def test_closed_while_something_runs_nothing_is_lost(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    desk = window.desk
    desk.open_stored(desk.library.find("House HD 50i").id)
    window.show_view("Proof")
    desk.edit("Level", Edit("sound.line_up_dbfs", -12.0))
    desk.intake.look_at([Path(make_clips.__file__).parent / "clips"])
    assert desk.intake.running
    window.close()
    desk.close()
    again = open_window()
    assert [item.template.sound.line_up_dbfs for item in again.desk.documents.unfinished()] == [-12.0]
    again.desk.open_stored(again.desk.library.find("House HD 50i").id)
    again.desk.path.ask_save()
    answer(path_of(again).ask, "as it was left")
    assert again.desk.document is not None and again.desk.document.base is not None
    assert again.desk.document.base.revision.note == "as it was left"
    assert not [item for item in again.findChildren(QPushButton) if item.text() == "Cancel" and item.isVisible()]

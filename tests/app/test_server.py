"""The window on a facility's server: another room's work arrives, and work goes on while the server is away."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot
from tests.app.conftest import answer, library_of, path_of
from tests.conftest import demo_template
from tests.postgres import PrivateServer

from idle_quarry.app.desk import Desk
from idle_quarry.app.preferences import Preferences
from idle_quarry.app.style import prepare
from idle_quarry.app.theme import theme
from idle_quarry.app.window import MainWindow
from idle_quarry.library.server import open_server
from idle_quarry.library.server.at_hand import AtHand
from idle_quarry.library.server.line import Line
from idle_quarry.library.server.setup import set_up
from idle_quarry.path.edits import Edit, edited

HD = demo_template("House HD 50i")


@pytest.fixture
def server() -> Iterator[PrivateServer]:
    made = PrivateServer()
    made.start()
    made.database("larkmoor")
    set_up(made.url("keeper", "larkmoor"), {"Runa": "editor", "Odo": "editor", "Tamsin": "approver"})
    yield made
    made.close()


@pytest.fixture
def window(server: PrivateServer) -> Iterator[MainWindow]:
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    prepare(app)
    theme.apply(app, "dim room", 100)
    desk = Desk(AtHand(server.url("Runa", "larkmoor"), "Runa"), Preferences())
    made = MainWindow(desk)
    made.show()
    yield made
    made.close()
    made.deleteLater()
    desk.close()


def test_a_room_on_the_server(
    server: PrivateServer, window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    desk = window.desk
    model = desk.shelf.rows
    qtbot.waitUntil(lambda: window.standing.text() == "Runa · larkmoor", timeout=20000)
    odo = open_server(server.url("Odo", "larkmoor"))
    ident = odo.save_new(HD, "house", "first").template_id
    qtbot.waitUntil(lambda: model.shown == 1, timeout=20000)  # another room's save is on the shelf
    desk.open_stored(ident)
    from idle_quarry.library.server import at_hand

    monkeypatch.setattr(at_hand, "data_folder", lambda: tmp_path)
    other = AtHand(server.url("Odo", "larkmoor"), "Odo")
    line = Line(other, lambda _news: None)
    line.works_on(ident)
    qtbot.waitUntil(lambda: "Odo is editing this" in path_of(window).about.text(), timeout=20000)
    line.close()
    other.close()

    server.stop(at_once=True)
    qtbot.waitUntil(lambda: "away from the server" in window.standing.text(), timeout=20000)
    assert "drafts and jobs go on" in window.say_bar.text and path_of(window).title.text() == HD.name
    assert desk.document is not None
    desk.document.apply("Line-up", Edit("sound.line_up_dbfs", -20.0))
    desk.path.ask_save()
    answer(path_of(window).ask)
    qtbot.waitUntil(lambda: not desk.server.writing, timeout=20000)
    assert window.standing.text().endswith("away from the server, 1 waiting")
    assert f"waits for the server: a draft of {HD.name}" in window.standing.toolTip()
    assert desk.document.base is not None and desk.document.base.revision.number == 2
    assert "kept here until the server is back" in window.say_bar.text
    desk.shelf.choose(ident)
    desk.shelf.act("propose", 2)  # needs the server
    bar = library_of(window).ask
    answer(bar)
    qtbot.waitUntil(lambda: "wait until it is back" in bar.refusal.text(), timeout=20000)

    server.start()
    odo = open_server(server.url("Odo", "larkmoor"))
    odo.save_revision(ident, edited(HD, Edit("note", "meanwhile")), "", parent=1)
    qtbot.waitUntil(lambda: window.standing.text() == "Runa · larkmoor", timeout=20000)
    assert "has everything that was saved here" in window.say_bar.text
    numbers = {each.author: each.number for each in odo.open_drafts(ident)}
    assert set(numbers) == {"Runa", "Odo"}
    assert (
        desk.document.base is not None and desk.document.base.revision.number == numbers["Runa"]
    )  # it stands on the server's
    assert not desk.document.dirty
    odo.close()


def test_a_server_that_falls_silent(server: PrivateServer, window: MainWindow, qtbot: QtBot) -> None:
    """What is saved waits, and says so; the window goes on meanwhile, and nothing is saved twice."""
    desk = window.desk
    qtbot.waitUntil(lambda: window.standing.text() == "Runa · larkmoor", timeout=20000)
    ident = desk.library.save_new(HD, "house", "first").template_id
    desk.open_stored(ident)
    server.silence()
    try:
        assert desk.document is not None and desk.edit("Line-up", Edit("sound.line_up_dbfs", -20.0))
        desk.path.ask_save()
        answer(path_of(window).ask, "line-up as the north wants it")
        assert desk.server.writing == 1 and window.standing.text() == "Runa · larkmoor · saving …"
        beats = _beats(window)
        qtbot.wait(1500)
        assert desk.server.writing == 1 and len(beats) > 20  # still waiting, and still drawing
        assert desk.edit("Line-up", Edit("sound.line_up_dbfs", -18.0)), "work goes on while the save waits"
        desk.undo()
        window.show_view("Jobs")
        window.show_view("Path")
    finally:
        server.speak()
    qtbot.waitUntil(lambda: not desk.server.writing, timeout=20000)
    assert window.standing.text() == "Runa · larkmoor" and not desk.document.dirty
    there = open_server(server.url("Odo", "larkmoor"))
    assert [each.note for each in there.revisions(ident)] == ["line-up as the north wants it", "first"]
    there.close()


def _beats(window: MainWindow) -> list[float]:
    """Return a list that grows each time the interface thread comes round, 30 ms apart while nothing holds it."""
    beats: list[float] = []
    timer = QTimer(window)
    timer.timeout.connect(lambda: beats.append(time.monotonic()))
    timer.start(30)
    return beats

"""The window on a facility's server: another room's work arrives, and work goes on while the server is away."""

from __future__ import annotations

import shutil
import time
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import pytest
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot
from tests.app.conftest import answer, library_of, path_of
from tests.app.test_cuts import a_job
from tests.conftest import demo_template
from tests.jobs.test_renders import SCAN, shot
from tests.postgres import PrivateServer

from idle_quarry.app.appearance.style import prepare
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.desk import Desk
from idle_quarry.app.preferences import Preferences
from idle_quarry.app.shell.window import MainWindow
from idle_quarry.app.views.jobs.view import JobsView
from idle_quarry.app.views.profile.view import ProfileView
from idle_quarry.jobs.check import check_job
from idle_quarry.jobs.cutting import edits
from idle_quarry.jobs.cutting.timeline_files import keep, read_timeline, timelines_in
from idle_quarry.jobs.lending.shared_folders import PROOF
from idle_quarry.jobs.material import taken_in, write_material
from idle_quarry.jobs.renders.render_folder import answer as settle_at
from idle_quarry.library.server import open_server
from idle_quarry.library.server.at_hand import AtHand
from idle_quarry.library.server.connection import ServerConnection
from idle_quarry.library.server.setup import set_up
from idle_quarry.path.changes.edits import Edit, edited

HD = demo_template("House HD 50i")


@pytest.fixture
def server() -> Iterator[PrivateServer]:
    result = PrivateServer()
    result.start()
    result.database("larkmoor")
    set_up(result.url("keeper", "larkmoor"), {"Runa": "editor", "Odo": "editor", "Tamsin": "approver"})
    yield result
    result.close()


@pytest.fixture
def window(server: PrivateServer) -> Iterator[MainWindow]:
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    prepare(app)
    theme.apply(app, "dim room", 100)
    desk = Desk(AtHand(server.url("Runa", "larkmoor"), "Runa"), Preferences())
    result = MainWindow(desk)
    result.show()
    yield result
    result.close()
    result.deleteLater()
    desk.close()


def test_a_room_on_the_server(
    server: PrivateServer, window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    desk = window.desk
    model = desk.shelf.rows
    qtbot.waitUntil(lambda: window.header.standing.text() == "Runa · larkmoor", timeout=20000)
    odo = open_server(server.url("Odo", "larkmoor"))
    ident = odo.save_new(HD, "house", "first").template_id
    qtbot.waitUntil(lambda: model.shown == 1, timeout=20000)  # another room's save is on the shelf
    desk.open_stored(ident)
    from idle_quarry.library.server import at_hand

    monkeypatch.setattr(at_hand, "data_folder", lambda: tmp_path)
    other = AtHand(server.url("Odo", "larkmoor"), "Odo")
    line = ServerConnection(other, lambda _news: None)
    line.works_on(ident)
    qtbot.waitUntil(lambda: "Odo is editing this" in path_of(window).about.text(), timeout=20000)
    line.close()
    other.close()

    server.stop(at_once=True)
    qtbot.waitUntil(lambda: "away from the server" in window.header.standing.text(), timeout=20000)
    assert "drafts and jobs go on" in window.say_bar.text and path_of(window).title.text() == HD.name
    assert desk.document is not None
    desk.document.apply("Line-up", Edit("sound.line_up_dbfs", -20.0))
    desk.path.ask_save()
    answer(path_of(window).ask)
    qtbot.waitUntil(lambda: not desk.writing, timeout=20000)
    assert window.header.standing.text().endswith("away from the server, 1 waiting")
    assert f"waits for the server: a draft of {HD.name}" in window.header.standing.toolTip()
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
    qtbot.waitUntil(lambda: window.header.standing.text() == "Runa · larkmoor", timeout=20000)
    assert "has everything that was saved here" in window.say_bar.text
    numbers = {open_draft.author: open_draft.number for open_draft in odo.open_drafts(ident)}
    assert set(numbers) == {"Runa", "Odo"}
    assert (
        desk.document.base is not None and desk.document.base.revision.number == numbers["Runa"]
    )  # it stands on the server's
    assert not desk.document.dirty
    odo.close()


def test_a_server_that_falls_silent(server: PrivateServer, window: MainWindow, qtbot: QtBot) -> None:
    """What is saved waits, and says so; the window goes on meanwhile, and nothing is saved twice."""
    desk = window.desk
    qtbot.waitUntil(lambda: window.header.standing.text() == "Runa · larkmoor", timeout=20000)
    ident = desk.library.save_new(HD, "house", "first").template_id
    desk.open_stored(ident)
    server.silence()
    try:
        assert desk.document is not None and desk.edit("Line-up", Edit("sound.line_up_dbfs", -20.0))
        desk.path.ask_save()
        answer(path_of(window).ask, "line-up as the north wants it")
        assert desk.writing == 1 and window.header.standing.text() == "Runa · larkmoor · saving …"
        beats = _beats(window)
        qtbot.wait(1500)
        assert desk.writing == 1 and len(beats) > 20  # still waiting, and still drawing
        assert desk.edit("Line-up", Edit("sound.line_up_dbfs", -18.0)), "work goes on while the save waits"
        desk.undo()
        window.show_view("Jobs")
        window.show_view("Path")
    finally:
        server.speak()
    qtbot.waitUntil(lambda: not desk.writing, timeout=20000)
    assert window.header.standing.text() == "Runa · larkmoor" and not desk.document.dirty
    there = open_server(server.url("Odo", "larkmoor"))
    assert [revision.note for revision in there.revisions(ident)] == ["line-up as the north wants it", "first"]
    there.close()


def _beats(window: MainWindow) -> list[float]:
    """Return a list that grows each time the interface thread comes round, 30 ms apart while nothing holds it."""
    beats: list[float] = []
    timer = QTimer(window)
    timer.timeout.connect(lambda: beats.append(time.monotonic()))
    timer.start(30)
    return beats


def test_other_machines_help_where_they_can_find_everything(
    server: PrivateServer, window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    desk = window.desk
    qtbot.waitUntil(lambda: window.header.standing.text() == "Runa · larkmoor", timeout=20000)
    desk.library.save_new(edited(demo_template("The Lamp Room"), Edit("timecode.line_up_length_s", 1)), "own", "")
    share = tmp_path / "share"
    share.mkdir()
    clip = Path(shutil.copy(SCAN, share / "scan.mov"))
    folder = a_job(window, share)
    write_material(folder, taken_in((), [clip]))
    path = timelines_in(folder)[0]
    result = read_timeline(path, Fraction(25))
    track = next(item.ident for item in result.tracks if item.kind == "picture")
    keep(path, edits.add(result, [(track, shot(clip, 0, 0, 6))]))
    cache = share / "cache"
    cache.mkdir()
    settle_at(check_job(folder), cache, system_disk=True)
    desk.jobs.reload()
    window.show_view("Jobs")
    view, jobs = window.view("Jobs"), desk.jobs
    assert isinstance(view, JobsView)
    page = view.renders
    jobs.choose(jobs.records[0].id)
    jobs.show_page("Renders")
    qtbot.waitUntil(page.alone.isVisible, timeout=30000)
    assert page.alone.text() == "This machine renders alone: others do not know where share lies."
    page.help_button.click()
    qtbot.waitUntil(lambda: not page.alone.isVisible(), timeout=30000)
    assert (share / PROOF).is_file()
    page.render_button.click()

    def stands(waiting: bool) -> bool:
        seen = jobs.renders.seen
        return seen is not None and bool(seen.waiting) == waiting and bool(seen.wanted) == waiting

    qtbot.waitUntil(lambda: stands(True), timeout=30000)
    qtbot.waitUntil(lambda: stands(False), timeout=120000)
    assert not (folder / ".renders.queue").exists(), "it was the house's"

    profile = window.view("Profile")
    assert isinstance(profile, ProfileView) and profile.lend.isVisibleTo(profile)
    desk.profile.lend("always", "night")
    assert desk.preferences.lend == "never", "no hours"
    desk.profile.lend("always", "")
    qtbot.waitUntil(lambda: desk.lending.words == "Lent: nothing is to be done.", timeout=30000)
    desk.profile.lend("never", "")
    assert desk.lending.words == ""

"""Parts of the window by themselves: documents, drafts, work on threads, the strip's words, evidence, the lanes."""

from __future__ import annotations

import gc
import re
import shutil
import threading
import time
import weakref
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
import shiboken6
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QImage, QPainter
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot
from tests.conftest import demo_template

from idle_quarry.app.appearance.theme import TEXT_SIZES, theme
from idle_quarry.app.background.folder_watch import FolderWatch
from idle_quarry.app.background.workers import Ticket, Workers
from idle_quarry.app.documents.document import Document
from idle_quarry.app.documents.draft_writer import DraftWriter
from idle_quarry.app.documents.drafts import Draft, Drafts
from idle_quarry.app.drawing.mini_strip import paint_mini_strip
from idle_quarry.app.drawing.strip_layout import lay_out
from idle_quarry.app.evidence.common import subject_of
from idle_quarry.app.evidence.panel import KINDS
from idle_quarry.app.preferences import Preferences
from idle_quarry.app.widgets.lanes.lanes import Lanes
from idle_quarry.app.widgets.templates.revisions import Revisions
from idle_quarry.demo.templates import house_shelf, own_shelf
from idle_quarry.errors import QuarryError
from idle_quarry.library.records import Revision
from idle_quarry.path.changes.edits import Edit
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.steps import plan
from idle_quarry.path.strip_words import station_lines, step_word
from idle_quarry.path.template import Template
from idle_quarry.signal.catalogue import standard_formats

ALL = [history[-1].template for history in [*house_shelf(), *own_shelf()]]
HD = demo_template("House HD 50i")


@pytest.fixture
def workers(qtbot: QtBot) -> Iterator[Workers]:
    result = Workers()
    yield result
    result.close()


EDITS = st.one_of(
    st.builds(lambda v: Edit("sound.line_up_dbfs", float(v)), st.integers(-30, -1)),
    st.builds(lambda v: Edit("working.format.bit_depth", v), st.sampled_from([8, 10, 12])),
    st.builds(lambda v: Edit("working.format.scan", v), st.sampled_from(["interlaced", "progressive", "psf"])),
    st.builds(
        lambda v: Edit("note", v),
        st.text(st.characters(exclude_characters="\0", exclude_categories=["Cs"]), max_size=12),
    ),
    st.builds(lambda v: Edit("timelines.main.tracks", HD.timelines[0].tracks[v:]), st.integers(0, 6)),
    st.just(Edit("sources.cameras.share", 300.0)),
)


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.one_of(EDITS, st.sampled_from(["undo", "redo"])), max_size=25))
def test_undo_is_a_walk_through_whole_values(tmp_path: Path, acts: list[Edit | str]) -> None:
    document = Document(HD, None, DraftWriter(Drafts(tmp_path / "l.db", "Runa")))
    past: list[Template] = [HD]
    at = 0
    for act in acts:
        if act == "undo":
            document.undo_stack.undo()
            at = max(0, at - 1)
        elif act == "redo":
            document.undo_stack.redo()
            at = min(len(past) - 1, at + 1)
        else:
            assert isinstance(act, Edit)
            try:
                document.apply("edit", act)
            except QuarryError:
                assert act.place == "sources.cameras.share"
            if document.template != past[at]:
                past = [*past[: at + 1], document.template]
                at += 1
        assert document.template == past[at]
        assert document.evaluation.template == document.template
    while document.undo_stack.canUndo():
        document.undo_stack.undo()
    assert document.template == HD


def test_the_newest_draft_is_kept_and_what_is_not_is_said_until_it_is(tmp_path: Path) -> None:
    drafts = Drafts(tmp_path / "l.db", "Runa")
    writer = DraftWriter(drafts)
    for number in range(200):
        writer.keep(Draft("one", HD, "one", number))
    writer.keep(Draft("two", ALL[0], None, None))
    writer.drop("two")
    assert writer.finish() == "" and [(d.key, d.revision) for d in drafts.all()] == [("one", 199)]
    shutil.rmtree(drafts._folder)
    drafts._folder.touch()  # as a disk that takes nothing
    writer.keep(Draft("one", HD, "one", 200))
    assert HD.name in writer.finish() and "cannot be kept" in writer.trouble
    writer.try_again()
    assert "cannot be kept" in writer.finish()
    writer._put("odd", "an odd one", lambda: [][0])  # nobody thought of it, and nobody waits for it for ever
    assert "an odd one" in writer.finish()
    writer.drop("odd")
    drafts._folder.unlink()
    writer.try_again()
    assert writer.finish() == "" and [d.revision for d in drafts.all()] == [200]


def test_drafts_are_whole_or_not_there(tmp_path: Path) -> None:
    drafts = Drafts(tmp_path / "l.db", "Runa")
    assert drafts.all() == []
    drafts.keep(Draft("one", HD, "one", 3))
    drafts.keep(Draft("new-x", ALL[0], None, None))
    (drafts._folder / "bad.json").write_text("{ cut")
    (drafts._folder / "old.json").write_text('{"key": "old"}')
    assert {(d.key, d.revision) for d in drafts.all()} == {("one", 3), ("new-x", None)}
    assert Drafts(tmp_path / "l.db", "Odo").all() == []  # another person's are their own
    drafts.drop("one")
    drafts.drop("never was")
    assert [d.key for d in drafts.all()] == ["new-x"]
    assert not list(drafts._folder.glob("*.part"))


def test_preferences_survive_damage() -> None:
    kept = Preferences(brightness="office", text_percent=130, view="Jobs")
    kept.save()
    assert Preferences.load() == kept
    from idle_quarry.app.preferences import _file

    for text in ("", "[]", '{"text_percent": "huge", "brightness": 7}', "\x00\x01"):
        _file().write_text(text)
        assert Preferences.load() == Preferences()
    _file().unlink()


def test_work_answers_on_the_interface_thread(qtbot: QtBot, workers: Workers) -> None:
    text: list[tuple[str, object]] = []

    def work(ticket: Ticket) -> int:
        assert threading.current_thread() is not threading.main_thread()
        ticket.progress("half", 0.5)
        return 42

    def done(value: int) -> None:
        assert threading.current_thread() is threading.main_thread()
        text.append(("done", value))

    workers.start(
        work, done, lambda error: text.append(("failed", str(error))), lambda what, share: text.append((what, share))
    )
    qtbot.waitUntil(lambda: ("done", 42) in text)
    assert text == [("half", 0.5), ("done", 42)]

    def refuse(_ticket: Ticket) -> None:
        raise QuarryError("no", subject="this")

    workers.start(refuse, done, lambda error: text.append(("failed", str(error))))
    qtbot.waitUntil(lambda: ("failed", "this: no") in text)


def test_cancelled_work_stops_and_never_answers(qtbot: QtBot, workers: Workers) -> None:
    steps: list[int] = []
    text: list[str] = []

    def work(ticket: Ticket) -> str:
        for number in range(1000):
            steps.append(number)
            ticket.progress("on", number / 1000)
            time.sleep(0.005)
        return "finished"

    ticket = workers.start(work, lambda value: text.append(str(value)), lambda error: text.append(str(error)))
    qtbot.waitUntil(lambda: len(steps) > 3)
    ticket.cancel()
    qtbot.waitUntil(lambda: bool(text))
    assert "nothing was left behind" in text[0] and len(steps) < 900


def test_every_step_and_station_has_its_words() -> None:
    for a in standard_formats():
        for b in standard_formats()[::3]:
            for step in plan(a.format, b.format).steps:
                word = step_word(step)
                assert word and len(word) < 30
    for template in ALL:
        for station in evaluate(template).stations:
            name, second, third = station_lines(station)
            assert name and second and third
            if station.format.scan == "interlaced":
                assert re.search(r"\d{3,4}i\d", second) and "fields/s" in third


@pytest.mark.parametrize("template", ALL, ids=lambda template: template.name)
@pytest.mark.parametrize("percent", TEXT_SIZES)
def test_evidence_is_painted_for_every_link(template: Template, percent: int, qtbot: QtBot) -> None:
    theme.percent = percent
    try:
        evaluation = evaluate(template)
        for station in evaluation.stations:
            subject = subject_of(evaluation, station.id)
            for paint in KINDS.values():
                image = QImage(720, 320, QImage.Format.Format_RGB32)
                image.fill(0)
                painter = QPainter(image)
                paint(painter, QRectF(image.rect()), subject)
                painter.end()
                assert len({image.pixel(x, y) for x in range(0, 720, 9) for y in range(0, 320, 7)}) > 2
    finally:
        theme.percent = 100


def test_small_strips_share_one_scale(qtbot: QtBot) -> None:
    sizes = {}
    for template in ALL:
        image = QImage(400, 60, QImage.Format.Format_RGB32)
        image.fill(0)
        painter = QPainter(image)
        paint_mini_strip(painter, evaluate(template), QRectF(image.rect()), 0.0165)
        painter.end()
        sizes[template.name] = lay_out(evaluate(template), 1280, 236, scale=0.02)
    uhd, hd = (
        next(p.frame for p in sizes[name].stations if p.station.id == "working")
        for name in ("House UHD HLG 50p", "House HD 50i")
    )
    assert uhd.height() / hd.height() == pytest.approx(2, rel=0.06)


def test_the_core_and_the_lanes(qtbot: QtBot) -> None:
    core = Revisions()
    qtbot.addWidget(core)
    revisions = [
        Revision("x", n, "Runa", "2026-11-24T00:00:00+00:00", f"note {n}", state, "0" * 64, changed=n * 3)
        for n, state in ((4, "withdrawn"), (3, "in review"), (2, "draft"), (1, "approved"))
    ]
    core.show_revisions(revisions, {2: 1}, 4)
    core.resize(core.sizeHint())
    core.show()
    chosen: list[int] = []
    core.chosen.connect(lambda number, _second: chosen.append(number))
    heights = [rect.height() for rect, _ in core._segments()]
    assert heights == sorted(heights, reverse=True)  # taller where more was changed
    drawn = {core.grab(rect.toRect()).toImage().pixelColor(15, 15).name() for rect, _ in core._segments()}
    assert len(drawn) > 1  # states differ by form, not by a word alone
    third, fourth = (core._segments()[row][0].center().toPoint() for row in (2, 3))
    QTest.mouseClick(core, Qt.MouseButton.LeftButton, pos=third)
    assert chosen == [2] and "note 2" in core.accessibleDescription()
    QTest.mouseClick(core, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, fourth)
    assert (core.selected, core.second) == (2, 1) and "beside revision 1" in core.accessibleDescription()
    lanes = Lanes()
    qtbot.addWidget(lanes)
    for template in ALL:
        lanes.show_template(template)
        lanes.resize(800, lanes.sizeHint().height())
        assert not lanes.grab().isNull()
        assert all(timeline.name in lanes.accessibleDescription() for timeline in template.timelines)


def test_an_answer_to_a_closed_widget_is_dropped(qtbot: QtBot, workers: Workers) -> None:
    """A window that closes, or is dressed anew, while work is under way hears no more of it."""

    class Asking(QWidget):
        heard = 0

        def answered(self, _value: object) -> None:
            Asking.heard += 1
            self.update()

    release = threading.Event()
    gone, there = Asking(), Asking()
    qtbot.addWidget(there)
    for widget in (gone, there):
        workers.start(lambda _ticket: release.wait(5), widget.answered, lambda _error: None)
    shiboken6.delete(gone)
    release.set()
    qtbot.waitUntil(lambda: Asking.heard == 1, timeout=5000)
    qtbot.wait(50)
    assert Asking.heard == 1


def test_circles_that_hold_pictures_go_at_rest(qtbot: QtBot, tmp_path: Path) -> None:
    """Python's own collector counts objects: a few of them can hold a hundred megabytes for as long as one works. A
    rest comes also while a folder is watched, which never ends.
    """

    class Circle:
        picture = np.zeros(0, np.uint8)

    workers = Workers()
    watch = FolderWatch(tmp_path, workers)
    one, other = Circle(), Circle()
    one.other, other.other = other, one  # type: ignore[attr-defined]
    one.picture = np.ones(100_000_000, np.uint8)
    gone = weakref.ref(one)
    enabled = gc.isenabled()
    gc.disable()
    try:
        del one, other
        workers.rest_soon()
        qtbot.waitUntil(lambda: gone() is None, timeout=10_000)
    finally:
        if enabled:
            gc.enable()
        watch.stop()
        workers.close()

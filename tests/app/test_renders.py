"""Renders in the real window: asked where, made by workers, told piece by piece, played, removed."""

from __future__ import annotations

import re
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytest import MonkeyPatch
from pytestqt.qtbot import QtBot
from tests.app.conftest import Open, press
from tests.app.test_cuts import a_job
from tests.jobs.test_renders import SCAN, TAPE, black, shot

from idle_quarry.app.drawing.lanes.render_lanes import runs_of
from idle_quarry.app.models.jobs.jobs import Jobs
from idle_quarry.app.models.jobs.renders.renders import Renders
from idle_quarry.app.models.jobs.renders.snapshot import PieceRow, RendersSnapshot
from idle_quarry.app.models.jobs.renders.words import (
    cost_words,
    doing_words,
    lane_words,
    stale_words,
    state_words,
    where_words,
)
from idle_quarry.app.models.jobs.trial.renders import NOT_RENDERED
from idle_quarry.app.models.jobs.trial.sides import LOWER
from idle_quarry.app.views.jobs.renders_page import RendersPage
from idle_quarry.app.views.jobs.view import JobsView
from idle_quarry.jobs.cutting import edits
from idle_quarry.jobs.cutting.timeline_files import keep, read_timeline, timelines_in
from idle_quarry.jobs.material import taken_in, write_material
from idle_quarry.jobs.renders.pieces import Canvas, Piece, PieceState
from idle_quarry.jobs.renders.recipe import ClipFrames
from idle_quarry.jobs.renders.render_folder import RenderFolder
from idle_quarry.jobs.renders.status import PieceStatus, Programme
from idle_quarry.jobs.renders.store import RenderedPiece
from idle_quarry.media.inspecting import inspect
from idle_quarry.media.stills import FrameSource, shown
from idle_quarry.path.policies import Policy
from idle_quarry.path.template_parts import Intermediate
from idle_quarry.sound.playing import SpeakerStandIn


def states(model: Renders) -> list[str]:
    return [row.stood.state for row in model.seen.rows] if model.seen is not None else []


def asks_where_renders_go(
    qtbot: QtBot, monkeypatch: MonkeyPatch, cache: Path, model: Renders, page: RendersPage
) -> None:
    """Where they shall go is asked, and what was wanted is done when that is answered."""
    monkeypatch.setattr(
        "idle_quarry.app.views.jobs.renders_page.QFileDialog.getExistingDirectory", lambda *_rest: str(cache)
    )
    QTest.mouseClick(page.render_button, Qt.MouseButton.LeftButton)
    assert page.ask.isVisible() and "Where shall renders go?" in page.ask.question.text()
    press(page.ask, "Choose a folder")
    qtbot.waitUntil(lambda: model.seen is not None and str(cache) in model.seen.settled.why + where_words(model.seen))
    if page.ask.isVisible():  # it lies on the disk of the system
        press(page.ask, "Fill that disk")
    qtbot.waitUntil(lambda: states(model) == [PieceState.RENDERED] * 3, timeout=120000)
    qtbot.waitUntil(lambda: page.cost.text() == "Nothing is left to render.", timeout=20000)
    assert not page.ask.isVisible() and not page.render_button.isEnabled() and not page.pause_button.isVisible()
    assert page.rows.index(0, 5).data() == "rendered" and "kB rendered" in page.where.text()
    QTest.keyClick(page.lanes, Qt.Key.Key_Right)
    QTest.keyClick(page.lanes, Qt.Key.Key_Right)
    assert [row.stood.piece.first for row in page.chosen()] == [5]


def trial_plays_what_is_rendered(qtbot: QtBot, view: JobsView, jobs: Jobs) -> None:
    """Trial shows what is rendered, and plays it: the very pictures of its file."""
    QTest.mouseClick(view.tabs.buttons["Trial"], Qt.MouseButton.LeftButton)
    trial = jobs.trial
    qtbot.waitUntil(lambda: trial.opened[LOWER] is not None, timeout=60000)
    opened = trial.opened[LOWER]
    assert opened is not None
    qtbot.waitUntil(
        lambda: [item.state for item in trial.pieces.of(opened)] == [PieceState.RENDERED] * 3, timeout=20000
    )
    trial.playhead.go(6)

    def played() -> bool:
        seen = trial.player.seen
        return seen is not None and seen.frame == 6 and not seen.quick and seen.rgb is not None

    qtbot.waitUntil(played, timeout=20000)
    there = trial.pieces.at(opened.path, opened.timeline, 6)
    assert there is not None and there[1] == 1
    with FrameSource(inspect(there[0])) as source:
        picture = source.frame(1)
        assert picture is not None and trial.player.seen is not None
        np.testing.assert_array_equal(trial.player.seen.rgb, shown(picture, source.clip))
    first = next(iter(opened.timeline.items))[1].ident
    opened.edit("slip", lambda timeline: edits.slip(timeline, first, 2))
    qtbot.waitUntil(
        lambda: (
            [item.state for item in trial.pieces.of(opened)]
            == [PieceState.MISSED, PieceState.RENDERED, PieceState.RENDERED]
        ),
        timeout=20000,
    )
    trial.playhead.go(14)
    trial.sought = NOT_RENDERED
    trial.find()
    assert trial.playhead.frame == 0


def unseen_is_removed(qtbot: QtBot, view: JobsView, model: Renders, page: RendersPage) -> None:
    """What nothing shows any more is told and removed; undone, its piece is missed."""
    QTest.mouseClick(view.tabs.buttons["Renders"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "1 piece that no timeline shows" in page.stale.text(), timeout=20000)
    QTest.mouseClick(page.stale_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not page.stale_button.isVisible(), timeout=20000)
    page.table.selectRow(2)
    assert page.remove_button.isEnabled()
    QTest.mouseClick(page.remove_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: states(model) == [PieceState.MISSED, PieceState.RENDERED, PieceState.MISSED], timeout=20000)


def paused_and_given_up(qtbot: QtBot, path: Path, model: Renders, page: RendersPage) -> None:
    """Paused it waits, and can be given up."""
    model.render_slowest()
    model.pause(True)
    qtbot.waitUntil(lambda: model.seen is not None and model.seen.paused and model.seen.waiting > 0, timeout=20000)
    assert page.cost.text().startswith("Paused: ") and page.pause_button.text() == "Go on"
    QTest.mouseClick(page.cancel_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: model.seen is not None and not model.seen.waiting, timeout=20000)
    model.pause(False)
    model.render_from(path.stem, 12)
    qtbot.waitUntil(lambda: states(model) == [PieceState.RENDERED] * 3, timeout=120000)


def test_a_programme_is_rendered_played_and_cleared(
    open_window: Open, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = open_window()
    folder, cache = a_job(window, tmp_path), tmp_path / "cache"
    cache.mkdir()
    write_material(folder, taken_in((), [TAPE, SCAN]))
    path = timelines_in(folder)[0]
    result = read_timeline(path, Fraction(25))
    track = next(item.ident for item in result.tracks if item.kind == "picture")
    for ident, clip in enumerate((TAPE, SCAN, TAPE)):
        result = edits.add(result, [(track, shot(clip, 0, 0, 5, 3 * ident))])
    keep(path, result)
    window.desk.jobs.reload()
    window.show_view("Jobs")
    view = window.view("Jobs")
    assert isinstance(view, JobsView)
    jobs, model, page = window.desk.jobs, window.desk.jobs.renders, view.renders
    jobs.trial.player.speaker = SpeakerStandIn
    jobs.choose(jobs.records[0].id)
    QTest.mouseClick(view.tabs.buttons["Renders"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: bool(states(model)), timeout=60000)
    assert states(model) == [PieceState.MISSED] * 3 and "which is not there" in page.where.text()
    assert page.cost.text().startswith("To render: 3 pieces, 1 s of programme, ") and "at a guess" in page.cost.text()
    assert page.rows.rowCount() == 3 and page.rows.index(1, 3).data() == SCAN.name
    asks_where_renders_go(qtbot, monkeypatch, cache, model, page)
    trial_plays_what_is_rendered(qtbot, view, jobs)
    unseen_is_removed(qtbot, view, model, page)
    paused_and_given_up(qtbot, path, model, page)


def test_how_renders_stand_is_said(tmp_path: Path) -> None:
    recipe = black(250)
    canvas = Canvas(recipe.format, recipe.codec)
    pieces = (
        Piece(0, 250, PieceState.EXACT),
        Piece(250, 500, PieceState.MISSED, recipe),
        Piece(500, 750, PieceState.MISSED, recipe),
    )
    programme = Programme("Main", None, canvas, pieces)
    row = PieceRow(programme, PieceStatus(pieces[1], PieceState.RENDERING, done=125, worker="other 12"))
    seen = RendersSnapshot(
        RenderFolder(None, tmp_path, "x is not there"), (programme,), (row,), waiting=2, paces={recipe.plan: 0.4}
    )
    assert where_words(seen) == "X is not there." and doing_words(seen) == "Rendering: 2 pieces left, about 50 s."
    assert state_words(row.stood) == "rendering, 50 % on other" and lane_words(seen, "Main") == "cannot be read"
    kept = RenderedPiece("0", tmp_path, 5_000_000, recipe, 0.0)
    assert stale_words(replace(seen, stale=(kept, kept))) == "2 pieces that no timeline shows: 10 MB"
    assert doing_words(replace(seen, full="the disk is full: wait")) == "The disk is full: wait."
    long = replace(recipe, frames=7500 * 25 // 2)
    wanted = (long, replace(long, shown=ClipFrames("x", "x", recipe.format, Policy(), Fraction(0))))
    text = cost_words(replace(seen, wanted=wanted, paces={item.plan: 9000 / 2 / long.frames for item in wanted}))
    assert re.fullmatch(r"To render: 2 pieces, 2\.1 h of programme, \d+ GB, about 2\.5 h\.", text), text
    stand = [
        PieceStatus(piece, state)
        for piece, state in zip(pieces, (PieceState.EXACT, PieceState.RENDERED, PieceState.RENDERED), strict=True)
    ]
    assert [(run.piece.first, run.piece.last) for run in runs_of(stand)] == [(0, 250), (250, 750)]
    for when, pace, meant in (
        ("by hand", 9.0, False),
        ("everything", 0.001, True),
        ("where playing is too slow", 0.03, False),
        ("where playing is too slow", 0.05, True),
    ):
        plan = Intermediate(codec="v210", when=when)  # type: ignore[arg-type]
        alone = replace(seen, wanted=(recipe,), paces={recipe.plan: pace})
        assert bool(alone.wanted_by_itself(plan)) is meant

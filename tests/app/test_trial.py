"""A job tried in the real window: clips dropped, marked and laid by keys and by mouse, trimmed by numbers, found,
undone, kept.
"""

from __future__ import annotations

import shutil
from fractions import Fraction
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot
from tests.app.conftest import Open, let_drop, press
from tests.app.test_cuts import a_job
from tests.conftest import CLIPS

from idle_quarry.app.models.jobs.trial.acts import PLACE, WITHIN
from idle_quarry.app.models.jobs.trial.open_timeline import OpenTimeline
from idle_quarry.app.models.jobs.trial.sides import CLIPS as CLIP
from idle_quarry.app.models.jobs.trial.sides import LOWER, UPPER
from idle_quarry.app.models.jobs.trial.trial import Trial
from idle_quarry.app.views.jobs.trial_page import TrialPage
from idle_quarry.app.views.jobs.view import JobsView
from idle_quarry.app.widgets.lanes.trial_lanes import TrialLanes
from idle_quarry.jobs.check import check_job
from idle_quarry.jobs.cutting.timeline import TimelineItem
from idle_quarry.jobs.cutting.timeline_files import read_timeline
from idle_quarry.signal.rasters import Raster
from idle_quarry.sound.playing import SpeakerStandIn

NAMES = ("lamp tape 014.mpg", "lamp scan 3.mov", "lamp tape 021 wide.mpg", "lamp tape 030 letterbox.mpg")


def tried(open_window: Open, qtbot: QtBot, tmp_path: Path) -> tuple[TrialPage, Path]:
    """Open the Trial of a job whose folder of rushes lies beside it."""
    window = open_window()
    folder = a_job(window, tmp_path)
    jobs = window.desk.jobs
    jobs.reload()
    window.show_view("Jobs")
    view = window.view("Jobs")
    assert isinstance(view, JobsView)
    jobs.choose(jobs.records[0].id)
    jobs.trial.player.speaker = SpeakerStandIn
    qtbot.waitUntil(lambda: jobs.trial.job is not None, timeout=20000)
    QTest.mouseClick(view.tabs.buttons["Trial"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: jobs.trial.opened[LOWER] is not None and view.trial.isVisible(), timeout=20000)
    return view.trial, folder


def drop(widget: QWidget, paths: list[Path], at: QPointF) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    none = Qt.KeyboardModifier.NoModifier
    let_drop(widget, QDropEvent(at, Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, none))


def pieces(page: TrialPage, side: str, track: str = "Picture") -> list[tuple[str, int, int]]:
    opened = page.model.opened[side]
    assert opened is not None
    lane = next(element for element in opened.timeline.tracks if element.name == track)
    return [(item.name, item.at, item.length) for item in lane.items]


def keys(page: TrialPage, *pressed: str) -> None:
    """Press keys as they are bound on the page."""
    for key in pressed:
        page.shortcuts[key].activated.emit()


def command(page: TrialPage, name: str) -> None:
    commands = page.window().acting.commands  # type: ignore[attr-defined]
    next(item for item in commands if item.name == name).carry_out(page.model.door.say)


def lanes(page: TrialPage, side: str) -> TrialLanes:
    return page.sides[side].lanes


def asks_once_what_fits_no_class(
    qtbot: QtBot, page: TrialPage, model: Trial, rushes: Path, selections: OpenTimeline
) -> OpenTimeline:
    """A clip that fits no class asks once, in place, and the answer is kept; the template stays as it is."""
    keys(page, "N")
    assert model.clip == rushes / "lamp tape 021 wide.mpg"
    keys(page, "A")
    assert page.ask.isVisible() and "no source of the template" in page.ask.question.text()
    assert len(pieces(page, UPPER)) == 2
    next(button for button in page.ask.buttons if button.text().startswith("As Tape archive (lossy")).click()
    qtbot.waitUntil(lambda: len(pieces(page, UPPER)) == 3, timeout=30000)
    keys(page, "Shift+I")

    # what is chosen above flows into the programme below
    model.look_at(UPPER)
    selections.go(0)
    keys(page, "I")
    selections.go(29)
    keys(page, "O", "A")
    assert pieces(page, LOWER) == [("lamp scan 3", 0, 10), ("lamp tape 014", 10, 20)]
    keys(page, "W")
    assert model.side == LOWER
    programme = model.opened[LOWER]
    assert programme is not None
    return programme


def template_stands_beside(qtbot: QtBot, page: TrialPage, model: Trial, programme: OpenTimeline) -> TimelineItem:
    """What the template does stands beside."""
    programme.go(12)
    track, under, row = model.at_playhead.under()
    assert track is not None and under is not None and row is not None and row.source is not None
    assert (under.name, row.source.name) == ("lamp tape 014", "Tape archive")
    assert "lamp tape 014 on Picture" in page.under.what.text() and page.under.prove_button.isVisible()
    qtbot.waitUntil(lambda: model.player.seen is not None and model.player.seen.frame == 12, timeout=20000)
    seen = model.player.seen
    assert seen is not None and seen.rgb is not None and seen.quick
    left, _, width, height = seen.place
    assert 0.11 < left < 0.14 and width < 0.78 and 0.9 < height < 1.1, "4:3 stands between its sides in 16:9"
    return under


def trimmed_by_numbers(page: TrialPage, programme: OpenTimeline, under: TimelineItem) -> None:
    """Trimmed by numbers, moved, slipped; what follows goes along where it is to."""
    programme.choose(frozenset([under.ident]))
    keys(page, "-")
    QTest.keyClicks(page.number, "5")
    QTest.keyClick(page.number, Qt.Key.Key_Return)
    assert pieces(page, LOWER)[1] == ("lamp tape 014", 10, 15)
    page.number.setText("+1s")
    page.moved.setCurrentText(PLACE)
    page._number_typed()
    assert pieces(page, LOWER)[1] == ("lamp tape 014", 35, 15)
    page.number.setText("+4")
    page.moved.setCurrentText(WITHIN)
    page._number_typed()
    assert programme.timeline.item(under.ident)[1].begins == under.begins + 4
    page.number.setText("twelve")
    page._number_typed()
    assert "typed as +12" in page.window().say_bar.text  # type: ignore[attr-defined]


def each_edit_is_undone(page: TrialPage, programme: OpenTimeline, under: TimelineItem) -> None:
    """Found, marked, split, taken out, switched; every one undone."""
    page.find_line.setText("tape archive")
    programme.go(0)
    keys(page, "F3")
    assert programme.frame == 35 and programme.chosen == {under.ident}
    page.find_line.setText("no such thing")
    keys(page, "F3")
    assert programme.frame == 35
    before = programme.timeline
    programme.choose(frozenset())
    programme.go(40)
    keys(page, "S", "M")
    assert [piece[1:] for piece in pieces(page, LOWER)] == [(0, 10), (35, 5), (40, 10)]
    programme.go(0)
    keys(page, "Shift+Down")
    assert programme.frame == 40
    keys(page, "Up")
    assert programme.frame == 35
    keys(page, "[")
    programme.go(0)
    keys(page, "I")
    programme.go(34)
    keys(page, "O", "X")
    assert [piece[1:] for piece in pieces(page, LOWER)] == [(0, 5), (5, 10)]
    keys(page, "D")
    assert not next(item.enabled for _, item in programme.timeline.items if item.at == 0)
    while programme.timeline != before:
        command(page, "Undo")
    command(page, "Redo")
    assert len(pieces(page, LOWER)) == 3


def carried_by_keys(page: TrialPage, programme: OpenTimeline, under: TimelineItem) -> TimelineItem:
    """Chosen and carried from track to track without the mouse."""
    programme.choose(frozenset())
    programme.go(36)
    keys(page, "Return")
    assert programme.chosen == {under.ident}
    keys(page, "PgUp", "PgUp", "PgDown")
    assert pieces(page, LOWER, "Inserts") == [("lamp tape 014", 35, 5)] and len(pieces(page, LOWER)) == 2
    keys(page, "PgDown", "Shift+PgUp")
    assert programme.timeline.track(programme.aims["picture"]).name == "Inserts"
    keys(page, "Shift+PgDown", "Shift+PgDown")
    assert programme.timeline.track(programme.aims["picture"]).name == "Picture", "there is none below"

    # named, noted, coloured, marked in words
    programme.choose(frozenset())
    programme.go(36)
    for key, words in (("F2", "the lamp"), ("Shift+F2", "to be graded"), ("Shift+M", "here")):
        keys(page, key)
        page.ask.line.setText(words)
        page.ask.enter()
    keys(page, "C")
    next(element for element in page.ask.buttons if element.text() == "amber").click()
    item = programme.timeline.item(under.ident)[1]
    assert (item.name, item.note, item.colour) == ("the lamp", "to be graded", "amber")
    assert "here" in [mark.text or mark.name for mark in programme.timeline.markers]
    page.find_line.setText("graded")
    programme.go(0)
    keys(page, "F3")
    assert programme.frame == 35
    return item


def lost_file_is_found_again(
    qtbot: QtBot,
    tmp_path: Path,
    page: TrialPage,
    folder: Path,
    model: Trial,
    rushes: Path,
    programme: OpenTimeline,
    under: TimelineItem,
    item: TimelineItem,
) -> None:
    """A file that is lost is found again, at the same timecodes."""
    moved = tmp_path / "elsewhere.mpg"
    (rushes / "lamp tape 014.mpg").rename(moved)
    model.material.look_again()
    qtbot.waitUntil(lambda: model.clips.costs.cost_of(item) == "missing" and not model.material.doing, timeout=30000)
    qtbot.waitUntil(page.under.link_button.isVisible, timeout=5000)
    model.item_words.relink(moved)
    qtbot.waitUntil(lambda: programme.undoable == "link to another file", timeout=20000)
    relinked = programme.timeline.item(under.ident)[1]
    assert relinked.media is not None and relinked.media.path == str(moved) and relinked.begins == item.begins
    qtbot.waitUntil(lambda: model.clips.costs.cost_of(relinked) == "lossy", timeout=30000)

    # opened before its clips were looked at, it shows them when they were
    model.material.rows = []
    model.look_at(LOWER)
    qtbot.waitUntil(
        lambda: model.player.seen is not None and "not among the job's" in model.player.seen.words, timeout=20000
    )
    model.material.look_again()
    qtbot.waitUntil(lambda: model.player.seen is not None and model.player.seen.rgb is not None, timeout=30000)

    # its file has followed, and the check of the job takes it for work
    qtbot.waitUntil(lambda: programme.kept_words.startswith("kept") and not programme._keeping, timeout=20000)
    assert read_timeline(programme.path, Fraction(25)) == programme.timeline
    assert check_job(folder).drift == ()
    assert len(model.acts.earlier()) > 1
    model.acts.go_back_to(model.acts.earlier()[-1])
    qtbot.waitUntil(lambda: not pieces(page, LOWER), timeout=20000)
    command(page, "Undo")
    assert len(pieces(page, LOWER)) == 3


def test_a_programme_is_built_without_the_mouse_and_flows_on(open_window: Open, qtbot: QtBot, tmp_path: Path) -> None:
    page, folder = tried(open_window, qtbot, tmp_path)
    model = page.model
    rushes = tmp_path / "rushes"
    rushes.mkdir()
    for name in NAMES:
        shutil.copy(CLIPS / name, rushes)
    qtbot.waitUntil(page.clips.empty.isVisible, timeout=20000)
    drop(page, [rushes], QPointF(5, 5))
    qtbot.waitUntil(lambda: len(model.material.rows) == 4 and not model.material.doing, timeout=60000)
    assert page.clips.list.count() == 4 and page.clips.list.item(0).text().startswith(
        "lamp scan 3.mov\nFilm scans · lossy"
    )

    # marked, added, the next: without the mouse
    press(page, "New timeline")
    page.ask.line.setText("Selections")
    page.ask.enter()
    qtbot.waitUntil(lambda: model.opened[UPPER] is not None, timeout=20000)
    model.look_at(UPPER)
    keys(page, "N")
    assert model.side == CLIP and model.clip == rushes / "lamp scan 3.mov"
    model.playhead.go(5)
    keys(page, "I")
    model.playhead.go(14)
    keys(page, "O", "A", "N")
    assert model.clip == rushes / "lamp tape 014.mpg"
    model.playhead.go(2)
    keys(page, "I")
    model.playhead.go(21)
    keys(page, "O", "A")
    assert pieces(page, UPPER) == [("lamp scan 3", 0, 10), ("lamp tape 014", 10, 20)]
    selections = model.opened[UPPER]
    assert selections is not None
    begun = [item.begins - item.media.first for _, item in selections.timeline.items if item.media is not None]
    assert begun == [5, 2], "what was marked is shown"
    programme = asks_once_what_fits_no_class(qtbot, page, model, rushes, selections)
    under = template_stands_beside(qtbot, page, model, programme)
    trimmed_by_numbers(page, programme, under)
    each_edit_is_undone(page, programme, under)
    item = carried_by_keys(page, programme, under)
    lost_file_is_found_again(qtbot, tmp_path, page, folder, model, rushes, programme, under, item)


def count_and_names_are_clicked(qtbot: QtBot, page: TrialPage, model: Trial, lower: TrialLanes) -> None:
    """A click in the count goes there; one on a name lays on that track from now on."""
    QTest.mouseClick(
        lower, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(int(lower.scale.x(20)) + 1, 8)
    )
    assert model.side == LOWER and model.playhead.frame == 20
    graphics = next(row for row in lower.rows() if row.track.name == "Graphics")
    QTest.mouseClick(
        lower, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(20, int(graphics.top + 5))
    )
    assert graphics.track.ident in model.opened[LOWER].aims.values()  # type: ignore[union-attr]
    # closer, and along
    wide = lower.scale.frame
    keys(page, "E")
    assert lower.scale.frame > wide
    keys(page, "T")

    # by real keys, where the lanes have the keyboard; a letter in a line stays a letter
    lower.setFocus()
    before = model.playhead.frame
    QTest.keyClick(lower, Qt.Key.Key_Left)
    assert model.playhead.frame == before - 1
    QTest.keyClick(lower, Qt.Key.Key_I)
    assert model.opened[LOWER].mark_in == before - 1  # type: ignore[union-attr]
    QTest.keyClick(lower, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert not pieces(page, LOWER, "Inserts"), "undone by the window's own key"
    QTest.keyClick(lower, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert pieces(page, LOWER, "Inserts")
    page.find_line.setFocus()
    QTest.keyClicks(page.find_line, "limb")
    assert page.find_line.text() == "limb" and model.opened[LOWER].mark_in == before - 1  # type: ignore[union-attr]
    command(page, "Trial: no in and out (Shift+I)")
    assert model.opened[LOWER].mark_in is None  # type: ignore[union-attr]

    # it plays, and holds; field by field
    model.look_at(LOWER)
    model.playhead.go(model.opened[LOWER].timeline.end - 12)  # type: ignore[union-attr]
    begin = model.playhead.frame
    keys(page, "L")
    qtbot.waitUntil(lambda: model.playhead.frame > begin + 3, timeout=20000)
    keys(page, "K", "F")
    assert model.player.speed == 0 and model.player.by_field and "field by field" in page.player.state.text()


def test_by_hand_pieces_are_dropped_moved_trimmed_and_handed_over(
    open_window: Open, qtbot: QtBot, tmp_path: Path
) -> None:
    page, _folder = tried(open_window, qtbot, tmp_path)
    model = page.model
    press(page, "New timeline")
    page.ask.line.setText("Selections")
    page.ask.enter()
    qtbot.waitUntil(lambda: model.opened[UPPER] is not None, timeout=20000)
    upper, lower = lanes(page, UPPER), lanes(page, LOWER)
    clip = shutil.copy(CLIPS / "lamp scan 3.mov", tmp_path)
    picture = next(row for row in upper.rows() if row.track.name == "Picture")
    drop(upper, [Path(clip)], QPointF(upper.scale.x(30), (picture.top + picture.foot) / 2))
    qtbot.waitUntil(lambda: len(pieces(page, UPPER)) == 1, timeout=60000)
    name, at, length = pieces(page, UPPER)[0]
    assert (name, at) == ("lamp scan 3", 30) and length > 20
    opened = model.opened[UPPER]
    assert opened is not None
    item = next(item for _, item in opened.timeline.items)

    def drag(
        widget: TrialLanes, start: QPoint, end: QPoint, held: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
    ) -> None:
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, held, start)
        for share in (0.3, 0.7, 1.0):
            QTest.mouseMove(widget, start + (end - start) * share, 10)
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, held, end)

    # moved along its track, drawn to the playhead where that is near
    opened.go(45)
    place = upper.place_of(item.ident)
    middle = place.center().toPoint()
    into = middle.x() - place.left()
    drag(upper, middle, QPoint(int(upper.scale.x(45) + into + 3), middle.y()))
    assert pieces(page, UPPER)[0][1] == 45
    # its end trimmed
    place = upper.place_of(item.ident)
    drag(upper, QPoint(int(place.right()) - 1, middle.y()), QPoint(int(upper.scale.x(55)), middle.y()))
    assert pieces(page, UPPER)[0][1:] == (45, 10)
    # onto another track, and into the other timeline
    page.sides[UPPER].area.verticalScrollBar().setValue(0)
    inserts = next(row for row in upper.rows() if row.track.name == "Inserts")
    place = upper.place_of(item.ident)
    drag(upper, place.center().toPoint(), QPoint(int(place.center().x()), int((inserts.top + inserts.foot) / 2)))
    assert pieces(page, UPPER, "Inserts")[0][1:] == (45, 10) and not pieces(page, UPPER)
    model.opened[LOWER].go(0)  # type: ignore[union-attr]
    place = upper.place_of(item.ident)
    target = lower.mapToGlobal(QPoint(int(lower.scale.x(50)), 60))
    drag(upper, place.center().toPoint(), upper.mapFromGlobal(target))
    assert [piece[2] for piece in pieces(page, LOWER, "Inserts")] == [10]
    count_and_names_are_clicked(qtbot, page, model, lower)


def test_in_a_canvas_of_another_shape_pictures_are_shifted_within_what_is_cropped(
    open_window: Open, qtbot: QtBot, tmp_path: Path
) -> None:
    page, _folder = tried(open_window, qtbot, tmp_path)
    model = page.model
    keys(page, "Alt+Right")
    assert "canvases of another shape" in page.window().say_bar.text  # type: ignore[attr-defined]
    lower = model.opened[LOWER]
    assert lower is not None
    lower.canvas, lower.fit = Raster(1080, 1920), "fill"  # the demo's job has no canvas of its own
    model.laying.lay_clip(Path(shutil.copy(CLIPS / "lamp scan 3.mov", tmp_path)), lower, "add", 0)
    qtbot.waitUntil(lambda: lower.timeline.end > 0, timeout=60000)
    model.look_at(LOWER)
    lower.go(3)
    item = lower.here()
    assert item is not None and "68.4 % of the picture is cropped" in page.under.notes.text()
    for _ in range(4):
        keys(page, "Alt+Left")
    assert lower.timeline.item(item.ident)[1].place == (Fraction(-4, 100), Fraction(0))
    model.acts.shift(Fraction(5), Fraction(1))
    across, down = lower.timeline.item(item.ident)[1].place or (0, 0)
    assert float(across) == pytest.approx((16 / 9 / (9 / 16) - 1) / 2, abs=1e-3), "no farther than its edge"
    assert abs(float(down)) < 1e-3, "it has nothing to spare above and below"
    assert "shifted by" in page.under.notes.text()
    qtbot.waitUntil(lambda: lower.kept_words.startswith("kept") and not lower._keeping, timeout=20000)
    assert read_timeline(lower.path, Fraction(25)) == lower.timeline, "kept with the item"
    keys(page, "Alt+0")
    assert lower.timeline.item(item.ident)[1].place is None

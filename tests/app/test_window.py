"""The window as a person uses it: from a clip to a job, with mistakes, remedies, undo, a crash, and bad input."""

from __future__ import annotations

import json
import os
import re
import signal
import subprocess
import sys
import zlib
from fractions import Fraction
from pathlib import Path

import av
import opentimelineio as otio
import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QWidget,
)
from pytestqt.qtbot import QtBot
from tests.app.conftest import Open, answer, let_drop, library_of, path_of, press, type_into
from tests.conftest import CLIPS, demo_template

from idle_quarry import recovery
from idle_quarry.app.appearance.theme import BRIGHTNESSES, SCHEMES, theme
from idle_quarry.app.documents.document import Document
from idle_quarry.app.documents.drafts import Drafts
from idle_quarry.app.drawing.strip_layout import lay_out
from idle_quarry.app.models.help.about import About
from idle_quarry.app.models.help.guide import sections
from idle_quarry.app.models.intake.rows import ClipRow
from idle_quarry.app.models.path.folders_and_tracks import TRACK_COLOURS
from idle_quarry.app.models.path.path import SHEETS
from idle_quarry.app.run import fitted
from idle_quarry.app.shell.offers import welcome_back
from idle_quarry.app.shell.print_shown import print_shown
from idle_quarry.app.shell.window import MainWindow
from idle_quarry.app.views.guide.view import GuideView
from idle_quarry.app.views.intake.two_ends import TwoEndsPanel
from idle_quarry.app.views.intake.view import IntakeView
from idle_quarry.app.views.jobs.cuts_page import CutsPage
from idle_quarry.app.views.jobs.handover_page import HandoverPage
from idle_quarry.app.views.jobs.material_page import MaterialPage
from idle_quarry.app.views.jobs.renders_page import RendersPage
from idle_quarry.app.views.jobs.trial_page import TrialPage
from idle_quarry.app.views.jobs.view import JobsView
from idle_quarry.app.views.library.equipment import EquipmentPage
from idle_quarry.app.views.library.importing import ImportingPage
from idle_quarry.app.views.library.many import ManyPage
from idle_quarry.app.views.library.merge import MergePage
from idle_quarry.app.views.library.review import ReviewPage
from idle_quarry.app.views.library.standard_set import StandardSetPage
from idle_quarry.app.views.library.view import LibraryView
from idle_quarry.app.views.line_up.record import RecordPage
from idle_quarry.app.views.path.view import PathView
from idle_quarry.app.views.registry import VIEWS
from idle_quarry.errors import QuarryError
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.evaluation import Finding
from idle_quarry.path.template import Template, content_hash
from idle_quarry.signal.words import format_words


def opened(window: MainWindow, name: str) -> MainWindow:
    window.desk.open_stored(window.desk.library.find(name).id)
    return window


def finding(window: MainWindow, code: str) -> Finding:
    assert window.desk.document is not None
    return next(f for f in window.desk.document.evaluation.findings if f.code == code)


def click_remedy(window: MainWindow, code: str) -> None:
    """Click the remedy of a finding where it is painted."""
    findings = path_of(window).findings
    row = next(i for i, f in enumerate(findings.model.findings) if f.code == code)
    index = findings.model.index(row)
    findings.list.scrollTo(index)
    rect = findings._delegate.remedy_rect(findings.list.visualRect(index), findings.model.findings[row])
    QTest.mouseClick(findings.list.viewport(), Qt.MouseButton.LeftButton, pos=rect.center())


def _top(tree: QTreeWidget, row: int) -> QTreeWidgetItem:
    item = tree.topLevelItem(row)
    assert item is not None
    return item


def codes(window: MainWindow) -> list[str]:
    assert window.desk.document is not None
    return [f.code for f in window.desk.document.evaluation.findings]


def broken_and_mended(window: MainWindow, document: Document) -> PathView:
    """It is broken on purpose: another rate, and a monitor that stays black."""
    path = path_of(window)
    window.desk.path.choose("working")
    rate = path.sheets.sheet.row("working.format.rate")
    assert rate is not None
    type_into(rate.editor, "29.97")
    assert document.template.working.format.rate == Fraction(30000, 1001)
    assert {"rate_mismatch", "monitor_differs"} <= set(codes(window))
    window.desk.undo()
    assert "rate_mismatch" not in codes(window)
    window.desk.path.choose("monitor")
    device = path.sheets.sheet.row("monitor.monitor")
    assert device is not None and isinstance(device.editor, QComboBox)
    device.editor.setCurrentText("Lounge television")
    device.editor.textActivated.emit("Lounge television")
    assert "stay black" in finding(window, "monitor_black").text
    click_remedy(window, "monitor_black")
    assert "monitor_black" not in codes(window)
    window.desk.undo()
    assert "monitor_black" in codes(window)
    window.desk.redo()
    assert "monitor_black" not in codes(window)
    return path


def saved_and_started(
    qtbot: QtBot, tmp_path: Path, window: MainWindow, row: int, document: Document, path: PathView
) -> None:
    """It is saved with a note, and a job is started from it."""
    window.desk.path.ask_save()
    QTest.keyClicks(path.ask.line, "from the platform clip")
    QTest.keyClick(path.ask.line, Qt.Key.Key_Return)
    assert document.base is not None and document.base.revision.note == "from the platform clip" and not document.dirty
    window.desk.path.choose("timecode")
    length = path.sheets.sheet.row("timecode.line_up_length_s")
    assert length is not None
    type_into(length.editor, "1")
    window.desk.path.ask_save()
    answer(path_of(window).ask, "short line-up")
    path.job_button.click()
    jobs = window.view("Jobs")
    assert isinstance(jobs, JobsView)
    jobs.start.folder.setText(str(tmp_path))
    jobs.start.title.setText("a/b")
    assert "folder's name" in jobs.start.refusal.text() and not jobs.start.start_button.isEnabled()
    jobs.start.title.setText("Platform")
    assert jobs.start.start_button.isEnabled() and jobs.start.preview.topLevelItemCount() > 4
    jobs.start.start_button.click()
    folder = tmp_path / "Platform"
    qtbot.waitUntil(lambda: (folder / "job.json").is_file() and jobs.list.count() == 1, timeout=60000)
    timeline = otio.adapters.read_from_file(str(folder / "Timelines/Programme.otio"))
    assert timeline.metadata["idle_quarry"]["rate"] == "25/1"
    with av.open(str(next((folder / "Line-up").iterdir()))) as container:
        assert sum(1 for _ in container.decode(video=0)) == 25
    assert json.loads((folder / "job.json").read_text())["template"]["revision"] == 2
    qtbot.waitUntil(lambda: "as it was started" in jobs.list.item(0).text(), timeout=10000)
    (folder / "Papers/Camera sheet.pdf").unlink()
    jobs.check_button.click()
    qtbot.waitUntil(lambda: "1 change" in jobs.list.item(0).text(), timeout=10000)

    def offered() -> list[str]:
        return [item.text() for item in jobs.findChildren(QPushButton) if item.isVisible()]

    qtbot.waitUntil(lambda: "Open the folder" in offered())  # what it needs next is its material
    assert "Look at them in Intake" not in offered()
    material = next(path for path in folder.iterdir() if path.is_dir() and "Material" in path.name)
    (material / "no clip.mov").write_bytes(b"x")
    jobs.check_button.click()
    qtbot.waitUntil(lambda: any(item.text() == "Look at them in Intake" for item in jobs.findChildren(QPushButton)))
    next(item for item in jobs.findChildren(QPushButton) if item.text() == "Look at them in Intake").click()
    looking = window.view("Intake")
    assert isinstance(looking, IntakeView) and looking.isVisible()
    qtbot.waitUntil(
        lambda: any(row.path.name == "no clip.mov" and row.refusal for row in looking.model.rows.rows), timeout=20000
    )


def test_from_a_clip_to_a_job(open_window: Open, qtbot: QtBot, tmp_path: Path) -> None:
    window = open_window()
    # a clip is dropped on the window
    mime = QMimeData()
    mime.setUrls(
        [QUrl.fromLocalFile(str(CLIPS / "train platform.mxf")), QUrl.fromLocalFile(str(CLIPS / "stone roaming 1.mov"))]
    )
    drop = QDropEvent(
        QPointF(400, 400), Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    let_drop(window, drop)
    intake = window.view("Intake")
    assert isinstance(intake, IntakeView)
    qtbot.waitUntil(lambda: len(intake.model.rows.rows) == 2, timeout=15000)
    row = next(i for i in range(2) if intake.model.filtered.index(i, 0).data() == "train platform.mxf")
    intake.table.selectRow(row)
    assert intake.model.row is not None and intake.start_button.isEnabled()
    [(text, begin)] = intake.model.uses.beginnings()
    assert "1080i25 (50 fields/s)" in text
    begin()
    document = window.desk.document
    assert document is not None and window.shown == "Path"
    assert document.evaluation.worst_grade == "clean" and document.evaluation.count("stop") == 0
    path = broken_and_mended(window, document)
    saved_and_started(qtbot, tmp_path, window, row, document, path)


def test_the_strip_is_drawn_to_scale_and_is_the_map(open_window: Open, qtbot: QtBot) -> None:
    window = opened(open_window(), "Saltmarsh Hours")
    strip = path_of(window).strip
    layout = strip.layout_now()
    assert layout is not None
    frames = {p.station.id: p.frame for p in layout.stations}
    camera, tape, hd = frames["source:estuary"], frames["source:tape"], frames["delivery:hd-50"]
    assert camera.height() / tape.height() == pytest.approx(2160 / 576, rel=0.08)
    assert camera.height() / hd.height() == pytest.approx(2, rel=0.05)
    assert camera.width() / camera.height() == pytest.approx(16 / 9, rel=0.03)
    QTest.mouseClick(strip, Qt.MouseButton.LeftButton, pos=tape.center().toPoint())
    assert (
        window.desk.path.sheet == "source:tape"
        and path_of(window).sheets.sheet.row("sources.tape.format.rate") is not None
    )
    QTest.keyClick(strip, Qt.Key.Key_Right)
    assert window.desk.path.sheet == "working"
    for a in layout.stations:
        for b in layout.stations:
            assert a is b or not a.frame.intersects(b.frame)
        assert strip.rect().toRectF().contains(a.frame)


@pytest.mark.parametrize(
    "name", ["Saltmarsh Hours", "Web trio 25p", "Scope print 24", "House HD 50i", "Archive SD 16:9"]
)
@pytest.mark.parametrize("size", [(1280, 236), (640, 236), (1900, 300)])
def test_nothing_on_the_strip_overlaps(name: str, size: tuple[int, int], open_window: Open) -> None:
    from idle_quarry.demo.templates import house_shelf, own_shelf

    template = next(h[-1].template for h in [*house_shelf(), *own_shelf()] if h[-1].template.name == name)
    layout = lay_out(evaluate(template), *size)
    for a in layout.stations:
        assert a.frame.left() >= 0 and a.frame.right() <= size[0] and a.frame.bottom() <= size[1] + 1
        for b in layout.stations:
            assert a is b or not (a.frame.intersects(b.frame) or a.text.intersects(b.frame)), (
                a.station.id,
                b.station.id,
            )


def test_refusals_stand_in_their_row_and_change_nothing(open_window: Open) -> None:
    window = opened(open_window(), "House HD 50i")
    document = window.desk.document
    assert document is not None
    before = content_hash(document.template)
    for sheet, place, nonsense in (
        ("working", "working.format.rate", "fast"),
        ("working", "working.format", "50i"),
        ("working", "working.format.raster", "12"),
        ("timecode", "timecode.start", "99:99:99:99"),
        ("source:cameras", "sources.cameras.share", "130"),
        ("template", "title_language", "English"),
        ("template", "name", ""),
        ("places", "places.work.plays_mb_s", "-4"),
        ("intermediate", "intermediate.codec", "a good one"),
    ):
        window.desk.path.choose(sheet)
        row = path_of(window).sheets.sheet.row(place)
        assert row is not None
        type_into(row.editor, nonsense)
        assert row.follows.property("role") == "refusal" and row.follows.text(), place
        QTest.keyClick(row.editor, Qt.Key.Key_Escape)
        assert row.follows.property("role") == "dust"
    assert content_hash(document.template) == before and document.undo_stack.count() == 0


def test_changes_are_marked_and_put_back_one_by_one(open_window: Open) -> None:
    window = opened(open_window(), "House HD 50i")
    document, path = window.desk.document, path_of(window)
    assert document is not None
    document.apply("level", Edit("sound.line_up_dbfs", -20.0))
    document.apply("depth", Edit("working.format.bit_depth", 12))
    assert path.changes_button.text().startswith("2 changes since revision 2")
    window.desk.path.choose("sound")
    level, rate = path.sheets.sheet.row("sound.line_up_dbfs"), path.sheets.sheet.row("sound.sample_rate")
    assert level is not None and rate is not None
    assert level.back.isVisible() and not rate.back.isVisible() and "−18" in level.back.toolTip()
    level.back.click()
    assert document.template.sound.line_up_dbfs == -18 and document.template.working.format.encoding.bit_depth == 12
    window.desk.undo()
    assert document.template.sound.line_up_dbfs == -20


def test_structure_is_edited_in_place(open_window: Open) -> None:
    window = opened(open_window(), "House HD 50i")
    document, path = window.desk.document, path_of(window)
    assert document is not None
    window.desk.path.choose("structure")
    editors = path.sheets.structure
    tracks, folders = editors.tracks.tree, editors.folders.tree
    _top(tracks, 0).setText(0, "Main picture")
    assert document.template.timelines[0].tracks[0].name == "Main picture"
    tracks.setCurrentItem(_top(tracks, 0))
    QTest.keyClick(tracks, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    assert [t.id for t in document.template.timelines[0].tracks][:2] == ["v2", "v1"]
    editors.tracks.colours().actions()[2].trigger()
    assert document.template.timelines[0].tracks[1].colour == TRACK_COLOURS["Slate"]
    assert _top(folders, 1).text(0) == "02 Cuts"
    _top(folders, 1).setText(0, "02 Edits/old")
    assert "name_refused" in codes(window)
    window.desk.path.cure(finding(window, "name_refused"))
    assert document.template.folders[1].name == "Edits old"
    folders.setCurrentItem(_top(folders, 1))
    press(editors.folders, "+ folder")
    assert document.template.folders[1].children[0].name == "New folder"
    QTest.keyClick(folders, Qt.Key.Key_Delete)
    press(editors.timelines, "+ timeline")
    press(editors.tracks, "+ sound")
    assert len(document.template.timelines) == 2 and len(document.template.timelines[1].tracks) == 10
    _top(editors.timelines.tree, 1).setText(1, "1080 by 1920")
    assert "Not a canvas" in window.say_bar.text and _top(editors.timelines.tree, 1).text(1) == "as working"
    while document.undo_stack.canUndo():
        window.desk.undo()
    assert document.template == demo_template("House HD 50i")


def test_stations_come_and_go(open_window: Open) -> None:
    window = opened(open_window(), "House HD 50i")
    document, path = window.desk.document, path_of(window)
    assert document is not None
    window.desk.path.stations.add_delivery("web-square")
    assert (
        window.desk.path.sheet == "delivery:web-square"
        and document.evaluation.link_to("delivery:web-square") is not None
    )
    window.desk.path.stations.add_source()
    assert len(document.template.sources) == 2 and window.desk.path.sheet.startswith("source:")
    path.sheets.remove_button.click()
    assert len(document.template.sources) == 1
    window.desk.path.choose("monitor")
    path.sheets.remove_button.click()
    assert document.template.monitor is None
    window.desk.path.choose("working")
    path.sheets.add_button.click()
    assert document.template.monitor is not None
    window.desk.path.choose("recording")
    assert not path.sheets.remove_button.isVisible()
    path.sheets.add_button.click()
    assert [item.name for item in document.template.inputs] == ["New input"]
    row = path.sheets.sheet.row("inputs.input.interface")
    assert row is not None and "1.485 Gb/s" in row.follows.text()
    path.sheets.remove_button.click()
    assert document.template.inputs == ()


def test_clips_dropped_on_the_strip_become_sources(open_window: Open, qtbot: QtBot) -> None:
    window = opened(open_window(), "House HD 50i")
    path_of(window).strip.clips_dropped.emit([str(CLIPS / "gauge A004.mp4")], "")
    document = window.desk.document
    assert document is not None
    qtbot.waitUntil(lambda: len(document.template.sources) == 2, timeout=15000)
    assert window.desk.path.sheet == "source:gauge-a004" and "hdr_to_sdr" in codes(window)
    # on a station it gives that one its format, in one step that can be undone
    before = document.template
    path_of(window).strip.clips_dropped.emit([str(CLIPS / "lamp tape 014.mpg")], "source:cameras")
    qtbot.waitUntil(lambda: document.template != before, timeout=10000)
    assert (
        format_words(document.template.sources[0].format, fields=True).startswith("576i25")
        and "→" in window.say_bar.text
    )
    window.desk.undo()
    assert document.template == before


def test_unsaved_work_survives_a_crash(open_window: Open, qtbot: QtBot) -> None:
    window = opened(open_window(), "House HD 50i")
    document = window.desk.document
    assert document is not None
    document.apply("level", Edit("sound.line_up_dbfs", -12.0))
    qtbot.waitUntil(lambda: bool(window.desk.documents.drafts.all()), timeout=5000)
    # nothing is closed: a second window finds what the first, killed, would have left
    again = open_window()
    assert [d.template.sound.line_up_dbfs for d in again.desk.documents.unfinished()] == [-12.0]
    opened(again, "House HD 50i")
    restored = again.desk.document
    assert restored is not None and restored.template.sound.line_up_dbfs == -12 and restored.dirty
    assert "kept" in again.say_bar.text
    again.desk.path.ask_save()
    answer(path_of(again).ask, "kept after all")
    assert not again.desk.documents.keeping.finish()
    assert not again.desk.documents.unfinished()


def test_work_that_cannot_be_kept_is_said_and_not_lost_by_closing(
    open_window: Open, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = opened(open_window(), "House HD 50i")
    document, folder = window.desk.document, window.desk.documents.drafts._folder
    assert document is not None
    folder.parent.mkdir(parents=True, exist_ok=True)
    folder.touch()
    document.apply("level", Edit("sound.line_up_dbfs", -12.0))
    qtbot.waitUntil(lambda: window.unkept.isVisible() and "House HD 50i" in window.unkept.text())
    window.desk.say("something else")
    asked: list[str] = []
    monkeypatch.setattr("idle_quarry.app.shell.window.may_lose", lambda unkept, _window: asked.append(unkept))
    assert not window.close() and window.isVisible() and "cannot be kept" in asked[0] and window.unkept.isVisible()
    folder.unlink()
    window.desk.documents.keeping.try_again()
    qtbot.waitUntil(lambda: not window.unkept.isVisible())
    assert window.close() and len(asked) == 1
    assert [item.template.sound.line_up_dbfs for item in window.desk.documents.drafts.all()] == [-12.0]


def test_a_killed_process_loses_nothing(tmp_path: Path) -> None:
    """The real thing: another process edits, is killed without warning, and its edit is there."""
    code = f"""
import os, signal, sys
from pathlib import Path
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from idle_quarry.app.desk import Desk
from idle_quarry.app.preferences import Preferences
from idle_quarry.app.shell.window import MainWindow
from idle_quarry.library import open_library
from idle_quarry.errors import QuarryError
from idle_quarry.path.changes.edits import Edit
from idle_quarry.path.beginning.beginnings import from_delivery
app = QApplication([])
library = open_library(Path({str(tmp_path / "l.db")!r}), "Runa")
saved = library.save_new(from_delivery("hd-50"), "own", "")
desk = Desk(library, Preferences())
window = MainWindow(desk)
window.show()
desk.open_stored(saved.template_id)
desk.document.apply("edit", Edit("sound.line_up_dbfs", -12.0))
QTimer.singleShot(1500, lambda: os.kill(os.getpid(), signal.SIGKILL))
app.exec()
"""
    done = subprocess.run(
        [sys.executable, "-c", code],
        env=dict(os.environ, PYTHONPATH=os.pathsep.join(sys.path)),
        check=False,
        timeout=60,
    )
    assert done.returncode == -signal.SIGKILL
    [draft] = Drafts(tmp_path / "l.db", "Runa").all()
    assert draft.template.sound.line_up_dbfs == -12.0 and draft.revision == 1


def names_shown(library: LibraryView) -> set[str]:
    return {item.name for row in range(library.model.rows.shown) if (item := library.model.rows.at(row))}


def test_search_filters_and_the_finder(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    library = library_of(window)
    QTest.keyClicks(library.search, "scope")
    assert names_shown(library) == {"Narrow Gauge", "Scope print 24"}
    library.search.clear()
    library.territory.setCurrentText("59.94 Hz (NTSC)")
    library.territory.activated.emit(library.territory.currentIndex())
    assert names_shown(library) == {"Sheet Seven"}
    library.territory.setCurrentIndex(0)
    library.territory.activated.emit(0)
    QTest.keyClicks(library.search, "nothing like this")
    assert library.nothing.isVisible() and "Clear the search" in library.nothing.text()
    library.search.clear()
    window.open_find()
    QTest.keyClicks(window.finder.field, "lamp room")
    QTest.keyClick(window.finder.field, Qt.Key.Key_Return)
    assert window.desk.document is not None and window.desk.document.template.name == "The Lamp Room"
    window.all_commands()
    QTest.keyClicks(window.finder.field, "line-up level")
    QTest.keyClick(window.finder.field, Qt.Key.Key_Return)
    assert window.desk.path.sheet in ("sound", "delivery:hd-50", "delivery:sd-50")
    window.all_commands()
    QTest.keyClicks(window.finder.field, "show jobs")
    QTest.keyClick(window.finder.field, Qt.Key.Key_Return)
    assert window.shown == "Jobs"


def test_bad_clips_are_rows_that_say_why(open_window: Open, qtbot: QtBot, tmp_path: Path) -> None:
    window = open_window()
    (tmp_path / "clips").mkdir()
    (tmp_path / "clips/empty.mov").write_bytes(b"")
    (tmp_path / "clips/noise.mxf").write_bytes(bytes(range(256)) * 9)
    window.take_files([tmp_path / "clips"])
    intake = window.view("Intake")
    assert isinstance(intake, IntakeView)
    qtbot.waitUntil(lambda: len(intake.model.rows.rows) == 2, timeout=10000)
    assert {row.refusal for row in intake.model.rows.rows} == {
        "the file is empty",
        "not readable as media, or cut short",
    }
    intake.table.selectRow(0)
    assert not intake.start_button.isEnabled()


def test_every_view_in_another_dress(open_window: Open, qtbot: QtBot) -> None:
    window = opened(open_window(), "The Lamp Room")
    window.desk.profile.dress(BRIGHTNESSES[2], 150)
    try:
        for view in [row.name for row in VIEWS]:
            window.show_view(view)
            for sheet in ("working", "source:tape", *SHEETS) if view == "Path" else ("",):
                if sheet:
                    window.desk.path.choose(sheet)
                qtbot.wait(10)
                assert not window.grab().isNull()
                assert _unnamed(window) == []
        window.show_view("Path")
        window.desk.path.choose("working")
        qtbot.wait(10)
        for kind in path_of(window).evidence.tabs:
            path_of(window).evidence.show_kind(kind)
            assert not path_of(window).evidence.canvas.grab().isNull()
        window.desk.profile.dress("dim room", 100)
        window.show_view("Jobs")
        qtbot.wait(10)
        window.setFocus()
        qtbot.waitUntil(lambda: window.desk.workers.idle, timeout=20000)
        in_place = window.view("Jobs").grab().toImage()
    finally:
        theme.apply(QApplication.instance(), "dim room", 100)  # type: ignore[arg-type]
    again = opened(open_window(), "The Lamp Room")  # one that never looked otherwise
    again.show_view("Jobs")
    again.resize(window.size())
    again.setFocus()
    qtbot.wait(10)
    qtbot.waitUntil(lambda: again.desk.workers.idle, timeout=20000)
    assert in_place == again.view("Jobs").grab().toImage(), "changed twice, it looks as it did"


def _unnamed(window: QWidget) -> list[QWidget]:
    """Return the controls that say nothing to a screen reader."""
    controls = [
        w for kind in (QAbstractButton, QLineEdit, QComboBox) for w in window.findChildren(kind) if w.isVisible()
    ]
    return [
        w
        for w in controls
        if not (
            w.accessibleName()
            or (isinstance(w, QAbstractButton) and w.text())
            or isinstance(w.parent(), QComboBox)
            or w.objectName().startswith("qt_")
        )
    ]


def test_text_can_be_read_in_every_brightness() -> None:
    """WCAG 2 contrast of text on its grounds: at least 4.5 : 1."""

    def luminance(colour: str) -> float:
        parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
        linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    def contrast(a: str, b: str) -> float:
        high, low = sorted((luminance(a), luminance(b)), reverse=True)
        return (high + 0.05) / (low + 0.05)

    for scheme in SCHEMES.values():
        for ground in (scheme.ground, scheme.bench, scheme.ledge):
            for text in (scheme.chalk, scheme.dust, scheme.lichen, scheme.sage, scheme.ochre, scheme.oxide):
                assert contrast(text, ground) >= 4.5, (scheme.name, text, ground, contrast(text, ground))
        assert contrast(scheme.chalk, scheme.surround) >= 4.5 and contrast(scheme.dust, scheme.surround) >= 4.4
        for filled in (scheme.lichen, scheme.sage, scheme.ochre, scheme.oxide):
            assert contrast(scheme.on_lichen, filled) >= 4.5, (scheme.name, filled)
        for ground in (scheme.ground, scheme.bench, scheme.ledge):
            assert contrast(scheme.edge, ground) >= 3, (scheme.name, ground)
            assert contrast(scheme.lichen, ground) >= 3, "the ring of the focus"
        for grey in (scheme.ground, scheme.bench, scheme.ledge, scheme.seam, scheme.surround):
            assert grey[1:3] == grey[3:5] == grey[5:7], "greys beside pictures are pure"


def test_rows_say_what_follows(open_window: Open) -> None:
    window = opened(open_window(), "House HD 50i")
    window.desk.path.choose("working")
    texts = [label.text() for label in path_of(window).sheets.sheet.findChildren(QLabel)]
    assert {"50 fields/s", "877 luma codes", "40 ms a frame, no drop-frame; 50 Hz, PAL countries"} <= set(texts)


def test_what_another_window_saves_is_seen_within_two_seconds(open_window: Open, qtbot: QtBot) -> None:
    one, other = open_window(), open_window()
    name = "Saved next door"
    other.desk.library.save_new(edited(house_hd(other), Edit("name", name)), "house", "")
    qtbot.waitUntil(lambda: name in names_shown(library_of(one)), timeout=2000)


def house_hd(window: MainWindow) -> Template:
    library = window.desk.library
    return library.stored(library.find("House HD 50i").id).template


def test_a_document_opened_again_is_judged_once_and_held_ones_know_their_disks(open_window: Open) -> None:
    window = open_window()
    rows, judged = window.desk.intake.rows, list[int]()
    rows.add(ClipRow(Path("x.mov"), None, "not readable"))
    for _ in range(4):
        opened(window, "House HD 50i")
        opened(window, "The Lamp Room")
    rows.dataChanged.connect(lambda *_: judged.append(1))
    document, held = window.desk.document, window.desk.documents.held
    assert document is not None and len(held) == 2
    document.apply("Change", Edit("note", "another"))
    assert len(judged) == 1
    other = next(item for item in held.values() if item is not document)
    seen: list[int] = []
    other.changed.connect(lambda: seen.append(1))
    window.desk.documents.disks_measured()
    assert seen == [1]


def test_the_window_fits_the_screen_there_is(open_window: Open) -> None:
    window = open_window()
    window.resize(9000, 9000)
    fitted(window)
    room = window.screen().availableGeometry()
    assert window.height() <= room.height() and window.width() <= room.width()
    assert room.contains(window.geometry().topLeft())


def test_a_reading_is_clicked_where_a_format_can_be_read_in_several_ways(open_window: Open) -> None:
    window = opened(open_window(), "House HD 50i")
    window.desk.path.choose("working")
    row = path_of(window).sheets.sheet.row("working.format")
    assert row is not None
    type_into(row.editor, "1080 50")
    assert "can be read in 2 ways" in row.follows.text() and 'href="1080p50"' in row.follows.text()
    row.follows.linkActivated.emit("1080p50")
    document = window.desk.document
    assert document is not None and format_words(document.template.working.format) == "1080p50"
    territory = path_of(window).sheets.sheet
    window.desk.path.choose("template")
    assert any("PAL countries" in label.text() for label in territory.findChildren(QLabel))


def test_what_a_killed_program_left_is_offered_to_be_cleared(
    open_window: Open, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))  # where nothing else was left
    window = open_window()
    note = recovery.RecoveryNote("job", tmp_path / "Evening", files=("job.json",))
    note.part.mkdir()
    (note.part / "job.json").write_text("{}" * 1_000_000)
    assert note._file is not None
    os.close(note._file)  # as the system does for a process that is killed
    note._file = None
    welcome_back(window.desk)
    qtbot.waitUntil(
        lambda: "Starting Evening was cut off" in window.say_bar.text and "2 MB" in window.say_bar.text, timeout=20000
    )
    clear = next(item for item in window.say_bar.findChildren(QPushButton) if item.text() == "Clear it")
    QTest.mouseClick(clear, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not note.part.exists() and "Cleared" in window.say_bar.text, timeout=20000)


def test_every_view_has_its_section_of_the_guide() -> None:
    for view in VIEWS:
        assert not view.guide or any(view.guide in section.title for section in sections()), view.name


def test_the_guide_the_menu_and_paper(open_window: Open, qtbot: QtBot, tmp_path: Path) -> None:
    """F1 opens the guide where one is.

    What was opened lately is found first; Alt shows a menu; what is shown is printed.
    """
    window = open_window()
    window.desk.shelf.show_table()
    assert window._guide_section() == "Many at once", "a page has a section of its own"
    for kind in (
        CutsPage,
        EquipmentPage,
        HandoverPage,
        ImportingPage,
        ManyPage,
        MaterialPage,
        MergePage,
        RecordPage,
        RendersPage,
        ReviewPage,
        StandardSetPage,
        TrialPage,
        TwoEndsPanel,
    ):
        assert any(section.title.startswith(kind.guide_section) for section in sections()), kind
    window.show_view("Intake")
    window.open_guide()
    guide = window.view("Guide")
    assert isinstance(guide, GuideView)
    assert window.shown == "Guide" and "clips really are" in guide.page.toPlainText().splitlines()[0]
    QTest.keyClicks(guide.search, "advisory nonsense")
    assert guide.list.count() == 1 and "nothing has" in guide.list.item(0).text()
    guide.search.clear()
    QTest.keyClicks(guide.search, "umask")
    assert all("umask" in sections()[number].text.lower() for number in window.desk.guide.matches())
    QTest.keyClick(guide.search, Qt.Key.Key_Escape)
    assert window.shown == "Intake"
    window.open_about()
    report = About(window.desk).for_a_report()
    assert "PySide6" in report and str(Path.home()) not in report and window.desk.library.person not in report
    opened(window, "Scope print 24")
    opened(window, "The Lamp Room")
    window.open_find()
    assert [window.finder.results.item(row).text().split("  ")[0] for row in (0, 1)] == [
        "The Lamp Room",
        "Scope print 24",
    ]
    QTest.keyClick(window.finder.field, Qt.Key.Key_Escape)
    QTest.keyClick(window, Qt.Key.Key_Alt)
    assert window.acting.menu.bar.isVisible()
    menus = [menu.title() for menu in window.acting.menu.bar.findChildren(QMenu) if menu.title()]
    assert menus == ["&Window", "&Template", "&Library", "&Proof", "&Jobs", "L&ine-up", "L&ooks", "&Guide"]
    window.acting.menu.show(False)
    worn = theme.scheme.name
    print_shown(path_of(window), "The Lamp Room Path", tmp_path / "shown.pdf")
    page = (tmp_path / "shown.pdf").read_bytes()
    assert page.startswith(b"%PDF-") and len(re.findall(rb"/Type\s*/Page\b", page)) == 1
    drawn = [zlib.decompress(part) for part in re.findall(rb"FlateDecode.*?stream\r?\n(.*?)endstream", page, re.S)]
    assert max(part.count(b" Tj") + part.count(b" TJ") for part in drawn) > 60  # as many texts as the Path view has
    assert theme.scheme.name == worn
    with pytest.raises(QuarryError, match="could not be written"):
        print_shown(path_of(window), "The Lamp Room Path", tmp_path / "nowhere" / "shown.pdf")

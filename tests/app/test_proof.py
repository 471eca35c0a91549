"""Proof in the real window: links are chosen on the strip, methods compared, measured, taken; codecs and disks run."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot
from tests.app.conftest import Open, path_of
from tests.conftest import CLIPS

from idle_quarry.app.drawing.pane_images import codes_at
from idle_quarry.app.drawing.panes import LAYOUTS
from idle_quarry.app.shell.window import MainWindow
from idle_quarry.app.views.proof.pictures import PicturesPage
from idle_quarry.app.views.proof.view import ProofView
from idle_quarry.path.changes.edits import Edit
from idle_quarry.path.template_parts import StoragePlace
from idle_quarry.proof.figures import PictureArea

TAPE = CLIPS / "lamp tape 014.mpg"


def proof_of(window: MainWindow, name: str) -> ProofView:
    window.desk.open_stored(window.desk.library.find(name).id)
    window.show_view("Proof")
    view = window.view("Proof")
    assert isinstance(view, ProofView)
    return view


def settled(page: PicturesPage, qtbot: QtBot, *, figures: bool = False) -> None:
    """Wait until all pictures are there, and all figures where they are wanted."""

    def ready() -> bool:
        model = page.model
        if model.bench is None or model.busy:
            return False
        there = all(model.bench.still_of(policy, model.index) for policy in model.compared.policies())
        return there and (not figures or all(result is not None for result in model.measured.figures()))

    qtbot.waitUntil(ready, timeout=60_000)


def small_link(view: ProofView, qtbot: QtBot) -> PicturesPage:
    """Put the tape's own footage into SD's widescreen: a small link, so that pictures are quick."""
    page = view.pictures
    page.model.use(str(TAPE))
    qtbot.waitUntil(
        lambda: page.model.bench is not None and page.model.bench.material.name == TAPE.name, timeout=30_000
    )
    return page


def on_the_bench(open_window: Open, qtbot: QtBot) -> tuple[MainWindow, PicturesPage]:
    """Open a window whose bench has the first source of the SD template on the tape's footage, all pictures made."""
    window = open_window()
    view = proof_of(window, "Archive SD 16:9")
    document = window.desk.document
    assert document is not None
    view.model.choose(f"source:{document.template.sources[0].id}")
    page = small_link(view, qtbot)
    settled(page, qtbot)
    return window, page


def test_the_worst_link_is_on_the_bench_and_others_are_chosen_on_the_strip(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    view = proof_of(window, "The Lamp Room")
    document = window.desk.document
    assert document is not None
    page = view.pictures
    settled(page, qtbot)
    assert view.title.text() and page.model.subject is not None and page.model.compared.methods
    for station in document.evaluation.stations:
        view.strip.select(station.id)
        link = document.evaluation.link_of(station.id)
        if link is None or page.model.subject is None:
            continue
        assert page.model.subject.source == document.evaluation.station(link.source).format
        assert page.model.subject.target == document.evaluation.station(link.target).format
        assert bool(page.model.compared.methods) == page.panes.isVisible() == (not page.nothing.isVisible())
    settled(page, qtbot)


def test_methods_are_compared_measured_and_one_becomes_the_templates(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    view = proof_of(window, "Archive SD 16:9")
    document = window.desk.document
    assert document is not None
    source = document.template.sources[0]
    view.model.choose(f"source:{source.id}")
    page = small_link(view, qtbot)
    part = next(p for p in ("kernel", "scan", "rounding") if page.part_box.findData(p) >= 0)
    page.part_box.setCurrentIndex(page.part_box.findData(part))
    page.part_box.activated.emit(page.part_box.currentIndex())
    settled(page, qtbot, figures=True)
    assert page.model.compared.part == part and len(page.model.compared.methods) == 2
    own = getattr(source.policy_for(TAPE.name), part)
    assert (
        page.model.compared.methods[0] == own
        and page.cards[0].state.isVisible()
        and not page.cards[0].take_button.isVisible()
    )
    assert "cost here" in page.cards[0].figures.accessibleName() or "cost here" in page.shared.text()
    QTest.mouseClick(page.add_button, Qt.MouseButton.LeftButton)
    assert len(page.model.compared.methods) == 3 and page.cards[2].isVisible()
    chosen = page.model.compared.methods[2]
    settled(page, qtbot)
    QTest.mouseClick(page.cards[2].take_button, Qt.MouseButton.LeftButton)
    assert getattr(document.template.sources[0].policy, part) == chosen
    assert page.cards[page.model.compared.methods.index(chosen)].state.isVisible()
    document.undo_stack.undo()
    assert getattr(document.template.sources[0].policy, part) == own
    QTest.mouseClick(page.cards[1].remove_button, Qt.MouseButton.LeftButton)
    assert len(page.model.compared.methods) == 2


def test_a_clip_is_excepted_and_comes_back_to_the_rest(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    view = proof_of(window, "Archive SD 16:9")
    document = window.desk.document
    assert document is not None
    source = document.template.sources[0].id
    view.model.choose(f"source:{source}")
    page = small_link(view, qtbot)
    settled(page, qtbot)
    page.model.compared.set_methods([page.model.compared.methods[1], page.model.compared.methods[0]])
    part, chosen = page.model.compared.part, page.model.compared.methods[0]
    QTest.mouseClick(page.transport.except_button, Qt.MouseButton.LeftButton)
    result = document.template.sources[0]
    assert getattr(result.policy_for("LAMP TAPE 014.mpg"), part) == chosen != getattr(result.policy, part)
    assert document.template.format_number == 2 and page.transport.except_button.text() == "Like the rest"
    other = next(m for m in page.model.compared.offered(part) if m != chosen)
    page.model.compared.set_methods([chosen, other])
    QTest.mouseClick(page.cards[1].take_button, Qt.MouseButton.LeftButton)  # taken for the clip alone
    assert getattr(document.template.sources[0].exceptions[0].policy, part) == other
    assert document.template.sources[0].policy == result.policy
    page.transport.zoom_line.setText("104 %")
    page.transport.zoom_line.editingFinished.emit()
    assert document.template.sources[0].exceptions[0].policy.zoom == 104
    assert page.model.bench is not None and all(policy.zoom == 104 for policy in page.model.compared.policies())
    settled(page, qtbot)
    page.transport.zoom_line.setText("huge")
    page.transport.zoom_line.editingFinished.emit()
    assert page.transport.zoom_line.text() == "104 %" and window.say_bar.text
    window.show_view("Path")  # the source's sheet lists what is excepted
    window.desk.path.choose(f"source:{source}")
    assert path_of(window).sheets.sheet.row(
        f"sources.{source}.exceptions.lamp-tape-014.policy.zoom", "Zoom: lamp tape 014.mpg"
    )
    window.show_view("Proof")
    QTest.mouseClick(page.transport.except_button, Qt.MouseButton.LeftButton)
    assert document.template.sources[0].exceptions == ()


def test_pictures_are_laid_stepped_enlarged_and_read(open_window: Open, qtbot: QtBot) -> None:
    _window, page = on_the_bench(open_window, qtbot)
    panes = page.panes

    def place_at(point: QPointF) -> QPointF | None:
        seen = panes.seen()
        return seen.place_at(point) if seen is not None else None

    for name in LAYOUTS:
        page.lay(name)
        assert panes.grab().toImage().width() == panes.width()
        assert page.gain_box.isVisible() == (name == "Difference")
    page.lay("Side by side")
    before = page.model.index
    panes.setFocus()
    QTest.keyClick(panes, Qt.Key.Key_Right)
    assert page.model.index == before + 1
    settled(page, qtbot)
    if page.transport.field_box.isVisible():
        page.transport.field_box.setCurrentIndex(1)
        page.transport.field_box.activated.emit(1)
        first = panes.field
        QTest.keyClick(panes, Qt.Key.Key_Right)
        assert panes.field is not None and panes.field != first and page.model.index == before + 1
        QTest.keyClick(panes, Qt.Key.Key_Right)
        assert panes.field == first and page.model.index == before + 2
        assert "field" in page.transport.where.text()
    settled(page, qtbot)
    for _ in range(3):
        QTest.keyClick(panes, Qt.Key.Key_Plus)
    assert panes.zoom == 4 and page.zoom_box.currentText() == "4:1"
    seen = panes.seen()
    assert seen is not None
    rooms = seen.rooms()
    spot = QPoint(int(rooms[1].center().x()), int(rooms[1].center().y()))
    QTest.mouseMove(panes, spot)
    qtbot.waitUntil(lambda: page.transport.values.text() != "")
    place = place_at(QPointF(spot))
    still = panes.panes[1].still
    assert place is not None and still is not None
    values = codes_at(still, int(place.x()), int(place.y()))
    assert " ".join(str(v) for v in values) in page.transport.values.text()
    assert values[0] == still.codes[0][int(place.y()), int(place.x())]
    QTest.mousePress(panes, Qt.MouseButton.LeftButton, pos=spot)
    QTest.mouseMove(panes, spot + QPoint(-40, 0))
    QTest.mouseRelease(panes, Qt.MouseButton.LeftButton, pos=spot + QPoint(-40, 0))
    moved = place_at(QPointF(spot))
    assert moved is not None and moved.x() == pytest.approx(place.x() + 10, abs=1)  # 40 pixels are 10 samples


def test_the_place_where_they_differ_most_is_gone_to(open_window: Open, qtbot: QtBot) -> None:
    window, page = on_the_bench(open_window, qtbot)
    spots: list[PictureArea] = []
    page.model.measured.worst_place.connect(spots.append)
    assert page.model.bench is not None
    stills = [page.model.bench.still_of(policy, page.model.index) for policy in page.model.compared.policies()]
    assert stills[0] is not None and stills[1] is not None
    same = np.array_equal(stills[0].shown, stills[1].shown)
    QTest.mouseClick(page.transport.differ_button, Qt.MouseButton.LeftButton)
    if same:
        qtbot.waitUntil(lambda: "the same" in window.say_bar.text)
    else:
        qtbot.waitUntil(lambda: bool(spots))
        assert page.panes.mark == spots[0] and page.panes.zoom >= 4 and "differ most" in window.say_bar.text


def test_playing_says_how_fast_it_is_and_stops(open_window: Open, qtbot: QtBot) -> None:
    _window, page = on_the_bench(open_window, qtbot)
    began = page.model.index
    page.panes.setFocus()
    QTest.keyClick(page.panes, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: page.model.player.shown >= 4, timeout=30_000)
    assert (
        page.model.player.playing
        and "pictures a second" in page.transport.where.text()
        and "25" in page.transport.where.text()
    )
    QTest.mouseClick(page.transport.play_button, Qt.MouseButton.LeftButton)
    assert not page.model.player.playing and page.transport.play_button.text() == "Play" and page.model.index > began
    settled(page, qtbot)


def test_what_cannot_be_on_the_bench_is_said_and_the_chart_comes_back(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    view = proof_of(window, "Archive SD 16:9")
    page = view.pictures
    page.model.use(str(CLIPS / "gauge location tone.wav"))
    qtbot.waitUntil(lambda: "no pictures" in window.say_bar.text, timeout=20_000)
    assert page.model.bench is not None and page.model.bench.material.chart == "crawl"
    assert page.material_box.currentText() == "Chart: Crawling text"
    settled(page, qtbot)


def test_codecs_run_are_kept_and_one_is_taken(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    view = proof_of(window, "Archive SD 16:9")
    view.model.show_page("Codecs")
    page, document = view.codecs, window.desk.document
    assert document is not None and page.table.rowCount() > 3 and not view.title.isVisible()
    rows = [page.table.item(row, 0).data(Qt.ItemDataRole.UserRole) for row in range(page.table.rowCount())]  # type: ignore[union-attr]
    page.table.selectRow(rows.index("v210"))
    QTest.mouseClick(page.one_button, Qt.MouseButton.LeftButton)
    assert page.progress.isVisible() and not page.run_button.isEnabled()
    qtbot.waitUntil(lambda: not page.model.running and "v210" in page.model.results, timeout=60_000)
    row = rows.index("v210")
    assert page.table.item(row, 6).text() == "exact" and "nothing lost" in page.loss.text  # type: ignore[union-attr]
    QTest.mouseClick(page.take_button, Qt.MouseButton.LeftButton)
    assert document.template.intermediate.codec == "v210" and not page.take_button.isVisible()
    document.undo_stack.undo()
    # a run of all is stopped; what was kept is still there
    QTest.mouseClick(page.run_button, Qt.MouseButton.LeftButton)
    assert page.model.running
    page.model.cancel()
    qtbot.waitUntil(lambda: not page.model.running, timeout=60_000)
    assert "stopped" in window.say_bar.text and "v210" in page.model.results


def test_a_disk_is_measured_and_findings_go_by_it(open_window: Open, qtbot: QtBot, tmp_path: Path) -> None:
    window = open_window()
    view = proof_of(window, "Archive SD 16:9")
    document = window.desk.document
    assert document is not None
    document.apply(
        "A place here", Edit("places.here", StoragePlace(id="here", name="Here", purpose="work", path=str(tmp_path)))
    )
    document.apply("Kept there", Edit("intermediate.place", "here"))
    view.model.show_page("Disks")
    qtbot.waitUntil(lambda: "here" in view.disks.rows, timeout=10_000)
    assert any(f.code == "disk_speed_unknown" for f in document.evaluation.findings)
    row = view.disks.rows["here"]
    assert row.measure_button.isEnabled() and not row.take_button.isVisible()
    QTest.mouseClick(row.measure_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: view.disks.rows["here"].status.speed is not None, timeout=60_000)
    assert not any(f.code == "disk_speed_unknown" for f in document.evaluation.findings)
    assert document.template.places[-1].plays_mb_s is None  # the template still says nothing: this machine does
    row = view.disks.rows["here"]
    assert row.status.speed is not None
    QTest.mouseClick(row.take_button, Qt.MouseButton.LeftButton)
    assert document.template.places[-1].plays_mb_s == round(row.status.speed.read_mb_s)
    assert any("memory" in name or "small pictures" in name for name in view.disks.clear_buttons)


def test_proof_is_a_click_away_from_the_path_and_from_a_clip(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    window.desk.open_stored(window.desk.library.find("Archive SD 16:9").id)
    document = window.desk.document
    assert document is not None
    path = path_of(window)
    proved = None
    for station in document.evaluation.stations:
        window.desk.path.choose(station.id)
        if path.sheets.prove_button.isVisible():
            proved = station.id
            QTest.mouseClick(path.sheets.prove_button, Qt.MouseButton.LeftButton)
            break
    view = window.view("Proof")
    assert isinstance(view, ProofView) and proved is not None
    assert view.isVisible() and view.strip.selected == proved and view.model.pictures.compared.methods
    settled(view.pictures, qtbot)
    window.take_files([TAPE])
    intake = window.view("Intake")
    qtbot.waitUntil(lambda: len(intake.model.rows.rows) == 1 and not intake.model.running, timeout=60_000)  # type: ignore[attr-defined]
    intake.table.selectRow(0)  # type: ignore[attr-defined]
    QTest.mouseClick(intake.prove_button, Qt.MouseButton.LeftButton)  # type: ignore[attr-defined]
    bench = view.pictures
    qtbot.waitUntil(
        lambda: bench.model.bench is not None and bench.model.bench.material.name == TAPE.name, timeout=30_000
    )
    assert view.isVisible() and bench.material_box.currentText() == TAPE.name
    settled(bench, qtbot)

"""The Library as it is worked in: copying, files and bundles, reviews, comparison, merging, what is put aside, jobs."""

from __future__ import annotations

import json
import zipfile
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QRadioButton, QTableWidget
from pytestqt.qtbot import QtBot
from tests.app.conftest import Open, library_of, path_of, press
from tests.app.conftest import answer as answer_bar

from idle_quarry.app.models.library.menus import more
from idle_quarry.app.shell.window import MainWindow
from idle_quarry.app.views.jobs.view import JobsView
from idle_quarry.app.views.library.importing import ImportingPage
from idle_quarry.app.views.library.merge import MergePage
from idle_quarry.app.views.library.review import ReviewPage
from idle_quarry.library import Search, open_library
from idle_quarry.library.files.bundles import export_bundle
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.changes.merging import merge


def answer(window: MainWindow, text: str) -> None:
    """Type into the bar that asks, and press its button."""
    library = library_of(window)
    bar = library.ask if library.ask.isVisible() else library.pages.currentWidget().ask  # type: ignore[union-attr]
    answer_bar(bar, text)


def cell(table: QTableWidget, row: int, column: int) -> str:
    item = table.item(row, column)
    return item.text() if item is not None else ""


def offered_by(window: MainWindow, path: Path, qtbot: QtBot) -> ImportingPage:
    window.take_files([path])
    qtbot.waitUntil(lambda: isinstance(library_of(window).pages.currentWidget(), ImportingPage), timeout=5000)
    page = library_of(window).pages.currentWidget()
    assert isinstance(page, ImportingPage)
    qtbot.waitUntil(lambda: page.model.path == path and page.table.rowCount() > 0, timeout=5000)
    return page


def decision_box(page: ImportingPage, row: int) -> QComboBox | None:
    """Return the decision of a row, or None where there is none to make."""
    holder = page.table.cellWidget(row, 4)
    return holder.findChild(QComboBox) if holder is not None else None


def test_copies_names_defaults_and_what_is_put_aside(open_window: Open) -> None:
    window = open_window()
    library, shelf, store = library_of(window), window.desk.shelf, window.desk.library
    shelf.choose(store.find("The Lamp Room").id)
    shelf.duplicate()
    copy = store.find("own/The Lamp Room")
    chosen = shelf.chosen.summary
    assert chosen is not None and chosen.id == copy.id
    shelf.rename()
    answer(window, "Sheet Seven")  # the house shelf has that name, the own shelf does not
    assert store.find("own/Sheet Seven").latest.number == 2
    shelf.toggle_default(own=True)
    assert store.default_id() == copy.id and store.defaults()[0] != copy.id
    shelf.put_aside()
    assert store.named("Sheet Seven", "own") is None and shelf.rows.row_of(copy.id) is None
    library.shelf.setCurrentText("Put aside")
    library.shelf.textActivated.emit("Put aside")
    assert [item.id for row in range(shelf.rows.shown) if (item := shelf.rows.at(row))] == [copy.id]
    assert next(text for text, _ in more(shelf, store.summary(copy.id))) == "Put it back on its shelf"
    shelf.bring_back()
    assert store.find("own/Sheet Seven").id == copy.id
    shelf.hand_over()
    given = shelf.chosen.summary
    assert given is not None and (given.shelf, given.name, given.latest.state) == ("house", "Sheet Seven 2", "draft")


def test_a_file_is_taken_as_decided_and_taken_back(open_window: Open, qtbot: QtBot, tmp_path: Path) -> None:
    window = open_window()
    library, shelf, store = library_of(window), window.desk.shelf, window.desk.library
    shelf.choose(store.find("The Lamp Room").id)
    file = tmp_path / "out.json"
    shelf.files.export_to(file)
    before = len(store.summaries())
    page = offered_by(window, file, qtbot)
    assert len(store.summaries()) == before  # never silently
    assert "unchanged since export" in cell(page.table, 0, 2) and "revision 2 by Wren" in cell(page.table, 0, 2)
    page.take_button.click()
    assert store.find("own/The Lamp Room").latest.number == 1 and library.pages.currentIndex() == 0
    page = offered_by(window, file, qtbot)
    box = decision_box(page, 0)
    assert box is not None and box.currentData() == "leave" and "already there" in cell(page.table, 0, 3)
    assert not page.take_button.isEnabled()
    box.setCurrentIndex(box.findData("revision"))
    box.activated.emit(box.currentIndex())
    page.take_button.click()
    assert store.find("own/The Lamp Room").latest.number == 2
    press(window.say_bar, "Undo")
    assert store.find("own/The Lamp Room").latest.number == 1
    changed = json.loads(file.read_text())
    changed["template"]["note"] = "something else"
    file.write_text(json.dumps(changed))
    page = offered_by(window, file, qtbot)
    assert decision_box(page, 0) is None and cell(page.table, 0, 2).endswith("\nchanged since export")
    file.write_text("{")
    window.take_files([file])
    qtbot.waitUntil(lambda: "out.json" in window.say_bar.text and window.say_bar.isVisible(), timeout=5000)


def test_a_bundle_and_a_carried_shelf(open_window: Open, qtbot: QtBot, tmp_path: Path) -> None:
    window = open_window()
    shelf, store = window.desk.shelf, window.desk.library
    carried = tmp_path / "Shelf"
    for name in ("House HD 50i", "Sheet Seven"):
        shelf.choose(store.find(name).id)
        shelf.files.carry_to(carried)
    assert "holds 2 now" in window.say_bar.text and "in place of" not in window.say_bar.text
    shelf.files.carry_to(carried)
    assert "holds 2 now; it stands in place of the one" in window.say_bar.text
    bundle = tmp_path / "Shelf.zip"
    with zipfile.ZipFile(bundle, "a") as more:
        more.writestr("broken.json", "{")
    own = edited(store.stored(store.find("Sheet Seven").id).template, Edit("note", "mine"))
    store.save_new(own, "own", "")
    content = bundle.read_bytes()
    page = offered_by(window, bundle, qtbot)
    rows = {cell(page.table, row, 1).split("\n")[0]: row for row in range(page.table.rowCount())}
    assert (
        set(rows) == {"House HD 50i", "Sheet Seven", "broken.json"} and decision_box(page, rows["broken.json"]) is None
    )
    box = decision_box(page, rows["Sheet Seven"])
    assert box is not None
    assert [box.itemData(n) for n in range(box.count())] == ["keep both", "revision", "replace draft", "leave"]
    box.setCurrentIndex(2)
    box.activated.emit(2)
    page.take_button.click()
    result = store.find("own/Sheet Seven")
    assert result.latest.number == 2 and store.stored(result.id).template.note != "mine"
    assert store.revisions(result.id)[1].state == "withdrawn" and store.named("House HD 50i", "own") is not None
    press(window.say_bar, "Undo")
    result = store.find("own/Sheet Seven")
    assert (result.latest.number, store.stored(result.id).template.note) == (1, "mine")
    assert store.named("House HD 50i", "own") is None and bundle.read_bytes() == content


def test_a_review_from_draft_to_approved(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    library, shelf, store = library_of(window), window.desk.shelf, window.desk.library
    house = store.find("House HD 50i")
    window.desk.open_stored(house.id)
    document = window.desk.document
    assert document is not None and "read-only" in path_of(window).about.text()
    document.apply("Line-up", Edit("sound.line_up_dbfs", -20.0))
    assert "a draft, begun from revision 2 (approved)" in path_of(window).about.text()
    window.desk.path.ask_save()
    answer_bar(path_of(window).ask, "the mixers asked")
    press(window.say_bar, "Send to review")
    assert store.summary(house.id).latest.state == "in review" and store.summary(house.id).for_jobs == 2
    window.show_view("Library")
    shelf.choose(house.id)
    library.page.review_button.click()
    page = library.pages.currentWidget()
    assert isinstance(page, ReviewPage)
    qtbot.waitUntil(lambda: page.table.table.rowCount() == 1, timeout=5000)
    assert cell(page.table.table, 0, 0) == "Sound · Line-up level"
    assert not page.approve_button.isEnabled() and "another person approves" in page.rule.text()
    page.table.table.setCurrentCell(0, 0)
    page.text.setPlainText("Which mixer?")
    page.comment_button.click()
    assert "Sound · Line-up level\nWhich mixer?" in page.remarks.item(0).text()
    QTest.keyClick(page, Qt.Key.Key_Escape)
    assert library.pages.currentIndex() == 0
    other = open_library(store.place, "Odo")
    window.desk.library.person = "Odo"
    library.page.review_button.click()
    assert page.approve_button.isEnabled()
    page.send_back_button.click()
    answer(window, "")
    assert page.ask.isVisible() and store.summary(house.id).latest.state == "in review"  # it says why
    answer(window, "say which mixer")
    assert store.summary(house.id).latest.state == "draft" and not page.approve_button.isVisible()
    other.review(house.id, 3, "propose")
    window.desk.shelves_changed.emit()
    page.approve_button.click()
    answer(window, "heard on bay 2")
    assert store.summary(house.id).approved == 3
    other.close()


def test_two_drafts_are_merged_in_the_window(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    library, shelf, store = library_of(window), window.desk.shelf, window.desk.library
    salt = store.find("Saltmarsh Hours")
    shelf.choose(salt.id)
    assert library.page.merge_button.isVisible()
    library.page.merge_button.click()
    page = library.pages.currentWidget()
    assert isinstance(page, MergePage) and not page.save_button.isEnabled()
    wren = next(c for c in page.findChildren(QRadioButton) if c.text() == "PsF")
    wren.click()
    assert page.save_button.isEnabled()
    page.save_button.click()
    QTest.keyClick(page.ask.line, Qt.Key.Key_Return)
    result = store.revisions(salt.id)[0]
    assert (result.number, result.parent, result.merged, result.author) == (6, 4, 5, "Runa")
    base, mine, theirs = (store.stored(salt.id, number).template for number in (3, 4, 5))
    assert store.stored(salt.id, 6).template == merge(base, mine, theirs, {"monitor.format.scan": "mine"}).template
    assert store.summary(salt.id).drafts == 1 and library.pages.currentIndex() == 0


def test_two_saves_of_one_template_leave_two_drafts(open_window: Open) -> None:
    window = open_window()
    store = window.desk.library
    house = store.find("House UHD HLG 50p")
    window.desk.open_stored(house.id)
    assert window.desk.document is not None
    other = open_library(store.place, "Odo")
    theirs = edited(store.stored(house.id).template, Edit("note", "Odo was here"))
    other.save_revision(house.id, theirs, "", parent=1)
    other.close()
    window.desk.document.apply("Line-up", Edit("sound.line_up_dbfs", -20.0))
    window.desk.path.ask_save()
    answer_bar(path_of(window).ask)
    assert "Odo has a draft of it too, revision 2: both are kept" in window.say_bar.text
    press(window.say_bar, "Merge them")
    page = library_of(window).pages.currentWidget()
    assert isinstance(page, MergePage) and page.save_button.isEnabled()


def test_two_templates_are_compared_by_name(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    library, shelf, store = library_of(window), window.desk.shelf, window.desk.library
    shelf.choose(store.find("The Lamp Room").id)
    shelf.compare_with()
    answer(window, "No such thing")
    assert "no template of this name" in library.ask.refusal.text()
    answer(window, "House HD 50i")
    page = library.pages.currentWidget()
    assert isinstance(page, ReviewPage)
    qtbot.waitUntil(lambda: page.table.table.rowCount() > 3, timeout=5000)
    a, b = (strip.layout_now() for strip in page.strips)
    assert a is not None and b is not None and a.pixels_a_line == b.pixels_a_line  # to one scale
    assert not page.approve_button.isVisible()


def test_a_job_moves_to_what_was_approved_since(open_window: Open, qtbot: QtBot, tmp_path: Path) -> None:
    from idle_quarry.jobs.start import start_job
    from idle_quarry.printing import write_pdf

    window = open_window()
    store = window.desk.library
    house = store.find("House HD 50i")
    old = store.stored(house.id, 1)
    job = start_job(old, "Evening", tmp_path, write_pdf, "Runa")
    store.record_job("Evening", job.folder, old)
    window.show_view("Jobs")
    jobs = window.view("Jobs")
    assert isinstance(jobs, JobsView)
    qtbot.waitUntil(lambda: jobs.page.move_button.isVisible(), timeout=20000)
    assert "Revision 2 of the template is approved since: 1 setting differs" in jobs.page.newer.text()
    jobs.page.changes_button.click()
    assert jobs.page.changes.isVisible() and cell(jobs.page.changes.table, 0, 0) == "Intermediate · Codec"
    jobs.page.move_button.click()
    qtbot.waitUntil(lambda: store.jobs()[0].revision == 2, timeout=20000)
    record = json.loads((job.folder / "job.json").read_text())
    assert record["template"]["revision"] == 2 and record["moved"][0]["from"]["revision"] == 1
    qtbot.waitUntil(lambda: not jobs.page.move_button.isVisible(), timeout=20000)
    assert jobs.page.drift_head.text() == "As it was started"


def test_what_is_shown_goes_into_a_table_and_the_book(open_window: Open, qtbot: QtBot, tmp_path: Path) -> None:
    import csv

    window = open_window()
    shelf, store = window.desk.shelf, window.desk.library
    shelf.look_for(shelf="House shelf")
    table, book = tmp_path / "all.csv", tmp_path / "book.pdf"
    shelf.files.export_shown(table)
    shelf.files.print_book(book)
    qtbot.waitUntil(lambda: table.exists() and book.exists(), timeout=20000)
    rows = list(csv.reader(table.open()))
    names = rows[0][2:]
    assert len(names) == store.count(Search(shelf="house"))
    by_name = {(row[0], row[1]): row[2:] for row in rows[1:]}
    column = names.index("Saltmarsh Hours")
    assert by_name["revision", "revision"][column] == "3" and by_name["revision", "state"][column] == "approved"
    assert by_name["working", "Frame rate"][names.index("House HD 50i")] == "25"
    assert book.read_bytes().startswith(b"%PDF") and book.stat().st_size > 20_000


@pytest.mark.parametrize("name", ["missing.zip", "words.zip", "cut.zip"])
def test_bad_bundles_are_said(open_window: Open, qtbot: QtBot, tmp_path: Path, name: str) -> None:
    window = open_window()
    path = tmp_path / name
    store = window.desk.library
    if name == "words.zip":
        path.write_text("words")
    elif name == "cut.zip":
        export_bundle([store.stored(summary.id) for summary in store.summaries()], path)
        path.write_bytes(path.read_bytes()[:-400])
    window.take_files([path])
    qtbot.waitUntil(lambda: name in window.say_bar.text, timeout=5000)
    assert library_of(window).pages.currentIndex() == 0


def test_a_house_of_one_person_says_so_and_where_a_revision_is_used_is_listed(
    open_window: Open, qtbot: QtBot, tmp_path: Path
) -> None:
    window = open_window()
    library, shelf, store = library_of(window), window.desk.shelf, window.desk.library
    house = store.find("House HD 50i")
    store.record_job("Open evening", tmp_path, store.stored(house.id, 1), "Odo")
    shelf.rules.ask_rule()
    assert "another person than the author approves" in library.ask.question.text()
    press(library.ask, "One person alone")
    assert store.one_person()
    saved = store.save_revision(house.id, edited(store.stored(house.id).template, Edit("note", "x")), "", parent=2)
    window.desk.shelves_changed.emit()
    shelf.choose(house.id)
    qtbot.waitUntil(lambda: "one person approves here" in library.page.about.text(), timeout=10000)
    assert not library.page.propose_button.isVisible()
    library.page.approve_button.click()
    answer(window, "seen")
    assert store.summary(house.id).approved == saved.number
    library.page.revisions.choose(1, False)

    def told() -> list[str]:
        return [library.page.history.item(row).text() for row in range(library.page.history.count())]

    started = "started the job Open evening"
    qtbot.waitUntil(lambda: any(text.startswith("Odo, ") and text.endswith(started) for text in told()), timeout=10000)

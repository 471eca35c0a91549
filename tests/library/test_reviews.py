"""Reviews: who may approve, what a state leads to, drafts side by side, what is put aside, jobs that follow."""

from __future__ import annotations

import sqlite3

import pytest
import sqlalchemy as sa
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import demo_template

from idle_quarry.errors import LibraryError, NameTaken, NotPossible
from idle_quarry.library import FileLibrary, Search, open_library, typed_words
from idle_quarry.library.reviewing import StopsUnanswered
from idle_quarry.path.changes.edits import Edit, edited, flattened
from idle_quarry.path.changes.effects import compared, effect
from idle_quarry.path.changes.merging import merge
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.template import Template
from idle_quarry.places import login_name

HD = demo_template("House HD 50i")
LAMP = demo_template("The Lamp Room")


def quiet(level: float) -> Template:
    return edited(HD, Edit("sound.line_up_dbfs", level))


def test_approval_takes_another_person_and_jobs_start_from_what_is_approved(library: FileLibrary) -> None:
    ident = library.save_new(HD, "house", "").template_id
    odo = open_library(library.place, "Odo")
    with pytest.raises(LibraryError, match="is draft, and cannot be approved; send it to review first"):
        odo.review(ident, 1, "approve")
    library.review(ident, 1, "propose", "for the new season")
    with pytest.raises(LibraryError, match="its author may not approve it"):
        library.review(ident, 1, "approve")
    odo.review(ident, 1, "approve", "checked on bay 2")
    second = odo.save_revision(ident, quiet(-20.0), "", parent=1)
    result = library.summary(ident)
    assert (result.approved, result.latest.number, result.latest.state, result.for_jobs) == (1, 2, "draft", 1)
    assert second.changed == 1 and second.parent == 1
    odo.review(ident, 2, "propose")
    library.review(ident, 2, "send back", "why −20?")
    assert library.revisions(ident)[0].state == "draft"
    odo.review(ident, 2, "propose")
    library.review(ident, 2, "approve")
    assert library.summary(ident).for_jobs == 2
    library.review(ident, 2, "withdraw", "the mixer disagreed")
    result = library.summary(ident)
    assert (result.approved, result.latest.number, result.for_jobs) == (1, 1, 1)  # the one before stands again
    lines = [(remark.act, remark.person, remark.note) for remark in library.remarks(ident)]
    assert lines[0] == ("withdraw", "Runa", "the mixer disagreed") and lines[-1] == (
        "propose",
        "Runa",
        "for the new season",
    )
    assert len(lines) == 7
    with sqlite3.connect(library.place) as raw, pytest.raises(sqlite3.IntegrityError, match="never changes"):
        raw.execute("UPDATE review SET state = 'approved'")
    odo.close()


def test_stops_are_answered_before_they_are_approved(library: FileLibrary) -> None:
    stopped = edited(HD, Edit("timecode.drop", True))  # there is no drop-frame at 25
    ident = library.save_new(stopped, "house", "").template_id
    library.review(ident, 1, "propose")
    odo = open_library(library.place, "Odo")
    for answers in ((), ("",)):
        with pytest.raises(StopsUnanswered, match="There is no drop-frame at 25") as refusal:
            odo.review(ident, 1, "approve", answers=answers)
        assert len(refusal.value.stops) == 1 and library.revisions(ident)[0].state == "in review"
    text = odo.review(ident, 1, "approve", "seen", answers=("the count is made by hand",))
    assert "Answered: the count is made by hand" in text.note and text.note.startswith("seen")
    odo.close()


def test_a_house_of_one_person_can_say_so(library: FileLibrary) -> None:
    ident = library.save_new(HD, "house", "").template_id
    assert not library.one_person()
    library.set_one_person(True)
    assert library.one_person() and library.review(ident, 1, "approve").state == "approved"


def test_where_accounts_count_nobody_approves_under_a_name_made_a_minute_ago(
    library: FileLibrary, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("LOGNAME", "tamsin")  # what anybody can say of themselves
    library.set_names_by_login(True)
    account = library.person
    assert account == login_name() != "Tamsin"
    ident = library.save_new(HD, "house", "").template_id
    other = open_library(library.place, "Odo")
    assert other.person == account, "the profile says Odo, the system does not"
    other.review(ident, 1, "propose")
    with pytest.raises(LibraryError, match="its author may not approve it"):
        other.review(ident, 1, "approve")
    other.call_me("Wren")
    assert other.person == account
    other.set_names_by_login(False)
    assert other.person == "Wren"


def test_a_draft_does_not_rename_what_is_approved(library: FileLibrary) -> None:
    ident = library.save_new(HD, "house", "").template_id
    library.set_one_person(True)
    library.review(ident, 1, "approve")
    other = library.save_new(edited(HD, Edit("name", "Summer HD")), "house", "").template_id
    library.save_revision(ident, edited(HD, Edit("name", "Summer HD")), "")
    assert library.summary(ident).name == HD.name
    with pytest.raises(NameTaken):
        library.review(ident, 2, "approve")
    assert library.revisions(ident)[0].state == "draft"  # the refused approval left nothing
    library.put_aside(other)
    library.review(ident, 2, "approve")
    assert library.summary(ident).name == "Summer HD"
    assert [item.id for item in library.page(Search(aside=True))] == [other]
    with pytest.raises(NameTaken):
        library.bring_back(other)


def test_two_drafts_are_kept_and_merged(library: FileLibrary) -> None:
    ident = library.save_new(HD, "house", "").template_id
    odo = open_library(library.place, "Odo")
    library.save_revision(ident, quiet(-20.0), "quieter", parent=1)
    odo.save_revision(ident, edited(HD, Edit("working.format.bit_depth", 8)), "8 bits do", parent=1)
    assert [(open_draft.number, open_draft.author) for open_draft in library.open_drafts(ident)] == [
        (3, "Odo"),
        (2, "Runa"),
    ]
    assert library.summary(ident).drafts == 2
    mine, theirs = (library.stored(ident, number).template for number in (2, 3))
    both = merge(HD, mine, theirs)
    assert not both.conflicts
    library.save_revision(ident, both.template, "both", parent=3, merged=2)
    assert [item.number for item in library.open_drafts(ident)] == [4]
    assert library.authors(ident, 4) == {"Runa", "Odo"}  # authorship follows what it was made of
    library.review(ident, 4, "propose")
    with pytest.raises(LibraryError, match="Odo, one of its authors, may not approve it"):
        odo.review(ident, 4, "approve")
    wren = open_library(library.place, "Wren")
    wren.review(ident, 4, "approve")
    later = odo.save_revision(ident, quiet(-12.0), "", parent=4).number
    assert library.authors(ident, later) == {"Odo"}  # what was approved is nobody's draft any more
    wren.close()
    result = library.stored(ident, 4).template
    assert result.sound.line_up_dbfs == -20.0 and result.working.format.encoding.bit_depth == 8
    odo.close()


def test_a_save_sent_twice_is_saved_once(library: FileLibrary) -> None:
    first = library.save_new(HD, "own", "", ident="11111111-0000-0000-0000-000000000000")
    again = library.save_new(HD, "own", "", ident="11111111-0000-0000-0000-000000000000")
    assert first == again
    for _ in range(2):
        library.save_revision(first.template_id, quiet(-21.0), "", ident="22222222-0000-0000-0000-000000000000")
        library.comment(first.template_id, 2, "sound", "why?", ident="33333333-0000-0000-0000-000000000000")
    assert len(library.revisions(first.template_id)) == 2 and len(library.remarks(first.template_id)) == 1


def test_pages_hold_what_the_whole_list_holds(library: FileLibrary) -> None:
    for number in range(25):
        library.save_new(edited(HD, Edit("name", f"Show {number:02d} 100%_off")), "house" if number % 2 else "own", "")
    whole = library.summaries()
    paged = [item for at in range(0, 30, 7) for item in library.page(Search(), at, 7)]
    assert paged == whole and library.count() == 25 == len(library.identities())
    assert library.count(Search(words=("show", "07"))) == 1
    assert library.count(Search(words=("100%_o",))) == 25 and library.count(Search(words=("100x",))) == 0
    assert library.count(Search(shelf="house")) == 12 and library.count(Search(lines=576)) == 0
    assert library.lines_present() == [1080]
    for words, count in {
        "PAL": 25,
        "NTSC": 0,
        "draft": 25,
        "runa": 25,
        "odo": 0,
        "1080/50i": 25,
        "1080 59.94i": 0,
        "edit suite": 25,
        "/media": 25,
        "stereo": 25,
    }.items():
        assert library.count(Search(words=typed_words(words))) == count, words


def test_a_library_of_the_first_format_is_brought_up(library: FileLibrary, tmp_path: object) -> None:
    """Tables as the first migration made them, filled by hand, then opened."""
    from alembic import command
    from alembic.config import Config

    place = library.place.with_name("old.db")
    ident = library.save_new(HD, "house", "first").template_id
    library.save_revision(ident, quiet(-20.0), "second")
    config = Config()
    config.set_main_option("script_location", "idle_quarry.library:migrations")
    with sa.create_engine(f"sqlite:///{place}").begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "0001")
        connection.execute(sa.text(f"ATTACH '{library.place}' AS now"))
        for table, columns in (
            ("template", "id, name, name_key, shelf, owner, created"),
            ("revision", "template_id, number, author, time, note, 'approved', hash, body, summary"),
        ):
            connection.execute(sa.text(f"INSERT INTO main.{table} SELECT {columns} FROM now.{table}"))
    opened = open_library(place, "Runa")
    result = opened.summaries()[0]
    assert (result.latest.number, result.latest.state, result.approved, result.latest.parent) == (2, "approved", 2, 1)
    assert opened.stored(ident, 1).template == HD
    with sqlite3.connect(place) as raw:
        assert raw.execute("PRAGMA journal_mode").fetchone()[0] == "wal"
    opened.review(ident, 2, "withdraw")
    assert opened.summary(ident).latest.number == 1
    opened.close()


# -- merging and comparing, which reviews are made of ------------------------------------------------------

_EDITS = st.lists(
    st.sampled_from(
        [
            Edit("note", "a"),
            Edit("note", "b"),
            Edit("sound.line_up_dbfs", -20.0),
            Edit("sound.line_up_dbfs", -14.0),
            Edit("working.format.bit_depth", 8),
            Edit("working.format.scan", "progressive"),
            Edit("timecode.line_up_length_s", 30),
            Edit("deliveries." + LAMP.deliveries[0].id, None),
            Edit("sources.tapes.format.field_order", "top"),
            Edit("sources.tapes.share", 40.0),
            Edit("sources.tapes", None),
            Edit("sources.tapes.policy.kernel", "mitchell"),
        ]
    ),
    max_size=4,
    unique_by=lambda edit: edit.place,
)


def _done(edits: list[Edit]) -> Template:
    # a removal comes last: nothing can be put into what is gone
    return edited(LAMP, *sorted(edits, key=lambda edit: edit.value is None))


@given(_EDITS, _EDITS)
@settings(max_examples=60, deadline=None)
def test_a_merge_takes_each_side_and_invents_nothing(left: list[Edit], right: list[Edit]) -> None:
    mine, theirs = _done(left), _done(right)
    assert merge(LAMP, mine, LAMP).template == mine and merge(LAMP, LAMP, theirs).template == theirs
    assert merge(LAMP, mine, mine).template == mine
    both, other = merge(LAMP, mine, theirs), merge(LAMP, theirs, mine)
    assert {conflict.place for conflict in both.conflicts} == {item.place for item in other.conflicts}
    if not both.conflicts:
        assert both.template == other.template
    values, base = flattened(both.template), flattened(LAMP)
    a, b = flattened(mine), flattened(theirs)
    for place, value in values.items():
        assert value in (a.get(place), b.get(place)), place
        if a.get(place) == base.get(place) and not any(place.startswith(c.place) for c in both.conflicts):
            assert value == b.get(place), place
    chosen = merge(LAMP, mine, theirs, {item.place: "mine" for item in both.conflicts}).template
    assert flattened(chosen) == flattened(other.template)  # to choose mine is to be asked from the other side


def test_a_merge_that_cannot_be_says_so() -> None:
    mine = edited(LAMP, Edit("working.format.scan", "psf"))
    theirs = edited(LAMP, Edit("working.format.field_order", "bottom"))
    result = merge(LAMP, mine, theirs)
    assert [conflict.place for conflict in result.conflicts] == [
        "working.format.scan"
    ]  # one decision, not two that clash
    base = edited(LAMP, Edit("working.format.scan", "progressive"))
    tall = edited(base, Edit("working.format.raster", demo_template("Saltmarsh Hours").working.format.raster))
    ruled = edited(base, Edit("working.format.scan", "interlaced"))
    with pytest.raises(NotPossible, match=r"together cannot be.*2160 lines.*take one of them whole"):
        merge(base, tall, ruled)


def test_what_a_difference_does_is_what_evaluating_shows() -> None:
    wide = edited(HD, Edit("working.format.scan", "progressive"))
    rows = compared(HD, wide)
    assert [row.label for row in rows] == ["Working picture · Scan"] and (rows[0].a, rows[0].b) == (
        "Interlaced",
        "Progressive",
    )
    assert rows[0].effect == effect(
        *(evaluate(item, remedies=False) for item in (HD, wide))
    )  # one difference: its effect is the whole
    grades = [
        (a.grade, b.grade) for a, b in zip(evaluate(HD).links, evaluate(wide).links, strict=True) if a.grade != b.grade
    ]
    assert rows[0].effect is not None and grades
    assert [(link.before, link.after) for link in rows[0].effect.links if link.before != link.after] == grades
    assert effect(evaluate(HD), evaluate(HD)).nothing

"""Models without a window: their states, what they refuse, late answers, and what they say."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot
from tests.app.conftest import filled
from tests.conftest import CLIPS

from idle_quarry.app.background.workers import Cancelled, Ticket
from idle_quarry.app.desk import Desk
from idle_quarry.app.models.intake.rows import ClipRow
from idle_quarry.app.models.library.menus import beginnings, more
from idle_quarry.app.models.library.search_text import SHELVES
from idle_quarry.app.models.proof.figures import alike, is_best
from idle_quarry.app.models.proof.proof import most_to_prove
from idle_quarry.app.preferences import Preferences
from idle_quarry.app.questions import Choice, Question
from idle_quarry.errors import QuarryError
from idle_quarry.library import open_library
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.entries import Monitor
from idle_quarry.path.house_entries import NO_HOUSE
from idle_quarry.proof.figures import Figure


class Told:
    """What a desk said, and what its models asked."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.said: list[str] = []
        self.asked: list[Question | Choice] = []
        self.views: list[str] = []
        desk.message.connect(self.hear)
        desk.view_wanted.connect(self.views.append)
        for model in (desk.shelf, desk.path):
            model.asked.connect(self.asked.append)
        self.action: tuple[str, Callable[[], object]] | None = None

    def hear(self, text: str, _refusal: bool, action: tuple[str, Callable[[], object]] | None) -> None:
        self.said.append(text)
        self.action = action

    def answer(self, text: str) -> str | None:
        """Answer what was asked last; return why it will not do."""
        asked, came = self.asked[-1], list[str | None]()
        assert isinstance(asked, Question)
        asked.accept(text, came.append)
        return came[0]


@pytest.fixture
def desk(qapp: object, tmp_path: Path) -> Iterator[Desk]:
    result = Desk(open_library(filled(tmp_path / "library.db"), "Runa"), Preferences(jobs_folder=str(tmp_path)))
    yield result
    result.close()


@pytest.fixture
def told(desk: Desk) -> Told:
    return Told(desk)


def choose(desk: Desk, name: str) -> None:
    desk.shelf.choose(desk.library.find(name).id)


@pytest.mark.parametrize("shelf", SHELVES)
def test_the_shelf_says_how_much_it_shows(shelf: str, desk: Desk) -> None:
    model = desk.shelf
    model.look_for(shelf=shelf)
    assert model.counted_words().startswith(str(model.rows.shown))
    assert (model.chosen.summary is None) == (model.rows.shown == 0)
    model.look_for(typed="no such words")
    assert model.rows.shown == 0 and model.chosen.summary is None and not model.nothing_at_all
    assert model.nothing_words() == (
        "Nothing was put aside."
        if shelf == "Put aside"
        else "No template has all of that. Clear the search, or choose any shelf, territory and raster."
    )


def test_a_template_that_is_hidden_is_found_when_it_is_chosen(desk: Desk) -> None:
    desk.shelf.look_for(typed="scope", shelf="Own shelf")
    choose(desk, "The Lamp Room")
    summary = desk.shelf.chosen.summary
    assert summary is not None and summary.name == "The Lamp Room" and desk.shelf.sought.typed == ""
    assert desk.shelf.chosen.about_words().startswith("House shelf · revision 2, approved · worst link")


def test_templates_are_found_by_their_settings_once_those_are_read(desk: Desk, qtbot: QtBot) -> None:
    shelf = desk.shelf
    shelf.look_for(typed="hours, monitor is bay two")
    assert shelf.rows.shown == 0 and shelf.nothing_words().startswith("Reading the settings")
    qtbot.waitUntil(lambda: shelf.rows.shown == 1, timeout=10_000)
    assert shelf.chosen.summary is not None and shelf.chosen.summary.name == "Saltmarsh Hours"
    shelf.look_for(typed="working.bit_dept = 8")
    assert "did you mean working.bit_depth?" in shelf.nothing_words() and shelf.rows.shown == 0
    shelf.look_for(typed="working.bit_depth = 8")
    before = shelf.rows.shown
    ident = desk.library.find("House HD 50i").id
    result = edited(desk.library.stored(ident).template, Edit("working.format.bit_depth", 8), Edit("name", "Eight"))
    desk.library.save_new(result, "own", "")
    desk.shelves_changed.emit()
    qtbot.waitUntil(lambda: shelf.rows.shown == before + 1, timeout=10_000)  # what is saved meanwhile is found too


def test_one_setting_is_changed_in_many_looked_at_first_and_undone_at_once(
    desk: Desk, told: Told, qtbot: QtBot
) -> None:
    many, library = desk.many, desk.library
    many.show()
    qtbot.waitUntil(lambda: len(many.ids) == desk.shelf.rows.shown > 5, timeout=10_000)
    names = [many.text(ident, 0) for ident in many.ids]
    assert names == sorted(names, key=str.lower)
    many.add_column("sound.line_up_dbfs")
    desk.shelf.look_for(typed="hd")
    many.keep_view("Levels of HD")
    desk.shelf.look_for(typed="")
    many.remove_column("sound.line_up_dbfs")
    assert "sound.line_up_dbfs" not in many.columns
    many.show_view("Levels of HD")
    assert "sound.line_up_dbfs" in many.columns and desk.shelf.sought.typed == "hd"
    assert [name for name, _ in many.views()] == [
        "Levels of HD",
        "",
        "Keep this table by a name…",
        "Forget Levels of HD",
    ]
    desk.preferences.tables["Odd"] = "[]"
    many.show_view("Odd")  # what cannot be read is said and forgotten
    assert "Odd" not in desk.preferences.tables
    desk.shelf.look_for(typed="")
    many.sort(len(many.columns))
    levels = [float(many.text(ident, len(many.columns))) for ident in many.ids]
    many.sort(len(many.columns))
    turned = [float(many.text(ident, len(many.columns))) for ident in many.ids]
    assert levels == sorted(levels) != turned == sorted(levels, reverse=True)
    assert desk.preferences.table[-1] == "sound.line_up_dbfs"
    wanted = [library.find(name).id for name in ("House HD 50i", "Sheet Seven", "The Lamp Room")]
    many.choose(wanted)
    assert any(offer.place == "working.format.rate" for offer in many.offers)
    many.look("sound.line_up_dbfs", "-20")
    qtbot.waitUntil(lambda: not many.running and len(many.preview) == 3, timeout=10_000)
    assert many.preview_words() == "2 to be changed, 1 as it would be already"
    many.look("working.format.rate", "29.97")
    qtbot.waitUntil(lambda: not many.running and len(many.preview) == 3, timeout=10_000)
    assert any("exact → lossy" in text for item in many.changing() for text in item.effects)
    many.look("sources.cameras.share", "a lot")
    qtbot.waitUntil(lambda: not many.running and len(many.preview) == 3, timeout=10_000)
    assert not many.changing() and {"it has no such setting"} < {item.refused for item in many.preview}
    many.look("sound.line_up_dbfs", "-20")
    qtbot.waitUntil(lambda: not many.running and len(many.changing()) == 2, timeout=10_000)
    before = {ident: library.summary(ident).latest.number for ident in wanted}
    many.save("the north's line-up")
    qtbot.waitUntil(lambda: bool(told.said) and "2 drafts saved" in told.said[-1], timeout=10_000)
    newest = {ident: library.revisions(ident)[0] for ident in wanted}
    assert [newest[ident].number - before[ident] for ident in wanted] == [1, 0, 1]
    assert newest[wanted[0]].state == "draft" and newest[wanted[0]].note == "the north's line-up"
    assert library.stored(wanted[2], newest[wanted[2]].number).template.sound.line_up_dbfs == -20
    assert told.action is not None and told.action[0] == "Undo all"
    told.action[1]()
    qtbot.waitUntil(lambda: {library.revisions(wanted[n])[0].state for n in (0, 2)} == {"withdrawn"}, timeout=10_000)


def test_a_name_that_is_taken_is_refused_in_place_and_nothing_is_lost(desk: Desk, told: Told) -> None:
    choose(desk, "Web trio 25p")
    desk.shelf.rename()
    assert told.answer("House HD, try-out PsF") is not None
    assert told.answer("Web trio") is None and desk.library.find("own/Web trio").latest.number == 2
    assert (
        told.answer("Web trio") is None and desk.library.find("own/Web trio").latest.number == 2
    )  # no revision for nothing
    names = [text for text, _ in more(desk.shelf, desk.library.summary(desk.library.find("own/Web trio").id))]
    assert "Copy to the house shelf as a draft" in names and names[-1] == "Put aside"
    assert any(text.startswith("From delivery: ") for text, _ in beginnings(desk.shelf))


def test_putting_aside_is_undone_by_the_word_that_is_said(desk: Desk, told: Told) -> None:
    choose(desk, "Sheet Seven")
    desk.shelf.put_aside()
    assert told.said[-1] == "Sheet Seven was put aside." and desk.library.named("Sheet Seven", "house") is None
    assert told.action is not None and told.action[0] == "Undo"
    told.action[1]()
    assert desk.library.named("Sheet Seven", "house") is not None


def test_an_approval_answers_each_stop_one_after_the_other(desk: Desk, told: Told) -> None:
    house = desk.library.find("House HD 50i")
    broken = edited(desk.library.stored(house.id).template, Edit("monitor.monitor", "lounge-tv"))
    desk.library.save_revision(house.id, broken, "", parent=2)
    desk.library.review(house.id, 3, "propose", "", person="Odo")
    choose(desk, "House HD 50i")
    desk.shelf.chosen.pick(3)
    desk.library.set_one_person(True)
    desk.shelf.act("approve", 3)
    stops = 0
    while "Why is it right all the same" in told.asked[-1].text:
        assert told.answer("") is not None  # nobody passes a stop without a word
        assert told.answer("agreed with the room") is None
        stops += 1
    assert stops and told.asked[-1].text == "What was looked at:"
    assert told.answer("seen") is None and desk.library.summary(house.id).approved == 3


def test_a_late_comparison_is_nobody_s(desk: Desk, qtbot: QtBot) -> None:
    library = desk.library
    one, two, three = (library.stored(library.find(n).id) for n in ("House HD 50i", "The Lamp Room", "Sheet Seven"))
    desk.review.show_pair(one, two)
    desk.review.show_pair(one, three)
    assert desk.review.sum_words() == "being compared"
    qtbot.waitUntil(lambda: desk.review.compare is not None, timeout=10_000)
    qtbot.wait(100)
    assert desk.review.pair == (one, three) and desk.review.compare is not None
    assert desk.review.compare.right.template == three.template


def test_the_path_says_where_it_stands(desk: Desk, told: Told) -> None:
    model = desk.path
    assert model.about_words() == "" and model.settings() == [] and not model.has_something_to_prove()
    desk.open_stored(desk.library.find("House HD 50i").id)
    assert "approved, read-only: an edit begins a draft" in model.about_words() and model.changes_words() == ""
    model.choose("nowhere")
    assert model.sheet == "working"
    model.stations.add_source()
    assert model.sheet == "source:source" and model.changes_words().endswith("since revision 2")
    desk.undo()
    assert model.sheet == "working" and model.station == "working"  # what is gone is no longer looked at
    assert desk.edit("Bad", Edit("working.format.bit_depth", 11)) is False and "no such bit depth" in told.said[-1]
    setting = next(s for s in model.settings() if s.place == "working.format.bit_depth")
    assert model.type(setting, "12") is None and model.save_words() == "Save draft"
    model.start_job()
    assert told.said[-1].startswith("Jobs start from saved revisions") and "Jobs" not in told.views
    texts = [text for text, _ in model.changes()]
    assert texts[-1] == "Put back everything" and texts[-2] == ""
    act = model.changes()[-1][1]
    assert act is not None
    act()
    assert model.changes_words() == ""


def test_saving_offers_what_comes_next(desk: Desk, told: Told) -> None:
    desk.open_stored(desk.library.find("House HD 50i").id)
    desk.edit("Level", Edit("sound.line_up_dbfs", -20.0))
    desk.path.ask_save()
    assert told.answer("the mixers asked") is None
    assert told.said[-1] == "House HD 50i is saved as revision 3, a draft." and told.action is not None
    told.action[1]()  # Send to review
    assert desk.library.summary(desk.library.find("House HD 50i").id).latest.state == "in review"


@pytest.mark.parametrize(
    ("title", "folder", "why"),
    [
        ("", "here", ""),
        ("a/b", "here", "folder's name"),
        ("Evening", "", "Say in which folder"),
        ("Evening", "nowhere", "no such folder"),
        ("there", "here", "the folder exists"),
        ("Evening", "here", None),
    ],
)
def test_why_a_job_cannot_be_started(title: str, folder: str, why: str | None, desk: Desk, tmp_path: Path) -> None:
    (tmp_path / "here" / "there").mkdir(parents=True)
    start = desk.jobs.start
    start.begin(desk.library.stored(desk.library.find("House HD 50i").id))
    start.call(title)
    start.put_in(str(tmp_path / folder) if folder else "")
    result = start.why_not()
    assert result is None if why is None else result is not None and why in result and (why or not result)
    assert start.plan() is None if title == "a/b" else "8 files" in start.size_words()


def test_a_folder_that_is_named_and_not_there_is_made(desk: Desk, qtbot: QtBot, tmp_path: Path) -> None:
    start = desk.jobs.start
    start.begin(desk.library.stored(desk.library.find("House HD 50i").id))
    start.call("Evening")
    for folder in (tmp_path, tmp_path / "no" / "where", Path("work")):
        start.put_in(str(folder))
        assert start.missing_folder is None, "it is there, or what it would lie in is not"
    start.put_in(str(tmp_path / "work"))
    assert "have it made" in (start.why_not() or "")
    start.make_folder()
    qtbot.waitUntil((tmp_path / "work").is_dir, timeout=10_000)
    qtbot.waitUntil(lambda: start.why_not() is None, timeout=10_000)


def test_a_start_that_is_cancelled_leaves_nothing_and_can_be_begun_again(
    desk: Desk, qtbot: QtBot, tmp_path: Path
) -> None:
    start = desk.jobs.start
    start.begin(desk.library.stored(desk.library.find("House HD 50i").id))
    start.call("Evening")
    start.put_in(str(tmp_path))
    start.start()
    start.cancel()
    qtbot.waitUntil(lambda: not start.running, timeout=30_000)
    assert start.why_not() == "cancelled; nothing was left behind" and not (tmp_path / "Evening").exists()
    start.call("Evening again")
    assert start.why_not() is None


def test_clips_are_judged_as_they_come_and_stopped(desk: Desk, told: Told, qtbot: QtBot) -> None:
    model = desk.intake
    assert model.row is None and model.uses.beginnings() == [] and model.totals() == []
    model.look_at([CLIPS / "lamp tape 014.mpg", CLIPS / "stone roaming 1.mov"])
    qtbot.waitUntil(lambda: not model.running and len(model.rows.rows) == 2, timeout=60_000)
    assert model.row is not None and model.row.match is None  # nothing is open
    desk.open_stored(desk.library.find("The Lamp Room").id)
    tape = next(row for row in model.rows.rows if "tape" in row.name)
    assert tape.match is not None and tape.match.source is not None and tape.match.grade == "exact"
    assert model.uses.source_of(tape) == f"source:{tape.match.source.id}"
    model.hold_against("none")
    assert all(row.match is None for row in model.rows.rows)
    model.choose(tape.path)
    assert next(text for text, _ in model.uses.source_acts()) == "Another source, with its share"
    model.look_at([CLIPS])
    model.cancel()
    qtbot.waitUntil(lambda: not model.running, timeout=30_000)
    assert told.said[-1] == "Stopped; the clips looked at so far are shown."
    model.clear()
    assert model.row is None and not model.rows.rows


def test_the_two_ends_are_ranked_again_when_one_counts_no_longer(desk: Desk, qtbot: QtBot) -> None:
    ends = desk.intake.two_ends
    ends.set_sources([("576i25", 60.0), ("1080p25", 40.0)])
    index = next(n for n, end in enumerate(ends.outs) if end.words == "hd-50")
    with qtbot.waitSignal(ends.ranked, timeout=5000):
        ends.set_out(index, on=True)
    assert ends.chosen is ends.ranking[0] and ends.reason_words() and len(ends.ranking) > 5
    with qtbot.waitSignal(ends.ranked, timeout=5000):
        ends.set_out(index, on=False)
    assert ends.ranking == [] and ends.chosen is None and ends.head_words().startswith("Choose")
    with pytest.raises(QuarryError):
        ends.add_source("12 apples")
    assert len(ends.sources) == 2


def test_nothing_is_converted_for_nobody(desk: Desk, qtbot: QtBot) -> None:
    desk.open_stored(desk.library.find("Archive SD 16:9").id)
    proof, document = desk.proof, desk.document
    assert document is not None and proof.station == most_to_prove(document.evaluation)
    assert proof.pictures.bench is None and not proof.pictures.busy
    proof.look(True)
    pictures = proof.pictures
    qtbot.waitUntil(lambda: pictures.bench is not None and not pictures.busy, timeout=60_000)
    assert (
        pictures.compared.methods
        and pictures.words.about_words()
        and pictures.words.where_words().startswith("picture")
    )
    kept = list(pictures.compared.methods)
    pictures.compared.choose_method(0, kept[1])
    assert pictures.compared.methods == [kept[1], kept[0]]  # the two change places
    pictures.compared.compare("no such part")
    assert pictures.compared.methods == [kept[1], kept[0]]
    bench = pictures.bench
    assert bench is not None
    pictures.go(3)
    proof.look(False)  # with one picture under way and the other not begun
    qtbot.waitUntil(lambda: desk.workers.idle, timeout=60_000)
    assert sum(bench.still_of(policy, 3) is not None for policy in pictures.compared.policies()) < 2
    proof.look(True)
    qtbot.waitUntil(lambda: all(bench.still_of(policy, 3) for policy in pictures.compared.policies()), timeout=60_000)
    proof.look(False)


def test_figures_that_agree_are_shared_and_the_better_carries_the_dot() -> None:
    a = [Figure("PSNR", "40.0 dB", 40.0, "more"), Figure("cost here", "2 ×", 2.0, "more")]
    b = [Figure("PSNR", "38.0 dB", 38.0, "more"), Figure("cost here", "2 ×", 2.0, "more")]
    assert [figure.name for figure in alike([a, b])] == ["cost here"] and alike([a]) == alike([a, None]) == []
    assert is_best(a[0], [a, b]) and not is_best(b[0], [a, b]) and not is_best(a[1], [a, b])


def test_work_gives_parts_and_a_cancelled_one_is_told_by_its_type(desk: Desk, qtbot: QtBot) -> None:
    parts: list[int] = []
    ends: list[object] = []

    def work(ticket: Ticket) -> str:
        for number in range(3):
            ticket.give(number)
        return "done"

    desk.workers.start(work, ends.append, ends.append, None, parts.append)
    qtbot.waitUntil(lambda: bool(ends), timeout=5000)
    assert parts == [0, 1, 2] and ends == ["done"]

    def endless(ticket: Ticket) -> None:
        while True:
            ticket.progress("on", 0.5)

    ticket = desk.workers.start(endless, ends.append, ends.append)
    ticket.cancel()
    qtbot.waitUntil(lambda: len(ends) == 2, timeout=5000)
    assert isinstance(ends[1], Cancelled)


def test_a_row_without_a_clip_says_why(desk: Desk) -> None:
    rows = desk.intake.rows
    rows.add(ClipRow(Path("/x/broken.mov"), None, "the file is empty"))
    assert rows.index(0, 0).data() == "broken.mov" and "the file is empty" in rows.index(0, 0).data(3)
    rows.add(ClipRow(Path("/x/broken.mov"), None, "cut short"))
    assert rows.rowCount() == 1 and rows.rows[0].refusal == "cut short"


def test_a_first_revision_is_looked_at_whole(desk: Desk, qtbot: QtBot) -> None:
    desk.shelf.choose(desk.library.find("Ferry Talk").id)
    desk.shelf.compare(1, 1)
    review = desk.review
    qtbot.waitUntil(lambda: review.compare is not None)
    assert (
        review.first
        and review.compare is not None
        and review.title_words() == "Ferry Talk: revision 1, with none before it"
    )
    shown = {row.label: row.b for row in review.compare.rows}
    assert (
        shown["Saloon cameras · Format"] == "1080i25"
        and len(shown) > 100
        and not any(row.a for row in review.compare.rows)
    )
    assert review.sum_words().startswith(
        f"all of it is new: {len(review.compare.rows)} settings · 2 findings: Harbour Six"
    )


def test_a_new_template_knows_its_house(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    desk.preferences.work_folder = "/srv/work"
    own = {entry.id for entry in desk.house.value.entries if isinstance(entry, Monitor)}
    desk.shelf.begin_from("hd-50")
    assert desk.document is not None and own
    template = desk.document.template
    assert template.monitor is not None and template.monitor.monitor in own and template.territory == "50 Hz"
    assert [place.path for place in template.places] == ["/srv/work", "/srv/work/cache"]
    monkeypatch.setattr(type(desk.house), "value", property(lambda _self: NO_HOUSE))
    desk.shelf.begin_from("hd-59")
    assert desk.document.template.monitor is None, "no other house's is guessed"

"""A room that follows the server: another's saves arrive, presence, what goes on while the server is away."""

from __future__ import annotations

import itertools
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from tests.conftest import demo_template
from tests.postgres import PrivateServer

from idle_quarry.errors import Away, LibraryError
from idle_quarry.library import HandoverRecord, Search
from idle_quarry.library.house_entries import in_use, listed, own_copy, put
from idle_quarry.library.server import open_server
from idle_quarry.library.server.at_hand import AtHand, place_at_hand
from idle_quarry.library.server.connection import LibraryNews, ServerConnection
from idle_quarry.library.server.setup import set_up
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.entries import entry_from_data, stored_entry
from idle_quarry.path.registry import monitors, naming_rules
from idle_quarry.path.template import Template

HD = demo_template("House HD 50i")
_NUMBERS = itertools.count(1)


def quiet(level: float) -> Template:
    return edited(HD, Edit("sound.line_up_dbfs", level))


@pytest.fixture
def own_server() -> Iterator[tuple[PrivateServer, str]]:
    """A server that a test may stop, with a library set up on it."""
    result = PrivateServer()
    result.start()
    result.database("house")
    set_up(result.url("keeper", "house"), {"Runa": "editor", "Odo": "editor", "Tamsin": "approver"})
    yield result, "house"
    result.close()


def room(server: PrivateServer, house: str, person: str, folder: Path, monkeypatch: pytest.MonkeyPatch) -> AtHand:
    """Return a room of its own: its library at hand lies in a folder of its own."""
    from idle_quarry.library.server import at_hand

    monkeypatch.setattr(at_hand, "data_folder", lambda: folder / f"room{next(_NUMBERS)}")
    return AtHand(server.url(person, house), person)


def until(true: Callable[[], object], seconds: float = 20.0) -> None:
    """Wait until something is true; how fast that is, `benchmarks/live.py` measures."""
    begun = time.monotonic()
    while not true():
        assert time.monotonic() - begun < seconds, "it never came"
        time.sleep(0.01)


def test_another_room_s_saves_reviews_and_presence_arrive(
    server: PrivateServer, house: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    first = room(server, house, "Runa", tmp_path, monkeypatch)
    second = room(server, house, "Tamsin", tmp_path, monkeypatch)
    news: list[LibraryNews] = []
    lines = [ServerConnection(first, lambda _n: None), ServerConnection(second, news.append)]
    until(lambda: not first.away and not second.away)
    ident = first.save_new(HD, "house", "first").template_id
    until(lambda: second.count() == 1)
    assert second.stored(ident).template == HD
    until(lambda: any(new.changed for new in news[1:]))  # told of the save, not only of having joined
    first.review(ident, 1, "propose")
    until(lambda: second.summary(ident).latest.state == "in review")
    second.review(ident, 1, "approve", "seen")
    until(lambda: first.summary(ident).approved == 1)
    lines[0].works_on(ident)
    until(lambda: lines[1].present(ident) == ["Runa"])
    assert lines[0].present(ident) == []
    lines[0].close()
    until(lambda: lines[1].present(ident) == [])
    second.set_default(ident)
    assert open_server(server.url("Odo", house)).default_id() == ident
    lines[1].close()
    first.close()
    second.close()


def test_work_goes_on_while_the_server_is_away(
    own_server: tuple[PrivateServer, str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    server, house = own_server
    here = room(server, house, "Runa", tmp_path, monkeypatch)
    here.join()
    ident = here.save_new(HD, "house", "first").template_id
    here.save_new(edited(HD, Edit("name", "Taken")), "own", "")
    server.stop(at_once=True)
    draft = here.save_revision(ident, quiet(-20.0), "on the train", parent=1)
    assert here.away and draft.number == 2
    second = here.save_revision(ident, quiet(-21.0), "still on it", parent=draft.number)
    other = here.save_new(edited(HD, Edit("name", "Off the line")), "house", "").template_id
    assert here.stored(ident, 2).template == quiet(-20.0) and here.count(Search(words=("off", "line"))) == 1
    job = here.record_job("Away job", tmp_path, here.stored(ident, second.number))
    assert [item.title for item in here.jobs()] == ["Away job"]
    output = HandoverRecord(
        id="h1",
        job="Away job",
        template_id=ident,
        revision=second.number,
        hash=second.hash,
        delivery="HD 50i",
        file="EP04.mxf",
        sha256="a" * 64,
        verdict="passes",
        author="Runa",
        time=second.time,
        looked="room 12, of Wren",
    )
    here.record_handover(output)
    here.record_handover(output)
    assert here.handovers_from(ident) == [output] and "the hand-over of EP04.mxf" in here.unsent()[-1].words
    with pytest.raises(Away, match="drafts and jobs go on meanwhile"):
        here.review(ident, 2, "propose")
    assert [one.act for one in here.unsent()] == ["save revision", "save revision", "save new", "job", "handover"]

    server.start()
    odo = open_server(server.url("Odo", house))
    odo.save_revision(ident, edited(HD, Edit("note", "Odo's")), "meanwhile", parent=1)  # revision 2, on the server
    odo.save_new(edited(HD, Edit("name", "off the LINE")), "house", "first come")
    here.join()
    assert here.unsent() == []
    result = {revision.number: (revision.author, revision.parent, revision.note) for revision in here.revisions(ident)}
    assert result == {
        1: ("Runa", None, "first"),
        2: ("Odo", 1, "meanwhile"),
        3: ("Runa", 1, "on the train"),
        4: ("Runa", 3, "still on it"),
    }
    assert here.stored(ident, 4).template == quiet(-21.0)
    assert [open_draft.number for open_draft in here.open_drafts(ident)] == [4, 2]  # to be merged, as any two
    assert here.common_base(ident, 4, 2) == 1
    assert here.summary(other).name == "Off the line (Runa)" and here.named("Off the line", "house") is not None
    assert [(item.id, item.revision) for item in odo.jobs()] == [(job.id, 4)]
    assert odo.handovers_from(ident) == [replace(output, revision=4)]
    on_server = {item.number: item.hash for item in odo.revisions(ident)}
    assert {item.number: item.hash for item in here.revisions(ident)} == on_server
    odo.close()
    here.close()


def test_a_line_cut_after_the_server_had_it_sends_nothing_twice(
    own_server: tuple[PrivateServer, str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    server, house = own_server
    here = room(server, house, "Runa", tmp_path, monkeypatch)
    here.join()
    ident = here.save_new(HD, "house", "").template_id
    assert here.server is not None
    real = here.server.save_revision

    def cut(*given: object, **said: object) -> object:
        real(*given, **said)  # type: ignore[arg-type]
        server.stop(at_once=True)
        raise Away("the server does not answer")  # its answer was lost

    monkeypatch.setattr(here.server, "save_revision", cut)
    here.save_revision(ident, quiet(-20.0), "once", parent=1)
    assert len(here.unsent()) == 1
    server.start()
    for _ in range(2):
        here.join()
        assert [revision.number for revision in here.revisions(ident)] == [2, 1] and here.unsent() == []
    assert len(open_server(server.url("Odo", house)).revisions(ident)) == 2
    here.close()


def test_what_the_server_refuses_stays_here_and_says_why(
    own_server: tuple[PrivateServer, str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    server, house = own_server
    here = room(server, house, "Runa", tmp_path, monkeypatch)
    here.join()
    ident = here.save_new(HD, "house", "").template_id
    here.leave()
    first = here.save_revision(ident, quiet(-20.0), "kept", parent=1)
    second = here.save_revision(ident, quiet(-21.0), "made of it", parent=first.number)
    here.record_job("On the draft", tmp_path, here.stored(ident, second.number))
    set_up(server.url("keeper", house), {"Runa": "reader"})
    odo = open_server(server.url("Odo", house))
    odo.save_revision(ident, quiet(-12.0), "Odo's", parent=1)  # takes the number that the first draft has here
    here.join()
    assert ["does not allow" in one.trouble or "waits for the draft" in one.trouble for one in here.unsent()] == [
        True
    ] * 3
    chain = [(revision.number, revision.author, revision.parent) for revision in here.revisions(ident)]
    assert chain == [(4, "Runa", 3), (3, "Runa", 1), (2, "Odo", 1), (1, "Runa", None)]
    assert not odo.jobs()  # not on a revision of that number that is somebody else's
    assert here.common_base(ident, 4, 2) == 1
    set_up(server.url("keeper", house), {"Runa": "editor"})
    odo.save_revision(ident, quiet(-11.0), "Odo's second", parent=2)
    third = here.save_revision(
        ident, quiet(-22.0), "third", parent=4
    )  # made of what the server has not got: it waits too
    assert not here.away and third.parent == 4 and len(here.unsent()) == 4
    here.send()
    assert here.unsent() == []
    for library in (here, odo):
        chain = [(item.number, item.note, item.parent) for item in library.revisions(ident)]
        assert chain == [
            (6, "third", 5),
            (5, "made of it", 4),
            (4, "kept", 1),
            (3, "Odo's second", 2),
            (2, "Odo's", 1),
            (1, "", None),
        ]
    assert [(job.title, job.revision) for job in odo.jobs()] == [("On the draft", 5)]
    odo.close()
    here.close()


def test_the_line_comes_back_by_itself(
    own_server: tuple[PrivateServer, str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    server, house = own_server
    here = room(server, house, "Runa", tmp_path, monkeypatch)
    news: list[LibraryNews] = []
    line = ServerConnection(here, news.append)
    until(lambda: not here.away)
    server.stop(at_once=True)
    until(lambda: here.away and any(not new.joined for new in news))
    ident = here.save_new(HD, "house", "").template_id
    server.start()
    until(lambda: not here.away and not here.unsent(), 20)
    assert open_server(server.url("Odo", house)).stored(ident).template == HD
    line.close()
    here.close()


def test_no_password_is_kept(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from idle_quarry.library.server import at_hand

    monkeypatch.setattr(at_hand, "data_folder", lambda: tmp_path)
    open_one = AtHand("postgresql://Runa:hush-hush@/nowhere?host=/nowhere", "Runa")
    assert open_one.place == place_at_hand("postgresql://Runa@/nowhere?host=/nowhere")
    assert "hush" not in open_one.subject
    open_one.save_new(HD, "own", "")
    open_one.close()
    assert not any(b"hush-hush" in path.read_bytes() for path in tmp_path.rglob("*") if path.is_file())


def test_entries_of_the_house_wait_and_arrive_as_templates_do(
    own_server: tuple[PrivateServer, str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    server, house = own_server
    here = room(server, house, "Runa", tmp_path, monkeypatch)
    here.join()
    bay = own_copy(monitors()["suite-sdr"], "Bay 9")
    put(here, bay, "house", "first")
    server.stop(at_once=True)
    hidden = entry_from_data({**stored_entry(bay), "overscan": 3})
    assert put(here, hidden, "house", "on the train").number == 2 and here.away
    rule = own_copy(naming_rules()["job-plain"], "Ours")
    put(here, rule, "own", "")
    assert in_use(here)[bay.uid].entry == hidden and [one.act for one in here.unsent()] == ["save revision", "save new"]
    template = edited(HD, Edit("monitor.monitor", hidden.id))
    ident = here.save_new(template, "own", "it carries what it names").template_id
    server.start()
    here.join()
    assert here.unsent() == []
    odo, runa = open_server(server.url("Odo", house)), open_server(server.url("Runa", house))
    assert odo.entry(bay.uid, 2).entry == hidden and odo.entry(bay.uid, 1).entry == bay
    assert runa.entry(rule.uid).entry == rule and runa.stored(ident).template.house == (hidden,)
    with pytest.raises(LibraryError):
        odo.entry(rule.uid)  # on Runa's own shelf
    assert rule.uid not in in_use(odo) and [item.ident for item in listed(odo, "naming") if item.entry.uid] == []
    for library in (odo, runa, here):
        library.close()

"""The facility's server: what it holds by itself, whatever program asks; and the same library on both databases."""

from __future__ import annotations

import threading

import psycopg
import pytest
import sqlalchemy as sa
from tests.conftest import demo_template
from tests.postgres import PrivateServer

from idle_quarry.errors import Away, LibraryError, NameTaken, NotUnderstood
from idle_quarry.library import Search
from idle_quarry.library.schema import HEAD, metadata
from idle_quarry.library.server import ServerLibrary, open_server
from idle_quarry.library.server.setup import set_up
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.template import Template

HD = demo_template("House HD 50i")


def quiet(level: float) -> Template:
    return edited(HD, Edit("sound.line_up_dbfs", level))


def refused(server: PrivateServer, house: str, person: str, statement: str) -> str:
    """Return what the server says to a raw connection that is refused; empty where it did what was asked."""
    with psycopg.connect(server.url(person, house)) as raw:
        try:
            for part in statement.split("; "):
                done = raw.execute(part)
        except psycopg.Error as error:
            return str(error)
        return "" if done.rowcount else "no row"


def test_a_review_goes_round_between_people(server: PrivateServer, house: str) -> None:
    runa, tamsin, wren = (open_server(server.url(name, house)) for name in ("Runa", "Tamsin", "Wren"))
    assert (runa.person, runa.right, tamsin.right, wren.right) == ("Runa", "editor", "approver", "reader")
    ident = runa.save_new(HD, "house", "first").template_id
    runa.review(ident, 1, "propose")
    with pytest.raises(LibraryError, match="does not allow"):
        open_server(server.url("Odo", house)).review(ident, 1, "approve")  # an editor is no approver
    tamsin.review(ident, 1, "approve", "seen")
    assert wren.summary(ident).approved == 1 and wren.stored(ident).template == HD
    with pytest.raises(LibraryError, match="does not allow"):
        wren.save_revision(ident, quiet(-20), "")
    own = tamsin.save_revision(ident, quiet(-20), "", parent=1)
    tamsin.review(ident, own.number, "propose")
    with pytest.raises(LibraryError, match="its author may not approve it"):
        tamsin.review(ident, own.number, "approve")
    assert [(remark.act, remark.person) for remark in runa.remarks(ident)] == [
        ("propose", "Tamsin"),
        ("approve", "Tamsin"),
        ("propose", "Runa"),
    ]
    result = runa.save_revision(ident, quiet(-16), "both", parent=1, merged=own.number)
    runa.review(ident, result.number, "propose")
    # one of those whose draft was merged approves the merge neither through this program nor past it
    with pytest.raises(LibraryError, match="one of its authors"):
        tamsin.review(ident, result.number, "approve")
    past = (
        f"INSERT INTO review SELECT template_id, (SELECT max(n) + 1 FROM review WHERE template_id = '{ident}'),"
        f" {result.number}, 'approve', 'approved', '', 'Tamsin', time, '', 'x' FROM review WHERE n = 1"
        f" AND template_id = '{ident}'"
    )
    assert "permission denied" in refused(server, house, "Tamsin", past)
    with pytest.raises(LibraryError, match="cannot be put aside"):
        runa.put_aside(ident)  # it is approved
    tamsin.put_aside(ident)
    assert wren.count() == 0 and wren.count(Search(aside=True)) == 1
    for item in (runa, tamsin, wren):
        item.close()


def test_the_house_may_be_set_to_one_person(server: PrivateServer, house: str) -> None:
    ivo = open_server(server.url("Ivo", house))
    ident = ivo.save_new(HD, "house", "").template_id
    ivo.set_one_person(True)
    ivo.review(ident, 1, "approve")
    ivo.set_default(ident)
    ivo.set_default(ident, own=True)
    assert ivo.defaults() == (ident, ident) and ivo.summary(ident).approved == 1
    odo = open_server(server.url("Odo", house))
    assert odo.defaults() == (ident, None) and odo.default_id() == ident
    ivo.close()
    odo.close()


def test_setting_up_again_changes_nothing_and_says_what_it_did(server: PrivateServer, house: str) -> None:
    runa = open_server(server.url("Runa", house))
    ident = runa.save_new(HD, "house", "").template_id
    done = set_up(server.url("keeper", house), {"Wren": "editor", "Bryn": "reader"})
    assert done.lines[0] == f"tables: there already, version {HEAD}" and list(done.passwords) == ["Bryn"]
    assert "Wren: editor" in done.lines
    assert runa.stored(ident).template == HD
    assert open_server(server.url("Wren", house)).right == "editor"
    with pytest.raises(NotUnderstood, match="no such right"):
        set_up(server.url("keeper", house), {"Wren": "queen"})
    with pytest.raises(LibraryError, match="does not allow"):
        set_up(server.url("Runa", house), {})
    runa.close()


def test_tables_are_those_the_code_knows(server: PrivateServer, house: str) -> None:
    engine = sa.create_engine(server.url("keeper", house).replace("postgresql:", "postgresql+psycopg:"))
    with engine.connect() as connection:
        for table in metadata.sorted_tables:
            result = {(c["name"], c["nullable"]) for c in sa.inspect(connection).get_columns(table.name)}
            assert result == {(c.name, bool(c.nullable)) for c in table.columns}
    engine.dispose()


def test_addresses_that_lead_nowhere(server: PrivateServer, house: str) -> None:
    server.database("empty")
    for place, says in (
        ("postgresql://Runa@/nothing?host=" + str(server.folder), "does not answer|refused"),
        (server.url("Runa", "empty"), "holds no library yet"),
        (server.url("nobody", house), "does not answer|refused"),
        ("mysql://x@y/z", "PostgreSQL"),
        ("postgresql://Runa:secret@[broken/house", "does not answer|not an address"),
    ):
        with pytest.raises(LibraryError, match=says) as refusal:
            open_server(place)
        assert "secret" not in str(refusal.value)
    with pytest.raises(Away):
        open_server("postgresql://Runa@/house?host=/nowhere")
    set_up(server.url("keeper", house), {})
    with psycopg.connect(server.url("keeper", house)) as raw:
        raw.execute("CREATE ROLE stranger LOGIN")
        raw.commit()
    with pytest.raises(LibraryError, match=r"stranger has no right in it|does not allow"):
        open_server(server.url("stranger", house))


def test_many_writers_on_the_server_lose_nothing(server: PrivateServer, house: str) -> None:
    people = ("Runa", "Odo", "Tamsin", "Ivo")
    first = open_server(server.url("Runa", house))
    ident = first.save_new(HD, "house", "").template_id
    failed: list[str] = []

    def write(library: ServerLibrary) -> None:
        for number in range(10):
            try:
                library.save_revision(ident, quiet(-10 - number / 10), str(number))
                library.save_new(edited(HD, Edit("name", f"{library.person} {number}")), "house", "")
            except LibraryError as error:
                failed.append(str(error))
        library.close()

    threads = [threading.Thread(target=write, args=(open_server(server.url(p, house)),)) for p in people]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not failed and [r.number for r in first.revisions(ident)] == list(range(41, 0, -1))
    assert first.count() == 41
    with pytest.raises(NameTaken):
        first.save_new(edited(HD, Edit("name", "odo 3")), "house", "")
    first.close()

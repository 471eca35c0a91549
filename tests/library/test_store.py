"""The library: shelves and revisions, collisions, damaged and foreign and newer files, exchange and its schema."""

from __future__ import annotations

import json
import sqlite3
import threading
from pathlib import Path

import jsonschema
import pytest
import sqlalchemy as sa
from alembic.config import Config
from alembic.script import ScriptDirectory
from tests.conftest import demo_template

from idle_quarry.demo.templates import house_shelf, own_shelf
from idle_quarry.errors import ExchangeError, LibraryError, NameTaken
from idle_quarry.library import FileLibrary, Search, open_library
from idle_quarry.library.files.exchange import export_file, exported, import_file, imported, schema
from idle_quarry.library.files.publish_schema import published
from idle_quarry.library.house_entries import own_copy, put
from idle_quarry.library.records import RevisionFacts
from idle_quarry.library.schema import HEAD, metadata
from idle_quarry.path.changes.edits import Edit, changes, edited
from idle_quarry.path.policies import Policy
from idle_quarry.path.registry import monitors
from idle_quarry.path.template import FORMAT_NUMBER, Template, canonical, content_hash
from idle_quarry.path.template_parts import ClipException

ROOT = Path(__file__).resolve().parents[2]
HD = demo_template("House HD 50i")


def test_revisions_are_kept_and_never_change(library: FileLibrary) -> None:
    first = library.save_new(HD, "house", "first")
    other = edited(HD, Edit("sound.line_up_dbfs", -20.0))
    second = library.save_revision(first.template_id, other, "line-up")
    assert [r.number for r in library.revisions(first.template_id)] == [2, 1]
    assert library.stored(first.template_id, 1).template == HD
    assert library.stored(first.template_id).template == other
    assert second.hash == content_hash(other)
    for statement in ("UPDATE revision SET note = 'x'", "DELETE FROM revision"):
        with sqlite3.connect(library.place) as raw, pytest.raises(sqlite3.IntegrityError, match="never changes"):
            raw.execute(statement)
    with pytest.raises(LibraryError):
        library.stored(first.template_id, 9)


def test_names_shelves_and_the_default(library: FileLibrary) -> None:
    house = library.save_new(HD, "house", "")
    with pytest.raises(NameTaken):
        library.save_new(edited(HD, Edit("name", HD.name.upper())), "house", "")
    own = library.save_new(HD, "own", "")
    with pytest.raises(LibraryError, match="both shelves"):
        library.find(HD.name)
    assert library.find(f"own/{HD.name}").id == own.template_id
    assert library.find(f"house/{HD.name}".lower().replace("house hd", "House HD")).id == house.template_id
    assert library.free_name(HD.name, "own") == f"{HD.name} 2"
    library.set_default(house.template_id)
    assert [s.id for s in library.summaries() if s.default] == [house.template_id]
    stranger = open_library(library.place, "Odo")
    assert {s.shelf for s in stranger.summaries()} == {"house"}  # another person's own shelf is their own
    stranger.close()


def test_search_text_holds_what_people_look_for(library: FileLibrary) -> None:
    for history in [*house_shelf(), *own_shelf()]:
        library.save_new(history[-1].template, "house", "")
    result = {
        word: {s.name for s in library.page(Search(words=tuple(word.split())))}
        for word in ("scope", "hlg 2160p50", "curling", "59.94", "zzz")
    }
    assert result["scope"] == {"Narrow Gauge", "Scope print 24"}
    assert result["hlg 2160p50"] == {"Saltmarsh Hours", "House UHD HLG 50p"}
    assert result["curling"] == {"Sheet Seven"} and "Sheet Seven" in result["59.94"] and not result["zzz"]


def test_many_writers_lose_nothing(library: FileLibrary) -> None:
    ident = library.save_new(HD, "house", "").template_id

    def write(person: str) -> None:
        mine = open_library(library.place, person)
        for number in range(8):
            mine.save_revision(ident, edited(HD, Edit("note", f"{person} {number}")), str(number))
        mine.close()

    threads = [threading.Thread(target=write, args=(name,)) for name in ("Runa", "Odo", "Wren")]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    revisions = library.revisions(ident)
    assert [r.number for r in revisions] == list(range(25, 0, -1))
    assert {r.author for r in revisions} == {"Runa", "Odo", "Wren"}


def test_a_revision_changed_from_outside_is_noticed(library: FileLibrary) -> None:
    ident = library.save_new(HD, "house", "").template_id
    with sqlite3.connect(library.place) as raw:
        raw.execute("DROP TRIGGER revision_never_changes")
        raw.execute('UPDATE revision SET body = replace(body, \'"note":"\', \'"note":"not \')')
    with pytest.raises(LibraryError, match="hash"):
        library.stored(ident)


@pytest.mark.parametrize("kind", ["text", "noise", "other database", "newer", "cut", "folder", "zeros"])
def test_files_that_are_no_library(kind: str, tmp_path: Path, library: FileLibrary) -> None:
    place = tmp_path / "place.db"
    library.save_new(HD, "house", "")
    whole = library.place.read_bytes()
    if kind == "folder":
        place.mkdir()
    elif kind in ("other database", "newer"):
        place.write_bytes(whole if kind == "newer" else b"")
        with sqlite3.connect(place) as raw:
            raw.execute(
                "UPDATE alembic_version SET version_num = '9999'" if kind == "newer" else "CREATE TABLE fish (x)"
            )
    else:
        place.write_bytes(
            {
                "text": b"hello " * 400,
                "noise": bytes(range(1, 255)) * 30,
                "cut": whole[: len(whole) // 2],
                "zeros": bytes(9000),
            }[kind]
        )
    before = place.read_bytes() if place.is_file() else b""
    with pytest.raises(LibraryError) as refusal:
        opened = open_library(place, "Runa")
        opened.summaries()
        opened.stored(opened.summaries()[0].id)
    assert str(place) in str(refusal.value) or kind == "cut"
    assert (place.read_bytes() if place.is_file() else b"") == before


def test_migrations_make_the_tables_the_code_knows(library: FileLibrary) -> None:
    config = Config()
    config.set_main_option("script_location", "idle_quarry.library:migrations")
    assert ScriptDirectory.from_config(config).get_current_head() == HEAD
    with sa.create_engine(f"sqlite:///{library.place}").connect() as connection:
        for table in metadata.sorted_tables:
            result = {(c["name"], c["nullable"]) for c in sa.inspect(connection).get_columns(table.name)}
            assert result == {(c.name, bool(c.nullable)) for c in table.columns}


@pytest.mark.parametrize("template", [h[-1].template for h in [*house_shelf(), *own_shelf()]], ids=lambda t: t.name)
def test_export_and_import_is_a_round_trip(template: Template, tmp_path: Path) -> None:
    path = tmp_path / "template.json"
    export_file(template, path, {"name": template.name, "revision": 3})
    result = import_file(path)
    assert result.template == template and result.genuine is True and result.origin["revision"] == 3
    jsonschema.validate(json.loads(path.read_text()), schema(), cls=jsonschema.Draft202012Validator)


def test_the_published_schemas_are_these() -> None:
    for name, result in published().items():
        there = json.loads((ROOT / "docs" / name).read_text())
        assert there == json.loads(json.dumps(result)), "run: python -m idle_quarry.library.files.publish_schema docs"
        jsonschema.Draft202012Validator.check_schema(there)
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({"kind": "idle-quarry template", "template": {"name": "x"}}, schema())


@pytest.mark.parametrize("path", sorted((ROOT / "tests/fixtures").glob("template-format-*.json")), ids=lambda p: p.name)
def test_every_earlier_format_number_reads(path: Path) -> None:
    result = import_file(path)
    assert result.template.sources and result.genuine
    assert result.template.format_number == int(path.stem[-1])  # the least that can say it, so its hash still holds
    assert json.loads(exported(result.template))["template"] == json.loads(path.read_text())["template"]
    jsonschema.validate(json.loads(path.read_text()), schema())


def test_a_template_carries_the_least_number_that_can_say_it() -> None:
    source = HD.sources[0]
    later = edited(HD, Edit(f"sources.{source.id}.policy.kernel", "mitchell"))
    assert (HD.format_number, later.format_number) == (1, 2)
    assert edited(later, Edit(f"sources.{source.id}.policy.kernel", source.policy.kernel)) == HD
    assert [change.place for change in changes(HD, later)] == [f"sources.{source.id}.policy.kernel"]
    odd = ClipException(id="reel", clip="Reel_07.mov", policy=Policy(zoom=104, fit="fill"))
    excepted = edited(HD, Edit(f"sources.{source.id}.exceptions.reel", odd))
    assert excepted.sources[0].policy_for("reel_07.MOV") == odd.policy
    assert excepted.sources[0].policy_for("other.mov") == source.policy
    assert imported(json.loads(exported(excepted))).template == excepted


def test_bad_template_files(tmp_path: Path) -> None:
    good = exported(HD)
    data = json.loads(good)
    cases: dict[str, bytes] = {
        "empty": b"",
        "cut": good.encode()[:500],
        "list": b"[]",
        "deep": b"[" * 200_000,
        "binary": bytes(range(256)),
        "kind": b'{"kind": "recipe"}',
        "newer": json.dumps({**data, "template": {**data["template"], "format_number": FORMAT_NUMBER + 1}}).encode(),
        "raster": good.replace('"width": 1920', '"width": 3').encode(),
        "extra": json.dumps({**data, "template": {**data["template"], "surprise": 1}}).encode(),
        "nan": good.replace('"share": 100.0', '"share": NaN').encode(),
        "beyond": good.replace('"share": 100.0', '"share": 1e999').encode(),
        "origin": json.dumps({**data, "origin": {"a": {"b": ["c"]}}}).encode(),
        "long": json.dumps({**data, "origin": {"a": "b" * 5000}}).encode(),
        "huge": b'{"kind": "' + b"x" * 9_000_000 + b'"}',
    }
    for name, content in cases.items():
        path = tmp_path / f"{name}.json"
        path.write_bytes(content)
        with pytest.raises(ExchangeError) as refusal:
            import_file(path)
        assert "\n" not in str(refusal.value) and len(str(refusal.value)) < 400, name
    changed = tmp_path / "changed.json"
    changed.write_text(good.replace('"note": "', '"note": "now '))
    assert import_file(changed).genuine is False


def test_a_library_of_the_version_before_opens_with_everything_in_it(tmp_path: Path) -> None:
    """Made by the migrations of then: its rows are templates, and entries come beside them."""
    from alembic import command
    from alembic.config import Config

    place = tmp_path / "old.db"
    engine = sa.create_engine(f"sqlite:///{place}")
    with engine.begin() as connection:
        config = Config()
        config.set_main_option("script_location", "idle_quarry.library:migrations")
        config.attributes["connection"] = connection
        command.upgrade(config, "0002")
        text = {
            "id": "lamp-0001",
            "name": "Old",
            "name_key": "old",
            "shelf": "house",
            "owner": "",
            "created": "2026-10-01T10:00:00+00:00",
        }
        connection.execute(
            sa.text(
                "INSERT INTO template (id, name, name_key, shelf, owner, created) VALUES (:id, :name, :name_key,"
                " :shelf, :owner, :created)"
            ),
            text,
        )
        old = edited(HD, Edit("name", "Old"))
        row = {"body": canonical(old), "hash": content_hash(old), "summary": RevisionFacts.of(old).to_text()}
        connection.execute(
            sa.text(
                "INSERT INTO revision (template_id, number, author, time, note, state, hash, body, summary, ident)"
                " VALUES ('lamp-0001', 1, 'Runa', '2026-10-01T10:00:00+00:00', '', 'draft', :hash, :body, :summary,"
                " 'i')"
            ),
            row,
        )
    engine.dispose()
    library = open_library(place, "Runa")
    assert [(item.name, item.kind) for item in library.page()] == [("Old", "template")] and library.stored(
        "lamp-0001"
    ).template == old
    bay = own_copy(monitors()["suite-sdr"], "Old")
    put(library, bay, "house", "")
    library.save_revision("lamp-0001", edited(old, Edit("note", "x")), "")
    assert library.summary("lamp-0001").latest.number == 2 and library.entry(bay.uid).entry == bay
    assert [item.kind for item in library.page(Search(kind=""))] == ["monitor"]
    library.put_aside(bay.uid)
    assert library.page(Search(kind="")) == [] and library.count() == 1
    library.close()

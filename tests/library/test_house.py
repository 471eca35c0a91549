"""A house's own entries: kept as templates are, carried in templates, told from what ships.

On a file and on a server.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import jsonschema
import psycopg
import pytest
from tests.conftest import demo_template
from tests.postgres import PrivateServer

from idle_quarry.errors import ExchangeError, LibraryError, NameTaken, NotUnderstood
from idle_quarry.library import Search, open_library
from idle_quarry.library.copying import carried
from idle_quarry.library.files.exchange import exported, imported
from idle_quarry.library.house_entries import (
    BUILT_IN,
    checked,
    entry_named,
    export_entry,
    import_entry,
    in_use,
    listed,
    own_copy,
    put,
    schema_of,
    used_by,
)
from idle_quarry.library.safety import check
from idle_quarry.library.server import open_server
from idle_quarry.library.store import Library
from idle_quarry.path.changes.edits import Edit, differences, edited, value_at
from idle_quarry.path.codecs import mbps
from idle_quarry.path.entries import KINDS, Monitor, entry_from_data, stored_entry
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.house_entries import HouseEntries
from idle_quarry.path.registry import codecs, known, monitors, sound_layouts
from idle_quarry.path.settings import settings_on, with_setting
from idle_quarry.path.template import content_hash

HD = demo_template("House HD 50i")


@pytest.fixture(params=["a file", "a server"])
def place(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[tuple[Library, Library]]:
    """An editor and an approver in one library."""
    if request.param == "a file":
        people: tuple[Library, Library] = tuple(open_library(tmp_path / "a.db", name) for name in ("Runa", "Tamsin"))  # type: ignore[assignment]
    else:
        server, house = (request.getfixturevalue(name) for name in ("server", "house"))
        people = tuple(open_server(server.url(name, house)) for name in ("Runa", "Tamsin"))  # type: ignore[assignment]
    yield people
    for person in people:
        person.close()


@pytest.mark.parametrize("kind", KINDS)
def test_every_entry_that_ships_can_be_copied_changed_and_carried(kind: str, tmp_path: Path) -> None:
    shipped = list(known(kind).values()) or [
        entry_from_data({"entry": "format", "uid": "a" * 8, "name": "x", "words": "1080i25"})
    ]
    for entry in shipped:
        mine = own_copy(entry, "Mine")
        assert mine.uid and mine.id != entry.id and known(kind)[mine.id].name == "Mine"
        again = entry_from_data(json.loads(json.dumps(stored_entry(mine))))
        assert (again, again.id) == (mine, mine.id)
    path = tmp_path / "entry.json"
    library = open_library(tmp_path / "a.db", "Runa")
    put(library, mine, "own", "")
    export_entry(entry_named(library, "Mine"), path)
    assert import_entry(path) == (mine, True)
    jsonschema.validate(json.loads(path.read_text()), schema_of(kind), cls=jsonschema.Draft202012Validator)
    text = path.read_text().replace('"Mine"', '"Yours"')
    path.write_text(text)
    assert import_entry(path)[1] is False
    for bad in (text[:40], text.replace('"uid"', '"uib"'), text.replace(f'"entry": "{kind}"', '"entry": "lamp"')):
        path.write_text(bad)
        with pytest.raises(ExchangeError) as refusal:
            import_entry(path)
        assert "\n" not in str(refusal.value) and len(str(refusal.value)) < 600
    library.close()


def test_entries_are_reviewed_revised_and_put_aside_as_templates_are(place: tuple[Library, Library]) -> None:
    runa, tamsin = place
    bay = own_copy(monitors()["bay-two-grade"], "Bay 9")
    first = put(runa, bay, "house", "measured")
    assert put(runa, bay, "house", "again").number == first.number  # the same is not saved twice
    runa.review(bay.uid, 1, "propose")
    with pytest.raises(LibraryError):
        runa.review(bay.uid, 1, "approve")  # not by who wrote it
    tamsin.review(bay.uid, 1, "approve")
    brighter = entry_from_data({**stored_entry(bay), "peak_cd_m2": 120})
    assert put(tamsin, brighter, "house", "").changed == 1
    assert in_use(runa)[bay.uid].entry == bay  # what nobody approved yet is not taken
    with pytest.raises(NameTaken):
        put(tamsin, own_copy(bay, "bay 9"), "house", "")
    assert runa.save_new(edited(HD, Edit("name", "Bay 9")), "house", "").number == 1  # a template may be called so too
    assert [item.name for item in runa.page(Search(kind="monitor"))] == ["Bay 9"]
    assert all(item.kind == "template" for item in runa.page())
    with pytest.raises(LibraryError):
        runa.stored(bay.uid)
    with pytest.raises(LibraryError):
        runa.save_revision(bay.uid, own_copy(bay), "")
    mine = next(item for item in listed(runa, "monitor") if item.ident == bay.uid)
    assert (mine.shelf, mine.revision, mine.state) == ("house", 2, "draft")
    assert sum(item.shelf == BUILT_IN for item in listed(runa, "monitor")) == len(monitors())
    tamsin.put_aside(bay.uid)
    assert bay.uid not in in_use(runa) and [item.ident for item in listed(runa, "monitor", aside=True)] == [bay.uid]
    tamsin.bring_back(bay.uid)
    assert entry_named(runa, "Bay 9").ident == bay.uid
    with pytest.raises(NotUnderstood):
        entry_named(runa, "Bay 10")
    suite = own_copy(monitors()["suite-sdr"])
    put(runa, suite, "own", "")
    assert entry_named(runa, suite.name).ident == suite.uid  # one's own before what ships
    put(runa, own_copy(sound_layouts()["stereo"], suite.name), "own", "")
    with pytest.raises(NotUnderstood, match="several"):
        entry_named(runa, suite.name)


def test_a_template_carries_what_it_names(tmp_path: Path) -> None:
    bay = own_copy(monitors()["bay-two-grade"], "Bay 9")
    long_gop = checked(
        {
            "entry": "codec",
            "uid": "c0dec000",
            "name": "Long",
            "base": "mpeg2-422-50",
            "containers": ["mxf"],
            "table": [{"raster": "1920x1080", "rate": "25", "mbps": 61.5}],
        }
    )
    assert checked(stored_entry(bay)) == bay
    with_both = edited(
        HD, Edit("monitor.monitor", bay.id), Edit("intermediate.codec", long_gop.id), Edit("intermediate.streams", 3)
    )
    assert [entry.name for entry in with_both.house] == ["Bay 9", "Long"] and with_both.format_number == 4
    assert {d.place for d in differences(HD, with_both)} == {
        "monitor.monitor",
        "intermediate.codec",
        "intermediate.streams",
    }
    assert codecs()[long_gop.id].name == "Long"
    plain = (
        Edit(place, value_at(HD, place)) for place in ("monitor.monitor", "intermediate.codec", "intermediate.streams")
    )
    assert edited(with_both, *plain) == HD  # and nothing of it stays
    kept = json.loads(exported(with_both))
    assert imported(kept).template == with_both and imported(kept).genuine
    kept["template"]["house"][0]["name"] = "Bay 10"  # what it names is then no longer in it
    with pytest.raises(ExchangeError, match="not those it names"):
        imported(kept)
    library = open_library(tmp_path / "a.db", "Runa")
    library.save_new(with_both, "house", "")
    assert content_hash(library.stored(library.find(HD.name).id).template) == content_hash(with_both)
    assert used_by(library)[bay.uid] == [HD.name] and "v210" not in used_by(library)
    library.close()


def test_what_is_newer_in_the_house_is_a_finding_whose_remedy_takes_it() -> None:
    bay = own_copy(monitors()["bay-two-grade"], "Bay 9")
    layout = own_copy(sound_layouts()["stereo"], "Two")
    template = edited(
        HD, Edit("monitor.monitor", bay.id), Edit("sound.layout", layout.id), Edit("deliveries.hd-50.layout", layout.id)
    )
    bars = {"at": "mono", "carries": "silent"}
    four = checked({**stored_entry(layout), "channels": [*stored_entry(layout)["channels"], bars, bars]})
    fifty = checked({**stored_entry(bay), "accepts": [*stored_entry(bay)["accepts"][:1]], "peak_cd_m2": 300})
    now = HouseEntries((four, fifty))
    assert not [item for item in evaluate(template).findings if item.code == "entry_newer"]
    entry_named = {item.where: item for item in evaluate(template, house=now).findings if item.code == "entry_newer"}
    assert set(entry_named) == {"monitor", "sound"} and "peak cd m2 nothing → 300" in entry_named["monitor"].text
    for finding in entry_named.values():
        assert finding.remedy is not None
        template = edited(template, *finding.remedy.edits)
    assert template.house == tuple(sorted((four, fifty), key=lambda entry: entry.id))
    assert template.deliveries[0].layout == four.id  # everywhere it is named
    assert not [item for item in evaluate(template, house=now).findings if item.code == "entry_newer"]


def test_settings_offer_what_the_house_has_by_name() -> None:
    bay = own_copy(monitors()["bay-two-grade"])  # called as one that ships
    slow = checked({"entry": "codec", "uid": "c0dec001", "name": "House lossless", "base": "ffv1"})
    small = checked({"entry": "codec", "uid": "c0dec002", "name": "House DV", "base": "dv25"})  # cannot hold HD
    house = HouseEntries((bay, slow, small))
    [monitor] = [item for item in settings_on(HD, "monitor", house) if item.place == "monitor.monitor"]
    assert "Bay 2 grading monitor (the house's)" in monitor.choices
    chosen = with_setting(HD, monitor, "bay 2 grading monitor (the house's)")
    assert chosen.monitor is not None and chosen.monitor.monitor == bay.id and chosen.house == (bay,)
    [codec] = [item for item in settings_on(HD, "intermediate", house) if item.place == "intermediate.codec"]
    assert "House lossless" in codec.choices and "House DV" not in codec.choices
    rates = [mbps(known("codec")[codec.parse(name)], HD.working.format) for name in codec.choices]
    assert rates == sorted(rates)
    [there] = [item for item in settings_on(chosen, "monitor") if item.place == "monitor.monitor"]
    assert there.text in there.choices and there.parse(there.text) == bay.id  # without the house it is still said


def test_entries_go_to_a_server_and_back(tmp_path: Path, server: PrivateServer, house: str) -> None:
    own, back = open_library(tmp_path / "a.db", "Runa"), open_library(tmp_path / "b.db", "Runa")
    bay = own_copy(monitors()["suite-sdr"], "Bay 9")
    put(own, bay, "house", "")
    put(own, entry_from_data({**stored_entry(bay), "overscan": 3}), "house", "")
    keeper = open_server(server.url("keeper", house))
    carried(own, keeper)
    carried(keeper, back)
    assert own.place.is_file() and check(own.place).whole and check(back.place).whole
    assert back.entry(bay.uid) == own.entry(bay.uid) and back.entry(bay.uid, 1).entry == bay
    row = "'house', '', '2026-11-28T10:00:00+00:00'"
    begun = (
        f"INSERT INTO template (id, name, name_key, shelf, owner, created, kind) VALUES ('{{}}', 'L', '{{}}/l', {row},"
        " '{}')"
    )
    text = (
        "INSERT INTO revision (template_id, number, author, time, note, state, hash, body, summary, ident) SELECT"
        " 'lamp0002', 1, 'Runa', time, '', 'draft', hash, body, summary, 'i' FROM revision WHERE template_id = '{}' AND"
        " number = 1"
    )
    with psycopg.connect(server.url("Runa", house)) as raw:  # no program between: one kind cannot be made of another
        for statements in (
            [begun.format("lamp0001", "lamp", "lamp")],
            [begun.format("lamp0002", "sound", "monitor")],
            [begun.format("lamp0002", "sound", "sound"), text.format(bay.uid)],
            [begun.format("lamp0002", "monitor", "monitor"), text.format(bay.uid)],
        ):
            with pytest.raises(psycopg.errors.CheckViolation):
                for statement in statements:
                    raw.execute(statement)
            raw.rollback()
    for library in (own, back, keeper):
        library.close()


def test_what_does_not_fit_is_refused_in_a_sentence() -> None:
    door = {"lines": [1080], "widths": [1920], "scans": ["interlaced"], "rates": ["25"], "interface": "HD"}
    good = {"entry": "monitor", "uid": "abcdef01", "name": "x", "kind": "panel", "accepts": [door]}
    assert isinstance(entry_from_data(good), Monitor)
    for wrong in (
        {**good, "accepts": []},
        {**good, "accepts": [{**door, "rates": ["26"]}]},
        {**good, "peak_cd_m2": -1},
        {**good, "uid": ""},
        {**good, "accepts": [{**door, "scans": ["sideways"]}]},
        {**good, "accepts": [door] * 61},
        {**good, "name": "a\0b"},
        {"entry": "codec", "uid": "abcdef02", "name": "x", "base": "no-such"},
        {"entry": "codec", "uid": "abcdef03", "name": "x", "base": "v210", "mbps": 5},
        {"entry": "codec", "uid": "abcdef04", "name": "x", "base": "v210", "containers": ["mp4"]},
        {"entry": "naming", "uid": "abcdef05", "name": "x", "rule": "{title:02}"},
        {"entry": "naming", "uid": "abcdef06", "name": "x", "rule": "a/{title}"},
        {"entry": "format", "uid": "abcdef07", "name": "x", "words": "1080 somethings"},
        {"entry": "programme", "uid": "abcdef08", "name": "x", "items": [{"what": "programme", "seconds": 3}]},
    ):
        with pytest.raises(ExchangeError) as refusal:
            checked(wrong)
        assert "\n" not in str(refusal.value), wrong

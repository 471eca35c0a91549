"""Exchange files under any template there can be, and under anything a file can hold."""

from __future__ import annotations

import io
import json
import random
import zipfile
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from idle_quarry.demo.templates import house_shelf, own_shelf
from idle_quarry.errors import ExchangeError, QuarryError
from idle_quarry.library import FileLibrary
from idle_quarry.library.files.bundles import added_to, export_bundle, offered
from idle_quarry.library.files.exchange import exported, imported
from idle_quarry.library.files.importing import collision, take
from idle_quarry.library.records import Revision, StoredTemplate
from idle_quarry.path.beginning.beginnings import from_delivery
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.changes.effects import compared
from idle_quarry.path.registry import deliveries
from idle_quarry.path.settings import settings_of
from idle_quarry.path.template import Template, content_hash

BASES = [h[-1].template for h in [*house_shelf(), *own_shelf()]] + [
    from_delivery(delivery) for delivery in deliveries()
]
_WORDS = st.text(st.characters(blacklist_categories=["Cs", "Cc"]), min_size=1, max_size=40).filter(
    lambda t: t.strip() == t and t
)


@st.composite
def templates(draw: st.DrawFn) -> Template:
    """Draw a template: one that is there, with settings put to whatever they may be, and texts of any script."""
    template = draw(st.sampled_from(BASES))
    for _ in range(draw(st.integers(0, 8))):
        setting = draw(st.sampled_from(settings_of(template)))
        text = (
            draw(st.sampled_from(setting.choices))
            if setting.choices
            else draw(st.one_of(_WORDS, st.integers(-40, 500).map(str)))
        )
        try:
            template = edited(template, setting.edit(text))
        except QuarryError:
            continue  # that one cannot be: the template stays as it was
    return template


def kept(template: Template, number: int = 1) -> StoredTemplate:
    return StoredTemplate(
        template.name,
        "house",
        Revision("id", number, "Runa", "2026-11-25T10:00:00+00:00", "", "draft", content_hash(template)),
        template,
    )


@given(templates())
@settings(max_examples=100, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.filter_too_much])
def test_any_template_goes_out_and_in_to_the_same_hash(template: Template) -> None:
    result = imported(json.loads(exported(template)))
    assert result.genuine is True and content_hash(result.template) == content_hash(template)
    assert result.template == template and compared(template, result.template) == []


@given(st.lists(templates(), min_size=1, max_size=4))
@settings(max_examples=25, deadline=None, suppress_health_check=list(HealthCheck))
def test_a_bundle_gives_back_what_was_put_in(tmp_path_factory: pytest.TempPathFactory, several: list[Template]) -> None:
    path = tmp_path_factory.mktemp("bundle") / "some.zip"
    export_bundle([kept(item) for item in several], path)
    result = offered(path)
    assert [item.exchanged.template for item in result if item.exchanged] == several and len(
        {e.member.lower() for e in result}
    ) == len(several)
    assert added_to(path, [kept(several[0])]) == (len({item.name for item in several}), 1)
    names = {item.exchanged.template.name for item in offered(path) if item.exchanged}
    assert names == {item.name for item in several}


def mutated(data: bytes, chance: random.Random) -> bytes:
    """Return data with a few bytes turned, cut out, doubled or swapped for another place's."""
    result = bytearray(data)
    for _ in range(chance.randrange(1, 6)):
        at = chance.randrange(len(result)) if result else 0
        kind = chance.randrange(5)
        if kind == 0:
            result[at : at + 1] = bytes([chance.randrange(256)])
        elif kind == 1:
            del result[at : at + chance.randrange(1, 60)]
        elif kind == 2:
            result[at:at] = result[at : at + chance.randrange(1, 200)]
        elif kind == 3:
            other = chance.randrange(len(result)) if result else 0
            result[at : at + 8] = result[other : other + 8]
        else:
            result = result[:at]
    return bytes(result)


def test_mutated_files_are_refused_or_read_and_nothing_else_happens(tmp_path: Path, library: FileLibrary) -> None:
    chance = random.Random(11)
    inside = tmp_path / "inside"
    inside.mkdir()
    text = exported(BASES[0]).encode()
    export_bundle([kept(base) for base in BASES[:3]], tmp_path / "good.zip")
    bundle = (tmp_path / "good.zip").read_bytes()
    outside = sorted(path.name for path in tmp_path.iterdir())
    refused = read = 0
    for number in range(600):
        path = inside / ("one.zip" if number % 2 else "one.json")
        path.write_bytes(mutated(bundle if number % 2 else text, chance))
        try:
            for item in offered(path):
                read += 1
                for shelf in ("own", "house"):
                    meets = collision(library, item, shelf)
                    assert meets.decisions
        except ExchangeError as error:
            refused += 1
            assert "\n" not in str(error) and len(str(error)) < 500
    assert refused > 200 and read > 20
    assert sorted(path.name for path in tmp_path.iterdir()) == outside and not list(inside.glob(".*"))
    assert library.count() == 0


def test_names_in_a_bundle_lead_nowhere(tmp_path: Path, library: FileLibrary) -> None:
    path = tmp_path / "evil.zip"
    with zipfile.ZipFile(path, "w") as bundle:
        bundle.writestr("list.json", json.dumps({"kind": "idle-quarry bundle", "format_number": 1}))
        for name in ("../../outside.json", "/etc/outside.json", "C:\\outside.json", "a/../../b.json"):
            bundle.writestr(name, exported(edited(BASES[0], Edit("name", name[:20]))))
        bundle.writestr("zeros.json", b" " * 9_000_000)
    result = offered(path)
    assert [bool(item.exchanged) for item in result] == [True] * 4 + [False]
    for item in result:
        take(library, item, "own", "take" if item.exchanged else "leave", path.name)
    assert library.count() == 4
    assert (
        not [p for p in tmp_path.rglob("*") if "outside" in p.name] and not (tmp_path.parent / "outside.json").exists()
    )


def test_other_zips_and_newer_bundles(tmp_path: Path) -> None:
    for name, members, says in (
        ("none", {"a.txt": "x"}, "no bundle"),
        ("other", {"list.json": "{}"}, "no bundle"),
        ("damaged", {"list.json": "[["}, "damaged"),
        ("newer", {"list.json": json.dumps({"kind": "idle-quarry bundle", "format_number": 2})}, "update Idle Quarry"),
        ("nested", {"list.json": "[" * 100_000}, "damaged"),
    ):
        buffer = io.BytesIO()
        with zipfile.ZipFile(buffer, "w") as bundle:
            for member, text in members.items():
                bundle.writestr(member, text)
        path = tmp_path / f"{name}.zip"
        path.write_bytes(buffer.getvalue())
        with pytest.raises(ExchangeError, match=says):
            offered(path)
        with pytest.raises(ExchangeError):
            added_to(path, [kept(BASES[0])])
        assert path.read_bytes() == buffer.getvalue()

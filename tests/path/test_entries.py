"""Entries: what is typed is what is said, every figure takes its own text back, and what is usual is not stored."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from idle_quarry.demo.equipment import histories
from idle_quarry.errors import NotPossible, NotUnderstood, QuarryError
from idle_quarry.library.house_entries import own_copy
from idle_quarry.path.entries import KINDS, Entry, entry_from_data, facts_of, stored_entry
from idle_quarry.path.entries.codec import RateRow
from idle_quarry.path.entries.delivery import Clause
from idle_quarry.path.entries.entry import EntryPart
from idle_quarry.path.entries.monitor import Door
from idle_quarry.path.entries.naming import FIELDS, fields_of, made_name
from idle_quarry.path.entries.programme import ITEMS, ProgrammeItem
from idle_quarry.path.entries.sound import CONTENTS, POSITIONS, SoundChannel, SoundLayout
from idle_quarry.path.entries.typed import MEMBERS
from idle_quarry.path.entries.words import words_of
from idle_quarry.path.names import name_refused
from idle_quarry.path.registry import codecs, known, sound_layouts
from idle_quarry.path.settings.entries import blank, entry_settings, with_entry_setting
from idle_quarry.signal.formats import SCANS
from idle_quarry.signal.interfaces import INTERFACES
from idle_quarry.signal.rates import NAMED_RATES

EVERY: list[Entry] = [own_copy(entry) for kind in KINDS for entry in list(known(kind).values())[:3]]
EVERY += [history[-1].entry for history in histories()]


def some(values: object, most: int = 4) -> st.SearchStrategy[tuple[object, ...]]:
    return st.lists(st.sampled_from(list(values)), min_size=1, max_size=most, unique=True).map(tuple)  # type: ignore[call-overload]


SIDES = st.lists(st.integers(16, 9999), min_size=1, max_size=3, unique=True).map(tuple)
WORDS = st.text("abcdefghij KLMNO0123456789,.-", min_size=1, max_size=30).map(str.strip).filter(bool)
PARTS: dict[type[EntryPart], st.SearchStrategy[Any]] = {
    Door: st.builds(
        Door,
        lines=SIDES,
        widths=SIDES,
        scans=some(SCANS, 3),
        rates=some(NAMED_RATES),
        transfers=some(("bt709", "hlg", "pq")),
        interface=st.sampled_from(INTERFACES),
        mapping=st.sampled_from(("any", "level A", "level B")),
    ),
    SoundChannel: st.builds(
        SoundChannel,
        at=st.sampled_from(POSITIONS),
        carries=st.sampled_from(CONTENTS[:-1]),
        language=st.sampled_from(("", "en", "cy", "de-CH")),
    ),
    ProgrammeItem: st.builds(
        ProgrammeItem,
        what=st.sampled_from([item for item in ITEMS if item != "programme"]),
        seconds=st.integers(1, 3600).map(float),
        tone=st.booleans(),
        text=WORDS,
    ),
    RateRow: st.builds(
        RateRow,
        raster=st.just("1920x1080"),
        rate=st.sampled_from(list(NAMED_RATES)),
        mbps=st.integers(1, 9000).map(float),
    ),
    Clause: st.builds(
        Clause,
        number=st.sampled_from(("4", "4.2", "A 1")),
        text=WORDS,
        check=st.sampled_from(("", "gamut", "true_peak")),
    ),
}


@pytest.mark.parametrize("part", PARTS, ids=lambda part: part.__name__)
def test_members_are_read_as_they_are_said(part: type[EntryPart]) -> None:
    how = MEMBERS[part]

    @settings(max_examples=150, deadline=None)
    @given(PARTS[part])
    def said_and_read(member: EntryPart) -> None:
        assert part.model_validate(how.read(how.say(member))) == member

    said_and_read()
    for example in how.example.split(", ") if part is SoundChannel else [how.example]:
        assert how.say(part.model_validate(how.read(example))) == example


@settings(max_examples=300, deadline=None)
@given(st.text("0123456789×x;,. iPpsfSDRHLGMb/:-%äöü€", max_size=40), st.sampled_from(list(PARTS)))
def test_whatever_is_typed_is_taken_or_refused_in_a_sentence(text: str, part: type[EntryPart]) -> None:
    try:
        part.model_validate(MEMBERS[part].read(text))
    except QuarryError as error:
        assert "\n" not in str(error)
    except ValueError:
        pass  # the entry as a whole says it: `with_entry_setting`


@pytest.mark.parametrize("entry", EVERY, ids=lambda entry: f"{entry.entry} {entry.name}")
def test_every_figure_takes_its_own_text_back(entry: Entry) -> None:
    rows = entry_settings(entry)
    assert len({(row.place, row.label) for row in rows}) == len(rows) and all(row.label for row in rows)
    for row in rows:
        if row.text:
            again = with_entry_setting(entry, row, row.text)
            assert facts_of(again) == facts_of(entry), row.label
        for choice in row.choices:
            row.parse(choice)
    renamed = with_entry_setting(entry, rows[0], "Another")
    assert (renamed.name, renamed.uid) == ("Another", entry.uid) and renamed.id != entry.id
    with pytest.raises(NotPossible):
        with_entry_setting(entry, rows[0], " ")
    assert words_of(entry) and "\n" not in words_of(entry)
    assert entry_from_data(json.loads(json.dumps(stored_entry(entry)))) == entry
    assert len(json.dumps(stored_entry(entry))) < 20_000


@pytest.mark.parametrize("kind", KINDS)
def test_what_is_usual_is_not_stored(kind: str) -> None:
    """So that a later program may add figures without changing the hash of what is there."""
    entry = blank(kind, "0123456789ab", "New")
    assert set(stored_entry(entry)) <= {
        "entry",
        "format_number",
        "uid",
        "name",
        "kind",
        "accepts",
        "territory",
        "format",
        "codec",
        "base",
        "words",
        "channels",
        "items",
        "rule",
    }
    assert facts_of(entry)["name"] == "New" and "uid" not in facts_of(entry)


def test_a_variant_makes_what_it_says() -> None:
    entry = entry_from_data(
        {
            "entry": "codec",
            "uid": "0123456789ac",
            "name": "V",
            "base": "mpeg2-422-50",
            "mbps": 30,
            "gop": 1,
            "containers": ["mxf"],
        }
    )
    result = entry.codec(codecs()["mpeg2-422-50"])  # type: ignore[attr-defined]
    options = result.encode.options
    assert (options["b"], options["maxrate"], options["g"], options["bf"]) == ("30000000", "30000000", "0", "0")
    assert result.containers == ("mxf",) and result.rate.mbps == 30 and result.holds == codecs()["mpeg2-422-50"].holds


def test_layouts_know_what_they_lack() -> None:
    layouts = sound_layouts()
    assert layouts["stereo"].lacks(layouts["5.1"]) == ("full mix has no C, LFE, Ls, Rs",)
    assert layouts["5.1"].lacks(layouts["stereo"]) == () and layouts["5.1"].folds_into(layouts["stereo"])
    assert layouts["stereo"].lacks(layouts["stereo-me"]) == ("music and effects is missing",)
    assert not layouts["stereo-me"].folds_into(layouts["stereo"]) and layouts["stereo"].lacks(layouts["mono"]) == ()
    odd = SoundLayout(uid="0123456789ad", name="x", channels=(SoundChannel(at="left"), SoundChannel(at="LFE")))
    assert odd.lacks(layouts["stereo"]) == ("full mix has no R",)


@given(st.dictionaries(st.sampled_from(list(FIELDS)), st.sampled_from(["Lamp", "a/b", "", 7]), max_size=6))
def test_rules_make_names_or_none(fields: dict[str, str | int]) -> None:
    rule = "{title} E{episode:02} {date} v{version}"
    assert fields_of(rule) == ("title", "episode", "date", "version")
    result = made_name(rule, fields)
    assert "{" not in result and result == result.strip()
    if fields.get("episode") == 7:
        assert "E07" in result
    assert name_refused(made_name(rule, FIELDS)) is None
    for wrong in ("{", "{nothing}", "{title:02}", "{episode:2.1}", "a}b"):
        with pytest.raises(ValueError):
            fields_of(wrong)
    with pytest.raises(NotUnderstood):
        MEMBERS[Clause].read("no colon")


def test_a_limit_is_typed_as_a_figure_to_look_at_and_one_that_fails() -> None:
    spec = own_copy(known("delivery")["hd-50"])
    row = next(row for row in entry_settings(spec) if row.label == "Black inside")
    assert row.text == "look 1, fails 2"
    for typed, text in (("fails 3", "fails 3"), ("FAILS 3 , look 2.5", "look 2.5, fails 3"), ("none", "none")):
        changed = with_entry_setting(spec, row, typed)
        assert next(row for row in entry_settings(changed) if row.label == "Black inside").text == text
    for wrong in ("3", "look 1, look 2", "look one", "fails -1"):
        with pytest.raises(NotUnderstood, match="no limit"):
            with_entry_setting(spec, row, wrong)
    for wrong in ("look 3, fails 2", "fails 900"):
        with pytest.raises(NotPossible):
            with_entry_setting(spec, row, wrong)

"""Conditions on settings: what can be typed, what holds of which template, and what is refused with what was meant."""

from __future__ import annotations

import json
from collections.abc import Callable

import pytest
from tests.conftest import demo_template

from idle_quarry.demo.templates import house_shelf
from idle_quarry.errors import NotUnderstood
from idle_quarry.path.changes.conditions import Condition, Found, condition, conditions, flat, place_named, value_text
from idle_quarry.path.settings import settings_of
from idle_quarry.path.template import Template, canonical
from idle_quarry.signal import format_from_words

ALL = [history[-1].template for history in house_shelf()]


def values(template: Template, place: str) -> tuple[Found, ...]:
    return tuple(result for where, result in flat(json.loads(canonical(template))) if where == place)


def holding(text: str) -> set[str]:
    wanted = condition(text)
    return {template.name for template in ALL if wanted.holds(values(template, wanted.place))}


def names(holds: Callable[[Template], bool]) -> set[str]:
    """What the templates themselves say, without any of what is tested."""
    return {template.name for template in ALL if holds(template)}


@pytest.mark.parametrize(
    ("text", "holds"),
    [
        ("working.bit_depth = 8", lambda t: t.working.format.encoding.bit_depth == 8),
        ("working.bit_depth>8", lambda t: t.working.format.encoding.bit_depth > 8),
        (
            "working.rate = 29.97",
            lambda t: t.working.format.rate.denominator == 1001 and round(t.working.format.rate) == 30,
        ),
        ("delivers 1080i25", lambda t: any(d.format == format_from_words("1080i25") for d in t.deliveries)),
        ("takes 1080i25", lambda t: any(s.format == format_from_words("1080i25") for s in t.sources)),
        ("monitor is bay two", lambda t: t.monitor is not None and t.monitor.monitor.startswith("bay-two")),
        ("monitor is not bay two", lambda t: t.monitor is None or not t.monitor.monitor.startswith("bay-two")),
        ("monitor = bay-two-grade", lambda t: t.monitor is not None and t.monitor.monitor == "bay-two-grade"),
        ("intermediate != avci-100", lambda t: t.intermediate.codec != "avci-100"),
        ("deliveries.codec ~ prores", lambda t: any("rdd36" in d.codec for d in t.deliveries)),
        ("sound.line_up_dbfs <= -20", lambda t: t.sound.line_up_dbfs <= -20),
        ("timecode.drop = yes", lambda t: t.timecode.drop),
        ("proxy = none", lambda t: t.proxy is None),
        ("proxy != none", lambda t: t.proxy is not None),
        ("sources.tape.rate = 25", lambda t: any(s.id == "tape" and s.format.rate == 25 for s in t.sources)),
        ("source.share < 30", lambda t: any(s.share < 30 for s in t.sources)),
        ("territory = 59.94 Hz", lambda t: t.territory == "59.94 Hz"),
        ("timelines ~ trailer", lambda t: any("trailer" in timeline.name.lower() for timeline in t.timelines)),
    ],
)
def test_what_holds(text: str, holds: Callable[[Template], bool]) -> None:
    assert holding(text) == names(holds)
    assert holding(text) != names(lambda _t: True), "each parts some from the rest"


def test_words_and_conditions_stand_together() -> None:
    result, words = conditions("lamp room, monitor is bay two and working.scan = interlaced")
    assert words == "lamp room" and [item.place for item in result] == ["monitor.monitor", "working.format.scan"]
    assert conditions("1080i25 and more")[0] == () and conditions("") == ((), "")
    assert str(condition("sources.tape.rate=25")) == "sources.tape.format.rate = 25"
    assert condition("sources.tape=576i25") == Condition("sources.format", "tape", "=", "576i25")


@pytest.mark.parametrize(
    ("text", "meant"),
    [
        ("workin.rate = 25", "did you mean working?"),
        ("working.bit_dept = 8", "did you mean working.bit_depth?"),
        ("sound.colour = 8", "sound has bit_depth, "),
        ("monitr is bay two", "did you mean monitor?"),
        ("hello there", "write a place, a sign and a value"),
    ],
)
def test_what_is_no_condition_says_what_was_meant(text: str, meant: str) -> None:
    with pytest.raises(NotUnderstood, match=meant.replace("?", "\\?")):
        condition(text)


def test_values_are_said_as_people_say_them() -> None:
    lamp = demo_template("The Lamp Room")
    shown = {place: value_text(place, value) for place, (_, value) in flat(json.loads(canonical(lamp)))}
    assert shown["working.format"] == "1080i25 (50 fields/s)" and shown["working.format.rate"] == "25"
    assert shown["monitor.monitor"] == "Bay 2 grading monitor" and shown["timecode.drop"] == "no"
    assert dict(flat({"a": {"b": None}, "sources": ["no object"], "c": [1]})) == {"a.b": ("", None)}


def test_a_setting_is_set_by_every_name_that_it_is_found_by() -> None:
    template = demo_template("House HD 50i")
    known = {setting.place for setting in settings_of(template)}
    for typed in (
        "working.bit_depth",
        "Working.format.bit_depth",
        "delivery.hd-50.rate",
        "deliveries.hd-50.format.rate",
        "monitor.rate",
        "sound.layout",
    ):
        place = place_named(typed)
        assert place in known and place_named(place) == place, typed
    with pytest.raises(NotUnderstood, match="did you mean working"):
        place_named("wroking.bit_depth")

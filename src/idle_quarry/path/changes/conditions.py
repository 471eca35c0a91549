"""Conditions on a template's settings, as one types them: `working.bit_depth = 8`, `monitor is bay two`, `delivers
1080i25`.

A condition names a place (`path/changes/edits`), shorter where that is clear: a station stands for its format or its
device, a part of a format may follow the station at once, and `sources` or `deliveries` without an id mean any of them.
It is held against a template as it is stored, since a search reads thousands.
"""

from __future__ import annotations

import operator
import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from difflib import get_close_matches
from fractions import Fraction
from functools import lru_cache
from typing import Any

from idle_quarry.errors import NotUnderstood, QuarryError
from idle_quarry.path.registry import codecs, monitors
from idle_quarry.path.template import Template
from idle_quarry.signal.formats import format_from_json
from idle_quarry.signal.rates import rate_from_text, rate_text
from idle_quarry.signal.spoken import SeveralReadings
from idle_quarry.signal.words import format_from_words, format_words

#: A member's id ("" where a value belongs to no list) and the value, as it is stored.
Found = tuple[str, Any]
_SIGNS: dict[str, Callable[[Any, Any], bool]] = {
    "<=": operator.le,
    ">=": operator.ge,
    "<": operator.lt,
    ">": operator.gt,
}
#: Signs that deny, and what they deny.
_NOT = {"!=": "=", "is not": "is"}
_LISTS = ("sources", "deliveries", "places", "timelines")
_SINGULAR = {"source": "sources", "delivery": "deliveries", "place": "places", "timeline": "timelines"}
#: What a station alone stands for.
_ALONE = {
    "working": "working.format",
    "monitor": "monitor.monitor",
    "intermediate": "intermediate.codec",
    "proxy": "proxy.codec",
    "codec": "intermediate.codec",
    "sources": "sources.format",
    "deliveries": "deliveries.format",
}
_VERBS = {"delivers": "deliveries.format", "takes": "sources.format", "works in": "working.format"}
_OF_FORMAT = (
    "width",
    "height",
    "sample_aspect",
    "rate",
    "scan",
    "field_order",
    "sampling",
    "bit_depth",
    "range",
    "primaries",
    "transfer",
    "matrix",
)
_TYPED = re.compile(r"^(?P<place>[a-z_][a-z0-9_.\-]*)\s*(?P<sign><=|>=|!=|=|<|>|~)\s*(?P<value>.+)$", re.IGNORECASE)
_SAID = re.compile(r"^(?P<place>[a-z_][a-z0-9_.\-]*)\s+is\s+(?P<no>not\s+)?(?P<value>.+)$", re.IGNORECASE)


@dataclass(frozen=True)
class Condition:
    """A place (in a list without its member), a member's id or "" for any, a sign (`= != < <= > >= ~ is "is not"`),
    and the text held against it.
    """

    place: str
    member: str
    sign: str
    text: str

    def __str__(self) -> str:
        place = self.place
        if self.member:
            first, _, rest = place.partition(".")
            place = f"{first}.{self.member}.{rest}"
        return f"{place} {self.sign} {self.text}"

    def holds(self, founds: tuple[Found, ...]) -> bool:
        """Return whether it holds of what a template has at the place; those that deny, where no value does."""
        values = [value for member, value in founds if not self.member or member == self.member]
        if not values:  # what is not there is none
            return (self.text.lower() == "none") != (self.sign in _NOT)
        if self.sign in _NOT:
            return not any(_matches(_NOT[self.sign], self.text, value) for value in values)
        return any(_matches(self.sign, self.text, value) for value in values)


def is_condition(text: str) -> bool:
    """Return whether a text is meant as a condition rather than as words."""
    return _split(text) is not None


def condition(text: str) -> Condition:
    """Return the condition that a text states. Raises `NotUnderstood` with what there is."""
    parts = _split(text)
    if parts is None:
        raise NotUnderstood(
            "no condition", subject=repr(text), remedy="write a place, a sign and a value, as in working.bit_depth = 8"
        )
    place, sign, value = parts
    return Condition(*_placed(place), sign, value.strip("\"'"))


def conditions(text: str) -> tuple[tuple[Condition, ...], str]:
    """Return the conditions in what was typed, separated by commas or "and", and the words that are left.

    >>> [str(each) for each in conditions("lamp, working.bit_depth=8 and delivers 1080i25")[0]]
    ['working.format.bit_depth = 8', 'deliveries.format = 1080i25']

    Raises `NotUnderstood`.
    """
    results, words = [], []
    for part in re.split(r",|\s+and\s+", text):
        if is_condition(part.strip()):
            results.append(condition(part.strip()))
        elif part.strip():
            words.append(part.strip())
    return tuple(results), " ".join(words)


def _split(text: str) -> tuple[str, str, str] | None:
    typed = _TYPED.match(text)
    if typed is not None:
        return typed["place"].lower(), typed["sign"], typed["value"].strip()
    match = _SAID.match(text)
    if match is not None:
        return match["place"].lower(), "is not" if match["no"] else "is", match["value"].strip()
    for verb, place in _VERBS.items():
        if text.lower().startswith(f"{verb} "):
            return place, "=", text[len(verb) :].strip()
    return None


@lru_cache(maxsize=1)
def _heads() -> frozenset[str]:
    return frozenset([*Template.model_fields, *_SINGULAR, *_ALONE])


def _placed(typed: str) -> tuple[str, str]:
    """Return a place that was typed as a whole one without its member, and the member."""
    first, _, rest = typed.partition(".")
    first = _SINGULAR.get(first, first)
    if first not in _heads():
        near = get_close_matches(first, _heads(), 1)
        also = f"did you mean {near[0]}?" if near else "places begin with " + ", ".join(sorted(Template.model_fields))
        raise NotUnderstood("no place of a template", subject=typed, remedy=also)
    if not rest:
        return _ALONE.get(first, first), ""
    member = ""
    if first in _LISTS:
        head, _, tail = rest.partition(".")
        if head not in _keys(first):
            member, rest = head, tail
            if not rest:
                return _ALONE.get(first, f"{first}.name"), member
    if rest.split(".")[0] in _OF_FORMAT:
        rest = f"format.{rest}"
    if rest.split(".")[0] not in _keys(first):
        known = sorted(_keys(first) | (set(_OF_FORMAT) if "format" in _keys(first) else set()))
        near = get_close_matches(rest, known, 1)
        also = f"did you mean {first}.{near[0]}?" if near else f"{first} has " + ", ".join(known)
        raise NotUnderstood("no setting of a template", subject=typed, remedy=also)
    return f"{first}.{rest}", member


def place_named(typed: str) -> str:
    """Return the whole place that a setting's name means, by the rules of conditions. Raises `NotUnderstood`."""
    place, member = _placed(typed.lower())
    if not member:
        return place
    first, _, rest = place.partition(".")
    return f"{first}.{member}.{rest}"


@lru_cache(maxsize=32)
def _keys(first: str) -> frozenset[str]:
    """Return the parts of a field of the template, or of the members of a list."""
    field = Template.model_fields[first].annotation
    for kind in (field, *getattr(field, "__args__", ())):
        if hasattr(kind, "model_fields"):
            return frozenset(kind.model_fields)
    return frozenset()


def flat(body: Any) -> Iterator[tuple[str, Found]]:
    """Yield each place of a stored template and what is there.

    Formats are whole and in parts, lists of names as they are.
    """
    if isinstance(body, dict):
        yield from _flat(body, "", "")


def _flat(value: Mapping[str, Any], above: str, member: str) -> Iterator[tuple[str, Found]]:
    for key, item in value.items():
        place = f"{above}.{key}" if above else key
        if isinstance(item, dict):
            if "width" in item and "rate" in item:
                yield place, (member, _format_of(tuple(item.items())))
            yield from _flat(item, place, member)
        elif isinstance(item, list):
            if place in _LISTS:
                for one in item:
                    if isinstance(one, dict):
                        yield from _flat(one, place, str(one.get("id", "")))
        else:
            yield place, (member, item)


@lru_cache(maxsize=4096)
def _format_of(items: tuple[tuple[str, Any], ...]) -> Any:
    try:
        return format_from_json(dict(items))
    except QuarryError:
        return None


def value_text(place: str, value: Any) -> str:
    """Return a stored value as a person reads it."""
    if value is None:
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if hasattr(value, "encoding"):
        return format_words(value, fields=True)
    if isinstance(value, str):
        if place.endswith(".rate"):
            return _rate_said(value)
        return _called(place, value) or value
    return f"{value:g}" if isinstance(value, float) else str(value)


def _rate_said(value: str) -> str:
    try:
        return rate_text(Fraction(value))
    except (ValueError, ZeroDivisionError):
        return value


def _called(place: str, ident: str) -> str:
    """Return what the registry calls a device or codec, or nothing."""
    known: Mapping[str, Any] = {}
    if place.endswith("codec"):
        known = codecs()
    elif place == "monitor.monitor":
        known = monitors()
    return str(known[ident].name) if ident in known else ""


@lru_cache(maxsize=65536)
def _matches(sign: str, text: str, value: Any) -> bool:
    if value is None or text.lower() == "none":
        return sign in ("=", "is") and value is None and text.lower() == "none"
    if isinstance(value, bool):
        return sign in ("=", "is") and text.lower() in (("yes", "true", "on") if value else ("no", "false", "off"))
    if hasattr(value, "encoding"):
        return _same_format(sign, text, value)
    if isinstance(value, str):
        if re.fullmatch(r"\d+/\d+", value):
            return _compared(sign, _number(text), Fraction(value))
        return _same_text(sign, text.lower(), value)
    return _compared(sign, _number(text), Fraction(value))


def _compared(sign: str, wanted: Fraction | None, value: Fraction) -> bool:
    if wanted is None:
        return False
    if sign in ("=", "is"):
        return value == wanted
    return sign in _SIGNS and _SIGNS[sign](value, wanted)


def _number(text: str) -> Fraction | None:
    """Return a number, an aspect or a rate by its name; None for a text that is none."""
    for read in (rate_from_text, lambda t: Fraction(t.replace("−", "-").replace(":", "/"))):
        try:
            return read(text)
        except (QuarryError, ValueError, ZeroDivisionError):
            continue
    return None


def _same_format(sign: str, text: str, value: Any) -> bool:
    if sign == "~":
        return text.lower() in format_words(value, fields=True).lower()
    try:
        return sign in ("=", "is") and format_from_words(text) == value
    except SeveralReadings as several:
        return any(format_from_words(reading) == value for reading in several.readings)
    except QuarryError:
        return False


def _same_text(sign: str, wanted: str, value: str) -> bool:
    names = {value.lower(), *(item.name.lower() for known in (codecs(), monitors()) if (item := known.get(value)))}
    if sign == "~":
        return any(wanted in name for name in names)
    if sign == "is":  # as one says it: "monitor is bay two"
        plain = wanted.replace("-", " ")
        return any(f"{name.replace('-', ' ')} ".startswith(f"{plain} ") for name in names)
    return sign == "=" and wanted in names

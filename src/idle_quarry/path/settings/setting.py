"""One setting: where it lies, what it is called, how its text is read; and the readers that many share."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from idle_quarry.errors import NotUnderstood
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.template import Template
from idle_quarry.signal.formats import SignalFormat

Parse = Callable[[str], Any]


#: Why a setting cannot change once a job has a timeline, by the last part of its place.
WHY_LOCKED = {
    "raster": "timelines and titles are placed by it",
    "rate": "every cut is counted in it",
    "scan": "fields cannot be told from pictures afterwards",
    "field_order": "fields would change places in time",
    "start": "every timecode is counted from it",
    "drop": "numbers already given would change",
}


@dataclass(frozen=True)
class Setting:
    """One setting: where it lies, which sheet it is on, its label, its text, and what follows from it.

    `parse` turns typed text into a value and raises `QuarryError`. `choices` are offered; where `free` is
    false, nothing else can be. A `locked` one cannot change once a job has a timeline; it says why.
    """

    place: str
    sheet: str
    label: str
    text: str
    follows: str
    parse: Parse = field(compare=False)
    choices: tuple[str, ...] = ()
    free: bool = True
    explained: str = ""
    locked: str = ""
    hint: str = ""  #: an example of what may be typed where nothing stands yet
    names: str = ""  #: the kind of entry it names: its text is the entry's id until `offering` says the name
    holds: SignalFormat | None = None  #: what a codec that is named must hold
    nothing: str = ""  #: what is said where it may name none
    also: tuple[Edit, ...] = ()  #: what no longer holds when it changes

    def edits(self, text: str) -> tuple[Edit, ...]:
        """Return the edits that put typed `text` here. Raises `QuarryError`."""
        return (self.edit(text), *self.also) if text != self.text else (self.edit(text),)

    def edit(self, text: str) -> Edit:
        """Return the edit that puts typed `text` here. Raises `QuarryError`."""
        return Edit(self.place, self.parse(text))


def with_setting(template: Template, setting: Setting, text: str) -> Template:
    """Return `template` with `text` typed into `setting`. Raises `QuarryError` with a clear sentence."""
    return edited(template, *setting.edits(text))


def number(low: float, high: float, unit: str, whole: bool = False) -> Parse:
    """Return a parser of numbers from `low` to `high`, with or without the unit."""

    def parse(text: str) -> Any:
        cleaned = text.strip().replace("−", "-").replace(",", ".").replace("\u2009", "").removesuffix(unit).strip()
        if not re.fullmatch(r"[-+]?\d{1,9}(\.\d{1,6})?", cleaned, re.ASCII):
            raise NotUnderstood(
                "not a number", subject=repr(text[:40]), remedy=f"type {unit or 'a number'} from {low:g} to {high:g}"
            )
        value = float(cleaned)
        if not low <= value <= high:
            raise NotUnderstood(f"out of range: {low:g} to {high:g} {unit}".rstrip(), subject=cleaned)
        if whole and value != int(value):
            raise NotUnderstood("a whole number is wanted", subject=cleaned)
        return int(value) if whole else value

    return parse


def or_nothing(parse: Parse) -> Parse:
    """Return a parser that takes an empty text, or "none", as None."""

    def parse_or_nothing(text: str) -> Any:
        return parse(text) if text.strip().lower() not in ("", "none") else None

    return parse_or_nothing


def one_of(options: dict[str, Any], what: str) -> Parse:
    """Return a parser that takes one of the named options, whatever its capitals."""
    lower = {key.lower(): value for key, value in options.items()}

    def parse(text: str) -> Any:
        key = text.strip().lower()
        if key not in lower:
            raise NotUnderstood(
                f"no such {what}", subject=repr(text[:40]), remedy="choose " + ", ".join(list(options)[:8])
            )
        return lower[key]

    return parse


def any_text(text: str) -> str:
    """Return the text without the spaces around it."""
    return text.strip()


SCAN_NAMES = {"Progressive": "progressive", "Interlaced": "interlaced", "PsF": "psf"}
ORDER_NAMES = {"Upper field first": "top", "Lower field first": "bottom"}
YES_NO = {"Yes": True, "No": False}


def named(table: dict[str, Any], value: Any) -> str:
    """Return the name of a value in a table of names."""
    return next(key for key, item in table.items() if item == value)

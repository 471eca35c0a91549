"""Naming rules of jobs, folders and files: words with fields in braces, out of a closed list."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import date
from typing import Annotated, Literal

from pydantic import StringConstraints, model_validator

from idle_quarry.path.entries.entry import Entry
from idle_quarry.path.names import name_refused

#: The fields there are, with what each holds in the example.
FIELDS: dict[str, str | int] = {
    "title": "The Lamp Room",
    "series": "Lamp Room",
    "episode": 7,
    "season": 1,
    "date": "2026-11-24",
    "format": "1080i25",
    "version": 2,
    "language": "en",
    "client": "Harbour Six",
    "delivery": "Broadcast HD",
    "sound": "stereo",
    "timeline": "Main",
}
_FIELD = re.compile(r"\{([^{}]*)\}")
_NUMBERED = re.compile(r"0?([1-9])")


class NamingRule(Entry):
    """A rule by which something is named: "{title} E{episode:02} v{version}"."""

    entry: Literal["naming"] = "naming"
    of: Literal["job", "folder", "file"] = "job"
    rule: Annotated[str, StringConstraints(min_length=1, max_length=200)]

    @model_validator(mode="after")
    def _makes_names(self) -> NamingRule:
        text = made_name(self.rule, FIELDS)
        why = name_refused(text)
        if why is not None:
            raise ValueError(f"the rule makes {text[:60]!r}, which is no name: {why}")
        return self

    @property
    def example(self) -> str:
        """Return what it makes of the example's fields."""
        return made_name(self.rule, FIELDS)


def fields_of(rule: str) -> tuple[str, ...]:
    """Return the fields of a rule in order. Raises `ValueError` for a field that there is not, or a brace too many."""
    results = []
    for inside in _FIELD.findall(rule):
        name, _, form = inside.partition(":")
        if name not in FIELDS:
            raise ValueError(f"there is no field {{{name[:30]}}}; there are {', '.join(FIELDS)}")
        if form and not (isinstance(FIELDS[name], int) and _NUMBERED.fullmatch(form)):
            raise ValueError(f"{{{inside[:30]}}}: a number of digits is written {{episode:02}}, of numbers alone")
        results.append(name)
    if re.search(r"[{}]", _FIELD.sub("", rule)):
        raise ValueError("a brace that opens or closes nothing")
    return tuple(results)


def made_name(rule: str, fields: Mapping[str, str | int | date]) -> str:
    """Return the name a rule makes of fields; one that is not known is left out with the spaces around it.

    Raises `ValueError` for a rule that is none.
    """
    fields_of(rule)

    def put(match: re.Match[str]) -> str:
        name, _, form = match.group(1).partition(":")
        value = fields.get(name, "")
        return f"{value:0{int(form)}d}" if form and isinstance(value, int) else str(value)

    return " ".join(_FIELD.sub(put, rule).split()).strip(" -_")

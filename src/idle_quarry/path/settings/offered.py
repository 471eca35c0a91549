"""Settings that name an entry offer what ships, what the house has, and what the template carries."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from idle_quarry.path.codecs import cannot_hold, mbps
from idle_quarry.path.entries import Codec, KeptFormat, NamingRule
from idle_quarry.path.house_entries import HouseEntries, choices_of, name_of
from idle_quarry.path.registry import known
from idle_quarry.path.settings.setting import Parse, Setting, one_of
from idle_quarry.path.template import Template
from idle_quarry.signal.words import Sixty, format_from_words

_CALLED = {"sound": "layout", "programme": "layout", "naming": "rule", "delivery": "spec"}


def offering(setting: Setting, template: Template, house: HouseEntries) -> Setting:
    """Return a setting that names an entry with the entry's name, and with all that can be chosen.

    Any other as it was.
    """
    if setting.label in _FORMATS:
        sixty = Sixty.PULLED if template.territory == Sixty.PULLED.value else Sixty.ASKED
        return _whole_format(setting, house, sixty)
    if setting.place.endswith((".file_name", "job_name")):
        rules = [
            entry.rule for entry in (*house.of("naming"), *known("naming").values()) if isinstance(entry, NamingRule)
        ]
        return replace(setting, choices=tuple(dict.fromkeys(rules)))
    if not setting.names:
        return setting
    choices = choices_of(setting.names, template, house)
    able = list(choices)
    fmt = setting.holds
    if fmt is not None:
        codecs = {name: entry for name, entry in choices.items() if isinstance(entry, Codec)}
        able = sorted(
            (name for name in codecs if not cannot_hold(codecs[name], fmt)), key=lambda n: mbps(codecs[n], fmt)
        )
    parse = one_of({name: entry.id for name, entry in choices.items()}, _CALLED.get(setting.names, setting.names))
    if not setting.nothing:
        return replace(setting, text=name_of(setting.text, choices), choices=tuple(able), parse=parse)
    text = name_of(setting.text, choices) if setting.text else setting.nothing
    return replace(setting, text=text, choices=(setting.nothing, *able), parse=_or(setting.nothing, parse))


#: Rows that take a whole format.
_FORMATS = ("Format", "Signal sent")


def _whole_format(setting: Setting, house: HouseEntries, sixty: Sixty) -> Setting:
    """Return a row of a whole format with those that the house keeps by a name."""
    formats = {entry.name.lower(): entry for entry in house.of("format") if isinstance(entry, KeptFormat)}

    def parse(text: str) -> Any:
        kept_format = formats.get(text.strip().lower())
        return kept_format.signal if kept_format is not None else format_from_words(text, sixty)

    return replace(setting, choices=(*(entry.name for entry in formats.values()), *setting.choices), parse=parse)


def _or(nothing: str, parse: Parse) -> Parse:
    def parse_or_nothing(text: str) -> Any:
        return "" if text.strip().lower() in ("", nothing.lower()) else parse(text)

    return parse_or_nothing

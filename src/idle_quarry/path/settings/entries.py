"""The sheet of an entry: every figure of it as a setting, and each member of its lists as a row that is typed."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any

from pydantic import BaseModel, ValidationError

from idle_quarry.errors import NotPossible
from idle_quarry.path.changes.edits import validation_sentence
from idle_quarry.path.codecs import as_held, cannot_hold, mbps
from idle_quarry.path.entries import (
    CodecVariant,
    DeliverySpec,
    Entry,
    NamingRule,
    entry_from_data,
)
from idle_quarry.path.entries.monitor import Door
from idle_quarry.path.entries.typed import MEMBERS
from idle_quarry.path.house_entries import NO_HOUSE, HouseEntries, as_known
from idle_quarry.path.registry import codecs, known, take_in
from idle_quarry.path.settings.entry_fields import _SHARED, ENTRY_FIELDS, NAMED_ENTRIES, FigureField, MemberList
from idle_quarry.path.settings.setting import Parse, Setting, one_of
from idle_quarry.signal.words import format_from_words

SHEET = "entry"


def entry_settings(entry: Entry, house: HouseEntries = NO_HOUSE) -> list[Setting]:
    """Return an entry's settings in order; the last row of each list adds a member."""
    settings = []
    for item in (*_SHARED, *ENTRY_FIELDS[type(entry)]):
        settings += list(_rows(entry, item)) if isinstance(item, MemberList) else [_figure(entry, item, house)]
    return settings


def _figure(entry: Entry, figure_field: FigureField, house: HouseEntries) -> Setting:
    value: Any = entry
    for part in figure_field.place.split("."):
        # a limit that is not stated is what it comes to
        value = entry.limit(part) if isinstance(entry, DeliverySpec) and value is entry.limits else getattr(value, part)
    parse, choices, free, text = figure_field.parse, figure_field.choices, figure_field.free, figure_field.say(value)
    follows = figure_field.follows(value) if callable(figure_field.follows) else figure_field.follows
    if figure_field.place in NAMED_ENTRIES:
        kind, nothing = NAMED_ENTRIES[figure_field.place]
        options = _named(kind, entry, house)
        chosen = known(kind).get(value)
        if chosen is not None and value not in options.values():  # the house has it otherwise by now, or no longer
            options[chosen.name if chosen.name not in options else f"{chosen.name} (as it is here)"] = value
        choices, free = (("None",) if nothing else ()) + tuple(options), False
        parse = one_of({**({"None": ""} if nothing else {}), **options}, "entry")
        text = next((name for name, ident in options.items() if ident == value), value or "None")
        follows = _of_named(kind, value)
    if figure_field.place == "rule" and isinstance(entry, NamingRule):
        follows = f"{entry.example}  ·  {follows}"
    return Setting(
        place=figure_field.place,
        sheet=SHEET,
        label=figure_field.label,
        text=text,
        follows=follows,
        parse=parse,
        choices=choices,
        free=free,
    )


def _named(kind: str, entry: Entry, house: HouseEntries) -> dict[str, str]:
    shipped: Mapping[str, Any] = known(kind)
    options = {item.name: item.id for item in shipped.values()}
    if isinstance(entry, CodecVariant):
        return options  # a variant varies what ships
    for own in house.entries:
        if own.entry == kind:
            options[own.name if own.name not in options else f"{own.name} (the house's)"] = as_known(own).id
    return options


def _of_named(kind: str, ident: str) -> str:
    result = known(kind).get(ident)
    if result is None:
        return ""
    if kind == "codec":
        return str(result.standard)
    return str(result.words)


def _rows(entry: Entry, member_list: MemberList) -> Iterable[Setting]:
    members, how = getattr(entry, member_list.place), MEMBERS[member_list.part]
    for index, member in enumerate(members):
        yield Setting(
            f"{member_list.place}.{index}",
            SHEET,
            f"{member_list.one} {index + 1}",
            how.say(member),
            member_list.follows(entry, index),
            _member(how.read),
            explained=f"as in: {how.example}; clear it to take it out",
        )
    yield Setting(
        f"{member_list.place}.{len(members)}",
        SHEET,
        f"One {member_list.one.lower()} more",
        "",
        "",
        _member(how.read),
        explained=f"as in: {how.example}",
        hint=how.example,
    )


def _member(read: Callable[[str], dict[str, Any]]) -> Parse:
    return lambda text: read(text) if text.strip() else None


def with_entry_setting(entry: Entry, setting: Setting, text: str) -> Entry:
    """Return an entry with `text` typed into one of its settings. Raises `NotUnderstood`, `NotPossible`."""
    data = {**_plain(entry), "entry": entry.entry}
    value, target = setting.parse(text), data
    *path, last = setting.place.split(".")
    if isinstance(entry, DeliverySpec) and path == ["limits"] and value == _plain(entry.limit(last)):
        return entry  # the usual limit, typed again, stays the usual one
    for part in path:
        target = target[part]
    if isinstance(target, list):
        index = int(last)
        target[index : index + 1] = [] if value is None else [value]
    else:
        target[last] = value
    return entry_from(data, setting.label)


def entry_from(data: dict[str, Any], subject: str) -> Entry:
    """Return the entry that plain values make, known by its id from here on.

    Raises `NotPossible` with what they lack.
    """
    try:
        entry = entry_from_data(data)
        take_in(entry)
    except ValidationError as error:
        raise NotPossible(validation_sentence(error), subject=subject) from error
    except ValueError as error:
        raise NotPossible(str(error), subject=subject) from error
    return entry


def _plain(value: BaseModel) -> dict[str, Any]:
    return value.model_dump(mode="json", exclude={"id"})


def blank(kind: str, uid: str, name: str) -> Entry:
    """Return a new entry of a kind that says as little as one can."""
    data: dict[str, dict[str, Any]] = {
        "monitor": {"kind": "panel", "accepts": [MEMBERS[Door].read(MEMBERS[Door].example)]},
        "delivery": {"territory": "50 Hz", "format": "1080i25", "codec": "avci-100"},
        "codec": {"base": next(codec.id for codec in codecs().values() if codec.varies)},
        "format": {"words": "1080i25"},
        "sound": {"channels": [{"at": "left"}, {"at": "right"}]},
        "programme": {"items": [{"what": "programme"}]},
        "naming": {"rule": "{title}"},
    }
    return entry_from_data({"entry": kind, "uid": uid, "name": name, **data[kind]})


def rate_ladder(ident: str, formats: Iterable[str]) -> list[tuple[str, float]]:
    """Return a codec's data rate in Mb/s for formats in words, those that it can hold, lowest first."""
    codec = codecs()[ident]
    results = []
    for words in formats:
        fmt = as_held(codec, format_from_words(words))
        if not cannot_hold(codec, fmt):
            results.append((words, mbps(codec, fmt)))
    return sorted(results, key=lambda pair: pair[1])

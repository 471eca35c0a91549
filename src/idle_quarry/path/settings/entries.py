"""The sheet of an entry: every figure of it as a setting, and each member of its lists as a row that is typed."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from pydantic import BaseModel, ValidationError

from idle_quarry.counting import counted
from idle_quarry.errors import NotPossible, NotUnderstood
from idle_quarry.path.changes.edits import validation_sentence
from idle_quarry.path.codecs import as_held, cannot_hold, mbps
from idle_quarry.path.entries import (
    CodecVariant,
    DeliverySpec,
    Entry,
    KeptFormat,
    Monitor,
    NamingRule,
    ProgrammeLayout,
    SoundLayout,
    entry_from_data,
)
from idle_quarry.path.entries.codec import RateRow
from idle_quarry.path.entries.delivery import ACTIVE_FORMATS, CAPTIONS, TERRITORIES, WRAPPERS, Clause, Limit
from idle_quarry.path.entries.entry import EntryPart
from idle_quarry.path.entries.monitor import DEVICES, PAYLOADS, Door
from idle_quarry.path.entries.naming import FIELDS
from idle_quarry.path.entries.programme import ProgrammeItem
from idle_quarry.path.entries.sound import SoundChannel
from idle_quarry.path.entries.typed import MEMBERS
from idle_quarry.path.house_entries import NO_HOUSE, HouseEntries, as_known
from idle_quarry.path.registry import codecs, known, take_in
from idle_quarry.path.settings.setting import YES_NO, Parse, Setting, any_text, named, number, one_of
from idle_quarry.signal.formats import RANGES
from idle_quarry.signal.words import format_from_words, format_words

SHEET = "entry"
_NONE = "none"


@dataclass(frozen=True)
class _Field:
    """A figure: where it lies, what it is called, how it is read and said, what follows from it."""

    place: str
    label: str
    parse: Parse = any_text
    say: Callable[[Any], str] = str
    choices: tuple[str, ...] = ()
    free: bool = True
    follows: Callable[[Any], str] | str = ""


@dataclass(frozen=True)
class _List:
    """A list of members: where it lies, what one is called, of which class they are."""

    place: str
    one: str
    part: type[EntryPart]
    follows: Callable[[Any, int], str] = field(default=lambda _entry, _index: "")


def _words(options: Iterable[str], what: str) -> dict[str, Any]:
    table = {option: option for option in options}
    return {"parse": one_of(table, what), "choices": tuple(table), "free": False}


def _yes_no(yes: str, no: str) -> dict[str, Any]:
    return {
        "parse": one_of(YES_NO, "answer"),
        "say": lambda v: named(YES_NO, v),
        "choices": tuple(YES_NO),
        "free": False,
        "follows": lambda v: yes if v else no,
    }


def _or_none(parse: Parse) -> dict[str, Any]:
    def read(text: str) -> Any:
        return None if text.strip().lower() in ("", _NONE) else parse(text)

    return {
        "parse": read,
        "say": lambda value: _NONE if value is None else f"{value:g}" if isinstance(value, float) else str(value),
    }


def _several(options: Iterable[str], what: str) -> dict[str, Any]:
    table = {option.lower(): option for option in options}

    def read(text: str) -> list[str]:
        found = []
        for part in text.split(","):
            word = part.strip().lower()
            if word in ("", _NONE):
                continue
            if word not in table:
                raise NotUnderstood(
                    f"no {what}", subject=repr(part.strip()[:30]), remedy="say " + ", ".join(table.values())
                )
            found.append(table[word])
        return found

    return {
        "parse": read,
        "say": lambda value: ", ".join(value) or _NONE,
        "follows": "with commas between: " + ", ".join(table.values()),
    }


def _limit(name: str, label: str, unit: str) -> _Field:
    """Return the setting of a check's limit, which is typed as "look 1, fails 2"."""
    return _Field(f"limits.{name}", label, _read_limit, _say_limit, follows=unit)


_LIMIT = re.compile(r"(look|fails)\s*(\d+(?:\.\d+)?)")


def _read_limit(text: str) -> dict[str, float | None]:
    parts = [part.strip().lower() for part in text.split(",") if part.strip().lower() not in ("", _NONE)]
    matches = [_LIMIT.fullmatch(part) for part in parts]
    limit: dict[str, float | None] = {"look": None, "fails": None}
    for match in matches:
        if match is None or limit[match[1]] is not None:
            raise NotUnderstood(
                "no limit", subject=repr(text.strip()[:30]), remedy="say look 1, fails 2, or one of them, or none"
            )
        limit[match[1]] = float(match[2])
    return limit


def _say_limit(limit: Limit) -> str:
    figures = {"look": limit.look, "fails": limit.fails}
    return ", ".join(f"{verb} {figure:g}" for verb, figure in figures.items() if figure is not None) or _NONE


def _format(text: str) -> str:
    return format_words(format_from_words(text))


_SHARED = (
    _Field("name", "Name"),
    _Field("source", "From"),
)
_LU, _DB = "LU", "dB"
_FIELDS: dict[type[Entry], tuple[_Field | _List, ...]] = {
    Monitor: (
        _Field("kind", "What it is"),
        _Field("device", "Screen", **_words(DEVICES, "kind of screen")),
        _List("accepts", "Input", Door),
        _Field("ranges", "Ranges", **_several(RANGES, "range")),
        _Field("peak_cd_m2", "Peak", **_or_none(number(1, 20000, "cd/m²")), follows="cd/m², the most light it gives"),
        _Field("overscan", "Overscan", number(0, 20, "%"), "{:g}".format, follows="% of each side that is hidden"),
        _Field(
            "payload",
            "Payload identifier",
            **_words(PAYLOADS, "way with it"),
            follows=lambda v: {
                "heeded": "it takes the format from ST 352 where there is one",
                "ignored": "it looks at the timing alone",
                "needed": "without ST 352 it stays black",
            }[v],
        ),
        _Field("two_eyes", "Two eyes", **_yes_no("it shows stereoscopic pictures", "it shows one eye")),
        _Field(
            "tells_psf",
            "Tells PsF",
            **_yes_no("PsF is shown as whole pictures", "PsF is shown as if it were interlaced"),
        ),
    ),
    DeliverySpec: (
        _Field("territory", "Territory", **_words(TERRITORIES, "territory")),
        _Field("format", "Format", _format),
        _Field("codec", "Codec"),
        _Field(
            "wrapper",
            "Wrapping",
            **_or_none(one_of({wrapper: wrapper for wrapper in WRAPPERS}, "wrapping")),
            choices=(_NONE, *WRAPPERS),
        ),
        _Field("start", "Start"),
        _Field("drop", "Drop-frame", **_yes_no("numbers are left out to keep the clock", "every picture is counted")),
        _Field("sound.layout", "Channels"),
        _Field("sound.sample_rate", "Sample rate", number(8000, 384000, "Hz", whole=True), follows="Hz"),
        _Field(
            "sound.bit_depth",
            "Sound bits",
            one_of({"16": 16, "24": 24, "32": 32}, "sound depth"),
            choices=("16", "24", "32"),
            free=False,
        ),
        _Field("sound.line_up_dbfs", "Line-up level", number(-40, 0, "dBFS"), "{:g}".format, follows="dBFS"),
        _Field("sound.loudness_lufs", "Loudness", **_or_none(number(-70, 0, "LUFS")), follows="LUFS"),
        _Field(
            "tolerances.loudness_lu", "Loudness may be off", number(0, 10, _LU), "{:g}".format, follows="LU either way"
        ),
        _Field("sound.true_peak_dbtp", "True peak", **_or_none(number(-40, 0, "dBTP")), follows="dBTP at most"),
        _Field(
            "tolerances.line_up_db", "Line-up may be off", number(0, 10, _DB), "{:g}".format, follows="dB either way"
        ),
        _Field("programme", "Layout in time"),
        _Field("file_name", "File name"),
        _limit("gamut", "Outside the gamut", "% of a picture outside R′G′B′ −5 % to 105 % (EBU R 103)"),
        _limit("levels", "Beyond the levels", "% of all pictures below black, or above white"),
        _limit("edges", "Edges without picture", "% of the width or height"),
        _limit("black", "Black inside", "s in the programme"),
        _limit("frozen", "Held pictures", "s in the programme"),
        _limit("repeats", "Repeated pictures", "% of the pictures"),
        _limit("patterns", "Regular patterns", "s (ITU-R BT.1702)"),
        _limit("silence", "Silence inside", "s in the programme"),
        _limit("phase", "Left against right", "s out of phase"),
        _Field("captions", "Captions", **_several(CAPTIONS, "kind of captions")),
        _Field(
            "active_format",
            "Active format",
            **_or_none(one_of({e: e for e in ACTIVE_FORMATS}, "active format")),
            choices=(_NONE, *ACTIVE_FORMATS),
            follows="SMPTE ST 2016-1",
        ),
        _Field("hdr.max_cll", "MaxCLL", **_or_none(number(1, 10000, "cd/m²", whole=True)), follows="cd/m² at most"),
        _Field("hdr.max_fall", "MaxFALL", **_or_none(number(1, 10000, "cd/m²", whole=True)), follows="cd/m² at most"),
        _Field(
            "hdr.mastering_peak",
            "Mastering peak",
            **_or_none(number(1, 10000, "cd/m²", whole=True)),
            follows="cd/m² (ST 2086)",
        ),
        _List("clauses", "Clause", Clause),
    ),
    CodecVariant: (
        _Field("base", "Varies"),
        _Field("mbps", "Data rate", **_or_none(number(0.1, 10000, "Mb/s")), follows="Mb/s; none: as the codec has it"),
        _Field(
            "gop",
            "Pictures in a group",
            **_or_none(number(1, 600, "", whole=True)),
            follows="1: each picture stands alone",
        ),
        _Field("containers", "Containers", **_several(("mov", "mxf", "mp4", "mkv", "avi"), "container")),
        _List("table", "Rate", RateRow),
    ),
    KeptFormat: (
        _Field("words", "Format", _format, follows=lambda v: format_words(format_from_words(v), fields=True)),
    ),
    SoundLayout: (_List("channels", "Channel", SoundChannel),),
    ProgrammeLayout: (
        _Field("starts", "Programme starts", follows="timecode of its first picture; empty: as the delivery says"),
        _List("items", "Item", ProgrammeItem, lambda e, i: _at(e, i)),
        _Field("tolerance_pictures", "Borders may be off", number(0, 100, "", whole=True), follows="pictures"),
    ),
    NamingRule: (
        _Field("of", "Names", **_words(("job", "folder", "file"), "thing that is named")),
        _Field("rule", "Rule", follows=lambda v: "fields: " + ", ".join(f"{{{each}}}" for each in FIELDS)),
    ),
}
#: Figures that name another entry: of which kind, and whether there may be none.
_NAMES = {
    "codec": ("codec", False),
    "sound.layout": ("sound", False),
    "programme": ("programme", True),
    "base": ("codec", False),
}


def _at(layout: ProgrammeLayout, index: int) -> str:
    before = sum(item.seconds or 0 for item in layout.items[:index])
    parts = sum(item.what == "programme" for item in layout.items[:index])
    return f"at {before:g} s" + (f" and {counted(parts, 'part')} of the programme" if parts else "")


def entry_settings(entry: Entry, house: HouseEntries = NO_HOUSE) -> list[Setting]:
    """Return an entry's settings in order; the last row of each list adds a member."""
    settings = []
    for each in (*_SHARED, *_FIELDS[type(entry)]):
        settings += list(_rows(entry, each)) if isinstance(each, _List) else [_figure(entry, each, house)]
    return settings


def _figure(entry: Entry, each: _Field, house: HouseEntries) -> Setting:
    value: Any = entry
    for part in each.place.split("."):
        # a limit that is not stated is what it comes to
        value = entry.limit(part) if isinstance(entry, DeliverySpec) and value is entry.limits else getattr(value, part)
    parse, choices, free, text = each.parse, each.choices, each.free, each.say(value)
    follows = each.follows(value) if callable(each.follows) else each.follows
    if each.place in _NAMES:
        kind, nothing = _NAMES[each.place]
        options = _named(kind, entry, house)
        chosen = known(kind).get(value)
        if chosen is not None and value not in options.values():  # the house has it otherwise by now, or no longer
            options[chosen.name if chosen.name not in options else f"{chosen.name} (as it is here)"] = value
        choices, free = (("None",) if nothing else ()) + tuple(options), False
        parse = one_of({**({"None": ""} if nothing else {}), **options}, "entry")
        text = next((name for name, ident in options.items() if ident == value), value or "None")
        follows = _of_named(kind, value)
    if each.place == "rule" and isinstance(entry, NamingRule):
        follows = f"{entry.example}  ·  {follows}"
    return Setting(each.place, SHEET, each.label, text, follows, parse, choices, free)


def _named(kind: str, entry: Entry, house: HouseEntries) -> dict[str, str]:
    shipped: Mapping[str, Any] = known(kind)
    options = {each.name: each.id for each in shipped.values()}
    if isinstance(entry, CodecVariant):
        return options  # a variant varies what ships
    for own in house.entries:
        if own.entry == kind:
            options[own.name if own.name not in options else f"{own.name} (the house's)"] = as_known(own).id
    return options


def _of_named(kind: str, ident: str) -> str:
    found = known(kind).get(ident)
    if found is None:
        return ""
    if kind == "codec":
        return str(found.standard)
    return str(found.words)


def _rows(entry: Entry, each: _List) -> Iterable[Setting]:
    members, how = getattr(entry, each.place), MEMBERS[each.part]
    for index, member in enumerate(members):
        yield Setting(
            f"{each.place}.{index}",
            SHEET,
            f"{each.one} {index + 1}",
            how.say(member),
            each.follows(entry, index),
            _member(how.read),
            explained=f"as in: {how.example}; clear it to take it out",
        )
    yield Setting(
        f"{each.place}.{len(members)}",
        SHEET,
        f"One {each.one.lower()} more",
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
    return made(data, setting.label)


def made(data: dict[str, Any], subject: str) -> Entry:
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
    said: dict[str, dict[str, Any]] = {
        "monitor": {"kind": "panel", "accepts": [MEMBERS[Door].read(MEMBERS[Door].example)]},
        "delivery": {"territory": "50 Hz", "format": "1080i25", "codec": "avci-100"},
        "codec": {"base": next(codec.id for codec in codecs().values() if codec.varies)},
        "format": {"words": "1080i25"},
        "sound": {"channels": [{"at": "left"}, {"at": "right"}]},
        "programme": {"items": [{"what": "programme"}]},
        "naming": {"rule": "{title}"},
    }
    return entry_from_data({"entry": kind, "uid": uid, "name": name, **said[kind]})


def rate_ladder(ident: str, formats: Iterable[str]) -> list[tuple[str, float]]:
    """Return a codec's data rate in Mb/s for formats in words, those that it can hold, lowest first."""
    codec = codecs()[ident]
    found = []
    for words in formats:
        fmt = as_held(codec, format_from_words(words))
        if not cannot_hold(codec, fmt):
            found.append((words, mbps(codec, fmt)))
    return sorted(found, key=lambda pair: pair[1])

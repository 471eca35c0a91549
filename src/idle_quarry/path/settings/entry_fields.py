"""The figures and lists of each kind of entry: where they lie, what they are called, how they are read and said."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any

from idle_quarry.counting import counted
from idle_quarry.errors import NotUnderstood
from idle_quarry.path.entries import (
    CodecVariant,
    DeliverySpec,
    Entry,
    KeptFormat,
    Monitor,
    NamingRule,
    ProgrammeLayout,
    SoundLayout,
)
from idle_quarry.path.entries.codec import RateRow
from idle_quarry.path.entries.delivery import ACTIVE_FORMATS, CAPTIONS, TERRITORIES, WRAPPERS, Clause, Limit
from idle_quarry.path.entries.entry import EntryPart
from idle_quarry.path.entries.monitor import DEVICES, PAYLOADS, Door
from idle_quarry.path.entries.naming import FIELDS
from idle_quarry.path.entries.programme import ProgrammeItem
from idle_quarry.path.entries.sound import SoundChannel
from idle_quarry.path.settings.setting import YES_NO, Parse, any_text, named, number, one_of
from idle_quarry.path.sound_tracks import WORDS as TRACK_WORDS
from idle_quarry.signal.colour import PRIMARIES
from idle_quarry.signal.formats import RANGES
from idle_quarry.signal.words import format_from_words, format_words

_NONE = "none"


@dataclass(frozen=True)
class FigureField:
    """A figure: where it lies, what it is called, how it is read and said, what follows from it."""

    place: str
    label: str
    parse: Parse = any_text
    say: Callable[[Any], str] = str
    choices: tuple[str, ...] = ()
    free: bool = True
    follows: Callable[[Any], str] | str = ""


@dataclass(frozen=True)
class MemberList:
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
        results = []
        for part in text.split(","):
            word = part.strip().lower()
            if word in ("", _NONE):
                continue
            if word not in table:
                raise NotUnderstood(
                    f"no {what}", subject=repr(part.strip()[:30]), remedy="say " + ", ".join(table.values())
                )
            results.append(table[word])
        return results

    return {
        "parse": read,
        "say": lambda value: ", ".join(value) or _NONE,
        "follows": "with commas between: " + ", ".join(table.values()),
    }


def _limit(name: str, label: str, unit: str) -> FigureField:
    """Return the setting of a check's limit, which is typed as "look 1, fails 2"."""
    return FigureField(f"limits.{name}", label, _read_limit, _say_limit, follows=unit)


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
    FigureField("name", "Name"),
    FigureField("source", "From"),
)


_LU, _DB = "LU", "dB"


ENTRY_FIELDS: dict[type[Entry], tuple[FigureField | MemberList, ...]] = {
    Monitor: (
        FigureField("kind", "What it is"),
        FigureField("device", "Screen", **_words(DEVICES, "kind of screen")),
        MemberList("accepts", "Input", Door),
        FigureField("ranges", "Ranges", **_several(RANGES, "range")),
        FigureField(
            "peak_cd_m2", "Peak", **_or_none(number(1, 20000, "cd/m²")), follows="cd/m², the most light it gives"
        ),
        FigureField(
            "black_cd_m2", "Black", **_or_none(number(0, 10, "cd/m²")), follows="cd/m², the least light it gives"
        ),
        FigureField(
            "primaries",
            "Primaries",
            **_or_none(one_of({name: name for name in PRIMARIES}, "set of primaries")),
            follows="whose colours it shows: with peak and black what files say they were graded on (ST 2086)",
        ),
        FigureField("overscan", "Overscan", number(0, 20, "%"), "{:g}".format, follows="% of each side that is hidden"),
        FigureField(
            "payload",
            "Payload identifier",
            **_words(PAYLOADS, "way with it"),
            follows=lambda v: {
                "heeded": "it takes the format from ST 352 where there is one",
                "ignored": "it looks at the timing alone",
                "needed": "without ST 352 it stays black",
            }[v],
        ),
        FigureField("two_eyes", "Two eyes", **_yes_no("it shows stereoscopic pictures", "it shows one eye")),
        FigureField(
            "tells_psf",
            "Tells PsF",
            **_yes_no("PsF is shown as whole pictures", "PsF is shown as if it were interlaced"),
        ),
    ),
    DeliverySpec: (
        FigureField("territory", "Territory", **_words(TERRITORIES, "territory")),
        FigureField("format", "Format", _format),
        FigureField("codec", "Codec"),
        FigureField(
            "wrapper",
            "Wrapping",
            **_or_none(one_of({wrapper: wrapper for wrapper in WRAPPERS}, "wrapping")),
            choices=(_NONE, *WRAPPERS),
        ),
        FigureField("start", "Start"),
        FigureField(
            "drop", "Drop-frame", **_yes_no("numbers are left out to keep the clock", "every picture is counted")
        ),
        FigureField("sound.layout", "Channels"),
        FigureField(
            "sound.tracks",
            "Sound tracks",
            one_of({text: word for word, text in TRACK_WORDS.items()}, "way of tracks"),
            lambda word: TRACK_WORDS[word],
            choices=tuple(TRACK_WORDS.values()),
            free=False,
        ),
        FigureField("sound.sample_rate", "Sample rate", number(8000, 384000, "Hz", whole=True), follows="Hz"),
        FigureField(
            "sound.bit_depth",
            "Sound bits",
            one_of({"16": 16, "24": 24, "32": 32}, "sound depth"),
            choices=("16", "24", "32"),
            free=False,
        ),
        FigureField("sound.line_up_dbfs", "Line-up level", number(-40, 0, "dBFS"), "{:g}".format, follows="dBFS"),
        FigureField("sound.loudness_lufs", "Loudness", **_or_none(number(-70, 0, "LUFS")), follows="LUFS"),
        FigureField(
            "tolerances.loudness_lu", "Loudness may be off", number(0, 10, _LU), "{:g}".format, follows="LU either way"
        ),
        FigureField(
            "tolerances.live_lu",
            "Live may be off",
            **_or_none(number(0, 10, _LU)),
            follows="LU: until there a person looks",
        ),
        FigureField(
            "tolerances.short_form_s",
            "Short forms",
            **_or_none(number(1, 3600, "s")),
            follows="s: what is shorter is one",
        ),
        FigureField(
            "tolerances.short_term_lufs",
            "Short forms, three seconds",
            **_or_none(number(-70, 0, "LUFS")),
            follows="LUFS at the most over three seconds (R 128 s1)",
        ),
        FigureField(
            "tolerances.momentary_lufs",
            "Short forms, a moment",
            **_or_none(number(-70, 0, "LUFS")),
            follows="LUFS at the most at a moment (R 128 s1)",
        ),
        FigureField("sound.true_peak_dbtp", "True peak", **_or_none(number(-40, 0, "dBTP")), follows="dBTP at most"),
        FigureField(
            "tolerances.line_up_db", "Line-up may be off", number(0, 10, _DB), "{:g}".format, follows="dB either way"
        ),
        FigureField("programme", "Layout in time"),
        FigureField("file_name", "File name"),
        _limit(
            "gamut",
            "Outside the gamut",
            "% of a picture outside R′G′B′ −5 % to 105 % or luma −1 % to 103 % (R 103)",
        ),
        _limit("levels", "Beyond the levels", "% of all samples below −1 %, or above 103 %"),
        _limit("edges", "Edges without picture", "% of the width or height"),
        _limit("black", "Black inside", "s in the programme"),
        _limit("frozen", "Held pictures", "s in the programme"),
        _limit("repeats", "Repeated pictures", "% of the pictures"),
        _limit("patterns", "Regular patterns", "s (ITU-R BT.1702)"),
        _limit("silence", "Silence inside", "s in the programme"),
        _limit("phase", "Left against right", "s out of phase"),
        FigureField("captions", "Captions", **_several(CAPTIONS, "kind of captions")),
        FigureField(
            "active_format",
            "Active format",
            **_or_none(one_of({e: e for e in ACTIVE_FORMATS}, "active format")),
            choices=(_NONE, *ACTIVE_FORMATS),
            follows="SMPTE ST 2016-1",
        ),
        FigureField(
            "hdr.max_cll", "MaxCLL", **_or_none(number(1, 10000, "cd/m²", whole=True)), follows="cd/m² at most"
        ),
        FigureField(
            "hdr.max_fall", "MaxFALL", **_or_none(number(1, 10000, "cd/m²", whole=True)), follows="cd/m² at most"
        ),
        FigureField(
            "hdr.mastering_peak",
            "Mastering peak",
            **_or_none(number(1, 10000, "cd/m²", whole=True)),
            follows="cd/m² (ST 2086)",
        ),
        MemberList("clauses", "Clause", Clause),
    ),
    CodecVariant: (
        FigureField("base", "Varies"),
        FigureField(
            "mbps", "Data rate", **_or_none(number(0.1, 10000, "Mb/s")), follows="Mb/s; none: as the codec has it"
        ),
        FigureField(
            "gop",
            "Pictures in a group",
            **_or_none(number(1, 600, "", whole=True)),
            follows="1: each picture stands alone",
        ),
        FigureField("containers", "Containers", **_several(("mov", "mxf", "mp4", "mkv", "avi"), "container")),
        MemberList("table", "Rate", RateRow),
    ),
    KeptFormat: (
        FigureField("words", "Format", _format, follows=lambda v: format_words(format_from_words(v), fields=True)),
    ),
    SoundLayout: (MemberList("channels", "Channel", SoundChannel),),
    ProgrammeLayout: (
        FigureField("starts", "Programme starts", follows="timecode of its first picture; empty: as the delivery says"),
        MemberList("items", "Item", ProgrammeItem, lambda e, i: _at(e, i)),
        FigureField("tolerance_pictures", "Borders may be off", number(0, 100, "", whole=True), follows="pictures"),
    ),
    NamingRule: (
        FigureField("of", "Names", **_words(("job", "folder", "file"), "thing that is named")),
        FigureField("rule", "Rule", follows=lambda v: "fields: " + ", ".join(f"{{{name}}}" for name in FIELDS)),
    ),
}


#: Figures that name another entry: of which kind, and whether there may be none.
NAMED_ENTRIES = {
    "codec": ("codec", False),
    "sound.layout": ("sound", False),
    "programme": ("programme", True),
    "base": ("codec", False),
}


def _at(layout: ProgrammeLayout, index: int) -> str:
    before = sum(item.seconds or 0 for item in layout.items[:index])
    parts = sum(item.what == "programme" for item in layout.items[:index])
    return f"at {before:g} s" + (f" and {counted(parts, 'part')} of the programme" if parts else "")

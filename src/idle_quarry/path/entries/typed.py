"""Members of entries as they are typed and read: an input of a monitor, a channel, an item of a programme's layout,
a clause.

Every pair of functions is exact both ways: what `say` writes, `read` takes back. `read` raises `NotUnderstood`.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from idle_quarry.errors import NotUnderstood
from idle_quarry.path.entries.codec import RateRow
from idle_quarry.path.entries.delivery import Clause
from idle_quarry.path.entries.entry import EntryPart
from idle_quarry.path.entries.monitor import Door
from idle_quarry.path.entries.programme import ITEMS, ProgrammeItem
from idle_quarry.path.entries.sound import CONTENTS, POSITIONS, SHORT, SHORT_CONTENT, SoundChannel
from idle_quarry.signal.colour import TRANSFERS
from idle_quarry.signal.formats import SCANS
from idle_quarry.signal.interfaces import INTERFACES
from idle_quarry.signal.rates import rate_from_text, rate_text

_TRANSFER_WORDS = {"bt709": "SDR", "hlg": "HLG", "pq": "PQ"}
_SCAN_WORDS = {"psf": "PsF"}


@dataclass(frozen=True)
class Member:
    """How one kind of member is said and read, and an example of it."""

    say: Callable[[Any], str]
    read: Callable[[str], dict[str, Any]]
    example: str


def _words(table: dict[str, str], known: Any, text: str, what: str) -> list[str]:
    """Return the words of a list with commas, as they are kept."""
    back = {table.get(item, item).lower(): item for item in known}
    results = []
    for part in text.split(","):
        word = back.get(part.strip().lower())
        if word is None:
            raise NotUnderstood(
                f"no {what}", subject=repr(part.strip()[:30]), remedy="say " + ", ".join(table.get(e, e) for e in known)
            )
        results.append(word)
    return results


def say_door(door: Door) -> str:
    """Return an input of a monitor as it is typed."""
    parts = [
        f"{', '.join(map(str, door.widths))} × {', '.join(map(str, door.lines))}",
        ", ".join(_SCAN_WORDS.get(scan, scan) for scan in door.scans),
        ", ".join(door.rates),
        ", ".join(_TRANSFER_WORDS.get(transfer, transfer) for transfer in door.transfers),
        door.interface,
    ]
    return "; ".join([*parts, *([door.mapping] if door.mapping != "any" else [])])


def read_door(text: str) -> dict[str, Any]:
    """Return the fields of an input that was typed. Raises `NotUnderstood`."""
    parts = [part.strip() for part in text.split(";")]
    if len(parts) not in (5, 6):
        raise NotUnderstood(
            "an input has five parts with semicolons between", subject=repr(text[:40]), remedy=f"write {_DOOR}"
        )
    sides = re.split(r"[×x]", parts[0], flags=re.IGNORECASE)
    if len(sides) != 2 or not all(re.fullmatch(r"\d{2,5}(\s*,\s*\d{2,5})*", side.strip()) for side in sides):
        raise NotUnderstood("no widths and lines", subject=repr(parts[0][:30]), remedy="write 1920 × 1080")
    widths, lines = ([int(name) for name in side.split(",")] for side in sides)
    interfaces = {interface.lower(): interface for interface in INTERFACES}
    if parts[4].lower() not in interfaces:
        raise NotUnderstood("no interface", subject=repr(parts[4][:30]), remedy="say " + ", ".join(INTERFACES))
    return {
        "widths": widths,
        "lines": lines,
        "scans": _words(_SCAN_WORDS, SCANS, parts[1], "scan"),
        "rates": [rate_text(rate_from_text(name.strip())) for name in parts[2].split(",")],
        "transfers": _words(_TRANSFER_WORDS, TRANSFERS, parts[3], "transfer"),
        "interface": interfaces[parts[4].lower()],
        **({"mapping": parts[5]} if len(parts) == 6 else {}),
    }


_DOOR = "1920 × 1080; interlaced, PsF; 25, 29.97; SDR; HD"


def say_channel(channel: SoundChannel) -> str:
    """Return a channel as it is typed."""
    return channel.words


def read_channel(text: str) -> dict[str, Any]:
    """Return the fields of a channel that was typed. Raises `NotUnderstood`."""
    cleaned = " ".join(text.split())
    if cleaned.lower() == "silent":
        return {"at": "mono", "carries": "silent"}
    places = {**{short.lower(): at for at, short in SHORT.items()}, **{at.lower(): at for at in POSITIONS}}
    at = next(
        (key for key in sorted(places, key=len, reverse=True) if f"{cleaned.lower()} ".startswith(f"{key} ")), None
    )
    if at is None:
        raise NotUnderstood(
            "no channel", subject=repr(text[:30]), remedy="say " + ", ".join(SHORT.values()) + ", silent"
        )
    rest = cleaned[len(at) :].strip()
    language = re.search(r"(?:^| )([a-z]{2,3}(-[A-Z]{2})?)$", rest)
    contents = {
        **{short.lower(): name for name, short in SHORT_CONTENT.items() if short},
        **{content: content for content in CONTENTS},
    }
    if language and rest.lower() not in contents:
        rest = rest[: language.start()].strip()
    else:
        language = None
    if rest and rest.lower() not in contents:
        raise NotUnderstood("no content of a channel", subject=repr(rest[:30]), remedy="say " + ", ".join(CONTENTS))
    return {
        "at": places[at],
        "carries": contents[rest.lower()] if rest else "full mix",
        **({"language": language.group(1)} if language else {}),
    }


def say_item(item: ProgrammeItem) -> str:
    """Return an item of a programme's layout as it is typed."""
    length = f" {item.seconds:g} s" if item.seconds is not None else ""
    return f"{item.what}{length}{' with tone' if item.tone else ''}{f': {item.text}' if item.text else ''}"


def read_item(text: str) -> dict[str, Any]:
    """Return the fields of an item that was typed. Raises `NotUnderstood`."""
    head, colon, more = text.partition(":")
    match = re.fullmatch(r"\s*([a-z ]+?)(?:\s+(\d{1,4}(?:\.\d{1,3})?)\s*s)?(\s+with tone)?\s*", head, re.IGNORECASE)
    what = match.group(1).lower() if match else ""
    if match is None or what not in ITEMS:
        raise NotUnderstood(
            "no item of a programme's layout",
            subject=repr(text[:40]),
            remedy="say bars 60 s with tone, black 3 s, programme",
        )
    return {
        "what": what,
        **({"seconds": float(match.group(2))} if match.group(2) else {}),
        **({"tone": True} if match.group(3) else {}),
        **({"text": more.strip()} if colon else {}),
    }


def say_row(row: RateRow) -> str:
    """Return a row of a table of rates as it is typed."""
    return f"{row.raster.replace('x', ' × ')} {row.rate}: {row.mbps:g} Mb/s"


def read_row(text: str) -> dict[str, Any]:
    """Return the fields of a row that was typed. Raises `NotUnderstood`."""
    match = re.fullmatch(r"\s*(\d{2,5})\s*[×x]\s*(\d{2,5})\s+([\d.]+)\s*:\s*([\d.]+)\s*(?:Mb/s)?\s*", text)
    if match is None:
        raise NotUnderstood("no rate of a raster", subject=repr(text[:40]), remedy="write 1920 × 1080 25: 50 Mb/s")
    return {"raster": f"{match[1]}x{match[2]}", "rate": rate_text(rate_from_text(match[3])), "mbps": float(match[4])}


def say_clause(clause: Clause) -> str:
    """Return a clause as it is typed."""
    return f"{clause.number}{f' [{clause.check}]' if clause.check else ''}: {clause.text}"


def read_clause(text: str) -> dict[str, Any]:
    """Return the fields of a clause that was typed. Raises `NotUnderstood`."""
    number, colon, words = text.partition(":")
    if not colon or not number.strip() or not words.strip():
        raise NotUnderstood("no clause", subject=repr(text[:40]), remedy="write its number, a colon, and what it asks")
    check = re.search(r"\s*\[([a-z_]{1,30})\]\s*$", number)
    named = number[: check.start()] if check else number
    return {"number": named.strip(), "text": words.strip(), **({"check": check.group(1)} if check else {})}


#: By the class of the member.
MEMBERS: dict[type[EntryPart], Member] = {
    Door: Member(say_door, read_door, _DOOR),
    SoundChannel: Member(say_channel, read_channel, "L, R M&E, C dialogue en, silent"),
    ProgrammeItem: Member(say_item, read_item, "bars 60 s with tone"),
    RateRow: Member(say_row, read_row, "1920 × 1080 25: 50 Mb/s"),
    Clause: Member(say_clause, read_clause, "4.2 [gamut]: what it asks"),
}


def said_member(part: EntryPart) -> str:
    """Return a member as it is typed."""
    return MEMBERS[type(part)].say(part)

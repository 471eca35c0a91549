"""CMX 3600 lists, event for event: what the OpenTimelineIO adapter reads, with the record times and the lines it
does not tell.

A list says no rate. Frame numbers tell the least count there can be, `FCM: DROP FRAME` tells 29.97.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from fractions import Fraction

from idle_quarry.errors import NotUnderstood, QuarryError
from idle_quarry.jobs.cutting.timeline import (
    BARS,
    BLACK,
    CLIP,
    PICTURE,
    SOUND,
    Marker,
    Media,
    Timeline,
    TimelineItem,
    Track,
    Transition,
)
from idle_quarry.signal.rates import counting_base, rate_text
from idle_quarry.signal.timecode import Timecode

_NTSC = Fraction(30000, 1001)
#: Characters of a tape's name that a list holds.
CMX_TAPE = 8
_MOST_LINES, _MOST_EVENTS = 400_000, 50_000
_NUMBER = re.compile(r"\d{1,6}[A-Za-z]?", re.ASCII)
_FRAMES = re.compile(r"\b\d{2}:\d{2}:\d{2}[:;.](\d{2})\b", re.ASCII)
_SPEED = re.compile(r"M2\s+(\S+)\s+([-+]?\d+(?:\.\d+)?)\s+(\S+)", re.ASCII)
_LOCATOR = re.compile(r"(\d{2}:\d{2}:\d{2}[:;.]\d{2})\s+(\w*)\s*(.*)", re.ASCII)
#: Channels as they are written → tracks.
_CHANNELS = {
    "A": ("A1",),
    "AA": ("A1", "A2"),
    "B": ("V", "A1"),
    "A/V": ("V", "A1"),
    "A2/V": ("V", "A2"),
    "AA/V": ("V", "A1", "A2"),
}
#: Tape names that mean something else.
_BLACK, _BARS, _NO_TAPE = ("BL", "BLACK"), ("BARS",), ("AX",)
_COMMENTS = (
    ("FROM CLIP NAME", "name"),
    ("TO CLIP NAME", "to_name"),
    ("FROM CLIP IS", "name"),
    ("SOURCE FILE", "file"),
    ("FROM FILE", "file"),
    ("FROM CLIP", "file"),
    ("CLIP NAME", "name"),
)


@dataclass
class EdlEvent:
    """One line of a list with what its comments add; times are frames of the list's count."""

    line: int
    number: str
    reel: str
    channel: str
    kind: str
    length: int  # of its transition
    source: tuple[int, int]
    record: tuple[int, int]
    name: str = ""
    to_name: str = ""
    file: str = ""
    speed: Fraction | None = None
    freeze: bool = False
    marks: list[tuple[int, str, str]] = field(default_factory=list)
    comments: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class EdlList:
    """A list read: its title, its timeline, the rate it says (None where it says none), its count, what is named as
    lost.
    """

    timeline: Timeline
    rate: Fraction | None
    drop: bool | None
    lost: tuple[str, ...]


def least_rate(text: str, otherwise: Fraction) -> Fraction:
    """Return `otherwise`, or the least usual rate at which all frame numbers in a list exist."""
    most = max((int(result) for result in _FRAMES.findall(text)), default=0)
    if most < counting_base(otherwise):
        return otherwise
    return Fraction(next((base for base in (25, 30, 50, 60) if most < base), 60))


def read_edl(text: str, otherwise: Fraction) -> EdlList:
    """Return a list as it is; where it says no rate it is counted at `otherwise`, or the least that it can be.

    Raises `NotUnderstood`, naming the line, for what is no list or no timecode of its count.
    """
    lines = text.splitlines()
    if len(lines) > _MOST_LINES:
        raise NotUnderstood(f"more than {_MOST_LINES} lines", subject="the list")
    counts = [line.split(":", 1)[1].strip().upper() for line in lines if line.strip().upper().startswith("FCM:")]
    drop = any(count.startswith("DROP") for count in counts) if counts else None
    rate = _NTSC if drop else least_rate(text, otherwise)
    lost: list[str] = []
    title, events = _events(lines, rate, bool(drop), lost)
    if not events:
        raise NotUnderstood("no events are in it", remedy="give a CMX 3600 list")
    return EdlList(_timeline(title, events, rate, bool(drop), lost), _NTSC if drop else None, drop, tuple(lost))


def _events(lines: list[str], rate: Fraction, drop: bool, lost: list[str]) -> tuple[str, list[EdlEvent]]:
    title, events = "", list[EdlEvent]()
    for number, raw in enumerate(lines, 1):
        line = raw.strip().lstrip("\ufeff")
        if not line:
            continue
        first = line.split(None, 1)[0]
        if line.upper().startswith("TITLE:"):
            title = line.split(":", 1)[1].strip()
        elif _NUMBER.fullmatch(first) and len(line.split()) >= 8:
            events.append(_event(line.split(), number, rate, drop))
            if len(events) > _MOST_EVENTS:
                raise NotUnderstood(f"more than {_MOST_EVENTS} events", subject="the list")
        elif line[0].isdigit():
            raise NotUnderstood(
                "an event has eight fields or nine",
                subject=f"line {number}: {line[:60]!r}",
                remedy="number, tape, channel, cut, and four timecodes",
            )
        elif events:
            _comment(line, events[-1], number, rate, drop, lost)
    return title, events


def _event(fields: list[str], line: int, rate: Fraction, drop: bool) -> EdlEvent:
    number, reel, channel, kind = fields[:4]
    times = [_count(text, line, rate, drop) for text in fields[-4:]]
    length = 0
    if len(fields) >= 9 and kind.upper() != "C":
        if not fields[-5].isdigit():
            raise NotUnderstood("a transition has a length in frames", subject=f"line {line}: {fields[-5]!r}")
        length = int(fields[-5])
    return EdlEvent(
        line=line,
        number=number,
        reel=reel,
        channel=channel.upper(),
        kind=kind.upper(),
        length=length,
        source=(times[0], times[1]),
        record=(times[2], times[3]),
    )


def _count(text: str, line: int, rate: Fraction, drop: bool) -> int:
    """Return a timecode's frame, or a bare number of frames."""
    if text.isdigit() and text.isascii():
        return int(text[:9])
    try:
        marked = f"{text[:-3]}{';' if drop else ':'}{text[-2:]}"
        return Timecode.from_text(marked, rate).frames
    except QuarryError as error:
        raise NotUnderstood(
            f"no timecode at {rate_text(rate)}{', drop-frame' if drop else ''}: {error.what}",
            subject=f"line {line}: {text[:20]!r}",
        ) from error


def _comment(line: str, event: EdlEvent, number: int, rate: Fraction, drop: bool, lost: list[str]) -> None:
    speed = _SPEED.match(line)
    if speed is not None:
        event.speed = _simplest(Fraction(speed[2]), rate)
        return
    body = line.lstrip("* ").strip()
    upper = body.upper()
    if upper.startswith("FREEZE FRAME"):
        event.freeze = True
        return
    if upper.startswith("LOC"):
        match = _LOCATOR.match(body[3:].lstrip(": "))
        if match is not None:
            event.marks.append((_count(match[1], number, rate, drop), match[3].strip(), match[2]))
            return
    for words, what in _COMMENTS:
        if upper.startswith(words):
            setattr(event, what, body[len(words) :].lstrip(": ").strip())
            return
    if not upper.startswith(("FCM:", "SPLIT:")):
        event.comments.append(body)
    if upper.startswith("SPLIT:"):
        lost.append(
            f"line {number}: the delay of a split edit is not kept apart; its two events are read as they stand"
        )


def _simplest(frames: Fraction, rate: Fraction) -> Fraction:
    """Return a speed told in frames a second: of the rate, or of the whole number people call it by, whichever
    makes it simpler.
    """
    lines = [frames / value for value in (Fraction(round(rate)), rate)]
    simple = [value.limit_denominator(1000) for value in lines]
    return min(zip(simple, lines, strict=True), key=lambda pair: abs(pair[0] - pair[1]))[0]


def _timeline(title: str, events: list[EdlEvent], rate: Fraction, drop: bool, lost: list[str]) -> Timeline:
    begin = min(event.record[0] for event in events)
    lanes: dict[str, list[TimelineItem]] = {}
    changes: dict[str, list[Transition]] = {}
    number = 0
    for event in events:
        item = _item(event, begin, rate, drop, lost)
        if item is None:
            continue
        link = number = number + 1
        tracks = _CHANNELS.get(event.channel, (event.channel,))
        for name in tracks:
            number += 1
            lanes.setdefault(name, []).append(replace(item, ident=number, link=link if len(tracks) > 1 else None))
            if event.kind != "C":
                changes.setdefault(name, []).append(_change(event, begin, lost))
    results = []
    for name in sorted(lanes, key=lambda name: (name[0] != "V", name)):
        items = tuple(_in_order(name, lanes[name], lost))
        kind = SOUND if name.startswith("A") else PICTURE
        results.append(
            Track(name, name, kind, items, tuple(sorted(changes.get(name, []), key=lambda transition: transition.at)))
        )
    return Timeline(title or "list", rate, Timecode(begin, rate, drop), tuple(results), issued=number)


def _item(event: EdlEvent, begin: int, rate: Fraction, drop: bool, lost: list[str]) -> TimelineItem | None:
    length = event.record[1] - event.record[0]
    if length < 1:
        if length < 0:
            lost.append(f"event {event.number}, line {event.line}: ends before it begins, and is left out")
        return None  # what a transition comes out of, named once more
    name = (
        event.to_name
        or event.name
        or (event.file.replace("\\", "/").rsplit("/", 1)[-1] if event.file else event.number)
    )
    speed = _speed(event, length, lost)
    shown = name.removesuffix(" FF") if speed == 0 else name
    kind = BLACK if event.reel.upper() in _BLACK else BARS if event.reel.upper() in _BARS else CLIP
    media = None
    if kind == CLIP:
        tape = None if event.reel.upper() in _NO_TAPE else event.reel
        media = Media(name, rate, event.file or None, tape, 0, None, drop)
    marks = tuple(
        Marker(at - event.record[0], text, "", colour)
        for at, text, colour in event.marks
        if event.record[0] <= at < event.record[1]
    )
    note = "; ".join(event.comments)
    return TimelineItem(
        ident=0,
        name=shown,
        at=event.record[0] - begin,
        length=length,
        kind=kind,
        media=media,
        begins=Fraction(event.source[0]),
        speed=speed,
        note=note,
        markers=marks,
    )


def _speed(event: EdlEvent, length: int, lost: list[str]) -> Fraction:
    shown = event.source[1] - event.source[0]
    if event.freeze or event.speed == 0:
        return Fraction(0)
    if event.speed is not None:
        return event.speed
    if shown == length or event.kind != "C" or shown < 0:
        return Fraction(1)
    if shown == 0:
        lost.append(f"event {event.number}, line {event.line}: no source frames fill {length}; read as a held picture")
    else:
        lost.append(
            f"event {event.number}, line {event.line}: {shown} source frames fill {length} and no speed is told; read"
            " as that speed"
        )
    return Fraction(shown, length)


def _change(event: EdlEvent, begin: int, lost: list[str]) -> Transition:
    kind = {"D": "SMPTE_Dissolve", "W": "SMPTE_Wipe"}.get(event.kind[0], event.kind)
    if kind != "SMPTE_Dissolve":
        text = f"wipe {event.kind[1:]}" if event.kind[0] == "W" else f"key {event.kind}"
        lost.append(
            f"event {event.number}, line {event.line}: the shape of {text} is not made here; its place and length are"
            " kept"
        )
    return Transition(event.kind, kind, event.record[0] - begin, 0, event.length)


def _in_order(name: str, items: list[TimelineItem], lost: list[str]) -> Iterator[TimelineItem]:
    """Yield items in order of time; where one lies over another, the later event wins, and that is told."""
    kept: list[TimelineItem] = []
    for item in sorted(items, key=lambda item: item.at):
        while kept and kept[-1].end > item.at:
            below = kept.pop()
            lost.append(f"on {name} {item.name} lies over {below.name}: what lay below is cut off")
            if below.at < item.at:
                kept.append(replace(below, length=item.at - below.at))
                break
        kept.append(item)
    yield from kept

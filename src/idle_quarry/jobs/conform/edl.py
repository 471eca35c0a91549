"""CMX 3600 lists as timelines, event for event."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from fractions import Fraction

from idle_quarry.errors import NotUnderstood
from idle_quarry.jobs.conform.edl_events import EdlEvent, EdlReader, count_of_list
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
from idle_quarry.signal.timecode import Timecode

#: Channels as they are written → tracks.
_CHANNELS = {
    "A": ("A1",),
    "AA": ("A1", "A2"),
    "B": ("V", "A1"),
    "A/V": ("V", "A1"),
    "A2/V": ("V", "A2"),
    "AA/V": ("V", "A1", "A2"),
    "NONE": (),
}
#: Tape names that mean something else.
_BLACK, _BARS, _NO_TAPE = ("BL", "BLACK"), ("BARS",), ("AX",)


@dataclass(frozen=True)
class EdlList:
    """A list read: its title, its timeline, the rate it says (None where it says none), its count, what is named as
    lost.
    """

    timeline: Timeline
    rate: Fraction | None
    drop: bool | None
    lost: tuple[str, ...]


def read_edl(text: str, otherwise: Fraction, drop: bool | None = None) -> EdlList:
    """Return a list as it is; where it says no rate it is counted at `otherwise`, or the least that it can be.

    `drop` is how its record times are counted where it does not say that. Raises `NotUnderstood`, naming the line, for
    what is no list or no timecode of its count.
    """
    lines = [line.strip().lstrip("\ufeff") for line in text.splitlines()]
    count, lost = count_of_list(lines, otherwise, drop), list[str]()
    reader = EdlReader(count, lost)
    reader.read(lines)
    if not reader.events:
        raise NotUnderstood("no events are in it", remedy="give a CMX 3600 list")
    timeline = _timeline(reader.title, reader.events, count.rate, count.drop, lost)
    dropping = count.drop or any(event.source_drop for event in reader.events)
    drops = count.drop if count.stated else drop
    return EdlList(timeline, count.rate if dropping else None, drops, tuple(lost))


def _timeline(title: str, events: list[EdlEvent], rate: Fraction, drop: bool, lost: list[str]) -> Timeline:
    begin = min(event.record[0] for event in events)
    lanes: dict[str, list[TimelineItem]] = {}
    changes: dict[str, list[Transition]] = {}
    number = 0
    for event in events:
        item = _item(event, begin, rate, lost)
        if item is None:
            continue
        link = number = number + 1
        tracks = _CHANNELS.get(event.channel, (event.channel,))
        if not tracks:
            lost.append(f"event {event.number}, line {event.line}: its channel is NONE, so it is on no track")
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


def _item(event: EdlEvent, begin: int, rate: Fraction, lost: list[str]) -> TimelineItem | None:
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
        media = Media(name, rate, event.file or None, tape, 0, None, event.source_drop)
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
    results: list[TimelineItem] = []
    for item in sorted(items, key=lambda item: item.at):
        while results and results[-1].end > item.at:
            below = results.pop()
            lost.append(f"on {name} {item.name} lies over {below.name}: what lay below is cut off")
            if below.at < item.at:
                results.append(replace(below, length=item.at - below.at))
                break
        results.append(item)
    yield from results

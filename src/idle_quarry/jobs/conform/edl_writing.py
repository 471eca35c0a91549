"""CMX 3600 lists written, and read again before anybody gets them.

The list keeps the count of its timeline, each event that of its source: `;` before the frames where numbers are
dropped. Speeds are told by M2 in frames a second of the whole number by which the source's rate is called.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction

from idle_quarry.errors import NotPossible, QuarryError, one_line
from idle_quarry.jobs.conform.edl import read_edl
from idle_quarry.jobs.conform.edl_events import CMX_TAPE, speed_of
from idle_quarry.jobs.cutting.timeline import BARS, BLACK, GAP, NESTED, Media, Timeline, TimelineItem, Track, Transition
from idle_quarry.signal.rates import counting_base, rate_text
from idle_quarry.signal.timecode import Timecode, can_drop


@dataclass(frozen=True)
class _Written:
    """An event as it is written: from `at` to `end`, where the change into the next begins, how long the change into
    it is, and its source in the source's count.
    """

    item: TimelineItem
    at: int
    end: int
    change: int
    reel: str
    source: tuple[Timecode, Timecode]
    speed: str  #: what M2 says, "" where the source plays as it was shot


def write_edl(timeline: Timeline, track: Track, remarks: list[str] | None = None) -> str:
    """Return a track of pictures as a CMX 3600 list; tapes have eight characters there.

    `remarks` takes what a list rounds or cannot hold. Raises `NotPossible` where what is read back of the list is not
    the track.
    """
    texts = remarks if remarks is not None else []
    events = _events(timeline, track, texts)
    lines = [
        f"TITLE: {one_line(timeline.name)[:70]}",
        f"FCM: {'DROP' if timeline.start.drop else 'NON-DROP'} FRAME",
    ]
    for number, event in enumerate(events, 1):
        lines += _lines(timeline, number, event, events[number - 2] if number > 1 else None)
    text = "\n".join(lines) + "\n"
    _check(text, timeline, track, events)
    return text


def _events(timeline: Timeline, track: Track, remarks: list[str]) -> list[_Written]:
    changes = {transition.at: transition for transition in track.transitions}
    begins = {item.at for item in track.items if item.enabled and item.kind not in (GAP, NESTED)}
    events: list[_Written] = []
    for item in track.items:
        if not item.enabled or item.kind == GAP:
            continue
        where = f"{track.name} at {timeline.timecode(item.at)}, {item.name}"
        if item.kind == NESTED:
            remarks.append(f"{where}: a timeline within the timeline is no event of a list, and is left out")
            continue
        change, after = changes.get(item.at), changes.get(item.end)
        end = item.end - (after.before if after is not None and item.end in begins else 0)
        if after is not None and item.end not in begins:
            remarks.append(f"{where}: its change into nothing is left out")
        if change is not None and change.kind != "SMPTE_Dissolve":
            remarks.append(f"{where}: {change.kind or 'the change'} is written as a dissolve")
        events.append(_event(timeline, item, end, change, where, remarks))
    return events


def _event(
    timeline: Timeline, item: TimelineItem, end: int, change: Transition | None, where: str, remarks: list[str]
) -> _Written:
    at = item.at - (change.before if change is not None else 0)
    length = change.before + change.after if change is not None else 0
    media, span = item.media, end - at
    if media is None:
        count = Timecode(0, timeline.rate, timeline.start.drop)
        return _Written(item, at, end, length, _reel(item), (count, count + span), "")
    rate, drop = _source_count(timeline, media, where, remarks)
    begins = item.shows(at, timeline.rate) * rate / media.rate
    if begins.denominator != 1:
        remarks.append(f"{where}: its source begins between two numbers of a list, and is written from the earlier")
    first = Timecode(math.floor(begins), rate, drop)
    shown = max(1, round(span * abs(item.step(timeline.rate)) * rate / media.rate)) if item.speed else 1
    speed = ""
    if item.speed != 1 or rate != timeline.rate:
        exact = item.speed * counting_base(rate)
        speed = f"{'-' if exact < 0 else ''}{float(abs(exact)):05.1f}"
        if speed_of(speed, rate) != item.speed:
            written = float(Fraction(speed) / counting_base(rate))
            remarks.append(f"{where}: its speed {float(item.speed):.3%} is written as {speed}, which is {written:.3%}")
    return _Written(item, at, end, length, _reel(item), (first, first + shown), speed)


def _source_count(timeline: Timeline, media: Media, where: str, remarks: list[str]) -> tuple[Fraction, bool]:
    """Return the rate and the count in which a list numbers a source: its own, where the list has its numbers.

    Of more pictures a second than the list has numbers every second one is counted (ST 12-1), else the list's count.
    """
    most, count = counting_base(timeline.rate), counting_base(media.rate)
    if can_drop(timeline.rate) or not media.drop:
        if count <= most:
            return media.rate, media.drop
        if count > 30 and counting_base(media.rate / 2) <= most:
            return media.rate / 2, media.drop
    remarks.append(
        f"{where}: the list has no numbers for its source at {rate_text(media.rate)}, and counts it as itself"
    )
    return timeline.rate, timeline.start.drop


def _lines(timeline: Timeline, number: int, event: _Written, before: _Written | None) -> list[str]:
    item = event.item
    begin, end = timeline.timecode(event.at), timeline.timecode(event.end)
    lines = []
    if event.change:
        reel, there = "BL", Timecode(0, timeline.rate, timeline.start.drop)
        if before is not None and before.end == event.at:
            reel, there = before.reel, before.source[1]
        lines.append(_line(number, reel, "C", (there, there), (begin, begin)))
    kind = f"D    {event.change:03d}" if event.change else "C"
    lines.append(_line(number, event.reel, kind, event.source, (begin, end)))
    if event.speed:
        lines.append(f"M2   {event.reel:<8}       {event.speed}                {event.source[0]}")
    name = one_line(item.name)
    if item.media is not None:
        held = " FF" if item.speed == 0 else ""
        lines.append(f"* {'TO' if event.change else 'FROM'} CLIP NAME:  {name}{held}")
        if item.media.path:
            lines.append(f"* FROM CLIP: {one_line(item.media.path)}")
    if item.speed == 0:
        lines.append("* FREEZE FRAME")
    if item.note:
        lines.append(f"* {one_line(item.note)}")
    for mark in item.markers:  # a list's marks are at record times
        colour = (mark.colour or "red").upper()
        lines.append(f"* LOC: {timeline.timecode(item.at + mark.at)} {colour:<7} {one_line(mark.name)}")
    return lines


def _line(
    number: int, reel: str, kind: str, source: tuple[Timecode, Timecode], record: tuple[Timecode, Timecode]
) -> str:
    return f"{number:03d}  {reel:<8} V     {kind:<8} {source[0]} {source[1]} {record[0]} {record[1]}"


def _reel(item: TimelineItem) -> str:
    """Return the tape's name as a list holds it."""
    if item.kind in (BLACK, BARS):
        return "BL" if item.kind == BLACK else "BARS"
    tape = (item.media.tape if item.media is not None else None) or "AX"
    return tape[:CMX_TAPE].upper().replace(" ", "_") or "AX"


def _check(text: str, timeline: Timeline, track: Track, events: list[_Written]) -> None:
    """Read a list again, and hold each of its events against what was meant."""
    subject = f"{timeline.name}, {track.name}"
    try:
        read = read_edl(text, timeline.rate, timeline.start.drop).timeline
    except QuarryError as error:
        raise NotPossible(f"its list cannot be read again ({error.what})", subject=subject) from error
    again = read.tracks[0].items if read.tracks else ()
    first = min((event.at for event in events), default=0)
    meant = [
        (
            event.at - first,
            event.end - first,
            event.reel,
            str(event.source[0]) if event.item.media is not None else "",
            one_line(event.item.name),
            speed_of(event.speed, timeline.rate) if event.speed else 1,
        )
        for event in events
    ]
    got = [
        (
            item.at,
            item.end,
            item.media.tape or "AX" if item.media is not None else {BLACK: "BL"}.get(item.kind, "BARS"),
            str(item.media.timecode(item.begins)) if item.media is not None else "",
            item.name,
            item.speed,
        )
        for item in again
    ]
    wrong = next((n for n in range(max(len(got), len(meant))) if got[n : n + 1] != meant[n : n + 1]), None)
    if str(read.start) != str(timeline.timecode(first)) or wrong is not None:
        raise NotPossible(
            f"a list cannot hold event {(wrong or 0) + 1} as it is",
            subject=subject,
            remedy="write OpenTimelineIO, which holds all of it",
        )

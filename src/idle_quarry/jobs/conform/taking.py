"""A matched list taken as a timeline of the job: at the template's rate and start, its items showing the clips that
were found.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from fractions import Fraction

from idle_quarry.jobs.conform.matching import OFFSET, Event
from idle_quarry.jobs.cutting.timeline import Media, Timeline, TimelineItem, Track, Transition
from idle_quarry.path.template import Template
from idle_quarry.signal.timecode import start_timecode

#: How a list at another rate is read: every frame of it a frame, or every second a second.
BY_FRAME, BY_TIME = "frame for frame", "by time"


def job_timeline(timeline: Timeline, events: Sequence[Event], template: Template, how: str = BY_FRAME) -> Timeline:
    """Return a list's timeline at the template's rate and start, each item showing the clip it was matched with.

    By time, cuts are moved to the nearest frame and clips keep their speed; frame for frame, cuts stay and clips that
    were counted at the list's rate play as much faster or slower as the rates differ.
    """
    rate = template.working.format.rate
    start = start_timecode(template.timecode.start, template.timecode.drop, rate)
    results = {event.item.ident: event for event in events}
    same = timeline.rate == rate
    at = _by_time(timeline.rate, rate) if how == BY_TIME else _by_frame
    tracks = []
    for track in timeline.tracks:
        items, end = [], 0
        for item in track.items:
            moved = _relinked(item, results.get(item.ident))
            first, last = at(item.at), at(item.end)
            if not same and how == BY_FRAME and moved.media is not None and moved.media.rate == timeline.rate:
                moved = replace(moved, speed=moved.speed * rate / timeline.rate)
            if last <= max(first, end):
                continue  # shorter than half a frame of this rate
            items.append(replace(moved, at=max(first, end), length=last - max(first, end)))
            end = last
        changes = tuple(_change(transition, at) for transition in track.transitions)
        tracks.append(Track(track.ident, track.name, track.kind, tuple(items), changes, track.enabled, track.foreign))
    marks = tuple(replace(mark, at=at(mark.at), length=max(1, at(mark.length))) for mark in timeline.markers)
    return replace(timeline, rate=rate, start=start, tracks=tuple(tracks), markers=marks)


def _by_frame(frame: int) -> int:
    return frame


def _by_time(given: Fraction, rate: Fraction) -> Callable[[int], int]:
    return lambda frame: round(frame * rate / given)


def _change(change: Transition, at: Callable[[int], int]) -> Transition:
    place = at(change.at)
    return replace(
        change, at=place, before=place - at(change.at - change.before), after=at(change.at + change.after) - place
    )


def _relinked(item: TimelineItem, event: Event | None) -> TimelineItem:
    """Return an item that shows the clip it was matched with, at that clip's own count."""
    if event is None or event.clip is None or event.offset is None or item.media is None:
        return item
    clip = event.clip
    media = Media(
        item.media.name, clip.rate, str(clip.path), clip.tape or item.media.tape, clip.first, clip.frames, clip.drop
    )
    begins = item.begins * clip.rate / item.media.rate
    if event.status != OFFSET and clip.rate != item.media.rate:
        begins = Fraction(math.floor(begins))  # its number is the clip's own, and a number is a whole frame
    return replace(item, media=media, begins=begins + event.offset, speed=event.speed)

"""Events matched with clips: by tape and timecode, by name and timecode, by name alone.

And whether it matters where none is.

Nothing is guessed silently: each answer says by what it was found, and an offset is a number of frames. Clips are
looked up by name, by tape and by the tape's first eight characters (all that a CMX 3600 list can hold), so that many
events cost little.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path, PurePosixPath, PureWindowsPath
from urllib.parse import unquote, urlparse

from idle_quarry.errors import NotPossible, NotUnderstood
from idle_quarry.jobs.conform.edl_events import CMX_TAPE
from idle_quarry.jobs.conform.material import ClipOnDisk
from idle_quarry.jobs.cutting.timeline import (
    CLIP,
    NESTED,
    NO_MEDIA,
    PICTURE,
    SOUND,
    Media,
    Timeline,
    TimelineItem,
    Track,
)
from idle_quarry.signal.rates import counting_base, rate_text
from idle_quarry.signal.timecode import start_timecode

FOUND, OFFSET, ELSEWHERE, MISSING, NOT_NEEDED = "found", "offset", "found elsewhere", "missing", "no media needed"


@dataclass(frozen=True)
class Event:
    """One item of a list with what became of it.

    `offset` is what is added to the list's source frames to be in the clip's count.

    Where the clip is at another rate than the list counts, they are brought to its rate before.
    """

    track: Track
    item: TimelineItem
    status: str
    matters: bool
    text: str
    clip: ClipOnDisk | None = None
    offset: int | None = None
    own_speed: Fraction | None = None

    @property
    def speed(self) -> Fraction:
        """The item's speed, or the one that its list means in the count of the clip that was found."""
        return self.item.speed if self.own_speed is None else self.own_speed


def in_reels_counts(events: Iterable[Event]) -> list[Event]:
    """Return the events of a CMX 3600 list, whose speeds are frames of the reel's own count (M2): known once its clip
    is.
    """
    return [replace(event, own_speed=_own_speed(event)) for event in events]


def _own_speed(event: Event) -> Fraction | None:
    clip, media = event.clip, event.item.media
    if clip is None or media is None or event.item.speed == 1 or _paired(clip.rate, media.rate):
        return None
    return event.item.speed * counting_base(media.rate) / counting_base(clip.rate)


def _paired(one: Fraction, other: Fraction) -> bool:
    """Whether one of two rates is twice the other: then a number of the slower is a pair of frames (ST 12-1)."""
    return one / other in (2, Fraction(1, 2))


class ClipIndex:
    """Clips by name and by tape."""

    def __init__(self, clips: Iterable[ClipOnDisk]) -> None:
        self.names: dict[str, list[ClipOnDisk]] = defaultdict(list)
        self.tapes: dict[str, list[ClipOnDisk]] = defaultdict(list)
        self.paths: dict[str, ClipOnDisk] = {}
        for clip in clips:
            self.paths[str(clip.path)] = clip
            for name in {clip.name.casefold(), clip.path.name.casefold()}:
                self.names[name].append(clip)
            for tape in {_folded(clip.tape or clip.name), _folded(clip.tape or clip.name)[:CMX_TAPE]}:
                self.tapes[tape].append(clip)


def matched(timeline: Timeline, clips: Iterable[ClipOnDisk]) -> list[Event]:
    """Return every item of a list, in its order, matched with the clips there are."""
    index = clips if isinstance(clips, ClipIndex) else ClipIndex(clips)
    earliest: dict[str, int] = {}
    for _, item in timeline.items:
        if item.media is not None:
            key = item.media.name.casefold()
            first, _ = _shown(item, timeline.rate)
            earliest[key] = min(earliest.get(key, first), first)
    pictures = [_event(track, item, timeline, index, earliest) for track, item in timeline.items]
    return _with_sound(pictures)


def _event(track: Track, item: TimelineItem, timeline: Timeline, index: ClipIndex, earliest: dict[str, int]) -> Event:
    if item.kind in NO_MEDIA:
        return Event(track, item, NOT_NEEDED, False, f"{NO_MEDIA[item.kind]}: made here, no clip is needed")
    if item.kind == NESTED:
        return Event(track, item, MISSING, item.enabled, "a timeline within the timeline: bring in a list of it alone")
    if item.kind != CLIP or item.media is None:
        return Event(track, item, NOT_NEEDED, False, "no clip is named")
    media = item.media
    own = _own_name(media.path)
    first, last = _shown(item, timeline.rate)
    there = index.paths.get(_local(media.path)) if media.path else None
    if there is not None:
        by = _place_in(there, first, last, media)
        if by is not None:
            text = f"{there.path.name}, where the list says{_count_words(media, there)}"
            return Event(track, item, FOUND, True, text, there, by)
        return _offset(track, item, there, first, last, earliest, media.rate)
    names = [name.casefold() for name in dict.fromkeys((own, PurePosixPath(own).stem, media.name, item.name)) if name]
    named = list({id(clip): clip for name in names for clip in index.names.get(name, [])}.values())
    taped = index.tapes.get(_folded(media.tape), []) if media.tape else []
    for candidates, text in ((taped, f"tape {media.tape}"), (named, "name")):
        fitting = [(clip, by) for clip in candidates if (by := _place_in(clip, first, last, media)) is not None]
        if fitting:
            clip, by = min(fitting, key=lambda pair: (pair[0].rate != media.rate, pair[0].drop != media.drop))
            others = f"; {len(fitting) - 1} more fit as well" if len(fitting) > 1 else ""
            counted = _count_words(media, clip)
            proof = f"{clip.path.name} by {text} and timecode, {rate_text(clip.rate)}{others}{counted}"
            moved = bool(media.path) and own.casefold() == clip.path.name.casefold()
            return Event(
                track,
                item,
                ELSEWHERE if moved else FOUND,
                True,
                f"{proof}{', in another folder' if moved else ''}",
                clip,
                by,
            )
    if named:
        return _offset(track, item, named[0], first, last, earliest, media.rate)
    if not item.enabled:
        return Event(track, item, MISSING, False, "not there, but it is switched off")
    return Event(track, item, MISSING, True, f"no clip has its name{', tape' if media.tape else ''} or timecode")


def _offset(
    track: Track, item: TimelineItem, clip: ClipOnDisk, first: int, last: int, earliest: dict[str, int], rate: Fraction
) -> Event:
    """Return an event whose clip has its name and other timecodes: both are taken to begin together, where that is
    long enough.
    """
    media = item.media
    assert media is not None
    begin = media.first if media.frames is not None else earliest[media.name.casefold()]
    scale = clip.rate / rate
    by = clip.first - math.floor(begin * scale)
    end = math.floor((last + 1) * scale) + by  # after the last frame, in the clip's own count
    lacks = max(end - (clip.first + clip.frames), clip.first - (math.floor(first * scale) + by))
    if lacks > 0:
        text = f"{clip.path.name} has its name and not its timecodes, and is {lacks} frames too short"
        return Event(track, item, MISSING, item.enabled, text, clip)
    if scale != 1:
        text = f"it is at {rate_text(clip.rate)}, the list counts it at {rate_text(rate)}"
    else:
        text = f"its timecode is {_signed(by)} frames from the list's"
    return Event(track, item, OFFSET, True, f"{clip.path.name} by name alone: {text}", clip, by)


def _signed(frames: int) -> str:
    """Return a number of frames with its sign, thin spaces between thousands."""
    return f"{'−' if frames < 0 else '+'}{abs(frames):,}".replace(",", "\u2009")


def _shown(item: TimelineItem, rate: Fraction) -> tuple[int, int]:
    """Return the first and the last frame of the media's count that an item shows."""
    ends = item.begins, item.shows(item.end - 1, rate)
    low, high = min(ends), max(ends)
    return math.floor(low), math.floor(high)


def _place_in(clip: ClipOnDisk, first: int, last: int, media: Media) -> int | None:
    """Return what is added to frames of the list's count so that they are the clip's, None where it has them not.

    The same numbers are other frames where one of the two drops numbers and the other does not, or where they count at
    different rates. Of twice the rate a list numbers pairs of frames (ST 12-1).
    """
    by, scale = 0, clip.rate / media.rate
    if (clip.rate, clip.drop) != (media.rate, media.drop):
        paired = _paired(clip.rate, media.rate)
        try:
            counted = start_timecode(str(media.timecode(first)), clip.drop, media.rate if paired else clip.rate)
            number = math.floor(counted.frames * scale) if paired else counted.frames
        except (NotPossible, NotUnderstood):
            return None  # a number that the clip's count has not
        by = number - math.floor(first * scale)
    begin, end = math.floor(first * scale) + by, math.floor((last + 1) * scale) + by
    return by if clip.first <= begin and end <= clip.first + clip.frames else None


def _count_words(media: Media, clip: ClipOnDisk) -> str:
    if media.rate != clip.rate:
        return f"; the list counts it at {rate_text(media.rate)}: found by its numbers"
    if media.drop == clip.drop:
        return ""
    counts = ("drop-frame", "non-drop") if media.drop else ("non-drop", "drop-frame")
    return f"; the list counts it {counts[0]}, the clip is {counts[1]}: found by its numbers"


def _with_sound(events: list[Event]) -> list[Event]:
    """Return the events; sound that is missing does not matter where the clip of its picture is there and brings it."""
    pictures = {
        (event.item.at, event.item.end, event.item.name.casefold()): event
        for event in events
        if event.track.kind == PICTURE and event.clip is not None and event.status != MISSING
    }
    results = []
    for event in events:
        key = event.item.at, event.item.end, event.item.name.casefold()
        if event.status == MISSING and event.track.kind == SOUND and key in pictures:
            other = pictures[key]
            assert other.clip is not None
            text = f"not there, but it comes with its picture from {other.clip.path.name}"
            event = Event(event.track, event.item, MISSING, False, text)
        results.append(event)
    return results


def _folded(name: str | None) -> str:
    return (name or "").strip().casefold()


def _own_name(path: str | None) -> str:
    """Return the file's name of a path or an address, of any system."""
    if not path:
        return ""
    plain = unquote(urlparse(path).path) if "://" in path else path
    return PureWindowsPath(plain).name if "\\" in plain else PurePosixPath(plain).name


def _local(path: str) -> str:
    plain = unquote(urlparse(path).path) if path.startswith("file://") else path
    return str(Path(plain))

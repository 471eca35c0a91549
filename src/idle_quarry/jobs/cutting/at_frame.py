"""What a timeline shows and lets be heard at a frame, where its cuts are, and what comes next of a kind."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from idle_quarry.jobs.cutting.timeline import PICTURE, SOUND, Media, Timeline, TimelineItem, Track

Samples = NDArray[np.float32]
#: Samples a second that are mixed.
SAMPLE_RATE = 48000


@dataclass(frozen=True)
class ShownItem:
    """An item at a frame of its timeline: the track it lies on, and the place in its media, in the media's count."""

    track: Track
    item: TimelineItem
    place: Fraction

    @property
    def file_frame(self) -> int:
        """The frame of the media's file that is shown, from 0."""
        return int(self.place // 1) - (self.item.media.first if self.item.media is not None else 0)


def shown_at(timeline: Timeline, frame: int) -> ShownItem | None:
    """Return what is seen at a frame: of the topmost track of pictures that is switched on and has something there."""
    for track in reversed(timeline.tracks):
        item = track.over(frame) if track.kind == PICTURE and track.enabled else None
        if item is not None and item.enabled:
            return ShownItem(track, item, item.shows(frame, timeline.rate))
    return None


def cuts_of(timeline: Timeline) -> list[int]:
    """Return the frames where something begins or ends, in order, the timeline's own ends among them."""
    places = {0, timeline.end}
    for _, item in timeline.items:
        places.update((item.at, item.end))
    return sorted(places)


def next_cut(timeline: Timeline, frame: int, *, back: bool = False) -> int:
    """Return the next place after a frame where something begins or ends, or before it.

    The frame where there is none.
    """
    cuts = cuts_of(timeline)
    at = bisect_left(cuts, frame) - 1 if back else bisect_right(cuts, frame)
    return cuts[at] if 0 <= at < len(cuts) else frame


def next_item(
    timeline: Timeline, frame: int, wanted: Callable[[Track, TimelineItem], bool], *, back: bool = False
) -> tuple[Track, TimelineItem] | None:
    """Return the nearest item that begins after a frame, or before it, and is wanted."""
    result: tuple[Track, TimelineItem] | None = None
    for track in timeline.tracks:
        for item in reversed(track.items) if back else track.items:
            if (item.at >= frame) if back else (item.at <= frame):
                continue
            if result is not None and ((item.at <= result[1].at) if back else (item.at >= result[1].at)):
                break
            if wanted(track, item):
                result = track, item
                break
    return result


class ClipSound(Protocol):
    """A clip's sound: `channels`, and samples at 32 bits, (count, channels), silence where there are none."""

    channels: int

    def samples(self, first: int, count: int) -> NDArray[np.int32]: ...


def mixed(
    timeline: Timeline, first: int, count: int, sound_of: Callable[[Media], ClipSound | None], channels: int = 2
) -> Samples:
    """Return the sound of a timeline: all its tracks of sound added.

    A clip's first channel is heard on the left and its second on the right, a single one on both; where there are more
    channels, what has as many fills them. What runs at another speed is silent, as is what has no sound.

    Parameters
    ----------
    timeline
        What is heard.
    first, count
        The first sample from the timeline's begin, and how many, at 48 kHz.
    sound_of
        Returns a clip's sound; None where it has none.
    channels
        How many are wanted.

    Returns
    -------
    Samples
        (count, channels) float32, full scale 1.
    """
    result = np.zeros((count, channels), np.float32)
    per_frame = SAMPLE_RATE / timeline.rate
    begin, end = int(first // per_frame), int((first + count) // per_frame) + 1
    for track in timeline.tracks:
        if track.kind != SOUND or not track.enabled:
            continue
        for item in track.between(begin, end):
            if not item.enabled or item.media is None or item.speed != 1:
                continue
            source = sound_of(item.media)
            if source is None or not source.channels:
                continue
            starts, ends = round(item.at * per_frame), round(item.end * per_frame)
            a, b = max(first, starts), min(first + count, ends)
            if a >= b:
                continue
            own = round((item.begins - item.media.first) / item.media.rate * SAMPLE_RATE) + a - starts
            samples = source.samples(own, b - a)
            wide = source.channels >= channels > 2
            used = range(channels) if wide else (0, min(1, source.channels - 1))
            result[a - first : b - first, : len(used)] += samples[:, list(used)].astype(np.float32) / 2**31
    return result

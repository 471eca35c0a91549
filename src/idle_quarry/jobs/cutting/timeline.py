"""A timeline as one immutable value: tracks of items at whole frames of its rate, each showing media at the media's
own.

Positions are counted in the timeline's frames from its start. What an item shows is exact: `TimelineItem.begins` is the
place in its media (frames of the media's own count, a fraction where the rates do not meet) that its first frame shows,
and `speed` the media's seconds that pass in a second of the timeline: 1 as it was shot, 0 a held picture, below 0
backwards. So a cut never moves what is shown by so much as a sample, at any pair of rates.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import cached_property

from idle_quarry.errors import NotPossible
from idle_quarry.signal.timecode import Timecode

PICTURE, SOUND = "picture", "sound"
#: What an item is: of media, or something that needs none.
CLIP, TITLE, BLACK, BARS, NESTED, GAP = "clip", "title", "black", "bars", "nested", "gap"
#: Colours that an item is given here, as their names in the file; others come from elsewhere and are kept.
COLOURS = ("green", "amber", "red", "grey")
#: Kinds that show something no media is needed for, and how they are called.
NO_MEDIA = {TITLE: "a title", BLACK: "black", BARS: "bars or a matte", GAP: "a gap"}


@dataclass(frozen=True)
class Media:
    """What a clip is taken from: a name, where its file lies, its tape, its own rate and which frames of its count
    there are.

    `first` is the number of its first frame in its own count (its timecode), `frames` how many there are; None where
    that is not known. `foreign` is what other programs say of it, JSON.
    """

    name: str
    rate: Fraction
    path: str | None = None
    tape: str | None = None
    first: int = 0
    frames: int | None = None
    drop: bool = False
    foreign: str = ""

    def timecode(self, frame: Fraction | int) -> Timecode:
        """Return the timecode of a frame of the media's count."""
        whole = Fraction(frame)
        return Timecode(whole.numerator // whole.denominator, self.rate, self.drop)


@dataclass(frozen=True)
class Marker:
    """A mark at a frame, of so many frames, with its name, its colour and what it says."""

    at: int
    name: str = ""
    text: str = ""
    colour: str = ""
    length: int = 1
    foreign: str = ""


@dataclass(frozen=True)
class TimelineItem:
    """One piece on a track: frames `at` to `at + length` of the timeline.

    `place` is how far its picture is shifted within a canvas of another shape, shares of the canvas across and down.
    Items of one `link` belong together. Markers count from the item's first frame. `effects` are names of what is not
    understood and kept.
    """

    ident: int
    name: str
    at: int
    length: int
    kind: str = CLIP
    media: Media | None = None
    begins: Fraction = Fraction(0)
    speed: Fraction = Fraction(1)
    enabled: bool = True
    link: int | None = None
    note: str = ""
    colour: str = ""
    place: tuple[Fraction, Fraction] | None = None
    markers: tuple[Marker, ...] = ()
    effects: tuple[str, ...] = ()
    foreign: str = ""

    def __post_init__(self) -> None:
        if self.length < 1 or self.at < 0:
            raise NotPossible("an item has a frame at the least, and none before the start", subject=self.name)

    @property
    def end(self) -> int:
        """The frame after its last."""
        return self.at + self.length

    def later(self, by: int) -> TimelineItem:
        """Return the item so many frames later, all else as it is: what an edit does to thousands."""
        if self.at + by < 0:
            raise NotPossible("nothing lies before the start", subject=self.name)
        item, fields = object.__new__(TimelineItem), self.__dict__.copy()
        fields["at"] += by
        object.__setattr__(item, "__dict__", fields)
        return item

    def shows(self, frame: int, rate: Fraction) -> Fraction:
        """Return the place in the media that a frame of the timeline shows, in the media's count."""
        return self.begins + (frame - self.at) * self.step(rate)

    def step(self, rate: Fraction) -> Fraction:
        """Return how many frames of the media, or of the timeline within, pass in one of a timeline of `rate`."""
        if self.kind == NESTED:
            return self.speed
        return self.speed * self.media.rate / rate if self.media is not None else Fraction(0)

    def part(self, first: int, last: int, rate: Fraction) -> TimelineItem:
        """Return the item from frame `first` to `last` (half open), showing there what it showed there."""
        markers = tuple(
            replace(mark, at=mark.at - (first - self.at)) for mark in self.markers if first <= self.at + mark.at < last
        )
        return replace(self, at=first, length=last - first, begins=self.shows(first, rate), markers=markers)


@dataclass(frozen=True)
class Transition:
    """A change of one item into the next about the cut at frame `at`: it begins `before` frames earlier and ends
    `after` later.
    """

    name: str
    kind: str
    at: int
    before: int
    after: int
    foreign: str = ""


@dataclass(frozen=True)
class Track:
    """One lane of pictures or of sound: items in order, none over another, and the changes between them."""

    ident: str
    name: str
    kind: str
    items: tuple[TimelineItem, ...] = ()
    transitions: tuple[Transition, ...] = ()
    enabled: bool = True
    foreign: str = ""

    def __post_init__(self) -> None:
        end = 0
        for item in self.items:
            if item.at < end:
                raise NotPossible("two items cannot lie over one another", subject=f"{self.name}: {item.name}")
            end = item.at + item.length

    @cached_property
    def starts(self) -> tuple[int, ...]:
        """The frame at which each item begins."""
        return tuple(item.at for item in self.items)

    @property
    def issued(self) -> int:
        """The highest number of its items and their links."""
        own = max((item.ident for item in self.items), default=0)
        return max(own, max((item.link for item in self.items if item.link is not None), default=0))

    @property
    def end(self) -> int:
        """The frame after the last item's last."""
        return self.items[-1].end if self.items else 0

    def over(self, frame: int) -> TimelineItem | None:
        """Return the item that covers a frame."""
        number = bisect_right(self.starts, frame) - 1
        return self.items[number] if number >= 0 and self.items[number].end > frame else None

    def between(self, first: int, last: int) -> tuple[TimelineItem, ...]:
        """Return the items that cover some frame from `first` to `last` (half open)."""
        begin = max(0, bisect_right(self.starts, first) - 1)
        items = self.items[begin : bisect_right(self.starts, last - 1)]
        return tuple(item for item in items if item.end > first)


@dataclass(frozen=True)
class Timeline:
    """A programme in the making: its rate, the timecode of its first frame, its tracks from the bottom up, its
    marks.
    """

    name: str
    rate: Fraction
    start: Timecode
    tracks: tuple[Track, ...] = ()
    markers: tuple[Marker, ...] = ()
    foreign: str = ""
    issued: int = field(default=0, compare=False)  #: the highest number that was ever given to an item or a link

    @property
    def end(self) -> int:
        """The frame after the last item's last."""
        return max((track.end for track in self.tracks), default=0)

    @property
    def items(self) -> Iterator[tuple[Track, TimelineItem]]:
        """Every item with its track, the tracks from the bottom up."""
        for track in self.tracks:
            for item in track.items:
                yield track, item

    @cached_property
    def _where(self) -> dict[int, tuple[Track, TimelineItem]]:
        return {item.ident: (track, item) for track, item in self.items}

    def __contains__(self, ident: int) -> bool:
        return ident in self._where

    def track(self, ident: str) -> Track:
        """Return a track. Raises `NotPossible` where there is none of that id."""
        for track in self.tracks:
            if track.ident == ident:
                return track
        raise NotPossible("there is no such track", subject=ident)

    def item(self, ident: int) -> tuple[Track, TimelineItem]:
        """Return an item and its track. Raises `NotPossible` where it is there no more."""
        if ident not in self._where:
            raise NotPossible("that item is no longer there", subject=str(ident))
        return self._where[ident]

    def linked(self, ident: int) -> tuple[int, ...]:
        """Return an item and those that belong to it."""
        _, item = self.item(ident)
        if item.link is None:
            return (ident,)
        return tuple(element.ident for _, element in self.items if element.link == item.link)

    @cached_property
    def next_ident(self) -> int:
        """A number that no item of this timeline has or had, nor any link."""
        if self.issued:
            return self.issued + 1
        return 1 + max((track.issued for track in self.tracks), default=0)

    def timecode(self, frame: int) -> Timecode:
        """Return the timecode of a frame."""
        return self.start + frame

    def with_tracks(self, changed: dict[str, Track]) -> Timeline:
        """Return the timeline with other tracks in place of those of their ids."""
        tracks = tuple(changed.get(track.ident, track) for track in self.tracks)
        issued = max(self.next_ident - 1, *(track.issued for track in changed.values()), 0)
        return replace(self, tracks=tracks, issued=issued)

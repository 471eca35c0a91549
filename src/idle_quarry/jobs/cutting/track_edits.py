"""What edits do on one track and to one item: parts of `edits`, which does them on a whole timeline."""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import replace
from fractions import Fraction
from itertools import count

from idle_quarry.errors import NotPossible
from idle_quarry.jobs.cutting.timeline import Timeline, TimelineItem, Track, Transition


class NewIdents:
    """Numbers that no item has: for the later halves of what one edit divides, which belong together as the whole
    did.
    """

    def __init__(self, timeline: Timeline) -> None:
        self._next = count(timeline.next_ident)
        self._links: dict[int, int] = {}

    def new(self) -> int:
        return next(self._next)

    def later(self, half: TimelineItem) -> TimelineItem:
        if half.link is not None and half.link not in self._links:
            self._links[half.link] = self.new()
        return replace(half, ident=self.new(), link=self._links[half.link] if half.link is not None else None)


def with_items(track: Track, items: tuple[TimelineItem, ...]) -> Track:
    """Return a track with more items, in the order in which they lie."""
    return tidy(replace(track, items=tuple(sorted((*track.items, *items), key=lambda item: item.at))))


def cleared_between(track: Track, first: int, last: int, rate: Fraction, numbers: NewIdents) -> Track:
    """Return a track with nothing from `first` to `last`; an item that reaches beyond both becomes two."""
    touched = {item.ident for item in track.between(first, last)}
    if not touched:
        return track
    items: list[TimelineItem] = []
    for item in track.items:
        if item.ident not in touched:
            items.append(item)
            continue
        if item.at < first:
            items.append(item.part(item.at, first, rate))
        if item.end > last:
            rest = item.part(last, item.end, rate)
            items.append(numbers.later(rest) if item.at < first else rest)
    return tidy(replace(track, items=tuple(items)))


def moved_later(
    track: Track, at: int, by: int, own: TimelineItem | None = None, edge: str = "end", rate: Fraction = Fraction(1)
) -> Track:
    """Return a track whose items and changes from frame `at` on lie `by` frames later.

    `own` is made so much longer in its place.
    """
    if by == 0 or (own is None and track.end <= at):
        return track
    n = bisect_left(track.starts, at)
    items, behind = track.items[:n], tuple(item.later(by) for item in track.items[n:])
    if own is not None:
        result = trimmed_in_place(own, edge, by if edge == "end" else -by, rate)
        items = tuple(result if item.ident == own.ident else item for item in items)
    if items and behind and behind[0].at < items[-1].end:
        raise NotPossible(
            f"on {track.name} {behind[0].name} would meet {items[-1].name}",
            remedy="trim without moving what follows, or take that part out on every track",
        )
    changes = tuple(
        replace(transition, at=transition.at + by) if transition.at >= at else transition
        for transition in track.transitions
    )
    return tidy(replace(track, items=(*items, *behind), transitions=changes))


def tidy(track: Track) -> Track:
    """Return a track without the changes whose cut is gone, or whose items are too short for them now."""
    if not track.transitions:
        return track
    transitions = tuple(transition for transition in track.transitions if _holds(track, transition))
    return track if len(transitions) == len(track.transitions) else replace(track, transitions=transitions)


def _holds(track: Track, change: Transition) -> bool:
    before = track.over(change.at - 1) if change.at else None
    after = track.over(change.at)
    if before is not None and before.end != change.at:
        return False
    if after is not None and after.at != change.at:
        return False
    enough = (before is None or before.length >= change.before) and (after is None or after.length >= change.after)
    return (before is not None or after is not None) and enough


def check_trim(track: Track, item: TimelineItem, edge: str, by: int, rate: Fraction, *, follow: bool) -> None:
    """Raise `NotPossible` where an item's edge cannot be moved by `by` frames: no frame, neighbour or media there."""
    longer = by if edge == "end" else -by
    if item.length + longer < 1:
        raise NotPossible("no frame would be left", subject=item.name, remedy="take it out instead")
    if not follow:
        first, last = (item.at, item.end + by) if edge == "end" else (item.at + by, item.end)
        if first < 0:
            raise NotPossible("nothing lies before the start", subject=item.name)
        if any(other.ident != item.ident for other in track.between(first, last)):
            raise NotPossible(
                "its neighbour begins there", subject=item.name, remedy="trim that first, or let what follows move"
            )
    check_media(trimmed_in_place(item, edge, by, rate), rate)


def has_all_it_shows(item: TimelineItem, rate: Fraction) -> bool:
    """Return whether an item's media has all that it shows, as far as that is known."""
    media = item.media
    if media is None or media.frames is None or item.length < 1:
        return True
    one, other = item.shows(item.at, rate), item.shows(item.end - 1, rate)
    return min(one, other) >= media.first and max(one, other) < media.first + media.frames


def check_media(item: TimelineItem, rate: Fraction) -> None:
    """Raise `NotPossible` where an item shows more than its media has."""
    media = item.media
    if media is not None and media.frames is not None and not has_all_it_shows(item, rate):
        raise NotPossible(
            f"{media.name} has no more: its frames are {media.timecode(media.first)} to "
            f"{media.timecode(media.first + media.frames - 1)}",
            subject=item.name,
        )


def trimmed(item: TimelineItem, edge: str, by: int, rate: Fraction) -> TimelineItem:
    """Return an item whose edge lies `by` frames later, where it is on the timeline."""
    result = trimmed_in_place(item, edge, by, rate)
    return result if edge == "end" else replace(result, at=item.at + by)


def trimmed_in_place(item: TimelineItem, edge: str, by: int, rate: Fraction) -> TimelineItem:
    """Return an item with `by` frames more at its end, or fewer at its start, beginning where it began."""
    if edge == "end":
        marks = tuple(mark for mark in item.markers if mark.at < item.length + by)
        return replace(item, length=item.length + by, markers=marks)
    marks = tuple(replace(mark, at=mark.at - by) for mark in item.markers if mark.at >= by)
    return replace(item, length=item.length - by, begins=item.shows(item.at + by, rate), markers=marks)

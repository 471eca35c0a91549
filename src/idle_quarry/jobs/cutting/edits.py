"""Edits: functions from a timeline to a timeline.

What an edit does not touch is equal afterwards, so undo is the old value.

Two ways to make room or leave it: *over* changes what lies there and moves nothing; *in* moves all that follows, on
every track, so that picture and sound stay in step. Items that belong together are moved, trimmed, split and taken away
together.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from fractions import Fraction

from idle_quarry.errors import NotPossible
from idle_quarry.jobs.cutting.timeline import Marker, Media, Timeline, TimelineItem
from idle_quarry.jobs.cutting.track_edits import (
    NewIdents,
    check_media,
    check_trim,
    cleared_between,
    has_all_it_shows,
    moved_later,
    tidy,
    trimmed,
    with_items,
)

#: A piece to be laid on a track: the track's id, and the item, whose `at` counts from where it is laid.
Piece = tuple[str, TimelineItem]


def add(timeline: Timeline, pieces: Sequence[Piece]) -> Timeline:
    """Return the timeline with pieces after all that is on their tracks, together."""
    at = max((timeline.track(ident).end for ident, _ in pieces), default=0)
    return lay_over(timeline, at, pieces)


def lay_over(timeline: Timeline, at: int, pieces: Sequence[Piece]) -> Timeline:
    """Return the timeline with pieces laid from frame `at` on, in place of what lies there.

    Links hold among the pieces.
    """
    changed, numbers = timeline, NewIdents(timeline)
    links: dict[int, int] = {}
    for ident, item in pieces:
        first = at + item.at
        cleared = cleared_between(changed.track(ident), first, first + item.length, timeline.rate, numbers)
        if item.link is not None and item.link not in links:
            links[item.link] = numbers.new()
        is_used = item.ident < 1 or item.ident in changed
        laid = replace(
            item,
            at=first,
            ident=numbers.new() if is_used else item.ident,
            link=links.get(item.link) if item.link else None,
        )
        changed = changed.with_tracks({ident: with_items(cleared, (laid,))})
    return changed


def put_in(timeline: Timeline, at: int, pieces: Sequence[Piece]) -> Timeline:
    """Return the timeline with pieces laid from frame `at` on, all that follows on every track moved behind them."""
    room = max((item.at + item.length for _, item in pieces), default=0)
    return lay_over(opened(timeline, at, room), at, pieces)


def opened(timeline: Timeline, at: int, length: int) -> Timeline:
    """Return the timeline with `length` frames of nothing at frame `at`; what covers it is split."""
    cut = split(timeline, at)
    moved = {track.ident: moved_later(track, at, length) for track in cut.tracks}
    return replace(cut.with_tracks(moved), markers=_marks_moved(cut.markers, at, length))


def lift(timeline: Timeline, first: int, last: int, tracks: Iterable[str] | None = None) -> Timeline:
    """Return the timeline with nothing from frame `first` to `last` (half open) on some tracks, or on all.

    Nothing moves.
    """
    chosen = set(tracks) if tracks is not None else {track.ident for track in timeline.tracks}
    numbers = NewIdents(timeline)
    changed = {
        track.ident: cleared_between(track, first, last, timeline.rate, numbers)
        for track in timeline.tracks
        if track.ident in chosen
    }
    return timeline.with_tracks(changed)


def take_out(timeline: Timeline, first: int, last: int) -> Timeline:
    """Return the timeline without its frames `first` to `last` (half open): what follows closes up, on every track."""
    lifted = lift(timeline, first, last)
    moved = {track.ident: moved_later(track, last, first - last) for track in lifted.tracks}
    marks = tuple(mark for mark in timeline.markers if not first <= mark.at < last)
    return replace(lifted.with_tracks(moved), markers=_marks_moved(marks, last, first - last))


def remove(timeline: Timeline, idents: Iterable[int]) -> Timeline:
    """Return the timeline without these items and those that belong to them; nothing moves."""
    gone = {other for ident in idents for other in timeline.linked(ident)}
    return _with_each(timeline, lambda item: None if item.ident in gone else item)


def split(timeline: Timeline, at: int, tracks: Iterable[str] | None = None) -> Timeline:
    """Return the timeline with a cut at frame `at` on some tracks, or on all.

    On both sides what belonged together still does.
    """
    chosen = set(tracks) if tracks is not None else {track.ident for track in timeline.tracks}
    numbers = NewIdents(timeline)
    changed = {}
    for track in timeline.tracks:
        item = track.over(at)
        if track.ident not in chosen or item is None or item.at == at:
            continue
        halves = item.part(item.at, at, timeline.rate), numbers.later(item.part(at, item.end, timeline.rate))
        items = tuple(halve for old in track.items for halve in (halves if old is item else (old,)))
        changed[track.ident] = tidy(replace(track, items=items))
    return timeline.with_tracks(changed)


def trim(timeline: Timeline, ident: int, edge: str, by: int, *, follow: bool = False) -> Timeline:
    """Return the timeline with an item's "start" or "end" moved by frames, and those of what belongs to it.

    With `follow` all that comes behind moves too, on every track, and the item stays where it began; without, nothing
    else moves and the edge stops at its neighbours. Raises `NotPossible` where no frame would be left, or the media has
    no more.
    """
    if edge not in ("start", "end"):
        raise NotPossible("an item has a start and an end", subject=edge)
    together = {other: timeline.item(other) for other in timeline.linked(ident)}
    longer = by if edge == "end" else -by
    for track, item in together.values():
        check_trim(track, item, edge, by, timeline.rate, follow=follow)
    if not follow:
        return _with_each(
            timeline, lambda item: trimmed(item, edge, by, timeline.rate) if item.ident in together else item
        )
    behind = timeline.item(ident)[1].end
    changed = {}
    for track in timeline.tracks:
        own = next((item for lane, item in together.values() if lane is track), None)
        moved = moved_later(track, own.end if own is not None else behind, longer, own, edge, timeline.rate)
        changed[track.ident] = moved
    return replace(timeline.with_tracks(changed), markers=_marks_moved(timeline.markers, behind, longer))


def slip(timeline: Timeline, ident: int, by: int) -> Timeline:
    """Return the timeline with an item, and what belongs to it, showing media `by` frames of the timeline later,
    where it lies.

    Raises `NotPossible` where the media has no such frames.
    """
    together = timeline.linked(ident)

    def slipped(item: TimelineItem) -> TimelineItem:
        if item.ident not in together or item.media is None:
            return item
        moved = replace(item, begins=item.begins + by * item.media.rate / timeline.rate)
        check_media(moved, timeline.rate)
        return moved

    return _with_each(timeline, slipped)


def move(timeline: Timeline, ident: int, to: int, track: str | None = None, *, follow: bool = False) -> Timeline:
    """Return the timeline with an item at frame `to`, perhaps on another track of its kind, and what belongs to it
    as far along.

    It is laid over what lies there, or put in with `follow`. Raises `NotPossible` before the start or on a track of
    another kind.
    """
    own_track, own = timeline.item(ident)
    there = timeline.track(track) if track is not None else own_track
    if there.kind != own_track.kind:
        raise NotPossible(f"{there.name} is a track of {there.kind}", subject=own.name)
    together = timeline.linked(ident)
    by = to - own.at
    pieces = []
    for number in together:
        lane, item = timeline.item(number)
        if item.at + by < 0:
            raise NotPossible("nothing lies before the start", subject=item.name)
        pieces.append((there.ident if number == ident else lane.ident, item))
    begin = min(item.at for _, item in pieces)
    laid = [(lane, replace(item, at=item.at - begin)) for lane, item in pieces]
    bare = remove(timeline, [ident])
    if not follow:
        return lay_over(bare, begin + by, laid)
    length = max(item.at + item.length for _, item in laid)
    closed = take_out(bare, begin, begin + length) if _empty(bare, begin, begin + length) else bare
    at = begin + by
    if closed is not bare and at >= begin + length:
        at -= length  # what was in front of it has closed up
    elif closed is not bare and at > begin:
        at = begin
    return put_in(closed, at, laid)


def pieces_of(timeline: Timeline, idents: Iterable[int]) -> list[Piece]:
    """Return items, with those that belong to them, as pieces to be laid elsewhere, the first at 0.

    No ident of this timeline's.
    """
    chosen = sorted({other for ident in idents for other in timeline.linked(ident)})
    results = [timeline.item(ident) for ident in chosen]
    begin = min((item.at for _, item in results), default=0)
    return [(track.ident, replace(item, at=item.at - begin, ident=0)) for track, item in results]


def link(timeline: Timeline, idents: Iterable[int]) -> Timeline:
    """Return the timeline with items that belong together from now on."""
    chosen, number = set(idents), timeline.next_ident
    return _with_each(timeline, lambda item: replace(item, link=number) if item.ident in chosen else item)


def unlink(timeline: Timeline, ident: int) -> Timeline:
    """Return the timeline with an item, and those that belong to it, each for itself."""
    chosen = timeline.linked(ident)
    return _with_each(timeline, lambda item: replace(item, link=None) if item.ident in chosen else item)


def switched(timeline: Timeline, idents: Iterable[int], on: bool) -> Timeline:
    """Return the timeline with items that are played, or are not."""
    chosen = set(idents)
    return _with_each(timeline, lambda item: replace(item, enabled=on) if item.ident in chosen else item)


def described(timeline: Timeline, ident: int, **words: str) -> Timeline:
    """Return the timeline with another `name`, `note` or `colour` of an item."""
    return _with_each(timeline, lambda item: replace(item, **words) if item.ident == ident else item)  # type: ignore[arg-type]


def relinked(timeline: Timeline, path: str, media: Media) -> Timeline:
    """Return the timeline with every item of a file showing another at the same timecodes.

    Where it has none of them, at the same frames.

    Raises `NotPossible` where the other file has not all that is shown.
    """

    def change(item: TimelineItem) -> TimelineItem:
        before = item.media
        if before is None or before.path != path:
            return item
        place = item.begins * media.rate / before.rate
        moved = replace(item, media=media, begins=place)
        if not has_all_it_shows(moved, timeline.rate):
            moved = replace(item, media=media, begins=place - before.first * media.rate / before.rate + media.first)
        check_media(moved, timeline.rate)
        return moved

    return _with_each(timeline, change)


def placed(timeline: Timeline, ident: int, place: tuple[Fraction, Fraction] | None) -> Timeline:
    """Return the timeline with an item's picture shifted within its canvas, or where the template's fit puts it."""
    return _with_each(timeline, lambda item: replace(item, place=place) if item.ident == ident else item)


def marked(timeline: Timeline, mark: Marker) -> Timeline:
    """Return the timeline with a mark; one at the same frame goes."""
    markers = [marker for marker in timeline.markers if marker.at != mark.at]
    return replace(timeline, markers=tuple(sorted([*markers, mark], key=lambda marker: marker.at)))


def unmarked(timeline: Timeline, at: int) -> Timeline:
    """Return the timeline without the mark at a frame."""
    return replace(timeline, markers=tuple(mark for mark in timeline.markers if mark.at != at))


def _with_each(timeline: Timeline, change: Callable[[TimelineItem], TimelineItem | None]) -> Timeline:
    """Return the timeline with each item as `change` has it, or without it.

    Tracks on which all are the same stay themselves.
    """
    changed = {}
    for track in timeline.tracks:
        results = [change(item) for item in track.items]
        if any(new is not old for new, old in zip(results, track.items, strict=True)):
            items = sorted((item for item in results if item is not None), key=lambda item: item.at)
            changed[track.ident] = tidy(replace(track, items=tuple(items)))
    return timeline.with_tracks(changed)


def _marks_moved(marks: tuple[Marker, ...], at: int, by: int) -> tuple[Marker, ...]:
    return tuple(replace(mark, at=mark.at + by) if mark.at >= at else mark for mark in marks)


def _empty(timeline: Timeline, first: int, last: int) -> bool:
    return not any(track.between(first, last) for track in timeline.tracks)

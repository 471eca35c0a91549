"""The laws of cutting: whatever is done, lengths add up, nothing overlaps, what was not touched is equal, and all
stays in step.
"""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from idle_quarry.errors import NotPossible
from idle_quarry.jobs.cutting import edits
from idle_quarry.jobs.cutting.timeline import PICTURE, SOUND, Marker, Media, Timeline, TimelineItem, Track, Transition
from idle_quarry.signal.timecode import Timecode

RATES = [Fraction(25), Fraction(24000, 1001), Fraction(30000, 1001), Fraction(50), Fraction(24)]
LANES = ("P1", "P2", "S1", "S2")


def begun(rate: Fraction = Fraction(25)) -> Timeline:
    tracks = tuple(Track(lane, lane, PICTURE if lane[0] == "P" else SOUND) for lane in LANES)
    return Timeline("reel", rate, Timecode(0, rate, drop=rate == Fraction(30000, 1001)), tracks)


def clip(
    name: str, length: int, rate: Fraction, at: int = 0, first: int = 0, link: int | None = None, speed: Any = 1
) -> TimelineItem:
    media = Media(name, rate, first=0, frames=100_000)
    return TimelineItem(
        0, name, at, length, media=media, begins=Fraction(first + 30_000), link=link, speed=Fraction(speed)
    )


def shown(timeline: Timeline) -> dict[str, dict[int, tuple[str, Fraction] | None]]:
    """Return what each track shows at every frame: the oracle that edits are held against."""
    result: dict[str, dict[int, tuple[str, Fraction] | None]] = {}
    for track in timeline.tracks:
        lane = result[track.ident] = {}
        for item in track.items:
            for frame in range(item.at, item.end):
                assert frame not in lane, "two items lie over one another"
                lane[frame] = (item.name, item.shows(frame, timeline.rate))
    return result


def both(name: str, length: int, rate: Fraction, speed: Any = 1, first: int = 0) -> list[edits.Piece]:
    """A picture and its sound, which belong together."""
    return [(lane, clip(name, length, rate, first=first, link=1, speed=speed)) for lane in ("P1", "S1")]


@st.composite
def programmes(draw: st.DrawFn) -> Timeline:
    timeline = begun(draw(st.sampled_from(RATES)))
    for number in range(draw(st.integers(1, 6))):
        pieces = both(
            f"c{number}",
            draw(st.integers(1, 12)),
            draw(st.sampled_from(RATES)),
            draw(st.sampled_from([1, 2, "-1/2", 0])),
        )
        timeline = edits.add(timeline, pieces)
        if draw(st.booleans()):
            lane = draw(st.sampled_from(["P2", "S2"]))
            timeline = edits.lay_over(
                timeline, draw(st.integers(0, 30)), [(lane, clip("bed", draw(st.integers(1, 15)), Fraction(25)))]
            )
    return timeline


def in_step(timeline: Timeline) -> None:
    """What belongs together lies together and shows the same moment."""
    groups: dict[int, list[TimelineItem]] = {}
    for _, item in timeline.items:
        if item.link is not None:
            groups.setdefault(item.link, []).append(item)
    for items in groups.values():
        assert len({(item.at, item.length, item.begins, item.name) for item in items}) == 1, items
    idents = [item.ident for _, item in timeline.items]
    assert len(idents) == len(set(idents))


@settings(max_examples=150, deadline=None)
@given(programmes(), st.data())
def test_over_changes_what_lies_there_and_in_moves_what_follows(before: Timeline, data: st.DataObject) -> None:
    at, length = data.draw(st.integers(0, before.end + 3)), data.draw(st.integers(1, 9))
    new = both("new", length, Fraction(25))
    was = shown(before)
    over, put = edits.lay_over(before, at, new), edits.put_in(before, at, new)
    for lane in LANES:
        fresh = (
            {at + n: ("new", Fraction(30_000) + n * Fraction(25) / before.rate) for n in range(length)}
            if lane in ("P1", "S1")
            else {}
        )
        assert shown(over)[lane] == {**was[lane], **fresh}
        moved = {frame + length if frame >= at else frame: what for frame, what in was[lane].items()}
        assert shown(put)[lane] == {**moved, **fresh}
    in_step(over)
    in_step(put)
    assert over.track("P2") is before.track("P2"), "what was not touched is the same value"
    assert shown(edits.take_out(put, at, at + length)) == was


@settings(max_examples=150, deadline=None)
@given(programmes(), st.data())
def test_taking_away_and_splitting(before: Timeline, data: st.DataObject) -> None:
    first = data.draw(st.integers(0, before.end))
    last = first + data.draw(st.integers(1, 10))
    was = shown(before)
    out, lifted, cut = edits.take_out(before, first, last), edits.lift(before, first, last), edits.split(before, first)
    for lane in LANES:
        rest = {frame: what for frame, what in was[lane].items() if not first <= frame < last}
        assert shown(lifted)[lane] == rest
        assert shown(out)[lane] == {
            frame - (last - first) if frame >= last else frame: what for frame, what in rest.items()
        }
    assert shown(cut) == was
    for element in (out, lifted, cut):
        in_step(element)
    assert all(item.at >= first or item.end <= first for _, item in cut.items)
    assert edits.split(cut, first) == cut


@settings(max_examples=150, deadline=None)
@given(programmes(), st.data())
def test_trims_moves_and_slips_keep_together_what_belongs_together(before: Timeline, data: st.DataObject) -> None:
    ident = data.draw(st.sampled_from([item.ident for _, item in before.items]))
    track, item = before.item(ident)
    by = data.draw(st.integers(-8, 8))
    edge = data.draw(st.sampled_from(["start", "end"]))
    follow = data.draw(st.booleans())
    was = shown(before)
    try:
        trimmed = edits.trim(before, ident, edge, by, follow=follow)
    except NotPossible:
        trimmed = before
    else:
        longer = by if edge == "end" else -by
        assert trimmed.item(ident)[1].length == item.length + longer
        place = trimmed.item(ident)[1]
        if edge == "end":
            assert place.at == item.at and place.begins == item.begins
        else:
            assert place.shows(place.end, before.rate) == item.shows(item.end, before.rate)
        if follow:
            after = shown(trimmed)[track.ident]
            assert {f: w for f, w in after.items() if f >= item.end + longer} == {
                f + longer: w for f, w in was[track.ident].items() if f >= item.end
            }
        else:
            others = [
                lane for lane in LANES if lane not in {before.item(other)[0].ident for other in before.linked(ident)}
            ]
            assert all(trimmed.track(lane) is before.track(lane) for lane in others)
    in_step(trimmed)
    to = data.draw(st.integers(0, before.end + 5))
    moved = edits.move(before, ident, to)
    in_step(moved)
    for frame in range(item.length):
        assert shown(moved)[track.ident][to + frame] == (item.name, item.shows(item.at + frame, before.rate))
    assert moved.linked(ident) == before.linked(ident), "what belongs together still does"
    put = edits.move(before, ident, to, follow=True)
    in_step(put)
    assert shown(put) == put_elsewhere(before, ident, to)
    slipped = edits.slip(before, ident, by)
    in_step(slipped)
    if item.media is not None:
        assert slipped.item(ident)[1].begins - item.begins == by * item.media.rate / before.rate
    assert shown(before) == was, "an edit leaves the old value as it was: undo is that"


def put_elsewhere(before: Timeline, ident: int, to: int) -> dict[str, dict[int, tuple[str, Fraction] | None]]:
    """Return what every frame shows after an item, and what belongs to it, went to a frame with what follows making
    room.

    What it leaves empty closes up; a place inside of that is its beginning.
    """
    group = [before.item(other) for other in before.linked(ident)]
    begin, end = min(item.at for _, item in group), max(item.end for _, item in group)
    was, length, at = shown(before), end - begin, begin + to - before.item(ident)[1].at
    rest = {lane: dict(frames) for lane, frames in was.items()}
    for track, item in group:
        for frame in range(item.at, item.end):
            del rest[track.ident][frame]
    if not any(begin <= frame < end for frames in rest.values() for frame in frames):
        for lane, frames in rest.items():
            rest[lane] = {frame - length if frame >= end else frame: what for frame, what in frames.items()}
        at = at - length if at >= end else min(at, begin)
    result = {
        lane: {frame + length if frame >= at else frame: what for frame, what in frames.items()}
        for lane, frames in rest.items()
    }
    for track, item in group:
        for frame in range(item.at, item.end):
            result[track.ident][frame - begin + at] = was[track.ident][frame]
    return result


def test_numbers_and_links_are_kept_where_they_are_free_and_given_anew_where_not() -> None:
    timeline = edits.add(edits.add(begun(), both("a", 5, Fraction(25))), both("b", 5, Fraction(25)))
    first, second = timeline.track("P1").items
    moved = edits.move(timeline, first.ident, 20)
    assert {item.ident for _, item in moved.items} == {item.ident for _, item in timeline.items}, "moved, not made anew"
    copied = edits.lay_over(
        timeline, 30, [("P1", replace(second, at=0)), ("S1", replace(second, at=0, ident=0, link=None))]
    )
    new, alone = copied.track("P1").items[-1], copied.track("S1").items[-1]
    assert new.ident not in {item.ident for _, item in timeline.items} and new.link not in (None, second.link)
    assert alone.link is None and alone.ident > 0, "what belonged to nothing belongs to nothing"


def test_what_a_file_has_can_be_shown_to_its_last_frame_and_no_further() -> None:
    media = Media("short", Fraction(25), first=100, frames=20)
    item = TimelineItem(0, "short", 0, 10, media=media, begins=Fraction(105))
    timeline = edits.add(begun(), [("P1", item)])
    ident = timeline.track("P1").items[0].ident
    assert edits.trim(timeline, ident, "end", 5).item(ident)[1].length == 15
    assert edits.slip(timeline, ident, -5).item(ident)[1].begins == 100
    for too_far in ({"end": 6}, {"slip": 6}, {"slip": -6}):
        with pytest.raises(NotPossible, match="its frames are 00:00:04:00 to 00:00:04:19"):
            (
                edits.trim(timeline, ident, "end", too_far["end"])
                if "end" in too_far
                else edits.slip(timeline, ident, too_far["slip"])
            )


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize("media", RATES)
def test_a_hundred_cuts_move_nothing_by_a_sample(rate: Fraction, media: Fraction) -> None:
    """Media at any rate, split at every few frames and trimmed back: each frame shows the exact moment it showed."""
    timeline = edits.add(begun(rate), both("long", 700, media))
    was = shown(timeline)
    for at in range(3, 700, 7):
        timeline = edits.split(timeline, at)
    in_step(timeline)
    assert shown(timeline) == was and len(timeline.track("P1").items) == 101
    for _, item in timeline.items:  # what a frame shows, in seconds of the media, is the frame's own time
        assert (item.begins - 30_000) / media == item.at / rate


def test_what_cannot_be_cut_says_so() -> None:
    timeline = edits.add(edits.add(begun(), both("a", 5, Fraction(25))), both("b", 5, Fraction(25)))
    first = timeline.track("P1").items[0]
    for change, words in (
        (lambda: edits.trim(timeline, first.ident, "end", 1), "neighbour begins"),
        (lambda: edits.trim(timeline, first.ident, "end", -5), "no frame would be left"),
        (lambda: edits.trim(timeline, first.ident, "start", -1), "nothing lies before"),
        (lambda: edits.trim(timeline, first.ident, "end", 90_000, follow=True), "has no more"),
        (lambda: edits.slip(timeline, first.ident, -40_000), "its frames are 00:00:00:00 to"),
        (lambda: edits.move(timeline, first.ident, 3, "S2"), "a track of sound"),
        (lambda: edits.move(timeline, 999, 3), "no longer there"),
        (lambda: edits.move(timeline, first.ident, -1), "nothing lies before the start"),
        (lambda: edits.lay_over(timeline, 0, [("X", first)]), "no such track"),
        (lambda: Track("x", "x", PICTURE, (first, replace(first, at=4))), "over one another"),
    ):
        with pytest.raises(NotPossible, match=words):
            change()


def test_changes_marks_and_words_stay_with_what_they_are_of() -> None:
    timeline = edits.add(
        edits.add(begun(), [("P1", clip("a", 10, Fraction(25)))]), [("P1", clip("b", 10, Fraction(25)))]
    )
    track = replace(timeline.track("P1"), transitions=(Transition("mix", "dissolve", 10, 3, 4),))
    timeline = edits.marked(timeline.with_tracks({"P1": track}), Marker(15, "look"))
    first, second = (item.ident for item in track.items)
    later = edits.put_in(timeline, 0, [("S1", clip("x", 5, Fraction(25)))])
    assert later.track("P1").transitions[0].at == 15 and later.markers[0].at == 20
    assert edits.trim(timeline, second, "end", -7).track("P1").transitions == (), (
        "three frames cannot hold a change of four"
    )
    assert edits.remove(timeline, [first]).track("P1").transitions == track.transitions, (
        "out of nothing is a change too"
    )
    named = edits.described(timeline, first, name="opening", note="too dark")
    assert named.item(first)[1].name == "opening" and named.item(second)[1] is timeline.item(second)[1]
    assert not edits.switched(timeline, [first], on=False).item(first)[1].enabled
    assert (
        edits.unmarked(timeline, 15).markers == ()
        and edits.unlink(edits.link(timeline, [first, second]), first) == timeline
    )
    place = (Fraction(-1, 8), Fraction(0))
    assert edits.placed(timeline, first, place).item(first)[1].place == place
    pieces = edits.pieces_of(timeline, [second])
    assert [(lane, item.at, item.ident) for lane, item in pieces] == [("P1", 0, 0)]
    assert edits.add(begun(), pieces).track("P1").items[0].name == "b"


def test_items_of_a_lost_file_show_another_at_the_same_timecodes() -> None:
    """At the same frames where it has none of those; and not at all where it is too short."""
    lost = Media("tape", Fraction(25), "/old/tape.mov", first=90_000, frames=500)
    item = TimelineItem(0, "tape", 0, 40, media=lost, begins=Fraction(90_100))
    result = edits.add(begun(), [("P1", item), ("P2", clip("other", 10, Fraction(25)))])

    def after(media: Media) -> TimelineItem:
        return edits.relinked(result, "/old/tape.mov", media).tracks[0].items[0]

    same = Media("tape", Fraction(25), "/new/tape.mov", first=90_050, frames=400)
    assert after(same).media == same and after(same).begins == 90_100
    double = Media("tape", Fraction(50), "/new/tape 50.mov", first=180_000, frames=1000)
    assert after(double).begins == 180_200, "at its own rate the same moment"
    bare = Media("tape", Fraction(25), "/new/bare.mov", first=0, frames=500)
    assert after(bare).begins == 100, "its frames, where its timecode is another"
    with pytest.raises(NotPossible, match="has no more"):
        after(Media("tape", Fraction(25), "/new/short.mov", first=0, frames=120))
    assert edits.relinked(result, "/old/tape.mov", same).tracks[1] is result.tracks[1]

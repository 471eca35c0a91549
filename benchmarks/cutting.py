"""Cutting and lists: edits of a large timeline, reading and matching a large list, beside OpenTimelineIO doing the
like.

A timeline of 2 000 items on 20 tracks: an edit is to leave most of 30 ms to the window. A list of 10 000 events: read
and matched with 10 000 clips, beside its library's adapter, which only reads.
"""

from __future__ import annotations

import sys
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from time import perf_counter

import opentimelineio as otio
from common import machine, milliseconds, timed

from idle_quarry.jobs.conform.edl import read_edl
from idle_quarry.jobs.conform.matching import matched
from idle_quarry.jobs.conform.material import ClipOnDisk
from idle_quarry.jobs.cutting import edits
from idle_quarry.jobs.cutting.otio_values import from_otio
from idle_quarry.jobs.cutting.otio_writing import to_otio
from idle_quarry.jobs.cutting.timeline import PICTURE, SOUND, Media, Timeline, TimelineItem, Track
from idle_quarry.signal.timecode import Timecode

RATE = Fraction(25)
TRACKS, EACH, EVENTS = 20, 100, 10_000


def large() -> Timeline:
    """Return a timeline of 2 000 items on 20 tracks; the first two tracks belong together."""
    tracks, number = [], 0
    for lane in range(TRACKS):
        items = []
        for n in range(EACH):
            number += 1
            media = Media(f"clip {n}", RATE, f"/m/clip {n}.mov", None, 0, 10_000)
            link = 1_000_000 + n if lane in (0, TRACKS - 1) else None
            items.append(TimelineItem(number, f"clip {n}", n * 50, 48, media=media, begins=Fraction(100), link=link))
        tracks.append(Track(f"t{lane}", f"T{lane}", PICTURE if lane < TRACKS // 2 else SOUND, tuple(items)))
    return Timeline("large", RATE, Timecode(0, RATE), tuple(tracks))


def listed() -> str:
    lines = ["TITLE: LARGE", "FCM: NON-DROP FRAME"]
    for n in range(EVENTS):
        first, last = (str(Timecode(25 * (n + k), RATE)) for k in (0, 1))
        lines += [f"{n + 1:05d}  T{n:06d}  V  C  {first} {last} {first} {last}", f"* FROM CLIP NAME: CLIP {n}"]
    return "\n".join(lines) + "\n"


def main() -> int:
    print(f"cutting; {machine()}")
    timeline = large()
    middle = timeline.tracks[0].items[EACH // 2].ident
    piece = [("t0", replace(timeline.tracks[0].items[3], at=0, ident=0, link=None))]
    acts = {
        "lay over": lambda: edits.lay_over(timeline, 2510, piece),
        "put in": lambda: edits.put_in(timeline, 2510, piece),
        "take out": lambda: edits.take_out(timeline, 2510, 2600),
        "trim, what follows moves": lambda: edits.trim(timeline, middle, "end", 5, follow=True),
        "move": lambda: edits.move(timeline, middle, 130),
        "split": lambda: edits.split(timeline, 2510),
    }
    slow = 0.0
    for name, act in acts.items():
        seconds = timed(act, 40)
        slow = max(slow, sorted(seconds)[int(0.95 * len(seconds))])
        print(f"  {name}: {milliseconds(seconds)}")
    given = to_otio(timeline)
    copied = timed(lambda: given.deepcopy(), 10)
    print(
        f"  beside: OpenTimelineIO copies such a timeline in {milliseconds(copied)}; the slowest edit is"
        f" {slow / (sum(copied) / len(copied)):.2f} of that"
    )
    start = perf_counter()
    text = otio.adapters.write_to_string(to_otio(timeline), "otio_json")
    wrote = perf_counter() - start
    start = perf_counter()
    again = from_otio(otio.adapters.read_from_string(text, "otio_json"))
    print(
        f"  written as OTIO in {1000 * wrote:.0f} ms ({len(text) / 1e6:.1f} MB), read in"
        f" {1000 * (perf_counter() - start):.0f} ms; {'the same' if again == timeline else 'NOT the same'}"
    )
    text = listed()
    start = perf_counter()
    read = read_edl(text, RATE)
    ours = perf_counter() - start
    start = perf_counter()
    otio.adapters.read_from_string(text, "cmx_3600", rate=25.0)
    theirs = perf_counter() - start
    clips = [ClipOnDisk(Path(f"/m/clip {n}.mov"), f"T{n:06d}", RATE, 25 * n, 25) for n in range(EVENTS)]
    start = perf_counter()
    events = matched(read.timeline, clips)
    took = perf_counter() - start
    right = sum(event.clip is clip for event, clip in zip(events, clips, strict=True))
    print(
        f"  {EVENTS} events read in {ours:.2f} s, by the library's adapter in {theirs:.2f} s ({ours / theirs:.2f}"
        " of it)"
    )
    print(f"  matched with {EVENTS} clips in {took:.2f} s (aim 3 s), {right} right")
    return 0 if slow < 0.03 and took < 3 and right == EVENTS and again == timeline else 1


if __name__ == "__main__":
    sys.exit(main())

"""What a timeline shows, what is heard of it, and its file that follows each edit, whatever stops the program."""

from __future__ import annotations

import os
import random
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray
from tests.conftest import demo_template
from tests.forking import Forking

from idle_quarry.errors import QuarryError
from idle_quarry.jobs.check import check_job
from idle_quarry.jobs.cutting import edits
from idle_quarry.jobs.cutting.at_frame import SAMPLE_RATE, mixed, next_cut, next_item, shown_at
from idle_quarry.jobs.cutting.timeline import PICTURE, SOUND, TITLE, Media, Timeline, TimelineItem, Track
from idle_quarry.jobs.cutting.timeline_files import KEPT_STATES, earlier, keep, read_timeline
from idle_quarry.jobs.start import start_job
from idle_quarry.library import FileLibrary
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.printing import write_pdf
from idle_quarry.signal.timecode import Timecode

NTSC = Fraction(30000, 1001)


def timeline(rate: Fraction = Fraction(25), **lanes: list[TimelineItem]) -> Timeline:
    tracks = tuple(
        Track(name, name, SOUND if name.startswith("s") else PICTURE, tuple(items)) for name, items in lanes.items()
    )
    return Timeline("reel", rate, Timecode(0, rate), tracks)


def item(
    ident: int, at: int, length: int, name: str = "clip", rate: Fraction = Fraction(25), begins: int = 0
) -> TimelineItem:
    media = Media(name, rate, f"/clips/{name}.mov", first=100, frames=10_000)
    return TimelineItem(ident, name, at, length, media=media, begins=Fraction(100 + begins))


def test_the_topmost_that_is_switched_on_is_seen() -> None:
    over, off = item(3, 30, 10, "over"), replace(item(4, 60, 10, "off"), enabled=False)
    output = timeline(
        low=[item(1, 0, 50, "low", begins=7), item(2, 60, 40, "late")], high=[over, off], s1=[item(5, 0, 90)]
    )

    def seen(frame: int) -> tuple[str, int] | None:
        result = shown_at(output, frame)
        return (result.item.name, result.file_frame) if result is not None else None

    assert [seen(at) for at in (0, 29, 30, 40, 55, 65)] == [
        ("low", 7),
        ("low", 36),
        ("over", 0),
        ("low", 47),
        None,
        ("late", 5),
    ]
    dark = replace(output, tracks=(replace(output.tracks[0], enabled=False), *output.tracks[1:]))
    assert shown_at(dark, 10) is None
    assert [next_cut(output, at) for at in (0, 30, 100, 89)] == [30, 40, 100, 90]
    assert [next_cut(output, at, back=True) for at in (0, 30, 100)] == [0, 0, 90]
    result = next_item(output, 0, lambda track, _item: track.kind == PICTURE)
    assert result is not None and result[1].name == "over"
    assert next_item(output, 60, lambda _track, each: each.name == "low", back=True) is not None
    assert next_item(output, 60, lambda _track, each: each.name == "late") is None


class Counting:
    """Sound whose samples tell their own place: the left one as it is, the right one below zero."""

    def __init__(self, channels: int) -> None:
        self.channels = channels

    def samples(self, first: int, count: int) -> NDArray[np.int32]:
        places = np.arange(first, first + count, dtype=np.int64)
        return np.stack([places * 256, -places * 256, places * 0][: self.channels], axis=1).astype(np.int32)


@pytest.mark.parametrize("rate", [Fraction(25), NTSC])
def test_each_sample_is_the_one_that_belongs_to_its_picture(rate: Fraction) -> None:
    """However it is asked for in blocks, a sample is the media's at the same moment as the picture, to the sample."""
    clips = [item(1, 10, 40, "two", begins=20, rate=rate), item(2, 50, 30, "one", begins=5, rate=rate)]
    fast = replace(item(3, 90, 20, "fast"), speed=Fraction(2))
    result = timeline(rate, p=[], s1=[*clips, fast])
    sources = {"two": Counting(2), "one": Counting(1), "fast": Counting(2)}
    per_frame, total = SAMPLE_RATE / rate, int(110 * SAMPLE_RATE / rate)
    blocks, first = [], 0
    while first < total:
        count = min(960, total - first)
        blocks.append(mixed(result, first, count, lambda media: sources[media.name]))
        first += count
    heard = np.concatenate(blocks) * 2**23
    for clip in clips:
        starts, ends = round(clip.at * per_frame), round(clip.end * per_frame)
        own = round((clip.begins - 100) / rate * SAMPLE_RATE)
        expected = np.arange(own, own + ends - starts)
        np.testing.assert_allclose(heard[starts:ends, 0], expected, atol=0.5)
        np.testing.assert_allclose(heard[starts:ends, 1], expected if clip.name == "one" else -expected, atol=0.5)
    assert not heard[: round(10 * per_frame)].any() and not heard[round(80 * per_frame) :].any(), (
        "silent where nothing runs as it was shot"
    )


def test_states_are_kept_the_last_twenty_and_none_is_lost(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "Timelines" / "Programme.otio"
    path.parent.mkdir()
    states = [timeline(p=[item(1, n, 10)]) for n in range(KEPT_STATES + 6)]
    for state in states:
        keep(path, state)
    kept = earlier(path)
    assert len(kept) == KEPT_STATES
    assert [read_timeline(element, Fraction(25)).tracks[0].items[0].at for element in kept] == list(
        range(KEPT_STATES + 4, 4, -1)
    )
    assert read_timeline(path, Fraction(25)).tracks[0].items[0].at == KEPT_STATES + 5

    def full(*_what: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(QuarryError, match="could not be written"):
        keep(path, states[0])
    assert read_timeline(path, Fraction(25)).tracks[0].items[0].at == KEPT_STATES + 5
    assert not list(path.parent.glob(".*.part")), "nothing half-written is left"


EDITING = """
import sys
from fractions import Fraction
from pathlib import Path
from idle_quarry.jobs.cutting.timeline_files import keep
from tests.jobs.test_trial import item, timeline
path = Path(sys.argv[1])

def act():
    for n in range(100000):
        keep(path, timeline(p=[item(1, n, 10)]))
        print(n, flush=True)
"""


def killed_while_editing(folder: Path, moments: int, seed: int = 1) -> int:
    """Kill a process that edits, at random moments.

    Return how often the file was not the last finished edit or the next.
    """
    rng, wrong = random.Random(seed), 0
    path = folder / "Programme.otio"
    keep(path, timeline(p=[item(1, 0, 10)]))
    before = 0
    with Forking(EDITING, path) as editing:
        for _ in range(moments):
            edits_kept = editing.killed_after(rng.random() * 0.1)
            last = int(edits_kept[-1]) if edits_kept else None
            result = read_timeline(path, Fraction(25)).tracks[0].items[0].at
            wrong += result not in ((before, 0) if last is None else (last, last + 1))
            before = result
            for state in earlier(path):
                read_timeline(state, Fraction(25))  # whole, each of them
    return wrong


def test_killed_at_any_moment_the_last_finished_edit_is_there(tmp_path: Path) -> None:
    """The full number of moments is in `benchmarks/kills.py`."""
    assert killed_while_editing(tmp_path, 10) == 0


def test_timelines_that_were_edited_here_are_work(library: FileLibrary, tmp_path: Path) -> None:
    template = edited(demo_template("The Lamp Room"), Edit("timecode.line_up_length_s", 1))
    stored = library.stored(library.save_new(template, "own", "").template_id)
    a_job = start_job(stored, "Trial", tmp_path, write_pdf, "Runa").folder
    path = next((a_job / "Timelines").glob("*.otio"))
    before = read_timeline(path, Fraction(25))
    lane = next(track for track in before.tracks if track.kind == PICTURE)
    title = TimelineItem(0, "a title", 0, 50, TITLE)
    keep(path, edits.add(before, [(lane.ident, title)]))
    assert check_job(a_job).drift == ()
    path.write_text("{}")
    assert [drifted.kind for drifted in check_job(a_job).drift] == ["altered"], "what is no timeline any more is told"

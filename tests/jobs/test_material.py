"""A job's clips: taken in, known again by content, brought in by the conversion of their class, never half."""

from __future__ import annotations

import random
import shutil
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from tests.conftest import CLIPS, shortened, small_lamp_room
from tests.forking import Forking

from idle_quarry.errors import JobError, MediaError, NotPossible
from idle_quarry.jobs.conform.writing import write_list
from idle_quarry.jobs.cutting.timeline import PICTURE, Media, Timeline, TimelineItem, Track
from idle_quarry.jobs.folder_plan import BROUGHT_IN, MATERIAL_FILE, TIMELINES
from idle_quarry.jobs.material import (
    BROUGHT,
    CHANGED,
    LINKED,
    MISSING,
    PARTLY,
    USED,
    bring_in,
    changed_material,
    class_of,
    joined,
    read_material,
    rows_of,
    state_of,
    taken_in,
    with_entry,
    with_part,
    write_material,
)
from idle_quarry.media import inspect
from idle_quarry.media.looking import look
from idle_quarry.media.stills import FrameSource
from idle_quarry.signal.timecode import Timecode
from idle_quarry.signal.words import format_words


@pytest.fixture
def job(tmp_path: Path) -> Path:
    folder = tmp_path / "job"
    (folder / TIMELINES).mkdir(parents=True)
    return folder


def test_clips_are_known_again_and_their_state_is_told(job: Path, tmp_path: Path) -> None:
    assert read_material(job) == ()
    inside, outside = job / "scan.mov", tmp_path / "tape.mpg"
    shutil.copy(CLIPS / "lamp scan 3.mov", inside)
    shutil.copy(CLIPS / "lamp tape 014.mpg", outside)
    entries = taken_in((), [inside, outside, inside])
    write_material(job, entries)
    assert read_material(job) == entries and len(entries) == 2
    assert '"scan.mov"' in (job / MATERIAL_FILE).read_text(), "what lies in the job moves with it"
    moved = tmp_path / "moved"
    job.rename(moved)
    assert [state_of(item) for item in read_material(moved)] == [LINKED, LINKED]
    moved.rename(job)
    media = Media("tape", Fraction(25), str(outside), None, 0, 50)
    track = Track(
        "v", "V", PICTURE, (TimelineItem(1, "tape", 0, 40, media=media), TimelineItem(2, "again", 50, 10, media=media))
    )
    write_list(job / TIMELINES / "cut.otio", Timeline("cut", Fraction(25), Timecode(0, Fraction(25)), (track,)))
    assert [row.used for row in rows_of(job, entries)] == [0, 2], "forty frames and ten"
    elsewhere = tmp_path / "elsewhere.mpg"
    outside.rename(elsewhere)
    assert state_of(entries[1]) == MISSING
    relinked = taken_in(entries, [elsewhere])
    assert len(relinked) == 2 and relinked[1] == replace(entries[1], path=elsewhere) and state_of(relinked[1]) == LINKED
    shutil.copy(CLIPS / "lamp tape 021 wide.mpg", elsewhere)
    assert state_of(relinked[1]) == CHANGED
    with pytest.raises(MediaError, match="cannot be read"):
        taken_in((), [tmp_path / "none.mov"])
    (job / MATERIAL_FILE).write_text("{")
    with pytest.raises(JobError, match="damaged"):
        read_material(job)


def test_changes_made_at_once_are_all_kept(job: Path, tmp_path: Path) -> None:
    paths = [tmp_path / f"{n}.mov" for n in range(24)]
    for path in paths:
        path.write_bytes(path.name.encode() * 50)

    def add(path: Path) -> None:
        changed_material(job, lambda entries: taken_in(entries, [path]))
        changed_material(job, with_entry(path, lambda entry: replace(entry, source=path.stem)))

    with ThreadPoolExecutor(8) as threads:
        list(threads.map(add, paths))
    assert {(entry.path, entry.source) for entry in read_material(job)} == {(path, path.stem) for path in paths}


def test_what_is_used_is_joined_with_handles() -> None:
    assert joined([(10, 20), (60, 70), (25, 30)], 3, 100) == [(7, 33), (57, 73)]
    assert joined([(0, 5), (95, 100)], 10, 100) == [(0, 15), (85, 100)] and joined([(120, 130)], 2, 100) == []


def test_a_part_holds_the_frames_that_the_whole_has_there(job: Path, tmp_path: Path) -> None:
    template, scan = small_lamp_room(), shortened("lamp scan 3.mov", tmp_path, 1.3)
    [entry] = taken_in((), [scan])
    clip = look(scan)
    source = next(item for item in template.sources if item.id == "scans")
    track = Track(
        "v",
        "V",
        PICTURE,
        (
            TimelineItem(
                1,
                "scan",
                0,
                6,
                media=Media("scan", Fraction(25), str(scan), None, 918_000, 50),
                begins=Fraction(918_020),
            ),
        ),
    )
    write_list(job / TIMELINES / "cut.otio", Timeline("cut", Fraction(25), Timecode(0, Fraction(25)), (track,)))
    [row] = rows_of(job, [entry])
    assert row.spans == ((20, 26),)
    whole = with_part(entry, bring_in(entry, clip, source, template, job, lambda _share: None))
    part = with_part(entry, bring_in(entry, clip, source, template, job, lambda _share: None, (17, 29)))
    pictures = []
    for output, first in ((whole.brought[0], 17), (part.brought[0], 0)):
        with FrameSource(look(output.path)) as frames:
            result = [frames.frame(first + n) for n in range(12)]
            assert all(item is not None for item in result)
            pictures.append([item.luma for item in result if item is not None])
    # coded apart, so not bit for bit: but each is that frame and none of its neighbours
    for n, picture in enumerate(pictures[1]):
        apart = [float(np.abs(picture.astype(int) - other).mean()) for other in pictures[0]]
        assert apart[n] == min(apart) and apart[n] < 4, (n, apart)
    assert inspect(part.brought[0].path).declared.timecode == "10:12:00:17"
    assert inspect(part.brought[0].path).declared.frames == 12
    assert (state_of(part, [(20, 26)]), state_of(part, [(0, 3)]), state_of(whole)) == (USED, PARTLY, BROUGHT)
    write_material(job, [part])
    assert read_material(job) == (part,)


def test_a_clip_is_brought_in_whole_or_not_at_all(job: Path, tmp_path: Path) -> None:
    template, tape = small_lamp_room(), shortened("lamp tape 014.mpg", tmp_path, 0.5)
    [entry] = taken_in((), [tape])
    clip = look(tape)
    source, result = class_of(entry, clip, template)
    assert source is not None and source.id == "tapes" and result is not None

    class Stopped(Exception):
        pass

    def stop(share: float) -> None:
        if share > 0.2:
            raise Stopped

    with pytest.raises(Stopped):
        bring_in(entry, clip, source, template, job, stop)
    assert list((job / BROUGHT_IN).iterdir()) == [], "what was stopped leaves nothing"
    shares: list[float] = []
    output = with_part(entry, bring_in(entry, clip, source, template, job, shares.append))
    assert shares == sorted(shares) and shares[-1] == 1
    [whole] = output.brought
    held = inspect(whole.path)
    assert held.format is not None and held.declared.frames == clip.declared.frames
    assert format_words(held.format).startswith(format_words(template.working.format).split()[0])
    assert state_of(output) == BROUGHT
    write_material(job, [output])
    assert read_material(job) == (output,)
    whole.path.unlink()
    assert state_of(output) == LINKED
    tape.write_bytes(b"another")
    with pytest.raises(NotPossible, match="changed since"):
        bring_in(output, clip, source, template, job, shares.append)
    assert class_of(replace(entry, source="scans"), clip, template)[0] is not source, "a person's choice stands"


BRINGING = """
import sys
from pathlib import Path
from idle_quarry.jobs.material import bring_in, changed_material, class_of, taken_in, with_entry, with_part
from idle_quarry.media.looking import look
from tests.conftest import CLIPS, small_lamp_room
folder, path, template = Path(sys.argv[1]), CLIPS / "lamp scan 3.mov", small_lamp_room()
entry, clip = changed_material(folder, lambda before: taken_in(before, [path]))[0], look(path)
source, _ = class_of(entry, clip, template)

def act():
    while True:
        made = bring_in(entry, clip, source, template, folder, lambda share: None)
        changed_material(folder, with_entry(path, lambda now: with_part(now, made)))
"""


def killed_while_bringing_in(folder: Path, moments: int, seed: int = 1) -> int:
    """Kill a process that brings a clip in again and again, at random moments.

    Return how many files were taken for whole and were not.
    """
    rng, wrong = random.Random(seed), 0
    (folder / TIMELINES).mkdir(parents=True)
    whole: int | None = None
    with Forking(BRINGING, folder) as bringing:
        for _ in range(moments):
            bringing.killed_after(rng.random() * 2)
            recorded = [result.path for entry in read_material(folder) for result in entry.brought]
            there = [path for path in (folder / BROUGHT_IN).glob("*.mov") if not path.name.startswith(".")]
            for path in {*recorded, *there}:
                frames = inspect(path).declared.frames
                whole = whole or frames
                wrong += frames != whole or not path.is_file()
                path.unlink()
            write_material(folder, [replace(item, brought=()) for item in read_material(folder)])
    return wrong


def test_killed_at_any_moment_nothing_half_made_is_taken_for_whole(tmp_path: Path) -> None:
    """The full number of moments is in `benchmarks/kills.py`."""
    assert killed_while_bringing_in(tmp_path / "job", 2) == 0

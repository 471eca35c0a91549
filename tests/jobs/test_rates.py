"""A job from its list to its delivery at 29.97 in both counts and at 23.976, held against a clock that ticks."""

from __future__ import annotations

import subprocess
from fractions import Fraction
from itertools import product
from pathlib import Path

import numpy as np
import pytest
from tests.conftest import demo_template
from tests.jobs.test_renders import decoded
from tests.media.test_whole import sine, sound_file

from idle_quarry.jobs.check import check_job
from idle_quarry.jobs.conform.lists import read_list
from idle_quarry.jobs.conform.matching import matched
from idle_quarry.jobs.conform.material import clips_in
from idle_quarry.jobs.conform.taking import job_timeline
from idle_quarry.jobs.conform.writing import write_list
from idle_quarry.jobs.cutting import edits
from idle_quarry.jobs.cutting.timeline import CLIP, PICTURE, SOUND, Media, TimelineItem
from idle_quarry.jobs.cutting.timeline_files import keep, read_timeline, timelines_in
from idle_quarry.jobs.handover.make import make
from idle_quarry.jobs.lending.server_queue import piece_of, said_piece
from idle_quarry.jobs.lending.shared_folders import Reach, mark
from idle_quarry.jobs.material import taken_in, write_material
from idle_quarry.jobs.renders.making import render
from idle_quarry.jobs.renders.pieces import Canvas, pieces_of
from idle_quarry.jobs.renders.status import programmes_of, stock_of
from idle_quarry.jobs.renders.store import RenderStore
from idle_quarry.jobs.start import start_job
from idle_quarry.library import FileLibrary
from idle_quarry.media.coding.writing import ClipWriter
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.entries.programme import ProgrammeItem, ProgrammeLayout
from idle_quarry.path.registry import codecs, take_in
from idle_quarry.printing import write_pdf
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.timecode import Timecode
from idle_quarry.signal.words import format_from_words

LEADER = ProgrammeLayout(
    id="",
    uid="0198c0de-2222-7000-8000-00000000bbbb",
    name="Leader of two seconds",
    starts="01:01:00:02",  # a minute's first number where two are dropped
    tolerance_pictures=0,
    items=(
        ProgrammeItem(what="black", seconds=2),
        ProgrammeItem(what="programme"),
    ),
)
#: Frames of the clip that each event of the list shows: the second begins before a minute's end and ends after it.
SHOTS = ((10, 30), (45, 85))


def clock(fps: int, *, drop: bool) -> list[str]:
    """The numbers of four minutes from one minute to the hour on, as a counter that ticks has them (ST 12-1)."""
    colon = ";" if drop else ":"
    return [
        f"{'00:59' if minute < 0 else f'01:{minute:02}'}:{second:02}{colon}{frame:02}"
        for minute, second, frame in product(range(-1, 3), range(60), range(fps))
        if not (drop and second == 0 and frame < 2 and minute % 10)
    ]


def recorded(folder: Path, fmt: SignalFormat, start: str) -> Path:
    """A clip whose frames are as light as their numbers, from a number on."""
    path, grey = folder / "stone 4.mov", np.full((360, 320), 512)
    with ClipWriter(path, codecs()["v210"], fmt, start=Timecode.from_text(start, fmt.rate)) as writer:
        for number in range(95):
            writer.write((np.full((360, 640), 64 + 8 * number), grey, grey))
        writer.finish()
    return path


def lights(path: Path) -> list[float]:
    """The frame numbers that pictures of 8 bits say."""
    return [float((planes[0].mean() - 16) / 2) for planes in decoded(path)]


def list_of(clip: Path, ticks: list[str], first: int, *, drop: bool) -> str:
    """A list of two events of the clip, as its numbers are counted."""
    lines, at = ["TITLE: WEEK 4", f"FCM: {'' if drop else 'NON-'}DROP FRAME"], first + 100
    for event, (begin, end) in enumerate(SHOTS, 1):
        numbers = (ticks[first + begin], ticks[first + end], ticks[at], ticks[at + end - begin])
        lines += [f"{event:03} AX V C {' '.join(numbers)}", f"* FROM CLIP NAME: {clip.stem}"]
        at += end - begin
    return "\n".join(lines) + "\n"


@pytest.mark.parametrize(
    ("words", "drop"),
    [("640x360p29.97", True), ("640x360p29.97", False), ("640x360p23.976", False)],
)
def test_a_job_keeps_its_count_from_the_list_to_the_delivery(
    words: str, drop: bool, library: FileLibrary, tmp_path: Path
) -> None:
    fmt, eight = format_from_words(f"{words} 10bit 4:2:2"), format_from_words(f"{words} 8bit 4:2:2")
    ticks = clock(round(fmt.rate), drop=drop)
    first = ticks.index(f"01:00:58{';' if drop else ':'}00")
    share = tmp_path / "share"
    share.mkdir()
    clip = recorded(share, fmt, ticks[first])
    template = edited(
        demo_template("Sheet Seven"),
        Edit("sources.roaming", None),
        Edit("timecode.drop", False),
        Edit("sources.fixed.format", fmt),
        Edit("working.format", fmt),
        Edit("intermediate.codec", "v210"),
        Edit("timecode.drop", drop),
        Edit("timecode.line_up_length_s", 1),
    )

    number = Timecode.from_text(ticks[first], fmt.rate).frames
    # a list from elsewhere is of that clip, to the frame, and says the same when it is written again
    path = tmp_path / "week 4.edl"
    path.write_text(list_of(clip, ticks, first, drop=drop))
    cuts = read_list(path, fmt.rate)
    events = matched(cuts.timeline, clips_in([share])[0])
    assert [event.status for event in events] == ["found", "found"], [event.text for event in events]
    timeline = job_timeline(cuts.timeline, events, template)
    (track,) = (track for track in timeline.tracks if track.kind == PICTURE)
    assert [item.begins for item in track.items] == [number + begin for begin, _ in SHOTS]
    (again,) = write_list(tmp_path / "again.edl", timeline)
    numbers = [line.split()[4:6] for line in again.read_text().splitlines() if line[:1] == "0"]
    assert numbers == [[ticks[first + begin], ticks[first + end]] for begin, end in SHOTS]

    # what is rendered are those frames, whoever renders it
    job_folder = start_job(
        library.stored(library.save_new(template, "own", "").template_id), "Week 4", tmp_path, write_pdf, "Runa"
    ).folder
    noise = 0.05 * np.random.default_rng(4).standard_normal((48000 * 4, 2)) + sine((-40, 4))
    music = sound_file(share / "music.wav", noise)
    write_material(job_folder, taken_in((), [clip, music]))
    place = timelines_in(job_folder)[0]
    empty = read_timeline(place, fmt.rate)
    assert str(empty.start) == "01:00:00" + ticks[0][8] + "00"
    lanes = {kind: next(track.ident for track in empty.tracks if track.kind == kind) for kind in (PICTURE, SOUND)}
    heard = TimelineItem(0, "music", 0, 60, CLIP, Media("music", fmt.rate, str(music), frames=90), Fraction(0))
    laid = edits.lay_over(empty, 0, [(lanes[PICTURE], item) for item in track.items])
    keep(place, edits.lay_over(laid, 0, [(lanes[SOUND], heard)]))
    job = check_job(job_folder)
    stock = stock_of(job_folder, job.template)
    mark(share)
    store = RenderStore(share / "renders")
    result: list[float] = []
    for piece in pieces_of(read_timeline(place, fmt.rate), Canvas(eight, codecs()["ffv1"]), stock):
        assert piece.recipe is not None
        assert piece_of(said_piece(piece.recipe, store, "Sheet")["given"], Reach())[0] == piece.recipe
        render(piece.recipe, tmp_path / "piece.mkv")
        result += lights(tmp_path / "piece.mkv")
    assert result == pytest.approx([*range(10, 30), *range(45, 85)], abs=0.3)

    # and so is what is handed over, two seconds of leader before its number
    take_in(LEADER)
    update = {
        "format": fmt,
        "codec": "ffv1",
        "programme": LEADER.id,
        "loudness_lufs": None,
        "layout": "stereo",
        "drop": drop,
    }
    delivery = job.template.deliveries[0].model_copy(update=update)
    out = tmp_path / "out"
    out.mkdir()
    done = make(job, programmes_of(job, stock)[0], delivery, out)
    failed = [check.text for check in done.verified.checks if check.verdict == "fails"]
    assert done.done and not failed, failed
    begins, programme = (f"01:0{at}{ticks[0][8]}02" for at in ("0:58", "1:00"))  # seconds of its clock
    assert done.frames == ticks.index(programme) - ticks.index(begins) + 60
    asked = ["ffprobe", "-v", "error", "-show_entries", "format_tags:stream_tags", str(done.path)]
    assert f"TIMECODE={begins}" in subprocess.run(asked, check=True, capture_output=True, text=True).stdout.upper()

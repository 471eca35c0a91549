"""Lists from elsewhere: other people's samples read as their library reads them, hostile ones refused, events
matched with clips.
"""

from __future__ import annotations

import json
import logging
import sys
import tarfile
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import opentimelineio as otio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.jobs.test_cutting import programmes

from idle_quarry.demo import make_clips
from idle_quarry.demo.templates import house_shelf
from idle_quarry.errors import MediaError, NotPossible, NotUnderstood, QuarryError
from idle_quarry.jobs.conform.edl import EdlList, read_edl
from idle_quarry.jobs.conform.edl_writing import write_edl
from idle_quarry.jobs.conform.frame import frame_findings
from idle_quarry.jobs.conform.lists import CutList, read_list
from idle_quarry.jobs.conform.matching import in_reels_counts, matched
from idle_quarry.jobs.conform.material import ClipOnDisk, clips_in
from idle_quarry.jobs.conform.report import as_html, conformed
from idle_quarry.jobs.conform.taking import BY_FRAME, BY_TIME, job_timeline
from idle_quarry.jobs.conform.writing import write_list
from idle_quarry.jobs.cutting.otio_values import from_otio
from idle_quarry.jobs.cutting.otio_writing import to_otio
from idle_quarry.jobs.cutting.timeline import PICTURE, SOUND, Media, Timeline, TimelineItem, Track
from idle_quarry.path.template import Template
from idle_quarry.signal.timecode import Timecode

SAMPLES = Path(sys.prefix) / "samples"
NTSC = Fraction(30000, 1001)
ENDINGS = (".edl", ".aaf", ".otio")


@pytest.fixture(scope="module")
def samples(tmp_path_factory: pytest.TempPathFactory) -> Iterator[list[Path]]:
    folder = tmp_path_factory.mktemp("samples")
    for package in SAMPLES.glob("*.tar.gz"):
        with tarfile.open(package) as packed:
            packed.extractall(folder, filter="data")
    logging.disable(logging.WARNING)  # the adapters say much
    yield sorted(path for path in folder.rglob("*") if path.suffix in ENDINGS)
    logging.disable(logging.NOTSET)


@pytest.fixture
def _read_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """What the library reads of a file is read once, and given as a copy to whoever asks for it again."""
    reads: dict[str, Any] = {}
    read_from_file = otio.adapters.read_from_file

    def read(path: str, **how: Any) -> Any:
        key = f"{path} {sorted(how.items())}"
        if key not in reads:
            reads.clear()
            reads[key] = read_from_file(path, **how)
        return reads[key].clone()

    monkeypatch.setattr(otio.adapters, "read_from_file", read)


def as_the_library(path: Path, rate: Fraction) -> dict[str, list[tuple[str, int]]] | None:
    """Return each track's clips, name and length in frames, as the library reads them; None where it does not."""
    try:
        how = {"adapter_name": "AAF"} if path.suffix == ".aaf" else {}
        how |= {"rate": float(rate)} if path.suffix == ".edl" else {}  # type: ignore[dict-item]
        read = otio.adapters.read_from_file(str(path), **how)
    except Exception:
        return None
    if not isinstance(read, otio.schema.Timeline):
        return None
    result: dict[str, list[tuple[str, int]]] = {}
    for track in read.tracks:
        clips = (
            [item for item in track if isinstance(item, otio.schema.Clip)]
            if isinstance(track, otio.schema.Track)
            else []
        )
        result.setdefault(track.name, []).extend(
            (item.name, round(item.duration().rescaled_to(float(rate)).value)) for item in clips
        )
    return {name: clips for name, clips in result.items() if clips}


@pytest.mark.usefixtures("_read_once")
def test_other_peoples_lists_are_read_as_their_library_reads_them(samples: list[Path], tmp_path: Path) -> None:
    assert len(samples) > 50
    compared = 0
    for path in samples[::3]:  # the library's own examples differ little from one to the next
        try:
            cuts = read_list(path, Fraction(24))
        except QuarryError as error:
            assert path.name in str(error) and "Traceback" not in str(error)
            continue
        theirs = as_the_library(path, cuts.timeline.rate)
        ours: dict[str, list[tuple[str, int]]] = {}
        for track, item in cuts.timeline.items:
            if item.kind not in ("gap", "nested"):
                ours.setdefault(track.name, []).append((item.name, item.length))
        if theirs is not None:
            assert {name: [length for _, length in clips] for name, clips in ours.items()} == {
                name: [length for _, length in clips if length] for name, clips in theirs.items()
            }, path.name
            compared += 1
        once = from_otio(
            otio.adapters.read_from_string(
                otio.adapters.write_to_string(to_otio(cuts.timeline), "otio_json"), "otio_json"
            )
        )
        assert [(t.ident, t.items[0].at if t.items else 0, len(t.items)) for t in once.tracks] == [
            (t.ident, t.items[0].at if t.items else 0, len(t.items)) for t in cuts.timeline.tracks
        ]
        [written] = write_list(tmp_path / "again.otio", once)
        assert read_list(written, Fraction(24)).timeline == once, path.name
    assert compared > 15


@settings(max_examples=100, deadline=None)
@given(programmes())
def test_a_timeline_is_whole_after_it_was_written(timeline: Timeline) -> None:
    text = otio.adapters.write_to_string(to_otio(timeline), "otio_json")
    assert from_otio(otio.adapters.read_from_string(text, "otio_json")) == timeline
    assert "idle_quarry" in json.loads(text)["metadata"]


NO_LENGTH = otio.adapters.write_to_string(
    otio.schema.Timeline("t", tracks=[otio.schema.Track("V", children=[otio.schema.Clip("x")])]), "otio_json"
).encode()
LIST = """TITLE: FIRST ASSEMBLY
FCM: DROP FRAME
001  TAPE0001 V     C        01:00:00;00 01:00:02;00 01:00:00;00 01:00:02;00
* FROM CLIP NAME: HARBOUR
* LOC: 01:00:01;10 RED     LOOK AT THE MAST
* TOO DARK AT THE END
002  TAPE0002 B     C        01:00:59;28 01:01:01;02 01:00:58;28 01:01:00;02
M2   TAPE0002       060.0                01:00:59;28
003  BL       V     C        00:00:00;00 00:00:00;10 01:01:00;02 01:01:00;12
004  TAPE0003 V     C        01:00:00;00 01:00:00;00 01:01:00;12 01:01:00;12
004  TAPE0003 V     D    010 01:00:00;00 01:00:01;00 01:01:00;12 01:01:01;12
* TO CLIP NAME: GULLS
"""


def test_a_list_is_counted_to_the_frame_and_written_back() -> None:
    read = read_edl(LIST, Fraction(25))
    timeline = read.timeline
    assert (timeline.rate, read.drop, str(timeline.start)) == (Fraction(30000, 1001), True, "01:00:00;00")
    assert [track.name for track in timeline.tracks] == ["V", "A1"]
    harbour, fast, black, gulls = timeline.track("V").items
    assert (harbour.name, harbour.length, harbour.markers[0].at, harbour.markers[0].name) == (
        "HARBOUR",
        60,
        40,
        "LOOK AT THE MAST",
    )
    # across the minute two numbers are dropped: by hand, 58;28 is frame 1768 and 01:00;02 frame 1800
    assert (fast.at, fast.end, fast.speed) == (1768, 1800, Fraction(2)) and fast.link == timeline.track("A1").items[
        0
    ].link
    assert (black.kind, gulls.name) == ("black", "GULLS") and timeline.track("V").transitions[0].after == 10
    again = read_edl(write_edl(timeline, timeline.track("V")), Fraction(25))

    def told(of: Timeline) -> list[object]:
        return [
            (
                i.name,
                i.at,
                i.length,
                i.begins,
                i.speed,
                i.note,
                i.media and i.media.tape,
                [(m.at, m.name, m.colour) for m in i.markers],
            )
            for i in of.track("V").items
        ]

    assert told(again.timeline) == told(timeline) and harbour.note == "TOO DARK AT THE END"
    assert again.timeline.start == timeline.start


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("a.edl", b"TITLE: X\n001  A V C 01:00:00:00 01:00:01:00 01:00:00:00 01:00:01:61\n", "line 2"),
        ("a.edl", b"nothing of the kind", "no events"),
        ("a.edl", b"001 A V C 01:00\n", "eight fields"),
        ("a.csv", b"name,in\nx,1\n", "no column for out"),
        ("a.csv", b"name,in,out\nx,00:00:02:00,00:00:01:00\n", "line 2"),
        ("a.otio", b"{" * 50, "cannot be read"),
        (
            "a.otio",
            b'{"OTIO_SCHEMA": "Gap.1", "name": "x", "effects": [], "markers": [], "metadata": {}}',
            "holds no timeline",
        ),
        ("a.otio", NO_LENGTH, "Cannot compute available range"),
        ("a.aaf", b"\0" * 400, "invalid file magic"),
        ("a.xml", b"", "not a list of cuts"),
    ],
)
def test_what_is_no_list_is_refused_in_a_sentence(tmp_path: Path, name: str, data: bytes, words: str) -> None:
    path = tmp_path / name
    path.write_bytes(data)
    with pytest.raises(NotUnderstood, match=words) as refused:
        read_list(path, Fraction(25))
    assert name in str(refused.value) and "\n" not in str(refused.value)


def clip(
    name: str, first: int, frames: int, tape: str | None = None, rate: Fraction = Fraction(25), folder: str = "/m"
) -> ClipOnDisk:
    return ClipOnDisk(Path(folder) / f"{name}.mov", tape, rate, first, frames)


def lamp_room() -> Template:
    return next(history[-1].template for history in house_shelf() if history[-1].template.name == "The Lamp Room")


def listed(*lines: str) -> Timeline:
    return read_edl("\n".join(["TITLE: X", *lines]), Fraction(25)).timeline


def test_events_are_matched_by_tape_by_name_with_an_offset_or_not() -> None:
    timeline = listed(
        "001 LONGTAPE V C 01:00:00:00 01:00:01:00 00:00:00:00 00:00:01:00",
        "002 AX V C 02:00:00:00 02:00:01:00 00:00:01:00 00:00:02:00",
        "* FROM CLIP NAME: harbour.mov",
        "003 AX V C 00:00:10:00 00:00:11:00 00:00:02:00 00:00:03:00",
        "* FROM CLIP NAME: gulls",
        "004 AX V C 00:00:00:00 00:00:09:00 00:00:03:00 00:00:12:00",
        "* FROM CLIP NAME: short",
        "005 AX B C 00:00:00:00 00:00:01:00 00:00:12:00 00:00:13:00",
        "* FROM CLIP NAME: nowhere",
        "006 BL V C 00:00:00:00 00:00:01:00 00:00:13:00 00:00:14:00",
        "007 AX V C 02:00:00:00 02:00:01:00 00:00:14:00 00:00:15:00",
        "* FROM CLIP: Z:\\old\\harbour.mov",
    )
    clips = [
        clip("a014", 90_000, 500, "LongTape No 14"),
        clip("harbour", 180_000, 100),
        clip("gulls", 1000, 100),
        clip("short", 500, 100),
        clip("other", 90_000, 10, "LongTape No 14"),
    ]
    events = {(item.track.name, item.item.at): item for item in matched(timeline, clips)}
    taped, named, offset, short, missing, black, elsewhere = (events["V", at] for at in (0, 25, 50, 75, 300, 325, 350))
    assert taped.status == "found" and taped.clip is clips[0] and "tape LONGTAPE" in taped.text
    assert named.status == "found" and named.clip is clips[1] and "name and timecode" in named.text
    assert (offset.status, offset.offset) == ("offset", 1000 - 250) and "+750 frames" in offset.text
    assert (short.status, short.matters) == ("missing", True) and "125 frames too short" in short.text
    assert (missing.status, missing.matters, missing.clip) == ("missing", True, None)
    assert (black.status, black.matters) == ("no media needed", False)
    assert elsewhere.status == "found elsewhere" and elsewhere.clip is clips[1]


def test_thousands_of_events_find_their_clips_among_as_many() -> None:
    """Each its own, though tapes are told by eight characters; how long it takes is in benchmarks/cutting.py."""
    count, lines = 3000, []
    for n in range(count):
        first, last = (f"00:{(n + k) // 60:02d}:{(n + k) % 60:02d}:00" for k in (0, 1))
        lines += [f"{n + 1:05d} TAPE{n // 10:04d} V C {first} {last} {first} {last}"]
    timeline = listed(*lines)
    clips = [clip(f"c{n}", n * 25, 25, f"tape{n // 10:04d}-{n % 10}") for n in range(count)]
    events = matched(timeline, clips)
    assert [event.clip for event in events] == clips and {event.status for event in events} == {"found"}


def test_a_clip_at_another_rate_begins_where_the_list_begins() -> None:
    lines = [
        "001 AX V C 00:00:10:00 00:00:11:00 00:00:00:00 00:00:01:00",
        "* FROM CLIP NAME: x",
        "002 AX V C 00:00:20:00 00:00:21:00 00:00:01:00 00:00:02:00",
        "* FROM CLIP NAME: x",
    ]
    film = read_edl("\n".join(["TITLE: X", *lines]), Fraction(24)).timeline
    template = lamp_room()
    events = matched(film, [clip("x", 5000, 275)])
    assert [(event.status, event.offset) for event in events] == [
        ("offset", 4750),
        ("offset", 4750),
    ]  # 10 s are 250 at 25
    first, second = job_timeline(film, events, template, BY_TIME).track("V").items
    assert first.begins == 5000 and second.begins == 5250, "ten seconds on, counted at the clip's rate"
    assert [event.status for event in matched(film, [clip("x", 5000, 274)])] == ["offset", "missing"]


def test_the_frame_of_a_list_is_held_against_the_template(tmp_path: Path) -> None:
    template = lamp_room()
    thirty = CutList(tmp_path, "edl", read_edl(LIST, Fraction(25)).timeline, Fraction(30000, 1001), True, True)
    rate, *_ = frame_findings(thirty, template)
    # 107 892 frames an hour at 29.97 last 4315.68 s at 25: 11 min 56 s more (and 0.3 for the dropped)
    assert rate.code == "list-rate" and rate.severity == "stop" and "11 min 56 s late an hour" in rate.text
    film = listed(
        *(f"{n:03d} A V C 00:00:{n:02d}:00 00:00:{n:02d}:23 00:00:{n:02d}:00 00:00:{n:02d}:23" for n in range(1, 59))
    )
    unsaid = frame_findings(CutList(tmp_path, "edl", film, None, None, True), template)
    assert [item.code for item in unsaid] == ["list-rate-unsaid", "list-start"]
    assert unsaid[0].severity == "caution" and "2 min 24 s early an hour" in unsaid[0].text
    clips, trouble = clips_in([Path(make_clips.__file__).parent / "clips"])
    assert len(clips) > 20 and not trouble
    result = conformed(thirty, template, clips)
    page = as_html(result)
    assert page.count("<tr>") == 1 + len(result.events) and result.missing and "late an hour" in page


def test_a_list_is_taken_frame_for_frame_or_by_time() -> None:
    template = lamp_room()
    lines = [
        "001 A V C 00:00:00:00 00:00:01:00 00:00:00:00 00:00:01:00",
        "* FROM CLIP NAME: x",
        "002 A V D 006 00:00:10:00 00:00:11:00 00:00:01:00 00:00:02:00",
        "* FROM CLIP NAME: x",
    ]
    film = read_edl("\n".join(["TITLE: X", *lines]), Fraction(24)).timeline
    clips = [clip("x", 1000, 1000, rate=Fraction(24))]
    events = matched(film, clips)
    assert {event.offset for event in events} == {1000}
    by_frame, by_time = (job_timeline(film, events, template, how) for how in (BY_FRAME, BY_TIME))
    assert [(i.at, i.length, i.speed) for i in by_frame.track("V").items] == [
        (0, 24, Fraction(25, 24)),
        (24, 24, Fraction(25, 24)),
    ]
    assert [(i.at, i.length, i.speed) for i in by_time.track("V").items] == [
        (0, 25, Fraction(1)),
        (25, 25, Fraction(1)),
    ]
    for result in (by_frame, by_time):
        assert result.rate == 25 and str(result.start) == "10:00:00:00"
        first, second = result.track("V").items
        assert first.begins == 1000 and second.begins == 1240, "at the clip's own count"
        assert first.media is not None and first.media.path == "/m/x.mov" and first.media.frames == 1000
    # frame for frame each frame of the list is one of the job's: the same picture, whatever the clock says
    assert by_frame.track("V").items[1].shows(30, Fraction(25)) == 1246
    # by time each shows what is due at that second of the clip
    assert by_time.track("V").items[1].shows(30, Fraction(25)) == 1240 + 5 * Fraction(24, 25)
    assert [change.after for change in by_time.track("V").transitions] == [6]


def test_a_table_is_written_and_read_back(tmp_path: Path) -> None:
    timeline = listed(
        "001 TAPE1 V C 01:00:00:00 01:00:01:00 00:00:00:00 00:00:01:00",
        "* FROM CLIP NAME: harbour",
        "002 T2 V C 00:00:02:00 00:00:03:10 00:00:01:00 00:00:02:10",
    )
    [path] = write_list(tmp_path / "clips.csv", timeline)
    again = read_list(path, Fraction(25)).timeline.track("V").items
    assert [(i.name, int(i.begins), i.length, i.media.tape if i.media else None) for i in again] == [
        ("harbour", 90_000, 25, "TAPE1"),
        ("002", 50, 35, "T2"),
    ]
    (tmp_path / "semi.csv").write_text("Clip;Reel;In;Out\nx;r;00:00:00:00;00:00:00:10\n")
    [item] = read_list(tmp_path / "semi.csv", Fraction(25)).timeline.track("V").items
    assert (item.length, item.media and item.media.tape) == (10, "r")


def test_what_no_form_can_hold_is_refused_and_nothing_is_written(tmp_path: Path) -> None:
    sound = replace(listed("001 A A C 00:00:00:00 00:00:01:00 00:00:00:00 00:00:01:00"), name="only sound")
    with pytest.raises(NotPossible, match="no pictures"):
        write_list(tmp_path / "a.edl", sound)
    with pytest.raises(NotUnderstood, match="a list is"):
        write_list(tmp_path / "a.txt", sound)
    with pytest.raises(MediaError, match="could not be written"):
        write_list(tmp_path / "no folder" / "a.csv", sound)
    assert list(tmp_path.iterdir()) == []
    two = replace(
        sound,
        tracks=(Track("V", "V", PICTURE, sound.tracks[0].items), Track("V2", "V2", PICTURE, sound.tracks[0].items)),
    )
    assert [path.name for path in write_list(tmp_path / "b.edl", two)] == ["b V.edl", "b V2.edl"]


def test_overlaps_unsaid_speeds_and_splits_are_told() -> None:
    read = read_edl(
        "\n".join(
            [
                "001 A V C 00:00:00:00 00:00:02:00 00:00:00:00 00:00:02:00",
                "002 A V C 00:00:00:00 00:00:01:00 00:00:01:00 00:00:02:00",
                "003 A V C 00:00:00:00 00:00:01:00 00:00:02:00 00:00:04:00",
                "004 A V C 00:00:05:00 00:00:05:00 00:00:04:00 00:00:05:00",
                "005 A V C 00:00:05:00 00:00:06:00 00:00:06:00 00:00:05:00",
                "006 A V W021 010 00:00:05:00 00:00:06:00 00:00:05:00 00:00:06:00",
            ]
        ),
        Fraction(25),
    )
    items = read.timeline.track("V").items
    assert [(i.at, i.length, i.speed) for i in items] == [
        (0, 25, 1),
        (25, 25, 1),
        (50, 50, Fraction(1, 2)),
        (100, 25, 0),
        (125, 25, 1),
    ]
    lines = " ".join(read.lost)
    for words in (
        "event 005, line 5: ends before",
        "lies over",
        "25 source frames fill 50",
        "no source frames fill 25",
        "wipe 021",
    ):
        assert words in lines, words


def test_a_clip_is_found_by_its_whole_tape_and_by_the_address_of_its_file() -> None:
    def event(name: str, first: int, **said: Any) -> tuple[str, str]:
        media = Media(name, Fraction(25), first=0, **said)
        item = TimelineItem(1, name, 0, 10, media=media, begins=Fraction(first))
        [result] = matched(
            Timeline("cut", Fraction(25), Timecode(0, Fraction(25)), (Track("v", "V", PICTURE, (item,)),)), clips
        )
        return result.status, result.clip.path.stem if result.clip is not None else ""

    clips = [clip("harbour two", 1000, 100, "LongTape No 14"), clip("gulls", 1000, 100, "LongTape No 15")]
    assert event("x", 1000, tape="longtape no 15 ") == ("found", "gulls")
    assert event("x", 1000, tape="LongTape No 16") == ("missing", "")
    assert event("x", 1000, path="file:///Volumes/old/harbour%20two.mov") == ("found elsewhere", "harbour two")
    assert event("x", 1000, path=r"Z:\old\gulls.mov") == ("found elsewhere", "gulls")
    assert event("x", 1000, path="/old/a%20b.mov") == ("missing", ""), "a path is no address"


def test_sound_that_is_missing_matters_only_where_no_picture_brings_it() -> None:
    def heard(tape: str | None) -> list[tuple[str, bool]]:
        tracks = [
            Track(
                "S",
                "S",
                SOUND,
                (TimelineItem(1, "gulls", 0, 10, media=Media("gulls", Fraction(25)), begins=Fraction(1000)),),
            )
        ]
        if tape is not None:
            media = Media("gulls", Fraction(25), tape=tape)
            tracks.append(
                Track("P", "P", PICTURE, (TimelineItem(2, "gulls", 0, 10, media=media, begins=Fraction(1000)),))
            )
        timeline = Timeline("cut", Fraction(25), Timecode(0, Fraction(25)), tuple(tracks))
        events = matched(timeline, [clip("a014", 1000, 100, "Tape 9")])
        return [(event.status, event.matters) for event in events if event.track.kind == SOUND]

    assert heard(None) == [("missing", True)] and heard("Tape 8") == [("missing", True)]
    assert heard("Tape 9") == [("missing", False)], "the clip of its picture brings it"


def test_a_list_without_a_rate_is_counted_at_the_least_that_has_its_numbers(monkeypatch: pytest.MonkeyPatch) -> None:
    for last, otherwise, rate in (
        ("24", 25, 25),
        ("25", 25, 30),
        ("29", 24, 30),
        ("30", 25, 50),
        ("50", 25, 60),
        ("27", 30, 30),
    ):
        text = f"TITLE: X\n001 A V C 00:00:00:00 00:00:01:00 00:00:00:{last} 00:00:01:{last}\n"
        assert read_edl(text, Fraction(otherwise)).timeline.rate == rate, last
    event = "{:03} A V C 00:00:00:00 00:00:01:00 00:00:0{}:00 00:00:0{}:00"
    monkeypatch.setattr("idle_quarry.jobs.conform.edl_events._MOST_EVENTS", 3)
    lines = [event.format(n, n, n + 1) for n in range(4)]
    assert len(listed(*lines[:3]).track("V").items) == 3
    with pytest.raises(NotUnderstood, match="more than 3 events"):
        listed(*lines)
    with pytest.raises(NotUnderstood, match="a transition has a length in frames"):
        listed("001 A V D soon 00:00:00:00 00:00:01:00 00:00:00:00 00:00:01:00")


def test_what_lies_below_is_cut_where_the_later_event_begins_and_files_name_their_clips() -> None:
    timeline = listed(
        "001 A V C 00:00:00:00 00:00:02:00 00:00:01:00 00:00:03:00",
        "* FROM CLIP: /old/b/harbour.mov",
        "002 A V C 00:00:00:00 00:00:02:00 00:00:02:00 00:00:04:00",
        "* FROM CLIP: Z:\\old\\gulls.mov",
        "003 A V C 00:00:00:00 00:00:02:00 00:00:03:00 00:00:05:00",
        "* FROM CLIP NAME: mast",
    )
    assert [(item.name, item.at, item.length) for item in timeline.track("V").items] == [
        ("harbour.mov", 0, 25),
        ("gulls.mov", 25, 25),
        ("mast", 50, 50),
    ]


# -- counts at 29.97 and 59.94 ---------------------------------------------------------------------------------------


def events_of(*lines: str, otherwise: Fraction = NTSC, drop: bool | None = None) -> tuple[EdlList, list[Any]]:
    """A list and what it says of each event: record and source as timecodes, and the speed."""
    read = read_edl("\n".join(["TITLE: X", *lines]), otherwise, drop)
    said = [
        (
            str(read.timeline.timecode(item.at)),
            str(item.media.timecode(item.begins)) if item.media is not None else "",
            item.speed,
        )
        for item in read.timeline.tracks[0].items
    ]
    return read, said


def test_each_event_keeps_the_count_of_its_source() -> None:
    """FCM governs what follows it, a mark its own time; one drop-frame tape makes nothing else drop."""
    event = "{:03} TAPE{} V C 10:05:10{}00 10:05:11{}00 01:00:{:02}{}00 01:00:{:02}{}00".format
    by_fcm, said = events_of(
        "FCM: NON-DROP FRAME",
        event(1, 1, ":", ":", 0, ":", 1, ":"),
        "FCM: DROP FRAME",
        event(2, 2, ":", ":", 1, ":", 2, ":"),
        "FCM: NON-DROP FRAME",
        event(3, 3, ":", ":", 2, ":", 3, ":"),
    )
    assert [source for _, source, _ in said] == ["10:05:10:00", "10:05:10;00", "10:05:10:00"]
    assert [record for record, _, _ in said] == ["01:00:00:00", "01:00:01:00", "01:00:02:00"] and by_fcm.drop is False
    first, second, _ = by_fcm.timeline.tracks[0].items
    assert [int(item.begins) for item in (first, second)] == [
        1_089_300,
        1_089_300 - 2 * (605 - 60),
    ]  # 54 of 605 minutes drop nothing
    by_mark, said = events_of(
        "FCM: DROP FRAME", event(1, 1, ":", ":", 0, ";", 1, ";"), event(2, 2, ";", ";", 1, ";", 2, ";")
    )
    assert [(record[8], source[8]) for record, source, _ in said] == [(";", ":"), (";", ";")] and by_mark.drop is True
    unsaid, said = events_of(event(1, 1, ":", ":", 0, ":", 1, ":"))
    assert unsaid.drop is None and said[0][0] == "01:00:00:00"
    assert events_of(event(1, 1, ":", ":", 0, ":", 1, ":"), drop=True)[1][0][0] == "01:00:00;00"


def test_what_a_count_skips_is_a_remark_on_its_event() -> None:
    read, said = events_of("FCM: DROP FRAME", "007 T V C 01:01:00:00 01:01:02:02 01:00:59:28 01:01:02:00")
    assert said == [("01:00:59;28", "01:01:00;02", 1)]
    assert [line for line in read.lost if "event 007, line 3: 01:01:00:00 is a number that drop-frame skips" in line]


def test_a_speed_is_of_its_reel_also_in_a_dissolve() -> None:
    lines = (
        "001 ONE V C 01:00:00:00 01:00:01:00 01:00:00:00 01:00:02:00",
        "002 ONE V C 01:00:01:00 01:00:01:00 01:00:02:00 01:00:02:00",
        "002 TWO V D 010 02:00:00:00 02:00:04:00 01:00:02:00 01:00:04:00",
        "M2 TWO 060.0 02:00:00:00",
        "M2 ONE 015.0 01:00:01:00",
        "M2 THREE 001.0 01:00:00:00",
        "003 TWO NONE C 02:00:00:00 02:00:01:00 01:00:04:00 01:00:05:00",
        "004 TWO V C 02:00:00:00 02:00:01:00 01:00:05:00 01:00:06:00",
        "M2 TWO 029.9 02:00:00:00",
    )
    read, said = events_of("FCM: NON-DROP FRAME", *lines)
    assert [speed for _, _, speed in said] == [Fraction(1, 2), 2, 1]
    assert any("'THREE', which no event has" in line for line in read.lost)
    assert any("event 003, line 9: its channel is NONE" in line for line in read.lost)
    assert [track.name for track in read.timeline.tracks] == ["V"]
    film = events_of(
        "001 A V C 01:00:00:00 01:00:01:00 01:00:00:00 01:00:01:00",
        "M2 A 023.9 01:00:00:00",
        otherwise=Fraction(24000, 1001),
    )[1]
    assert film[0][2] == 1


def test_a_list_past_midnight_keeps_its_order_and_every_event() -> None:
    read, said = events_of(
        "FCM: NON-DROP FRAME",
        "001 A V C 23:59:59:00 00:00:01:00 23:59:58:00 00:00:00:00",
        "002 A V C 00:00:01:00 00:00:03:00 00:00:00:00 00:00:02:00",
        "* LOC: 00:00:01:00 RED there",
        otherwise=Fraction(25),
    )
    items = read.timeline.tracks[0].items
    assert [(item.at, item.length) for item in items] == [(0, 50), (50, 50)] and not read.lost
    assert [record for record, _, _ in said] == ["23:59:58:00", "00:00:00:00"] and items[1].markers[0].at == 25


def test_a_tape_is_found_by_its_numbers_in_its_own_count() -> None:
    """10:05:10:00 of a tape that drops no numbers is frame 1 089 300."""
    line = "001 TAPE1 V C 10:05:10:00 10:05:12:00 01:00:00:00 01:00:02:00"
    tape = ClipOnDisk(Path("/m/x.mov"), "TAPE1", NTSC, 1_089_300, 90)
    for fcm, drops in (("NON-DROP", False), ("DROP", False), ("NON-DROP", True), ("DROP", True)):
        timeline = events_of(f"FCM: {fcm} FRAME", line)[0].timeline
        first = Timecode.from_text(f"10:05:10{';' if drops else ':'}00", NTSC).frames
        [event] = matched(timeline, [replace(tape, first=first, drop=drops)])
        assert event.status == "found" and ("found by its numbers" in event.text) == ((fcm == "DROP") != drops), fcm
        [item] = job_timeline(timeline, [event], lamp_room()).tracks[0].items
        assert item.media is not None and item.begins == first and item.media.drop is drops
    [event] = matched(events_of("FCM: NON-DROP FRAME", line)[0].timeline, [replace(tape, first=1_089_200, frames=300)])
    assert event.clip is not None and event.offset == 0
    [event] = matched(events_of("FCM: DROP FRAME", line)[0].timeline, [replace(tape, first=1_088_210, frames=60)])
    assert event.status == "missing", "frames of the same number lie elsewhere"


def test_a_reel_at_another_rate_is_found_by_its_own_numbers_and_plays_at_its_own_speed() -> None:
    line = "001 FILM1 V C 01:04:10:02 01:04:10:14 01:00:00:00 01:00:01:00\nM2 FILM1 012.0 01:04:10:02"
    seconds = 3600 + 4 * 60 + 10
    film = ClipOnDisk(Path("/m/x.mov"), "FILM1", Fraction(24000, 1001), 24 * seconds, 48)
    pairs = ClipOnDisk(Path("/m/y.mov"), "FILM1", 2 * NTSC, 60 * seconds, 120)
    timeline = events_of("FCM: NON-DROP FRAME", line)[0].timeline
    for clip, first, speed in ((film, 24 * seconds + 2, Fraction(1, 2)), (pairs, 60 * seconds + 4, Fraction(2, 5))):
        [event] = in_reels_counts(matched(timeline, [clip]))
        assert event.status == "found" and event.text.endswith("the list counts it at 29.97: found by its numbers")
        [item] = job_timeline(timeline, [event], lamp_room(), BY_TIME).tracks[0].items
        assert item.begins == first and item.speed == speed, "a whole frame"


COUNTS = [
    (Fraction(rate), drop)
    for rate, drops in (
        (Fraction(24000, 1001), (False,)),
        (24, (False,)),
        (25, (False,)),
        (NTSC, (False, True)),
        (30, (False,)),
        (50, (False,)),
        (2 * NTSC, (False, True)),
    )
    for drop in drops
]


@st.composite
def cut_tracks(draw: st.DrawFn) -> Timeline:
    """A track of pictures at any count, each item of a source of its own count, at any of some speeds."""
    rate, drop = draw(st.sampled_from(COUNTS))
    items, at = [], 0
    for number in range(draw(st.integers(1, 5))):
        source, drops = draw(st.sampled_from(COUNTS))
        length = draw(st.integers(1, 400))
        media = Media(f"clip {number}", source, None, f"TAPE{number}", 0, None, drops)
        begins = Fraction(draw(st.integers(0, 2_000_000)))
        speed = draw(st.sampled_from([Fraction(1), Fraction(1, 2), Fraction(2), Fraction(0)]))
        items.append(TimelineItem(number + 1, f"clip {number}", at, length, media=media, begins=begins, speed=speed))
        at += length + draw(st.sampled_from([0, 0, 7]))
    start = Timecode(draw(st.integers(0, 2_500_000)), rate, drop)
    return Timeline("Any", rate, start, (Track("V", "V", PICTURE, tuple(items)),))


@settings(max_examples=150, deadline=None)
@given(cut_tracks())
def test_a_list_that_is_written_says_what_the_timeline_says(timeline: Timeline) -> None:
    """Each number as OpenTimelineIO counts it, in the timeline's count and in each source's own."""
    track, remarks = timeline.tracks[0], list[str]()
    lines = write_edl(timeline, track, remarks).splitlines()
    assert lines[1] == f"FCM: {'DROP FRAME' if timeline.start.drop else 'NON-DROP FRAME'}"
    rows = [line.split() for line in lines if line[:1].isdigit()]
    assert len(rows) == len(track.items)

    def number(frames: int, rate: Fraction, drop: bool) -> str:
        """Past midnight numbers begin again; of 59.94 pictures the library drops none (ST 12-1 drops four)."""
        day = round(rate) * 86400 - (2592 if drop else 0)
        time = otio.opentime.RationalTime(frames % day, float(rate))
        return str(otio.opentime.to_timecode(time, float(rate), drop))

    for row, item in zip(rows, track.items, strict=True):
        if timeline.rate != 2 * NTSC or not timeline.start.drop:
            begin = timeline.start.frames + item.at
            assert row[6:8] == [
                number(frame, timeline.rate, timeline.start.drop) for frame in (begin, begin + item.length)
            ]
        media, most = item.media, round(timeline.rate)
        assert media is not None
        told = round(media.rate) <= most and (not media.drop or timeline.rate in (NTSC, 2 * NTSC))
        if told and not (media.rate == 2 * NTSC and media.drop):
            assert row[4] == number(int(item.begins), media.rate, media.drop)
        speeds = [line.split()[2] for line in lines if line.startswith(f"M2   {media.tape}")]
        if item.speed != 1 and told:
            assert speeds == [f"{float(item.speed * round(media.rate)):05.1f}"]


def test_speeds_are_rounded_to_a_tenth_and_that_is_told() -> None:
    media = Media("x", Fraction(24000, 1001), None, "A", 0, None)
    item = TimelineItem(1, "x", 0, 40, media=media, speed=Fraction(1, 2))
    slow = Timeline("X", media.rate, Timecode(0, media.rate), (Track("V", "V", PICTURE, (item,)),))
    assert "M2   A              012.0" in write_edl(slow, slow.tracks[0])
    odd, remarks = replace(item, speed=Fraction(111, 1000)), list[str]()
    text = write_edl(
        slow.with_tracks({"V": Track("V", "V", PICTURE, (odd,))}), Track("V", "V", PICTURE, (odd,)), remarks
    )
    assert "002.7" in text and "11.100% is written as 002.7" in remarks[0]

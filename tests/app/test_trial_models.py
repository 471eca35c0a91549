"""What the trial works with, without a window: what a picture costs, what is laid, what is shown of a timeline and
heard.
"""

from __future__ import annotations

import random
import shutil
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QSize
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot
from tests.conftest import CLIPS, demo_template

from idle_quarry.app.desk import Desk
from idle_quarry.app.drawing.lanes.kept_lanes import KeptLanes
from idle_quarry.app.drawing.lanes.lane_geometry import ItemLook, Scale
from idle_quarry.app.models.jobs.job_list import AS_STARTED, CHANGED
from idle_quarry.app.models.jobs.jobs import Jobs
from idle_quarry.app.models.jobs.material.material_rows import MaterialRow
from idle_quarry.app.models.jobs.trial.costs import LACKING, LOSSY, NO_CLASS, NO_CLIP, OFF_SPEED, Costs
from idle_quarry.app.models.jobs.trial.open_timeline import OpenTimeline
from idle_quarry.app.models.jobs.trial.pieces import pieces_between, pieces_of, speed_in
from idle_quarry.app.models.jobs.trial.sources import (
    ClipSource,
    KnownClip,
    TimelineSource,
    canvas_words,
    media_of,
    place_of,
)
from idle_quarry.app.preferences import Preferences
from idle_quarry.errors import NotPossible
from idle_quarry.jobs.cutting import edits
from idle_quarry.jobs.cutting.timeline import PICTURE, SOUND, TITLE, Media, Timeline, TimelineItem, Track
from idle_quarry.jobs.cutting.timeline_files import keep, read_timeline
from idle_quarry.jobs.material import (
    JobClip,
    JobClipStatus,
    class_of,
    make_proxy,
    proxy_of,
    read_material,
    write_material,
)
from idle_quarry.jobs.start import start_job
from idle_quarry.library import FileLibrary
from idle_quarry.media import Clip, inspect
from idle_quarry.media.kept_measurements import identity
from idle_quarry.media.looking import look
from idle_quarry.media.stills import FrameSource, shown
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.policies import Policy
from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import Proxy
from idle_quarry.printing import write_pdf
from idle_quarry.signal.rasters import Raster
from idle_quarry.signal.timecode import Timecode

RATE = Fraction(25)
WIDE, TALL = Raster(1920, 1080), Raster(1080, 1920)
LAMP: Template = demo_template("The Lamp Room")


def row(name: str, state: str = "linked") -> MaterialRow:
    clip = look(CLIPS / name)
    source, result = class_of(JobClip(clip.path, ""), clip, LAMP)
    fits = result is not None and result.source is not None
    return MaterialRow(JobClipStatus(JobClip(clip.path, ""), state), clip, source, fits, "")


def timeline(*lanes: tuple[str, str, list[TimelineItem]]) -> Timeline:
    tracks = tuple(Track(ident, ident, kind, tuple(items)) for ident, kind, items in lanes)
    return Timeline("reel", RATE, Timecode(0, RATE), tracks)


def laid(clip: Clip, at: int = 0, length: int = 20, ident: int = 1, speed: Fraction = Fraction(1)) -> TimelineItem:
    media = media_of(clip)
    return TimelineItem(ident, media.name, at, length, media=media, begins=Fraction(media.first), speed=speed)


def test_what_an_item_costs_is_its_clips_link() -> None:
    bare = Costs(evaluate(LAMP, remedies=False), {}, looked=False)
    assert bare.cost_of(laid(look(CLIPS / "lamp tape 014.mpg"))) == NO_CLASS, "none is missing before any was looked at"
    tape, scan, wide = (row(name) for name in ("lamp tape 014.mpg", "lamp scan 3.mov", "lamp tape 021 wide.mpg"))
    gone = replace(
        row("lamp tape 031 edges.mpg"), row=JobClipStatus(JobClip(CLIPS / "lamp tape 031 edges.mpg", ""), "missing")
    )
    known = {str(element.entry.path): element for element in (tape, scan, wide, gone)} | {"/brought/scan.mxf": scan}
    costs = Costs(evaluate(LAMP, remedies=False), known)

    def cost(clip_row: MaterialRow) -> str:
        assert clip_row.clip is not None
        return costs.cost_of(laid(clip_row.clip))

    assert [cost(element) for element in (tape, scan, wide, gone)] == ["lossy", "clean", NO_CLASS, NO_CLIP]
    brought = TimelineItem(2, "scan", 0, 5, media=Media("scan", RATE, "/brought/scan.mxf"))
    assert costs.cost_of(brought) == "exact", "what was brought in is the intermediate already"
    assert costs.cost_of(TimelineItem(3, "a card", 0, 5, TITLE)) == ""
    assert costs.cost_of(TimelineItem(4, "lost", 0, 5, media=Media("lost", RATE, "/nowhere/lost.mov"))) == NO_CLIP
    assert tape.clip is not None and scan.clip is not None
    lane, item = Track("p", "p", PICTURE), laid(tape.clip)
    assert costs.wanted(LOSSY)(lane, item) and not costs.wanted(LOSSY)(lane, laid(scan.clip))
    assert not costs.wanted(LOSSY)(Track("s", "s", SOUND), item), "sound is not what is lossy"
    assert costs.wanted(OFF_SPEED)(lane, replace(item, speed=Fraction(24, 25))) and not costs.wanted(OFF_SPEED)(
        lane, item
    )
    assert costs.wanted(LACKING)(lane, TimelineItem(4, "lost", 0, 5, media=Media("lost", RATE, "/nowhere/lost.mov")))
    assert costs.wanted(" Tape Archive ")(lane, item) and costs.wanted("tape 014")(lane, item)
    assert costs.wanted("graded")(lane, replace(item, note="to be Graded")) and not costs.wanted("graded")(lane, item)


def test_clips_are_laid_with_their_sound_at_the_speed_of_their_class(desk: Desk, tmp_path: Path) -> None:
    """24 frames a second that the template plays as 25 run faster, every picture once; others keep their time."""
    target = OpenTimeline(desk, tmp_path / "x.otio", timeline(("p", PICTURE, []), ("s", SOUND, [])), WIDE, None)
    both = look(CLIPS / "stone commentary.mov")
    pieces = pieces_of(both, (10, 35), target, Fraction(1))
    assert [(ident, item.length) for ident, item in pieces] == [("p", 25), ("s", 25)]
    assert pieces_of(look(CLIPS / "gauge A004.mp4"), (10, 60), target, Fraction(1))[0][1].length == 25, "of 50 a second"
    result = edits.add(target.timeline, pieces)
    assert len({item.link for _, item in result.items}) == 1 and next(result.items)[1].link is not None
    alone = pieces_of(inspect(CLIPS / "gauge location tone.wav"), (None, None), target, Fraction(1))
    assert [ident for ident, _ in alone] == ["s"] and alone[0][1].link is None
    film = look(CLIPS / "train 03.mov")
    assert film.format is not None and film.format.rate == Fraction(24000, 1001)
    source = LAMP.sources[0].model_copy(update={"policy": LAMP.sources[0].policy.with_parts(retime="speed")})
    speed = speed_in(film, source, LAMP)
    assert speed == Fraction(25 * 1001, 24000) and speed_in(film, None, LAMP) == 1
    item = pieces_of(film, (0, 20), target, speed)[0][1]
    assert item.length == 20 and item.step(RATE) == 1, "frame for frame"
    assert pieces_of(film, (0, 20), target, Fraction(1))[0][1].length == 20 * 25 * 1001 // 24000


def test_what_is_meant_of_a_timeline_goes_to_the_same_tracks_of_another(desk: Desk, tmp_path: Path) -> None:
    clip = look(CLIPS / "gauge A004.mp4")
    items = [replace(laid(clip, at, 20, ident), link=ident) for at, ident in ((0, 1), (20, 2))]
    sounds = [replace(element, ident=element.ident + 10) for element in items]
    given = timeline(("p", PICTURE, items), ("q", PICTURE, []), ("s", SOUND, sounds))
    origin = OpenTimeline(desk, tmp_path / "a.otio", given, WIDE, None)
    target = OpenTimeline(desk, tmp_path / "b.otio", timeline(("q", PICTURE, []), ("t", SOUND, [])), WIDE, None)
    between = pieces_between(origin, (10, 30), None, target)
    assert [(ident, item.at, item.length) for ident, item in between] == [
        ("q", 0, 10),
        ("q", 10, 10),
        ("t", 0, 10),
        ("t", 10, 10),
    ]
    assert between[0][1].begins == items[0].begins + 10 * 2, "50 frames a second of the media in 25"
    chosen = pieces_between(origin, (0, 40), frozenset([2]), target)
    assert [(ident, item.at) for ident, item in chosen] == [("q", 20), ("t", 20)], "and what belongs to it"
    other = OpenTimeline(desk, tmp_path / "c.otio", replace(target.timeline, rate=Fraction(24)), WIDE, None)
    with pytest.raises(NotPossible, match="counts at 25"):
        pieces_between(origin, (10, 30), None, other)
    result = edits.lay_over(target.timeline, 5, between)
    links = [item.link for _, item in result.items]
    assert len(set(links)) == 2 and all(links.count(link) == 2 for link in links), (
        "picture and sound belong together still"
    )


def test_two_windows_on_one_timeline_never_overwrite_each_other(desk: Desk, tmp_path: Path, qtbot: QtBot) -> None:
    path = tmp_path / "Programme.otio"
    first_state = keep(path, timeline(("p", PICTURE, [])))
    one, other = (OpenTimeline(desk, path, read_timeline(path, RATE), WIDE, None, first_state) for _window in range(2))
    words: list[tuple[str, tuple[str, Callable[[], object]] | None]] = []
    desk.message.connect(lambda text, _refusal, action: words.append((text, action)))

    def add(opened: OpenTimeline, name: str) -> None:
        opened.edit("add", lambda now: edits.add(now, [("p", TimelineItem(0, name, 0, 5, TITLE))]))

    def names() -> list[str]:
        return [item.name for _, item in read_timeline(path, RATE).items]

    add(one, "mine")
    qtbot.waitUntil(lambda: not one.behind)
    add(other, "theirs")
    qtbot.waitUntil(lambda: other.refused)
    add(other, "more of theirs")
    qtbot.waitUntil(lambda: len(words) > 1)
    assert names() == ["mine"] and "changed by another window" in words[0][0]
    action = words[0][1]
    assert action is not None
    action[1]()
    qtbot.waitUntil(lambda: [item.name for _, item in other.timeline.items] == ["mine"])
    assert not other.behind
    other.undo()
    qtbot.waitUntil(lambda: names() == ["theirs", "more of theirs"])
    add(one, "late")
    qtbot.waitUntil(lambda: one.refused)
    one.close()  # it was not looked at: it is kept beside
    assert names() == ["theirs", "more of theirs"]
    beside = read_timeline(tmp_path / "Programme kept beside.otio", RATE)
    assert [item.name for _, item in beside.items] == ["mine", "late"]


def test_what_was_not_written_yet_is_written_at_the_end(desk: Desk, tmp_path: Path) -> None:
    """Edits that came faster than the file, and one made when nothing is written on other threads any more."""
    path = tmp_path / "Programme.otio"
    opened = OpenTimeline(desk, path, timeline(("p", PICTURE, [])), WIDE, None)
    for n in range(12):
        opened.edit("add", lambda now, n=n: edits.add(now, [("p", TimelineItem(0, f"card {n}", 0, 5, TITLE))]))  # type: ignore[misc]
    opened.undo()
    assert opened.behind and (opened.undoable, opened.redoable, opened.count) == ("add", "add", 11)
    desk.workers.close()
    opened.edit("add", lambda now: edits.add(now, [("p", TimelineItem(0, "the last", 0, 5, TITLE))]))
    assert opened.redoable == "", "what was undone is gone when something else is done"
    opened.close()
    kept = [(item.name, item.at) for _, item in read_timeline(path, RATE).items]
    assert kept == [(item.name, item.at) for _, item in opened.timeline.items]
    assert kept[-2:] == [("card 10", 50), ("the last", 55)]
    before = opened.timeline
    opened.choose(frozenset([1, 2]))
    assert not opened.edit("nothing", lambda now: now) and not opened.edit("bad", lambda now: edits.remove(now, [999]))
    assert opened.timeline is before and opened.range() == (0, 10)
    opened.mark("out", 3)
    opened.mark("in", 8)
    assert (opened.mark_in, opened.mark_out) == (8, None), "an out before its in is none"
    assert opened.range() == (8, before.end)


def test_pictures_lie_where_the_template_puts_them() -> None:
    tape, scan = look(CLIPS / "lamp tape 014.mpg"), look(CLIPS / "lamp scan 3.mov")
    inside, fill = Policy(fit="inside"), Policy(fit="fill")
    left, top, wide, high = place_of(tape, WIDE, inside)
    assert wide == pytest.approx(720 / 702 * 0.75, abs=2e-3) and left == pytest.approx((1 - wide) / 2, abs=2e-3)
    assert top == pytest.approx(0) and high == pytest.approx(1)
    assert place_of(scan, WIDE, inside) == (0, 0, 1, 1)
    left, top, wide, high = place_of(scan, TALL, fill)
    assert (
        (top, high) == (0, 1) and wide == pytest.approx((16 / 9) / (9 / 16)) and left == pytest.approx((1 - wide) / 2)
    )
    moved = place_of(scan, TALL, fill, (Fraction(1, 10), Fraction(0)))
    assert moved[0] == pytest.approx(left + 0.1)
    assert canvas_words(scan, TALL, fill, None) == "68.4 % of the picture is cropped"
    assert (
        canvas_words(scan, TALL, inside, (Fraction(0), Fraction(1, 20)))
        == "all of the picture is seen, 68.4 % of the canvas stays black, shifted by 0 % across and 5 % down"
    )
    assert canvas_words(scan, WIDE, fill, None) == "fills it as it is"


def test_each_frame_is_the_clips_own_and_what_lacks_is_said(tmp_path: Path) -> None:
    tape = look(CLIPS / "lamp tape 014.mpg")
    card, lost = (
        TimelineItem(2, "card", 20, 5, TITLE),
        TimelineItem(3, "lost", 25, 5, media=Media("lost", RATE, str(tmp_path / "lost.mov"))),
    )
    long = replace(laid(tape, 30, 10, 4), begins=Fraction(media_of(tape).first + 10_000))
    source = TimelineSource(
        timeline(("p", PICTURE, [laid(tape), card, lost, long])),
        WIDE,
        None,
        {str(tape.path): KnownClip(tape, Policy(), False)},
    )
    assert (source.rate, source.length, source.heard) == (RATE, 40, False)
    with FrameSource(tape) as frames:
        for at in (0, 7, 19, 3):
            seen, own = source.seen(at, 0), frames.frame(at)
            assert own is not None and seen.rgb is not None and seen.quick and seen.order == "bottom"
            np.testing.assert_array_equal(seen.rgb, shown(own, tape))
    small = source.seen(7, 200)
    assert small.rgb is not None and small.rgb.shape[0] == 576 // 2, "while it plays every second line: one field"
    assert source.seen(22, 0).words == "card: a title"
    assert source.seen(26, 0).words == "lost: its clip is not among the job's" and source.seen(26, 0).rgb is None
    assert "no such frame" in source.seen(32, 0).words
    source.close()
    alone = ClipSource(tape)
    assert (
        alone.length == tape.declared.frames
        and alone.aspect == pytest.approx(4 / 3, abs=0.05)
        and not alone.seen(3, 0).quick
    )
    alone.close()
    heard = ClipSource(look(CLIPS / "gauge location tone.wav"))
    assert heard.aspect == pytest.approx(16 / 9) and heard.seen(0, 0).rgb is None, (
        "sound alone has no picture, and plays"
    )
    sounding = ClipSource(look(CLIPS / "stone ambience.mov"))
    assert sounding.heard and np.abs(sounding.sound(0, 4800)).max() > 0
    sounding.close()


def test_a_proxy_is_made_once_kept_and_played_in_its_place(tmp_path: Path) -> None:
    template = edited(LAMP, Edit("proxy", Proxy(divisor=4)))
    folder, clip = tmp_path / "job", look(CLIPS / "lamp tape 014.mpg")
    folder.mkdir()
    entry = JobClip(clip.path, "")
    source, _ = class_of(entry, clip, template)
    assert source is not None
    entry = replace(entry, content=identity(clip.path))
    shares: list[float] = []
    result = make_proxy(entry, clip, source, template, folder, shares.append)
    assert result.path.parent.name == "Proxies" and shares[-1] == 1
    small = inspect(result.path).declared
    assert (small.width, small.height, small.rate) == (480, 270, RATE)
    write_material(folder, [replace(entry, proxy=result)])
    kept = read_material(folder)[0]
    assert proxy_of(kept) == result and proxy_of(replace(kept, content="another")) is None
    known = {str(clip.path): KnownClip(clip, source.policy, False, str(result.path))}
    playing = TimelineSource(timeline(("p", PICTURE, [laid(clip)])), WIDE, None, known)
    seen = playing.seen(6, 300)
    assert seen.rgb is not None and seen.rgb.shape[:2] == (270, 480) and not seen.quick and "its proxy" in seen.words
    assert playing.seen(6, 0).quick, "a held picture is the clip's own"
    playing.close()


@pytest.fixture
def desk(qapp: object, library: FileLibrary, tmp_path: Path) -> object:
    result = Desk(library, Preferences(jobs_folder=str(tmp_path)))
    yield result
    result.close()


def test_jobs_are_looked_for_and_nothing_asked_of_their_clips_is_lost(
    desk: Desk, library: FileLibrary, tmp_path: Path, qtbot: QtBot
) -> None:
    template = edited(LAMP, Edit("timecode.line_up_length_s", 1))
    for title, named in (("Gull count", "The Lamp Room"), ("Harbour lights", "Night work")):
        given = edited(template, Edit("name", named))
        stored = library.stored(library.save_new(given, "own", "").template_id)
        job = start_job(stored, title, tmp_path, write_pdf, "Runa")
        library.record_job(title, job.folder, stored)
        job.note.forget()
    (tmp_path / "Gull count" / "notes.txt").write_text("what was not there")
    jobs: Jobs = desk.jobs
    jobs.reload()
    qtbot.waitUntil(lambda: all(jobs.result(item.id) is not None for item in jobs.records), timeout=30000)

    def titles(*sought: str) -> list[str]:
        return sorted(item.title for item in jobs.sought(*sought))

    assert titles("", "", "") == ["Gull count", "Harbour lights"]
    assert titles("LIGHTS night", "", "") == ["Harbour lights"] and titles("gull lights", "", "") == []
    assert titles("", "Night work", "") == ["Harbour lights"]
    assert titles("", "", CHANGED) == ["Gull count"] and titles("", "", AS_STARTED) == ["Harbour lights"]
    assert titles("1 change", "", "") == ["Gull count"]

    # asked one after the other while a look is under way: each is done, and each is told
    jobs.choose(next(record.id for record in jobs.records if record.title == "Gull count"))
    material, lines = jobs.material, list[str]()
    names = ("lamp scan 3.mov", "lamp tape 014.mpg", "lamp tape 031 edges.mpg")
    paths = [Path(shutil.copy(CLIPS / name, tmp_path)) for name in names]
    for path in paths:
        material.add([path], lambda name=path.name: lines.append(name))  # type: ignore[misc]
    material.choose_class([paths[0]], "tapes", lambda: lines.append("class"))
    qtbot.waitUntil(lambda: len(material.rows) == 3 and not material.doing, timeout=60000)
    assert lines == [*names, "class"]
    assert {item.path: item.source for item in read_material(tmp_path / "Gull count")} == {
        paths[0]: "tapes",
        paths[1]: "",
        paths[2]: "",
    }


def test_lanes_drawn_where_they_changed_are_those_drawn_anew(qapp: QApplication) -> None:
    media = Media("m", RATE, "/m.mov", None, 0, 100_000)

    def lane(kind: str, number: int) -> list[TimelineItem]:
        lengths = (3, 1, 40, 200, 7) * 30
        starts = [sum(lengths[:n]) + n // 7 for n in range(len(lengths))]
        return [
            TimelineItem(
                1000 * number + n + 1,
                f"clip {n}",
                at,
                long,
                media=media,
                enabled=n % 9 > 0,
                colour="amber" if n % 11 == 0 else "",
            )
            for n, (at, long) in enumerate(zip(starts, lengths, strict=True))
        ]

    kinds = (PICTURE, PICTURE, SOUND)
    given = timeline(*((f"t{n}", kind, lane(kind, n)) for n, kind in enumerate(kinds)), ("empty", PICTURE, []))
    rng, size, kept = random.Random(5), QSize(700, 150), KeptLanes()
    costs = ("exact", "clean", "lossy", "broken", "missing", "")
    seen: set[int] = set()
    chosen: frozenset[int] = frozenset()
    scale = Scale(0.0, 0.09)
    for step in range(60):
        ident = rng.choice([item.ident for _, item in given.items])
        track, item = given.item(ident)
        at = rng.randrange(given.end)
        piece = [(track.ident, replace(item, at=0, ident=0, link=None))]
        choices = (
            lambda: edits.put_in(given, at, piece),  # noqa: B023
            lambda: edits.lay_over(given, at, piece),  # noqa: B023
            lambda: edits.take_out(given, at, at + 30),  # noqa: B023
            lambda: edits.switched(given, [ident], on=not item.enabled),  # noqa: B023
            lambda: edits.split(given, at),  # noqa: B023
        )
        if step % 4 == 3:
            chosen = frozenset({ident}) if step % 8 == 3 else chosen - {ident} | {at % 100}
        else:
            given = rng.choice(choices)()
        if step % 13 == 12:
            scale = Scale(rng.uniform(0, 4000), rng.choice((0.04, 0.3, 4.0)))
        how = given, scale, size, 1.0, lambda each: ItemLook(costs[each.ident % 6])
        image = kept.drawn(*how, chosen=chosen).toImage()
        assert image == KeptLanes().drawn(*how, chosen=chosen).toImage(), step
        seen.add(hash(bytes(image.constBits())))
    assert len(seen) > 25  # they did change
    kept.forget()
    assert kept.drawn(given, scale, size, 1.0, lambda _each: ItemLook("exact"), chosen=chosen).toImage() != image

"""Renders: what divides a timeline, what makes a piece another, that pictures are the conversion's own, and what
survives a kill.
"""

from __future__ import annotations

import contextlib
import errno
import json
import os
import random
import threading
import time
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from itertools import count, islice
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from tests.conftest import CLIPS, small_lamp_room
from tests.forking import Forking
from tests.jobs.test_trial import item, timeline

from idle_quarry.app.models.jobs.renders.words import anew_words
from idle_quarry.cli.main import run
from idle_quarry.errors import JobError, MediaError, NotPossible
from idle_quarry.jobs.check import check_job
from idle_quarry.jobs.cutting import edits
from idle_quarry.jobs.cutting.timeline import TITLE, Media, Timeline, TimelineItem, Transition
from idle_quarry.jobs.cutting.timeline_files import keep, read_timeline, timelines_in
from idle_quarry.jobs.material import read_material, taken_in, write_material
from idle_quarry.jobs.renders import task_run
from idle_quarry.jobs.renders.impact import anew
from idle_quarry.jobs.renders.making import render
from idle_quarry.jobs.renders.pieces import Canvas, Piece, PieceState, Stock, pieces_of
from idle_quarry.jobs.renders.queue import FileQueue, TaskStage, TaskState
from idle_quarry.jobs.renders.recipe import Recipe, from_json, to_json
from idle_quarry.jobs.renders.render_folder import answer, settled
from idle_quarry.jobs.renders.status import (
    Programme,
    cost_of,
    programmes_of,
    shown_by_none,
    shown_first,
    stock_of,
    stood,
    wanted_of,
)
from idle_quarry.jobs.renders.store import RenderStore
from idle_quarry.jobs.renders.worker import Worker
from idle_quarry.jobs.start import start_job
from idle_quarry.library import FileLibrary
from idle_quarry.media.inspecting import inspect
from idle_quarry.media.kept_measurements import identity
from idle_quarry.media.looking import look
from idle_quarry.media.material import clip_material
from idle_quarry.media.pictures import Reader
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.policies import Policy
from idle_quarry.path.registry import codecs
from idle_quarry.picture.link import Conversion
from idle_quarry.picture.planes import planes_of_codes
from idle_quarry.printing import write_pdf
from idle_quarry.signal.words import format_from_words

SMALL = Canvas(format_from_words("576i25 16:9"), codecs()["v210"])
WIDE = Canvas(format_from_words("1080i25"), codecs()["v210"])
TAPE, SCAN = CLIPS / "lamp tape 014.mpg", CLIPS / "lamp scan 3.mov"


def known(*paths: Path, policy: Policy | None = None) -> dict[str, Stock]:
    return {str(path): Stock(look(path), identity(path), policy or Policy()) for path in paths}


def shot(path: Path, ident: int, at: int, length: int, begins: int = 0, **more: object) -> TimelineItem:
    media = Media(path.stem, Fraction(25), str(path), frames=50)
    return replace(TimelineItem(ident, path.stem, at, length, media=media, begins=Fraction(begins)), **more)  # type: ignore[arg-type]


def supposed(count: int = 300, length: int = 30) -> tuple[Timeline, dict[str, Stock]]:
    """A timeline of clips that are only supposed, and what would be known of them."""
    clip = replace(look(TAPE), format=format_from_words("576i25 bff"))
    result = timeline(low=[item(n + 1, n * length, length, f"c{n}") for n in range(count)])
    return result, {f"/clips/c{n}.mov": Stock(clip, f"content {n}") for n in range(count)}


def identities(pieces: list[Piece]) -> list[str]:
    return [piece.recipe.identity for piece in pieces if piece.recipe is not None]


def test_one_changed_clip_of_three_hundred_makes_only_its_own_pieces_others() -> None:
    given, stock = supposed()
    before = identities(pieces_of(given, WIDE, stock))
    assert len(set(before)) == len(before) == 300
    slipped = edits.slip(given, 150, 7)
    after = identities(pieces_of(slipped, WIDE, stock))
    assert [n for n, (a, b) in enumerate(zip(before, after, strict=True)) if a != b] == [149]
    assert identities(pieces_of(edits.slip(slipped, 150, -7), WIDE, stock)) == before
    moved = edits.put_in(given, 30, [("low", replace(given.item(9)[1], at=0, ident=0))])
    assert set(identities(pieces_of(moved, WIDE, stock))) == set(before), (
        "moved and laid a second time, none is another"
    )
    renamed = replace(given, name="other", tracks=(replace(given.tracks[0], name="Pictures", ident="x"),))
    assert identities(pieces_of(renamed, WIDE, stock)) == before
    elsewhere = {
        path: replace(item, clip=replace(item.clip, path=Path("/moved")))  # type: ignore[type-var]
        for path, item in stock.items()
    }
    assert identities(pieces_of(given, WIDE, elsewhere)) == before
    for other in (
        Canvas(WIDE.format, codecs()["rdd36-hq"]),
        Canvas(format_from_words("1080p25"), WIDE.codec),
        replace(WIDE, fit="fill"),
    ):
        assert not set(identities(pieces_of(given, other, stock))) & set(before)
    changed = {path: replace(element, policy=Policy(kernel="bicubic")) for path, element in stock.items()}
    assert not set(identities(pieces_of(given, WIDE, changed))) & set(before)
    called = WIDE.codec.model_copy(update={"name": "ours"})
    assert identities(pieces_of(given, Canvas(WIDE.format, called), stock)) == before, "a name changes no picture"


def test_what_is_not_seen_divides_nothing_and_long_clips_are_divided_on_their_own_count() -> None:
    clip = replace(look(TAPE), format=format_from_words("576i25 bff"))
    stock = {f"/clips/{name}.mov": Stock(clip, name) for name in ("long", "over")}
    long = item(1, 0, 1000, "long", begins=100)
    result = timeline(low=[long], s1=[item(7, 40, 9), item(8, 300, 9)])
    pieces = pieces_of(result, WIDE, stock)
    assert [(piece.first, piece.last) for piece in pieces] == [
        (0, 150),
        (150, 400),
        (400, 650),
        (650, 900),
        (900, 1000),
    ]
    head = pieces_of(edits.trim(result, 1, "start", 30), WIDE, stock)
    assert identities(head)[-4:] == identities(pieces)[1:], "a trimmed start makes only the first anew"
    cut = edits.split(result, 200)
    assert pieces_of(cut, WIDE, stock) == pieces, "a cut through what goes on is none"
    over = edits.lay_over(timeline(low=[long], high=[]), 500, [("high", item(0, 0, 50, "over"))])
    assert [(p.first, p.last) for p in pieces_of(over, WIDE, stock)][2:6] == [
        (400, 500),
        (500, 550),
        (550, 650),
        (650, 900),
    ]
    hidden = edits.split(over, 520, ["low"])
    assert pieces_of(hidden, WIDE, stock) == pieces_of(over, WIDE, stock)


def test_what_plays_as_it_is_and_what_cannot_be_rendered_is_told() -> None:
    exact = replace(look(SCAN), format=WIDE.format)
    stock = {
        "/clips/same.mov": Stock(exact, "same"),
        "/clips/bad.mov": Stock(None, why="its file is missing"),
        "/clips/held.mov": Stock(exact, "held", held=True),
        "/clips/film.mov": Stock(replace(exact, format=format_from_words("1080p24")), "film", Policy(retime="refuse")),
    }
    lanes = [
        item(1, 0, 10, "same"),
        item(2, 10, 10, "bad"),
        item(3, 20, 10, "held"),
        item(4, 30, 10, "film"),
        item(5, 40, 10, "who"),
    ]
    title = TimelineItem(6, "end", 50, 10, TITLE)
    slow = replace(item(7, 70, 10, "same"), speed=Fraction(1, 2))
    pieces = pieces_of(timeline(low=[*lanes, title, slow]), WIDE, stock)
    assert [(piece.state, piece.frames) for piece in pieces] == [
        (PieceState.EXACT, 10),
        (PieceState.FAILED, 10),
        (PieceState.EXACT, 10),
        (PieceState.FAILED, 10),
        (PieceState.FAILED, 10),
        (PieceState.MISSED, 10),
        (PieceState.MISSED, 10),
        (PieceState.MISSED, 10),
    ]
    assert "missing" in pieces[1].text and "rate" in pieces[3].text and "among the job's" in pieces[4].text
    assert pieces[5].recipe is not None and pieces[5].recipe.shown is None and "black" in pieces[5].text
    assert pieces[7].recipe is not None and pieces[7].recipe.shown is not None and pieces[7].recipe.shown.whole
    tall = Canvas(format_from_words("1080p25"), codecs()["d10-50"])
    assert [piece.state for piece in pieces_of(timeline(low=lanes), tall, stock)] == [PieceState.FAILED]


def decoded(path: Path) -> list[tuple[np.ndarray, ...]]:
    declared = inspect(path).declared
    with Reader(path, declared) as reader:
        return [(picture.luma, *(picture.chroma or ())) for picture in reader.onward(0)]


def own(
    path: Path, canvas: Canvas, policy: Policy, shift: tuple[float, float] = (0, 0)
) -> Iterator[tuple[np.ndarray, ...]]:
    """The pictures of a whole clip as its conversion makes them."""
    with contextlib.closing(clip_material(look(path))) as material:
        conversion = Conversion(material.format, canvas.format, policy, shift)
        yield from (conversion.codes(index, material.frame) for index in range(50))


def test_rendered_pictures_are_the_conversions_own_at_every_border(tmp_path: Path) -> None:
    policy = Policy(rounding="round")
    output = timeline(
        low=[
            shot(TAPE, 1, 0, 12, begins=3), shot(SCAN, 2, 12, 6), shot(TAPE, 3, 20, 4, begins=8, speed=Fraction(0)),
            shot(SCAN, 4, 24, 4, begins=30, speed=Fraction(-1)), shot(SCAN, 5, 28, 3, begins=4, place=(Fraction(1,
            10), Fraction(0))),
            shot(TAPE, 6, 31, 8, begins=10), shot(TAPE, 7, 39, 8, begins=30),
        ],
        high=[shot(SCAN, 8, 4, 3, begins=20)],
    )  # fmt: skip
    low = replace(output.tracks[0], transitions=(Transition("dissolve", "SMPTE_Dissolve", 39, 2, 3),))
    output = replace(output, tracks=(low, *output.tracks[1:]))
    pieces = pieces_of(output, SMALL, known(TAPE, SCAN, policy=policy))
    result: list[tuple[np.ndarray, ...]] = []
    for number, piece in enumerate(pieces):
        assert piece.recipe is not None and piece.first == len(result)
        assert from_json(json.loads(json.dumps(to_json(piece.recipe)))) == piece.recipe
        path = tmp_path / f"{number}.mov"
        render(piece.recipe, path)
        shown = decoded(path)
        assert len(shown) == piece.frames
        result += shown
    assert len(result) == output.end and pieces[-1].last == output.end
    tape, scan = list(islice(own(TAPE, SMALL, policy), 38)), list(islice(own(SCAN, SMALL, policy), 23))
    whole = replace(SMALL, format=replace(SMALL.format, scan="progressive", field_order=None))
    tape_whole, scan_whole = list(islice(own(TAPE, whole, policy), 9)), list(islice(own(SCAN, whole, policy), 31))
    moved = list(islice(own(SCAN, SMALL, policy, (72.0, 0)), 7))
    black = (np.full((576, 720), 64), *[np.full((576, 360), 512)] * 2)
    wanted = [*tape[3:7], *scan[20:23], *tape[10:15], *scan[:6], black, black, *[tape_whole[8]] * 4]
    wanted += [*scan_whole[30:26:-1], *moved[4:7], *tape[10:16]]
    for number, (one, other) in enumerate(zip(result[:37], wanted, strict=True)):
        assert all(np.array_equal(a, b) for a, b in zip(one, other, strict=True)), number
    for number in range(5):  # the change: from a sixth to five sixths, in signal values
        share = (number + 1) / 6
        one, other = (
            planes_of_codes(element, SMALL.format.encoding) for element in (tape[16 + number], tape[28 + number])
        )
        there = planes_of_codes(result[37 + number], SMALL.format.encoding)
        for a, b, c in zip(one, other, there, strict=True):
            assert np.abs((1 - share) * a + share * b - c).max() < 1.6 / 876  # each of three was rounded to a code
    assert all(np.array_equal(a, b) for a, b in zip(result[-1], tape[37], strict=True))


def black(frames: int, number: int = 0) -> Recipe:
    """A piece of black; those of other numbers are other pieces."""
    return Recipe(replace(SMALL.format, rate=Fraction(25 + number)), SMALL.codec, frames, None)


def test_only_what_is_whole_is_kept(tmp_path: Path) -> None:
    store, recipe = RenderStore(tmp_path / "renders"), black(3)
    calls = []

    def make(each: Recipe, path: Path) -> None:
        calls.append(path)
        render(each, path)

    assert store.find(recipe) is None and store.all() == []
    kept = store.render(recipe, make)
    assert store.render(recipe, make) == kept and len(calls) == 1 and kept.bytes == kept.path.stat().st_size
    assert len(decoded(kept.path)) == 3 and store.all() == [kept] and store.strangers() == []
    data = kept.path.read_bytes()
    for harm in (data[:-1], data[: len(data) // 2], b"", data[:-100] + bytes(100), bytes(100) + data[100:]):
        kept.path.write_bytes(harm)
        assert store.find(recipe) is None and RenderStore(store.folder).find(recipe) is None and store.all() == []
        assert store.render(recipe, make).path.read_bytes() == data
    record = next(store.folder.glob("??/*.json"))
    for text in ("", "{", "[]", record.read_text()[:-40], record.read_text().replace(recipe.identity, "0" * 64)):
        kept_text = record.read_text()
        record.write_text(text)
        assert RenderStore(store.folder).find(recipe) is None
        record.write_text(kept_text)
    assert store.find(recipe) is not None

    def fails(_recipe: Recipe, path: Path) -> None:
        path.write_bytes(b"half")
        raise MediaError("no", subject="x")

    with pytest.raises(MediaError):
        store.render(black(3, 1), fails)
    assert store.find(black(3, 1)) is None and [path.read_bytes() for path in store.strangers()] == [b"half"]
    assert store.clear_strangers(older_than_s=0) == 1 and store.strangers() == []
    assert store.remove(store.all()) == len(data) and not list(store.folder.glob("??/*"))
    files = Recipe(SMALL.format, codecs()["dpx-10"], 3, None)
    many = store.render(files, render)
    assert len(list(many.output.iterdir())) == 3 and store.find(files) == many
    next(iter(sorted(many.output.iterdir(), reverse=True))).unlink()
    assert store.find(files) is None, "one picture of many is gone"


def test_a_queue_gives_each_piece_to_one_worker(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    one, other = FileQueue(tmp_path / "q"), FileQueue(tmp_path / "q")
    first, second, third = (black(5, n) for n in range(3))
    one.put([first, second])
    one.put([third])
    assert [task.recipe for task in other.tasks()] == [third, first, second], "what is wanted last comes first"
    one.put([second])
    taken = [one.take("a"), other.take("b"), one.take("a"), other.take("b")]
    assert [task and task.recipe for task in taken] == [second, third, first, None]
    assert other.alive(third.identity, "b", 2) and one.states()[third.identity] == TaskState(TaskStage.TAKEN, "b", 2)
    assert not other.alive(second.identity, "b", 1), "it is another's"
    monkeypatch.setattr(time, "time", lambda now=time.time: now() + 31)
    one.alive(second.identity, "a", 1)
    again = other.take("b")
    assert again is not None and again.identity in (third.identity, first.identity), "who is silent is dead"
    one.finished(again.identity, "a")
    assert again.identity in one.states(), "what was taken away is not finished by who had it"
    other.finished(again.identity, "b")
    assert again.identity not in one.states()
    one.failed(second.identity, "a", "its clip is gone")
    assert one.states()[second.identity] == TaskState(TaskStage.FAILED, done=1, text="its clip is gone")
    one.pause(True)
    one.put([second])
    assert one.states()[second.identity].stage == "waiting" and other.take("b") is None and other.paused
    one.pause(False)
    assert other.take("b") is not None
    other.give_back("b")
    assert all(state.stage == "waiting" for state in one.states().values() if state.worker != "a")
    one.drop([task.identity for task in one.tasks() if task.identity != second.identity])
    assert list(one.states()) == [second.identity]
    one.learned("p", 100, 10.0)
    one.learned("p", 100, 30.0)
    assert one.paces() == {"p": pytest.approx(0.2)}
    (tmp_path / "bad").write_bytes(b"this is no queue, and it is long enough to be told from one" * 20)
    with pytest.raises(JobError, match="no render is lost"):
        FileQueue(tmp_path / "bad")


def test_a_full_disk_waits_with_a_sentence_and_goes_on(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    queue, store, stop = FileQueue(tmp_path / "q"), RenderStore(tmp_path / "r"), threading.Event()
    recipe, tries, heard, room = black(3), [], list[str](), [0]

    def full(each: Recipe, path: Path, told: object) -> None:
        tries.append(1)
        if len(tries) == 1:
            raise MediaError("could not be written", subject="x") from OSError(errno.ENOSPC, "No space left on device")
        render(each, path)

    class Usage:
        @property
        def free(self) -> int:
            heard.append(queue.states()[recipe.identity].text)
            room[0] += 1
            return 0 if room[0] < 3 else 1 << 40

    monkeypatch.setattr(task_run, "render", full)
    monkeypatch.setattr(task_run, "LOOK_S", 0.01)
    monkeypatch.setattr("shutil.disk_usage", lambda _path: Usage())
    queue.put([recipe])
    assert Worker(queue, store, "w", stop).run() == 1
    assert len(tries) == 2 and store.find(recipe) is not None and len(heard) == 3
    assert heard[1].startswith("the disk is full: it goes on when ")


RENDERING = """
import sys
from pathlib import Path
from idle_quarry.compile_all import conversions
from idle_quarry.jobs.renders.worker import work
from idle_quarry.picture import strips
strips._inside.busy = True  # a pool's threads would be missing in its children
conversions()
strips._inside.busy = False

def act():
    work(Path(sys.argv[1]), Path(sys.argv[2]))
"""


def killed_while_rendering(folder: Path, moments: int, seed: int = 3) -> tuple[int, int]:
    """Kill a worker at random moments, and cut files off as a power cut does.

    Return how many times a wrong piece counted as whole, and how many pieces became whole.
    """
    result = timeline(low=[shot(TAPE, n + 1, 3 * n, 3, begins=4 * n) for n in range(10)])
    wanted = [piece.recipe for piece in pieces_of(result, SMALL, known(TAPE)) if piece.recipe is not None]
    truth = {}
    for recipe in wanted:
        render(recipe, folder / "truth.mov")
        truth[recipe.identity] = decoded(folder / "truth.mov")
        (folder / "truth.mov").unlink()
    place, queue_path, rng = folder / "renders", folder / "queue", random.Random(seed)
    workers = Forking(RENDERING, queue_path, place)
    wrong = whole = 0
    for moment in count():
        if moment >= moments and (whole or moment > 20 * moments):  # a slow machine has pieces whole later
            break
        queue = FileQueue(queue_path)
        queue.put(wanted)
        for worker in {state.worker for state in queue.states().values() if state.worker}:
            queue.give_back(worker)  # as if its silence had been waited for
        queue.close()
        workers.killed_after(rng.uniform(0.02, 0.7))
        for path in place.rglob("*"):
            if path.is_file() and rng.random() < 0.2:
                os.truncate(path, rng.randrange(path.stat().st_size + 1))
        for kept in RenderStore(place).all():
            whole += 1
            shown = decoded(kept.path)
            same = len(shown) == len(truth[kept.identity]) and all(
                np.array_equal(a, b)
                for one, other in zip(shown, truth[kept.identity], strict=True)
                for a, b in zip(one, other, strict=True)
            )
            wrong += not same
        if rng.random() < 0.3:
            RenderStore(place).remove(RenderStore(place).all())
    workers.close()
    return wrong, whole


def test_killed_and_cut_off_at_any_moment_no_half_piece_counts_as_whole(tmp_path: Path) -> None:
    wrong, whole = killed_while_rendering(tmp_path, 8)
    assert wrong == 0 and whole > 0


def a_job(library: FileLibrary, tmp_path: Path) -> Path:
    """A job of the Lamp Room, whose programme has three clips, one of them twice."""
    stored = library.stored(library.save_new(small_lamp_room(), "own", "").template_id)
    folder = start_job(stored, "Episode 4", tmp_path, write_pdf, "Runa").folder
    write_material(folder, taken_in((), [TAPE, SCAN]))
    path = timelines_in(folder)[0]
    result = read_timeline(path, Fraction(25))
    track = next(element.ident for element in result.tracks if element.kind == "picture")
    lanes = [shot(TAPE, 0, 0, 6, 3), shot(SCAN, 0, 0, 6), shot(TAPE, 0, 0, 6, 3), shot(TAPE, 0, 0, 6, 20)]
    for lane in lanes:
        result = edits.add(result, [(track, lane)])
    keep(path, result)
    return folder


def another_clip_is_told(
    tmp_path: Path,
    folder: Path,
    rendered: Any,
    status: int,
    text: list[dict[str, object]],
    store: RenderStore,
    stock: dict[str, Stock],
    programmes: list[Programme],
    queue: FileQueue,
) -> None:
    """A clip that is another now is told, and not rendered."""
    path = timelines_in(folder)[0]
    result = read_timeline(path, Fraction(25))
    changed = edits.slip(result, next(iter(result.items))[1].ident, 5)
    keep(path, changed)
    programmes = programmes_of(check_job(folder), stock)
    assert [stood(element, store, {}).state for element in programmes[0].pieces] == [
        PieceState.MISSED,
        PieceState.RENDERED,
        PieceState.RENDERED,
        PieceState.RENDERED,
    ]
    missed = wanted_of(programmes, store)
    assert shown_by_none(programmes, store) == [] and len(missed) == 1
    cost = cost_of(missed, queue.paces())
    assert cost.pieces == 1 and cost.programme_s == Fraction(6, 25) and not cost.guessed and cost.seconds > 0
    assert shown_first(programmes[0], 12)[0] == programmes[0].pieces[2].recipe
    material = read_material(folder)
    write_material(folder, [replace(element, content="another") for element in material])
    status, text = rendered()
    assert (
        status == 1 and {element["state"] for element in text} == {"failed"} and "changed since" in str(text[0]["text"])
    )
    with pytest.raises(NotPossible, match="another file now"):
        assert missed[0].shown is not None
        render(replace(missed[0], shown=replace(missed[0].shown, content="x")), tmp_path / "x.mxf")
    assert rendered("--timeline", "Nowhere")[0] == 2


def test_a_job_is_rendered_by_its_workers(
    library: FileLibrary, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    folder, cache = a_job(library, tmp_path), tmp_path / "cache"
    cache.mkdir()

    def rendered(*more: str) -> tuple[int, list[dict[str, object]]]:
        status = run(["render", str(folder), "--json", *more], lambda _place: 0)
        out = capsys.readouterr()
        return status, json.loads(out.out)["pieces"] if out.out else [{"text": out.err}]

    status, text = rendered()
    assert status == 2 and "which is not there; say --at FOLDER" in str(text[0]["text"])
    answer(check_job(folder), cache, system_disk=True)
    place = settled(check_job(folder))
    assert place.store is not None
    store = place.store
    stock = stock_of(folder, check_job(folder).template)
    programmes = programmes_of(check_job(folder), stock)
    wanted = wanted_of(programmes, store)
    assert len(wanted) == 3, "one piece is there twice"
    queue = FileQueue(folder / ".renders.queue")
    status, text = rendered("--at", str(cache), "--system-disk")
    assert status == 0 and {element["state"] for element in text} <= {"rendered", "kept"} and len(text) == 4
    assert text[0]["identity"] == text[2]["identity"] and text[0]["file"] == text[2]["file"]
    assert (text[0]["start"], text[-1]["end"]) == ("10:00:00:00", "10:00:00:24")
    pieces = programmes_of(check_job(folder), stock)[0].pieces
    for piece in (pieces[0], pieces[1]):
        assert piece.recipe is not None
        there = store.find(piece.recipe)
        assert there is not None
        again = tmp_path / f"again {piece.first}{there.path.suffix}"
        render(piece.recipe, again)
        for one, other in zip(decoded(there.path), decoded(again), strict=True):
            assert all(np.array_equal(a, b) for a, b in zip(one, other, strict=True))
    assert rendered() == (0, [element | {"state": "kept"} for element in text])
    assert check_job(folder).drift == (), "what renders keep in the job is no drift"

    # what another codec and a newer revision mean is told before
    job = check_job(folder)
    then = anew(job, edited(job.template, Edit("intermediate.codec", "rdd36-hq")))
    assert (then.rendered, then.stays, then.cost.pieces) == (3, 0, 3) and then.cost.bytes > 0
    assert anew_words(then).startswith(
        "Of what is rendered nothing stays; to render then: 3 pieces, 1 s of programme, "
    )
    same = anew(job, edited(job.template, Edit("note", "quieter")))
    assert (same.stays, same.cost.pieces, anew_words(same)) == (3, 0, "")
    another_clip_is_told(tmp_path, folder, rendered, status, text, store, stock, programmes, queue)


def test_a_shifted_picture_is_moved_by_whole_samples_and_black_beside_it() -> None:
    fmt = format_from_words("576p25 16:9")
    rng = np.random.default_rng(1)
    planes = (
        rng.uniform(0, 1, (576, 720)).astype(np.float32),
        *[rng.uniform(-0.5, 0.5, (576, 360)).astype(np.float32) for _ in range(2)],
    )
    still = Conversion(fmt, fmt, Policy()).frame(0, lambda _index: planes)
    assert all(np.array_equal(a, b) for a, b in zip(still, planes, strict=True))
    for across, down in ((20, 0), (-40, 6), (0, -8)):
        moved = Conversion(fmt, fmt, Policy(), (float(across), float(down))).frame(0, lambda _index: planes)
        for plane, other, step in zip(moved, planes, (1, 2, 2), strict=True):
            wanted = np.zeros_like(other)
            by = across // step
            rows = slice(max(0, down), 576 + min(0, down)), slice(max(0, -down), 576 - max(0, down))
            wide = other.shape[1]
            columns = slice(max(0, by), wide + min(0, by)), slice(max(0, -by), wide - max(0, by))
            wanted[rows[0], columns[0]] = other[rows[1], columns[1]]
            np.testing.assert_allclose(plane, wanted, atol=2e-6)


def test_renders_go_where_the_template_says_and_never_unasked_onto_the_systems_disk(
    library: FileLibrary, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder, disk = a_job(library, tmp_path), tmp_path / "render disk"
    disk.mkdir()
    kinds = {"kind": "local", "writable": True}

    class Volume:
        free, kind, writable = 5_000_000_000, "local", True

    def volume(_path: Path) -> Volume:
        result = Volume()
        result.kind, result.writable = str(kinds["kind"]), bool(kinds["writable"])
        return result

    monkeypatch.setattr("idle_quarry.jobs.renders.render_folder.volume_of", volume)
    job = check_job(folder)
    first = settled(job)
    assert (
        first.store is None
        and "Render disk, /media/larkmoor/cache, which is not there" in first.why
        and not first.system_disk
    )
    answer(job, disk)
    there = settled(job)
    assert (
        there.store is not None
        and there.store.folder.parent == disk
        and there.store.folder.name.startswith("Episode 4 renders ")
    )
    kinds["kind"] = "system"
    asked = settled(job)
    assert asked.store is None and asked.system_disk and "5 GB free" in asked.why
    answer(job, disk, system_disk=True)
    assert settled(job).store is not None
    kinds["writable"] = False
    assert settled(job).store is None and "cannot be written" in settled(job).why
    kinds["writable"] = True
    monkeypatch.setattr("socket.gethostname", lambda: "another-room")
    assert "which is not there" in settled(job).why, "what was answered is of one machine"
    with pytest.raises(JobError, match="no such folder"):
        answer(job, tmp_path / "nowhere")
    (folder / ".renders.json").write_text("{")
    assert settled(job).store is None, "an answer that cannot be read is asked again"
    place = replace(
        job,
        template=job.template.model_copy(
            update={"places": (), "intermediate": job.template.intermediate.model_copy(update={"place": None})}
        ),
    )
    kinds["kind"] = "local"
    own = settled(place)
    assert own.store is not None and own.store.folder == folder.resolve() / ".renders", "else they stay with the job"
    moved = replace(job, title="Episode 4", started="2026-01-01")
    monkeypatch.undo()
    assert moved.started != job.started and {element.name for element in timelines_in(folder)} == {"Programme.otio"}

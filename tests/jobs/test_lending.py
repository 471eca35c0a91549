"""Machines that work for one another: what each reaches, who may do what, and that a piece is made once whoever
dies over it.
"""

from __future__ import annotations

import json
import os
import shutil
import signal
import time
from dataclasses import replace
from datetime import datetime
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import psycopg
import pytest
from tests.jobs.test_renders import SCAN, SMALL, TAPE, a_job, decoded, known, shot
from tests.jobs.test_trial import timeline
from tests.postgres import PrivateServer

from idle_quarry.cli.main import run
from idle_quarry.errors import Away, JobError, LibraryError, NotPossible, NotUnderstood
from idle_quarry.jobs.check import Job, check_job
from idle_quarry.jobs.cutting import edits
from idle_quarry.jobs.cutting.timeline import Media
from idle_quarry.jobs.cutting.timeline_files import keep, read_timeline, timelines_in
from idle_quarry.jobs.handover.record import VerificationRecord
from idle_quarry.jobs.lending import lender
from idle_quarry.jobs.lending.answers import file_named, inside, looked
from idle_quarry.jobs.lending.job_tasks import brought_in, verified
from idle_quarry.jobs.lending.lender import LendingOffer, hours_of, idle_s
from idle_quarry.jobs.lending.queue_choice import mark_all, opened, queue_of
from idle_quarry.jobs.lending.server_queue import ServerQueue, piece_of, said_piece, unmarked
from idle_quarry.jobs.lending.shared_folders import PROOF, NotReachable, Reach, mark, place_above
from idle_quarry.jobs.lending.task_server import SERVER, TaskAnswer, TaskServer, key_of, queue_name
from idle_quarry.jobs.material import read_material, taken_in, write_material
from idle_quarry.jobs.renders.crew import Crew
from idle_quarry.jobs.renders.making import render
from idle_quarry.jobs.renders.pieces import pieces_of
from idle_quarry.jobs.renders.queue import TaskState
from idle_quarry.jobs.renders.recipe import Recipe
from idle_quarry.jobs.renders.render_folder import settled
from idle_quarry.jobs.renders.status import programmes_of, stock_of
from idle_quarry.jobs.renders.store import RenderStore
from idle_quarry.library import FileLibrary
from idle_quarry.library.server.tasks import ADDING, AS_OWNER, GRANTED, SCHEMA, SILENT_S, TAKING
from idle_quarry.media.looking import look
from idle_quarry.path.template_parts import Delivery


def shared(tmp_path: Path) -> tuple[Path, RenderStore, list[Recipe]]:
    """A share with a clip and renders, marked, and pieces of the clip."""
    share = tmp_path / "share"
    share.mkdir()
    clip = Path(shutil.copy(TAPE, share / "tape.mpg"))
    mark(share)
    result = timeline(low=[shot(clip, n + 1, 4 * n, 4, begins=5 * n) for n in range(10)])
    wanted = [piece.recipe for piece in pieces_of(result, SMALL, known(clip)) if piece.recipe is not None]
    return share, RenderStore(share / "renders"), wanted


def test_a_place_is_proved_before_its_paths_mean_anything(tmp_path: Path) -> None:
    share, store, wanted = shared(tmp_path)
    text = said_piece(wanted[0], store, "Lamp")
    assert "/share/" not in str(text["given"]["recipe"]["shown"]["path"]["path"])
    there, place = piece_of(text["given"], Reach())
    assert there == wanted[0] and place.folder == store.folder
    moved = tmp_path / "elsewhere" / "mounted"
    shutil.move(share, moved)
    with pytest.raises(NotReachable, match="this place is not there, or it is another; say where it lies here"):
        piece_of(text["given"], Reach())
    there, place = piece_of(text["given"], Reach([moved]))
    assert (
        there.identity == wanted[0].identity and there.shown is not None and there.shown.path == str(moved / "tape.mpg")
    )
    other = tmp_path / "share"
    other.mkdir()
    mark(other)  # something else is mounted there now
    with pytest.raises(NotReachable):
        Reach().path(text["given"]["store"])
    assert mark(moved).id == text["given"]["store"]["place"] == getattr(place_above(moved / "renders"), "id", "")
    for bad in ("../x", "/etc/x"):
        with pytest.raises(NotPossible, match="out of its place"):
            Reach([moved]).path({**text["given"]["store"], "path": bad})
    with pytest.raises(NotPossible, match="another version"):
        piece_of({"recipe": {}, "store": text["given"]["store"]}, Reach([moved]))
    with pytest.raises(NotReachable, match="no place that other machines know"):
        Reach().reference(tmp_path / "private.mov")
    with pytest.raises(JobError, match="no such folder"):
        mark(tmp_path / "nowhere")
    (other / PROOF).write_text("{}")
    assert place_above(other) is None
    of = {"place": "aa", "root": "/a", "same": True}
    assert queue_name("k", [of]) != queue_name("k", [of | {"root": "/c"}])
    with pytest.raises(NotPossible, match="more places"):
        queue_name("k", [{"place": f"{n:08}", "root": "/"} for n in range(20)])


def tasks_are_their_workers(server: PrivateServer, house: str, runa: TaskServer, wren: TaskServer) -> None:
    """A task is its worker's, and a worker its person's: nobody tells, ends, keeps alive or takes in another's name."""
    ada = TaskServer(server.url("Ivo", house))
    its = wren.rows("SELECT worker_id FROM procrastinate_register_worker_v1()")[0]["worker_id"]
    task = wren.rows("SELECT id FROM quarry_take(NULL, %(worker)s)", worker=its)[0]["id"]
    tell = "SELECT quarry_tell(%(task)s, %(worker)s, 'room', 3, 'on it') AS said"
    end = "SELECT quarry_end(%(task)s, %(worker)s, 'room', %(how)s, 4, '', 1, '{\"passes\": true}') AS ended"
    for other in (ada, runa):
        for function in ("procrastinate_update_heartbeat_v1", "procrastinate_unregister_worker_v1"):
            with pytest.raises(LibraryError, match="does not allow"):
                other.rows(f"SELECT {function}(%(worker)s)", worker=its)
        with pytest.raises(LibraryError, match="does not allow"):
            other.rows("SELECT id FROM quarry_take(NULL, %(worker)s)", worker=its)
        assert other.rows(tell, task=task, worker=its)[0]["said"] is None
        assert not other.rows(end, task=task, worker=its, how="succeeded")[0]["ended"]
        other.rows("SELECT quarry_give_back_stalled(), procrastinate_prune_stalled_workers_v1(0)")
    assert wren.rows(tell, task=task, worker=its)[0]["said"] is False
    with pytest.raises(LibraryError, match="larger than anything"):
        wren.rows(
            "SELECT quarry_end(%(task)s, %(worker)s, 'x', 'succeeded', 4, '', 1, to_jsonb(repeat('x', 3000000)))",
            task=task,
            worker=its,
        )
    assert wren.rows(end, task=task, worker=its, how="succeeded")[0]["ended"]
    assert not wren.rows(end, task=task, worker=its, how="failed")[0]["ended"], "it is ended once"
    lines = runa.rows("SELECT t.person, t.result, j.status::text FROM told t JOIN procrastinate_jobs j ON j.id = t.job")
    assert lines == [{"person": "Wren", "result": {"passes": True}, "status": "succeeded"}]
    ada.close()
    server.database("bare")
    for place, says in (
        (server.url("Runa", "bare"), "no tasks|does not answer"),
        ("postgresql://Runa@/x?host=/nowhere", "does not answer"),
    ):
        with pytest.raises((Away, LibraryError), match=says):
            TaskServer(place)
    assert opened(server.url("Runa", "bare"))[0] is None
    runa.close()
    wren.close()


def test_rights_to_tasks_are_those_that_are_stated(server: PrivateServer, house: str) -> None:
    with psycopg.connect(server.url("keeper", house)) as raw:
        of = f"'{SCHEMA}'::regnamespace"
        tables = raw.execute(
            "SELECT c.relname, a.grantee::regrole::text, a.privilege_type FROM pg_class c, aclexplode(c.relacl) a "
            f"WHERE c.relnamespace = {of} AND a.grantee <> c.relowner AND c.relkind <> 'S'"
        ).fetchall()
        columns = raw.execute(
            "SELECT c.relname, a.grantee::regrole::text, a.privilege_type, t.attname FROM pg_class c "
            f"JOIN pg_attribute t ON t.attrelid = c.oid, aclexplode(t.attacl) a WHERE c.relnamespace = {of}"
        ).fetchall()
        functions = raw.execute(
            "SELECT p.proname, p.prosecdef, array(SELECT a.grantee::regrole::text FROM aclexplode(p.proacl) a "
            f"WHERE a.grantee <> p.proowner) FROM pg_proc p WHERE p.pronamespace = {of}"
        ).fetchall()
    stated = {(name, group, what) for name, group, what in GRANTED if "(" not in what}
    assert set(tables) == stated
    by_column = {
        (name, group, what.split()[0], column)
        for name, group, what in GRANTED
        if "(" in what
        for column in what.split("(")[1].rstrip(")").split(", ")
    }
    assert set(columns) == by_column
    called = {**dict.fromkeys(TAKING, "quarry_reader"), **dict.fromkeys(ADDING, "quarry_editor")}
    for name, definer, callers in functions:
        assert definer == (name in AS_OWNER) and callers == ([called[name]] if name in called else []), name


def test_who_may_do_what_with_tasks(server: PrivateServer, house: str, tmp_path: Path) -> None:
    _share, store, wanted = shared(tmp_path)
    runa, wren = TaskServer(server.url("Runa", house)), TaskServer(server.url("Wren", house))
    assert runa.may_add and not wren.may_add
    assert opened(server.url("Wren", house)) == (
        None,
        "the server lets editors ask other machines for help, and this person reads",
    )
    ServerQueue(runa, "k", "Lamp", store).put(wanted[:2])
    for act in (
        lambda: ServerQueue(wren, "k", "Lamp", store).put(wanted[2:3]),
        lambda: wren.rows("UPDATE procrastinate_jobs SET args = '{}' RETURNING 1"),
        lambda: wren.rows("UPDATE procrastinate_jobs SET task_name = 'x' RETURNING 1"),
        lambda: wren.rows("DELETE FROM procrastinate_jobs RETURNING 1"),
        lambda: wren.rows("INSERT INTO told (job, machine) SELECT id, 'x' FROM procrastinate_jobs RETURNING 1"),
        lambda: wren.rows("UPDATE told SET result = '{}' RETURNING 1"),
        lambda: wren.rows("UPDATE procrastinate_jobs SET status = 'doing', worker_id = NULL RETURNING 1"),
        lambda: wren.rows("UPDATE procrastinate_jobs SET scheduled_at = now() RETURNING 1"),
        lambda: wren.rows("UPDATE procrastinate_workers SET last_heartbeat = now() RETURNING 1"),
        lambda: wren.rows(
            "INSERT INTO procrastinate_events (job_id, type) SELECT id, 'failed' FROM procrastinate_jobs RETURNING 1"
        ),
        lambda: wren.rows("SELECT procrastinate_finish_job_v1(id, 'succeeded', false) FROM procrastinate_jobs"),
        lambda: wren.rows("SELECT procrastinate_cancel_job_v1(id, true, true) FROM procrastinate_jobs"),
        lambda: wren.rows("SELECT procrastinate_retry_job_v2(id, now(), 9, 'x', 'x') FROM procrastinate_jobs"),
        lambda: wren.rows("SELECT procrastinate_fetch_job_v2(NULL, NULL)"),
        lambda: wren.rows("SELECT quarry_mine(1, 1)"),
        lambda: runa.rows("UPDATE procrastinate_jobs SET args = '{}' RETURNING 1"),
        lambda: runa.rows("UPDATE procrastinate_jobs SET status = 'succeeded' RETURNING 1"),
        lambda: runa.rows("INSERT INTO told (job, machine) SELECT id, 'x' FROM procrastinate_jobs RETURNING 1"),
    ):
        with pytest.raises(LibraryError, match="does not allow"):
            act()
    assert wren.left == 2 and not runa.rows("SELECT 1 FROM told")
    with pytest.raises(LibraryError, match="no task that can be added"):
        runa.rows(
            "INSERT INTO procrastinate_jobs (queue_name, task_name, status) VALUES ('k x', 'piece', 'doing')"
            " RETURNING 1"
        )
    tasks_are_their_workers(server, house, runa, wren)


def impatient(server: PrivateServer, house: str) -> None:
    """Have the server hold a machine for dead that was silent for 2.5 s: its keeper can, and nobody else."""
    with psycopg.connect(server.url("keeper", house)) as raw:
        for name in ("quarry_worker", "quarry_give_back_stalled", "procrastinate_prune_stalled_workers_v1"):
            [[result]] = raw.execute(f"SELECT pg_get_functiondef('{SCHEMA}.{name}'::regproc)").fetchall()
            assert str(SILENT_S) in result
            raw.execute(result.replace(str(SILENT_S), "2.5"))


def waited(ready: object, seconds: float = 120.0) -> None:
    end = time.monotonic() + seconds
    while not ready():  # type: ignore[operator]
        assert time.monotonic() < end
        time.sleep(0.05)


def what_cannot_be_done_says_why(
    store: RenderStore, wanted: list[Recipe], runa: TaskServer, queue: ServerQueue, machines: list[Crew]
) -> None:
    """What is not wanted any more stops, what cannot be done says why, and a place that is gone is left alone."""
    Path(wanted[0].shown.path).write_bytes(b"another film")  # type: ignore[union-attr]
    store.remove(store.all())
    queue.put(wanted[:1])
    waited(lambda: queue.states().get(wanted[0].identity, TaskState()).stage == "failed")
    assert "is another file now" in queue.states()[wanted[0].identity].text
    (store.folder.parent / PROOF).rename(store.folder.parent / "gone")
    queue.drop()
    assert not queue.states()
    for item in machines:
        item.stop()
    runa.close()


def test_three_machines_make_each_piece_once_killed_paused_and_with_wrong_clocks(
    server: PrivateServer, house: str, tmp_path: Path
) -> None:
    _share, store, wanted = shared(tmp_path)
    impatient(server, house)
    runa = TaskServer(server.url("Runa", house))
    queue = ServerQueue(runa, "k", "Lamp", store)
    queue.put(wanted)
    queue.put([*wanted[5:7], wanted[5]])
    assert list(queue.states()) == [item.identity for item in (*wanted[5:7], *wanted[:5], *wanted[7:])], (
        "wanted last, first"
    )
    queue.pause(True)
    assert queue.paused and {state.stage for state in queue.states().values()} == {"waiting"}
    place = {SERVER: server.url("Wren", house)}
    machines = [Crew("tests.jobs.odd_worker", ["--skew", skew], settings=place) for skew in ("-5000", "0", "5000")]
    for machine in machines:
        machine.start(1)
    time.sleep(1)
    assert not store.all() and queue.open == len(wanted)
    queue.pause(False)

    def workers() -> dict[str, str]:
        return {state.worker.split()[1]: identity for identity, state in queue.states().items() if state.worker}

    waited(lambda: len(workers()) == 3)
    killed, paused, _third = sorted(workers())
    os.kill(int(paused), signal.SIGSTOP)
    os.kill(int(killed), signal.SIGKILL)
    held = workers().get(paused)
    waited(lambda: len(store.all()) == len(wanted) and not queue.open)
    os.kill(int(paused), signal.SIGCONT)
    time.sleep(1.5)
    done = runa.rows(
        "SELECT j.lock, t.machine, (SELECT count(*) FROM procrastinate_events e WHERE e.job_id = j.id AND e.type ="
        " 'succeeded') AS ended FROM procrastinate_jobs j JOIN told t ON t.job = j.id WHERE j.status = 'succeeded'"
    )
    assert len(done) == len(wanted) and {row["ended"] for row in done} == {1}
    if held is not None:
        by = next(row["machine"] for row in done if row["lock"].endswith(held))
        assert by.split()[1] not in (killed, paused), "what it slept over another has made"
    for number, recipe in enumerate(wanted):
        kept = store.find(recipe)
        assert kept is not None
        if number % 3:
            continue
        render(recipe, tmp_path / "again.mov")
        for one, other in zip(decoded(kept.path), decoded(tmp_path / "again.mov"), strict=True):
            assert all(np.array_equal(a, b) for a, b in zip(one, other, strict=True))
    assert list(queue.paces()) == [wanted[0].plan] and queue.paces()[wanted[0].plan] > 0
    what_cannot_be_done_says_why(store, wanted, runa, queue, machines)


def test_a_job_s_other_work_goes_to_the_house_as_well(
    server: PrivateServer, house: str, library: FileLibrary, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    folder = a_job(library, tmp_path)
    job, at = check_job(folder), server.url("Runa", house)
    runa, _why = opened(at)
    assert runa is not None
    entry = next(item for item in read_material(folder) if item.path == SCAN)
    clip, shares = look(entry.path), list[float]()
    source = job.template.sources[0]
    alone = brought_in(runa, job, entry, clip, source, (0, 4), False, shares.append)  # nothing is marked
    own = Path(shutil.copy(SCAN, folder / "scan.mov"))
    mark(tmp_path)
    entry, clip = replace(entry, path=own), replace(clip, path=own)
    lent = brought_in(runa, job, entry, clip, source, (0, 4), False, shares.append)
    assert lent == replace(alone, path=lent.path) and lent.path.parent == alone.path.parent != lent.path
    assert [
        np.array_equal(a, b)
        for one, other in zip(decoded(lent.path), decoded(alone.path), strict=True)
        for a, b in zip(one, other, strict=True)
    ].count(False) == 0
    delivery = job.template.deliveries[0]
    result = verified(runa, job, lent.path, delivery, lambda _what, _share: None)
    here = verified(None, job, lent.path, delivery, lambda _what, _share: None)
    by = result.document.pop("looked")
    assert by.endswith(", of Runa") and result.document == here.document and result.verdict == "fails"
    _held_against_what_is_there(job, lent.path, delivery, here)
    with pytest.raises(JobError, match="its file is changed"):
        brought_in(runa, job, replace(entry, content="0"), clip, source, (0, 4), False, shares.append)

    def enough(_share: float) -> None:
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        brought_in(runa, job, entry, clip, source, None, False, enough)
    waited(lambda: not runa.left)

    # what is rendered for a job whose places are marked is rendered by the house
    store = RenderStore(tmp_path / "renders")
    programmes = programmes_of(job, stock_of(folder, job.template))
    assert unmarked(programmes, store) == (TAPE.parent,)
    output = programmes_of(job, {})
    assert unmarked(output, store) == ()
    queue = queue_of(job, runa, store)
    assert isinstance(queue, ServerQueue) and queue.key == key_of(job)
    mark_all([folder], job)
    assert not (folder / PROOF).exists(), "it lies in a place that is marked"
    runa.close()

    assert run(["lend", "--mark", str(tmp_path / "renders")], lambda _place: 0) == 2  # no such folder yet
    (tmp_path / "renders").mkdir()
    assert run(["lend", "--mark", str(tmp_path / "renders"), "--json"], lambda _place: 0) == 0
    assert run(["lend", "--library", at, "--once", "--cores", "1"], lambda _place: 0) == 0
    assert "0 tasks done" in capsys.readouterr().out
    assert run(["lend", "--library", str(tmp_path / "library.db")], lambda _place: 0) == 2
    assert run(["lend", "--library", at, "--place", str(folder)], lambda _place: 0) == 2
    assert "mark it: lend --mark" in capsys.readouterr().err


def _held_against_what_is_there(job: Job, path: Path, delivery: Delivery, here: VerificationRecord) -> None:
    """Whatever a machine answers, nothing is taken that this one does not find itself."""
    passing = [{**check, "verdict": "passes"} for check in here.document["checks"]]
    junk = path.with_name("junk.mxf")
    junk.write_bytes(b"junk")
    whole = {**here.document, "made_of": {"timeline": "x"}, "revision": 99, "path": "/etc/passwd"}
    for value, why in (
        ({}, "no verification"),
        ({"document": None}, "no verification"),
        ({"document": []}, "no verification"),
        ({"document": {**whole, "checks": passing[:3]}}, "others than this version makes"),
        ({"document": {**whole, "checks": [{**passing[0], "verdict": "fine"}, *passing[1:]]}}, "no verification"),
        ({"document": {**whole, "checks": [{**passing[0], "text": "x" * 5000}, *passing[1:]]}}, "no verification"),
        ({"document": {**whole, "sha256": "0" * 64}}, "another file than the one"),
    ):
        with pytest.raises(JobError, match=f"what room, of Wren says cannot be taken: .*{why}"):
            looked(TaskAnswer(value, "room 12", "Wren"), job, path, delivery, lambda _what, _share: None)
    with pytest.raises(JobError, match="another file"):
        looked(TaskAnswer({"document": whole}, "room", "Wren"), job, junk, delivery, lambda _what, _share: None)
    result = looked(TaskAnswer({"document": whole}, "room", "Wren"), job, path, delivery, lambda _what, _share: None)
    assert result.document == {**here.document, "looked": "room, of Wren"}, "path, revision, origin are this room's own"
    (job.folder / "away").symlink_to("/etc")
    os.mkfifo(job.folder / "pipe")
    for text in (None, 3, "", "../x", "/etc/passwd", "away/passwd", "pipe", "nowhere.mov", "a\0b", "."):
        with pytest.raises(JobError, match="cannot be taken"):
            inside(job.folder, text, "room")
    for text in (None, "a/b.mxf", "..", ".hidden.mxf", ""):
        with pytest.raises(JobError, match="cannot be taken"):
            file_named(path.parent, text, "room")
    assert file_named(path.parent, path.name, "room") == path
    (job.folder / "pipe").unlink()
    junk.unlink()


def test_what_cannot_be_used_is_refused_and_a_server_that_is_away_is_waited_for(
    server: PrivateServer, house: str, library: FileLibrary, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    job = check_job(a_job(library, tmp_path))
    runa, wren = TaskServer(server.url("Runa", house)), TaskServer(server.url("Wren", house))
    monkeypatch.setattr(TaskServer, "crew", lambda _house, _key: Nobody())
    monkeypatch.setattr("idle_quarry.jobs.lending.task_server._LOOK_S", 0.02)
    worker = wren.rows("SELECT worker_id FROM procrastinate_register_worker_v1()")[0]["worker_id"]
    place = {"place": "0" * 8, "root": "/m"}
    for said, away in (("null", 0), ("[]", 0), ("7", 0), ('{"path": 1}', 40)):
        looks = 0

        def told(_share: float, said: str = said) -> None:
            """The other machine, at work while this one waits."""
            task = wren.rows("SELECT id FROM quarry_take(NULL, %(worker)s)", worker=worker)[0]["id"]
            if task is not None:
                wren.rows(
                    "SELECT quarry_end(%(task)s, %(worker)s, 'room 1', 'succeeded', 1, '', 0, %(said)s::text::jsonb)",
                    task=task,
                    worker=worker,
                    said=said,
                )

        def asked(query: str, away: int = away, rows: Any = runa.rows, **given: Any) -> Any:
            nonlocal looks
            if "octet_length(t.result" in query:
                looks += 1
                if 1 < looks <= away:
                    raise Away("the server does not answer", subject="it")
            return rows(query, **given)

        monkeypatch.setattr(runa, "rows", asked)
        if away:
            answer = runa.awaited(job, "verify", {"x": said}, [place], told)
            assert answer.value == {"path": 1} and answer.by == "room, of Wren" and looks > away
        else:
            with pytest.raises(JobError, match="said nothing that can be used"):
                runa.awaited(job, "verify", {"x": said}, [place], told)
        monkeypatch.undo()
        monkeypatch.setattr(TaskServer, "crew", lambda _house, _key: Nobody())
        monkeypatch.setattr("idle_quarry.jobs.lending.task_server._LOOK_S", 0.02)
    runa.close()
    wren.close()


class Nobody:
    """No workers on this machine."""

    def start(self, _count: int) -> None: ...
    def let_go(self) -> None: ...
    def stop(self) -> None: ...


def test_a_place_is_left_by_no_link_and_renders_remove_only_their_own(tmp_path: Path) -> None:
    share, store, wanted = shared(tmp_path)
    place = mark(share)
    (share / "away").symlink_to(tmp_path)
    text = {"place": place.id, "root": str(share), "path": "away/secret.mov"}
    with pytest.raises(NotPossible, match="out of its place by a link"):
        Reach().path(text)
    for bad in ({"root": "share"}, {"path": "a\0b"}, {"root": "\0"}):
        with pytest.raises(NotPossible):
            Reach().path({**text, "path": "tape.mpg", **bad})
    pipe = tmp_path / "piped"
    pipe.mkdir()
    os.mkfifo(pipe / PROOF)
    assert place_above(pipe) == place_above(tmp_path), "a pipe proves nothing, and nobody waits for it"
    (pipe / PROOF).unlink()
    (pipe / PROOF).symlink_to(share / PROOF)
    assert place_above(pipe) is None or place_above(pipe) != place

    others = tmp_path / "others"
    others.mkdir()
    theirs = [others / ("0" * 40), others / ("0" * 40 + ".mov"), others / "wedding.mov"]
    kept = store.render(wanted[0], render)
    mine = [
        kept.path.parent / "notes.txt",
        kept.path.parent / f".{'0' * 12}.part.mov",
        kept.path.parent / f"{'1' * 40}.mov",
    ]
    for path in (*theirs, *mine):
        path.write_bytes(b"x")
    shelf = next(name for name in ("00", "01") if not (store.folder / name).exists())
    (store.folder / shelf).symlink_to(others)
    (kept.path.parent / f"{'2' * 40}.mov").symlink_to(theirs[2])
    os.mkfifo(kept.path.parent / f"{'3' * 40}.json")
    assert [item.identity for item in store.all()] == [kept.identity]
    assert store.clear_strangers(0) == 4
    assert all(path.exists() for path in (*theirs, mine[0], kept.path)) and not any(path.exists() for path in mine[1:])
    record = kept.path.with_name(kept.identity[:40] + ".json")
    record.write_text(json.dumps({**json.loads(record.read_text()), "identity": "../../others/wedding"}))
    assert RenderStore(store.folder).all() == [], "a record says what its piece is, not what is to be removed"
    elsewhere = next(item for item in wanted if item.identity[:2] != wanted[0].identity[:2])
    (store.folder / elsewhere.identity[:2]).symlink_to(others)
    with pytest.raises(JobError, match="a link lies where its folder belongs"):
        RenderStore(store.folder).render(elsewhere, render)


def test_when_a_machine_is_lent(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    night, noon = datetime(2026, 3, 1, 23, 30), datetime(2026, 3, 1, 12, 0)
    offer = LendingOffer(hours_of("19-7"), only_idle=True)
    assert offer.why_not(noon, 1e9) == "it is lent from 19:00 to 7:00"
    assert offer.why_not(night, 30) == "somebody works on it" and offer.why_not(night, 601) == ""
    assert LendingOffer(hours_of("8:00 - 12")).why_not(noon, 0) and not LendingOffer(hours_of(" 12-24 ")).why_not(
        noon, 0
    )
    assert hours_of("") is None
    for bad in ("7", "25-3", "5-5", "night"):
        with pytest.raises(NotUnderstood, match="write them as 19-7"):
            hours_of(bad)
    typed = tmp_path / "1"
    typed.touch()
    os.utime(typed, (time.time() - 90, 0))
    monkeypatch.setattr(lender, "settings_folder", lambda: tmp_path)
    monkeypatch.setattr(lender, "_desktop_idle_s", lambda: 500.0)
    assert idle_s([typed]) == pytest.approx(90, abs=5), "at a terminal"
    assert idle_s([]) == 500.0, "at the desktop"
    lender.touched()
    assert idle_s([typed]) < 5, "in the window"


def test_a_job_is_rendered_on_the_command_line_by_its_house(
    server: PrivateServer, house: str, library: FileLibrary, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    folder, at = a_job(library, tmp_path), server.url("Runa", house)
    cache = tmp_path / "cache"
    cache.mkdir()
    command = ["render", str(folder), "--library", at, "--at", str(cache), "--system-disk", "--workers", "1"]
    mark(tmp_path)
    path = timelines_in(folder)[0]
    timeline = read_timeline(path, Fraction(25))
    for name in (TAPE, SCAN):
        copied = Path(shutil.copy(name, tmp_path / name.name))
        timeline = edits.relinked(timeline, str(name), Media(name.stem, Fraction(25), str(copied), frames=50))
    keep(path, timeline)
    write_material(folder, taken_in((), [tmp_path / TAPE.name, tmp_path / SCAN.name]))
    assert run([*command, "--json"], lambda _place: 0) == 0
    pieces = json.loads(capsys.readouterr().out)["pieces"]
    assert {piece["state"] for piece in pieces} <= {"rendered", "kept"} and len(pieces) == 4
    assert not (folder / ".renders.queue").exists(), "it was the house's"
    runa = TaskServer(at)
    done = runa.rows("SELECT count(*) AS n FROM procrastinate_jobs WHERE status = 'succeeded'")[0]["n"]
    assert done == 3 and runa.ended_here() == 3 and not runa.left
    runa.close()
    (tmp_path / PROOF).unlink()
    RenderStore(settled_store(folder)).remove(RenderStore(settled_store(folder)).all())
    assert run(command, lambda _place: 0) == 0
    assert "this machine renders alone: others do not know" in capsys.readouterr().err
    assert (folder / ".renders.queue").exists()


def settled_store(folder: Path) -> Path:
    store = settled(check_job(folder)).store
    assert store is not None
    return store.folder

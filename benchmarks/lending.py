"""Machines that render for one another: what a second brings, and what the server's queue costs beside a file's, in
one run.

A private PostgreSQL server, a share, pieces of 576i25 to 1080i25 in MPEG-2 (most of the time is conversion). Every way
renders the same pieces after its workers have each made some: one and two workers of a job's own file, one and two of
the house, in turns; the medians are of ratios within a turn. Then the house's tasks with three workers, killed, paused
and with wrong clocks, with the times that are used in earnest: how long until a dead one's piece is another's.
"""

from __future__ import annotations

import os
import shutil
import signal
import statistics
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from tests.jobs.test_renders import TAPE, known, shot
from tests.jobs.test_trial import timeline
from tests.postgres import PrivateServer

from idle_quarry.jobs.lending.queue_choice import file_crew
from idle_quarry.jobs.lending.server_queue import ServerQueue
from idle_quarry.jobs.lending.shared_folders import mark
from idle_quarry.jobs.lending.task_server import SERVER, WORKER, TaskServer
from idle_quarry.jobs.renders.crew import Crew
from idle_quarry.jobs.renders.pieces import Canvas, pieces_of
from idle_quarry.jobs.renders.queue import FileQueue, TaskState
from idle_quarry.jobs.renders.recipe import Recipe
from idle_quarry.jobs.renders.render_folder import QUEUE_FILE
from idle_quarry.jobs.renders.rendering import JobRenderer
from idle_quarry.jobs.renders.store import RenderStore
from idle_quarry.library.server.setup import set_up
from idle_quarry.path.registry import codecs
from idle_quarry.signal.words import format_from_words

_PIECES, _FRAMES, _TURNS = 12, 12, 5


def main() -> None:
    folder = Path(tempfile.mkdtemp(prefix="quarry-lending-"))
    server = PrivateServer()
    try:
        server.start()
        server.database("house")
        set_up(server.url("keeper", "house"), {"Runa": "editor", "Wren": "reader"})
        clip = Path(shutil.copy(TAPE, folder / "tape.mpg"))
        mark(folder)
        _ratios(folder, clip, server)
        _deaths(folder, clip, server)
    finally:
        server.close()
        shutil.rmtree(folder, ignore_errors=True)


def _wanted(clip: Path, count: int) -> list[Recipe]:
    canvas = Canvas(format_from_words("1080i25 8 bit"), codecs()["mpeg2-422-50"])
    result = timeline(low=[shot(clip, n + 1, _FRAMES * n, _FRAMES, begins=(5 * n) % 36) for n in range(count)])
    return [piece.recipe for piece in pieces_of(result, canvas, known(clip)) if piece.recipe is not None]


def _ratios(folder: Path, clip: Path, server: PrivateServer) -> None:
    wanted = _wanted(clip, _PIECES)

    def own(place: Path) -> FileQueue | ServerQueue:
        return FileQueue(place / QUEUE_FILE)

    def house(place: Path) -> FileQueue | ServerQueue:
        return ServerQueue(TaskServer(server.url("Runa", "house")), place.name, "Lamp", RenderStore(place / "renders"))

    times: dict[str, list[float]] = {}
    for turn in range(_TURNS):
        for name, make, workers in (
            ("own file, 1", own, 1),
            ("own file, 2", own, 2),
            ("house, 1", house, 1),
            ("house, 2", house, 2),
        ):
            place = folder / f"{name.replace(', ', '-').replace(' ', '-')}-{turn}"
            times.setdefault(name, []).append(_through(place, wanted, make, workers))
    frames = _PIECES * _FRAMES
    for name, taken in times.items():
        print(f"{name:12} {1000 * statistics.median(taken) / frames:6.1f} ms a frame")
    for one, other, says in (
        ("own file, 1", "own file, 2", "two workers of a job's own file are"),
        ("house, 1", "house, 2", "two workers of the house are"),
        ("own file, 1", "house, 1", "the house's queue runs at"),
    ):
        ratio = statistics.median(a / b for a, b in zip(times[one], times[other], strict=True))
        print(
            f"{says} {ratio:.2f} x one of {one.split(',')[0]}; aim {'1.8 where cores allow' if '2' in other else '1.0'}"
        )
    print(f"processors: {len(os.sched_getaffinity(0))}, threads of one core where they share it")


def _through(place: Path, wanted: list[Recipe], make: Callable[[Path], FileQueue | ServerQueue], workers: int) -> float:
    """Return the seconds that workers take for all pieces, each of them warm."""
    place.mkdir()
    queue, store = make(place), RenderStore(place / "renders")
    crew = queue.house.crew(queue.key) if isinstance(queue, ServerQueue) else file_crew(queue, store)
    rendering = JobRenderer(queue, store, crew, place.name)
    rendering.queue.put(wanted)
    rendering.queue.put([replace(wanted[0], frames=n + 1) for n in range(3 * workers)])
    rendering.start(workers)
    while rendering.queue.open > len(wanted):
        time.sleep(0.01)
    begun = time.perf_counter()
    while rendering.queue.open:
        time.sleep(0.02)
    taken = time.perf_counter() - begun
    rendering.close()
    return taken


def _deaths(folder: Path, clip: Path, server: PrivateServer) -> None:
    place = folder / "deaths"
    place.mkdir()
    house = TaskServer(server.url("Runa", "house"))
    queue = ServerQueue(house, "deaths", "Lamp", RenderStore(place / "renders"))
    queue.put(_wanted(clip, 60))
    crew = Crew(WORKER, ["--only", "deaths"], settings={SERVER: server.url("Wren", "house")})
    other = Crew(WORKER, ["--only", "deaths"], settings={SERVER: server.url("Wren", "house")})
    crew.start(1)
    while not any(state.worker for state in queue.states().values()):
        time.sleep(0.05)
    identity, pid = next(
        (ident, int(state.worker.split()[1])) for ident, state in queue.states().items() if state.worker
    )
    os.kill(pid, signal.SIGKILL)
    died = time.monotonic()
    other.start(1)
    while (
        queue.states().get(identity, TaskState(worker=f"x {pid}")).worker in ("", f"{os.uname().nodename} {pid}")
        and identity in queue.states()
    ):
        time.sleep(0.1)
    print(f"a dead machine's piece was another's after {time.monotonic() - died:.0f} s; aim 60")
    other.stop()
    queue.drop()
    house.close()


if __name__ == "__main__":
    main()

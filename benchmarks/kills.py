"""Processes killed at random moments of each act that writes: nothing is lost, and nothing half is taken for whole.

`kills.py [MOMENTS] [ACT ...]`: as many moments of each act as named, a thousand without it.
`tests/jobs/test_sealing.py` kills a hand-over before each of its changes to the disk in turn.
"""

from __future__ import annotations

import contextlib
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from common import ROOT, machine

sys.path.insert(0, str(ROOT))

import numpy as np
from tests.conftest import shortened
from tests.forking import Forking
from tests.jobs.test_handover import SHORT
from tests.jobs.test_handover import a_job as job_to_deliver
from tests.jobs.test_lending import impatient, shared, waited
from tests.jobs.test_material import killed_while_bringing_in
from tests.jobs.test_renders import decoded, killed_while_rendering
from tests.jobs.test_trial import killed_while_editing
from tests.postgres import PrivateServer

from idle_quarry import recovery
from idle_quarry.errors import JobError
from idle_quarry.files import sha256_of
from idle_quarry.jobs.handover.sealing import LIST
from idle_quarry.jobs.lending.server_queue import ServerQueue
from idle_quarry.jobs.lending.task_server import SERVER, TaskServer
from idle_quarry.jobs.renders.crew import Crew
from idle_quarry.jobs.renders.making import render
from idle_quarry.library import open_library
from idle_quarry.library.server.setup import set_up
from idle_quarry.media.inspecting import inspect
from idle_quarry.path.changes.edits import Edit

CONVERTING = """
import sys
from pathlib import Path
from idle_quarry.media.coding.converting import ConversionTarget, convert
from idle_quarry.media.inspecting import inspect
from idle_quarry.path.policies import DEFAULT_POLICY
from idle_quarry.path.registry import codecs
from idle_quarry.signal.words import format_from_words
clip = inspect(Path(sys.argv[1]))
wanted = ConversionTarget(format_from_words("360x288p25"), codecs()["rdd36-proxy"], DEFAULT_POLICY)

def act():
    for number in range(1000):
        convert(clip, wanted, Path(sys.argv[2]) / f"{number}.mov")
"""


def killed_while_converting(folder: Path, moments: int, seed: int = 5) -> int:
    """Kill a process that converts one clip after the other.

    Return how many files were not whole, and parts that nobody finds.
    """
    chance, wrong = random.Random(seed), 0
    tape = shortened("lamp tape 014.mpg", folder, 0.5)
    out = folder / "out"
    out.mkdir()
    frames = 0
    converting = Forking(CONVERTING, tape, out)
    for _ in range(moments):
        converting.killed_after(chance.random() * 1.5)
        left = recovery.left()
        wrong += len(set(out.glob(".*")) - {one.part for one in left})
        for one in left:
            recovery.clear(one)
        for path in out.iterdir():
            count = inspect(path).declared.frames or 0
            frames = frames or count
            wrong += count != frames
            path.unlink()
    converting.close()
    return wrong


MAKING = """
import sys
from pathlib import Path
from idle_quarry.jobs.check import check_job
from idle_quarry.jobs.handover.make import make
from idle_quarry.jobs.renders.render_folder import settled
from idle_quarry.jobs.renders.status import programmes_of, stock_of
from idle_quarry.path.entries.programme import ProgrammeLayout
from idle_quarry.path.registry import take_in
take_in(ProgrammeLayout.model_validate_json(sys.argv[3]))
job = check_job(Path(sys.argv[1]))
programme = programmes_of(job, stock_of(job.folder, job.template))[0]
delivery = next(delivery for delivery in job.template.deliveries if delivery.id == "sd-50")

def act():
    for _ in range(1000):
        make(job, programme, delivery, Path(sys.argv[2]), settled(job).store)
"""


def killed_while_making(folder: Path, moments: int, seed: int = 6) -> int:
    """Kill a process that makes deliveries.

    Return how many files under a final name were unlisted, changed or lost, or left unfound.
    """
    chance, wrong = random.Random(seed), 0
    library = open_library(folder / "library.db", "Runa")
    changes = [Edit("deliveries.sd-50.programme", SHORT.id), Edit("deliveries.sd-50.file_name", "{title} v{version}")]
    job = job_to_deliver(library, folder, *changes, frames=10)
    library.close()
    out = folder / "out"
    out.mkdir()
    hashes: dict[str, str] = {}
    making = Forking(MAKING, job, out, SHORT.model_dump_json())
    for _ in range(moments):
        making.killed_after(chance.random() * 6)
        left = [item for item in recovery.left() if item.target.parent == out]
        wrong += len(set(out.glob(".*")) - {item.part for item in left})
        for item in left:
            recovery.clear(item)
        there = {path.name: sha256_of(path) for path in out.glob("*.*") if path.is_file()}
        wrong += sum(there.get(name) != sha256 for name, sha256 in hashes.items())
        hashes = there
        if there:
            command = [sys.executable, "-m", "ascmhl.cli.ascmhl_debug", "verify", str(out)]
            wrong += subprocess.run(command, capture_output=True, check=False).returncode != 0
            wrong += not (out / LIST).is_dir()
    making.close()
    return wrong


def killed_while_lending(folder: Path, moments: int, seed: int = 7) -> int:
    """Kill one of two machines that work for a house; return how many pieces were wrong, made twice or never."""
    chance, wrong, done = random.Random(seed), 0, 0
    server = PrivateServer()
    server.start()
    try:
        server.database("house")
        set_up(server.url("keeper", "house"), {"Runa": "editor", "Wren": "reader"})
        impatient(server, "house")
        _share, store, wanted = shared(folder)
        truth = {}
        for recipe in wanted:
            render(recipe, folder / "truth.mov")
            truth[recipe.identity] = decoded(folder / "truth.mov")
        queue = ServerQueue(TaskServer(server.url("Runa", "house")), "k", "Lamp", store)
        place = {SERVER: server.url("Wren", "house")}
        machines = [Crew("tests.jobs.odd_worker", [], settings=place) for _ in range(2)]
        while done < moments:
            queue.put(wanted)
            while queue.open and done < moments:
                for machine in machines:
                    with contextlib.suppress(JobError):  # it gives up where many die young, until asked again
                        machine.start(1)
                time.sleep(chance.uniform(0.2, 1.5))
                workers = [int(state.worker.split()[1]) for state in queue.states().values() if state.worker]
                if workers:
                    with contextlib.suppress(ProcessLookupError):  # one that died before may still be named
                        os.kill(chance.choice(workers), signal.SIGKILL)
                        done += 1
            for machine in machines:
                machine.start(1)
            waited(lambda: not queue.open, 300)
            for recipe in wanted:
                kept = store.find(recipe)
                pictures = decoded(kept.path) if kept is not None else []
                wrong += len(pictures) != len(truth[recipe.identity]) or not all(
                    np.array_equal(one, other)
                    for planes, others in zip(pictures, truth[recipe.identity], strict=True)
                    for one, other in zip(planes, others, strict=True)
                )
            store.remove(store.all())
        for machine in machines:
            machine.stop()
    finally:
        server.close()
    return wrong


def main() -> int:
    moments = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    print(f"killed at {moments} moments of each; {machine()}", flush=True)
    failed = 0
    for what, kill in (
        ("editing", killed_while_editing),
        ("rendering", lambda folder, count: killed_while_rendering(folder, count)[0]),
        ("bringing in", lambda folder, count: killed_while_bringing_in(folder / "job", count)),
        ("converting", killed_while_converting),
        ("making", killed_while_making),
        ("lending", killed_while_lending),
    ):
        if len(sys.argv) > 2 and what not in sys.argv[2:]:
            continue
        with tempfile.TemporaryDirectory() as name:
            os.environ["XDG_STATE_HOME"] = str(Path(name) / "state")
            start = time.monotonic()
            wrong = kill(Path(name), moments)
            failed += wrong
            print(f"  {what}: {wrong} wrong, in {time.monotonic() - start:.0f} s", flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())

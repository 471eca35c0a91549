"""Proofs that a library loses nothing: kills, many writers, a server that stops.

Tests run them short, benchmarks whole.
"""

from __future__ import annotations

import os
import random
import subprocess
import sys
import time
from dataclasses import dataclass, field
from pathlib import Path

from tests.library.worker import HD, varied
from tests.postgres import PrivateServer

from idle_quarry.errors import LibraryError
from idle_quarry.library import Library, open_library
from idle_quarry.library.safety import check
from idle_quarry.library.server import open_server
from idle_quarry.library.server.at_hand import AtHand

ROOT = Path(__file__).resolve().parents[2]


@dataclass
class Outcome:
    """What was acknowledged, and what of it a library has."""

    acknowledged: int = 0
    missing: list[str] = field(default_factory=list)
    doubled: list[str] = field(default_factory=list)
    unsound: list[str] = field(default_factory=list)
    kills: int = 0
    seconds: float = 0.0

    @property
    def good(self) -> bool:
        return not (self.missing or self.doubled or self.unsound)


def worker(place: str, person: str, folder: Path, seed: int, *count: int) -> subprocess.Popen[str]:
    """Start a program that works in a library."""
    code = [sys.executable, "-m", "tests.library.worker", place, person, str(folder), str(seed), *map(str, count)]
    path = os.pathsep.join([str(ROOT / "src"), str(ROOT)])
    return subprocess.Popen(code, cwd=ROOT, env={**os.environ, "PYTHONPATH": path}, stdout=subprocess.PIPE, text=True)


def judge(library: Library, lines: list[str], outcome: Outcome) -> None:
    """Compare what was acknowledged with what a library has."""
    seen: set[tuple[str, str]] = set()
    known: dict[str, dict[int, str]] = {}
    for line in lines:
        word, *rest = line.split()
        if word == "ready":
            continue
        outcome.acknowledged += 1
        if word == "backup":
            copy = check(Path(rest[0]))
            if not copy.whole or copy.revisions != int(rest[1]):
                outcome.unsound.append(line)
            continue
        ident, number = rest[0], int(rest[1])
        if ident not in known:
            known[ident] = {revision.number: revision.hash for revision in library.revisions(ident)}
        if word == "save":
            if known[ident].get(number) != rest[2]:
                outcome.missing.append(line)
            if (ident, rest[1]) in seen:
                outcome.doubled.append(line)
            seen.add((ident, rest[1]))
        elif not any(text.n == int(rest[2]) and text.number == number for text in library.remarks(ident)):
            outcome.missing.append(line)


def killed(rounds: int, folder: Path, seed: int = 1) -> Outcome:
    """Kill a working program at `rounds` random moments.

    After each, look at the library and at what was acknowledged.
    """
    chance, outcome, begun = random.Random(seed), Outcome(), time.monotonic()
    place = folder / "library.db"
    library = open_library(place, "Runa")
    library.save_new(HD, "house", "")
    for number in range(rounds):
        one = worker(str(place), "Runa", folder, seed * 1000 + number)
        assert one.stdout is not None
        first = one.stdout.readline()
        time.sleep(chance.uniform(0.0, 0.25))
        one.kill()
        # a line cut short by the kill was not said
        lines = [line for line in (first + one.stdout.read()).splitlines(keepends=True) if line.endswith("\n")]
        one.wait()
        outcome.kills += 1
        result = check(place)
        if not result.whole:
            outcome.unsound.append(f"after kill {number + 1}: {result.troubles[0]}")
        judge(library, lines, outcome)
        for stray in folder.glob("*.db"):
            if stray != place and not check(stray).whole:
                outcome.unsound.append(f"{stray.name}: a copy that is half one")
            if stray != place:
                stray.unlink()
    library.close()
    outcome.seconds = time.monotonic() - begun
    return outcome


def written(place: str, people: list[str], saves: int, folder: Path, library: Library) -> Outcome:
    """Let programs save at once into one template, `saves` in all."""
    outcome, begun = Outcome(), time.monotonic()
    ident = library.find(f"house/{HD.name}").id
    before = len(library.revisions(ident))
    running = [
        worker(p, person, folder, n, saves // len(people))
        for n, person in enumerate(people)
        for p in [place.replace("PERSON", person)]
    ]
    lines: list[str] = []
    for one in running:
        text, _ = one.communicate()
        lines += text.splitlines()
        if one.returncode:
            outcome.unsound.append(f"a writer ended with {one.returncode}")
    outcome.seconds = time.monotonic() - begun
    judge(library, lines, outcome)
    every = library.revisions(ident)
    if len(every) - before != outcome.acknowledged:
        outcome.doubled.append(f"{len(every) - before} revisions, {outcome.acknowledged} acknowledged")
    for item in every:
        library.stored(ident, item.number)  # raises where one does not match its hash
    return outcome


def stopped(rounds: int, server: PrivateServer, house: str, here: AtHand, chance: random.Random) -> Outcome:
    """Stop and start a server in mid-save `rounds` times, while a room saves on; then compare both sides."""
    import threading

    outcome, begun = Outcome(), time.monotonic()
    here.join()
    ident = here.save_new(HD, "house", "").template_id
    hashes: list[str] = []
    over = threading.Event()

    def saving() -> None:
        number = 0
        while not over.is_set():
            number += 1
            hashes.append(here.save_revision(ident, varied(number), str(number)).hash)
            time.sleep(0.003)

    thread = threading.Thread(target=saving)
    thread.start()
    try:
        for number in range(rounds):
            time.sleep(chance.uniform(0.05, 0.4))
            while len(hashes) < 8 * number and thread.is_alive():  # a slow machine has not saved enough yet
                time.sleep(0.01)
            server.stop(at_once=chance.random() < 0.5)
            time.sleep(chance.uniform(0.0, 0.2))
            server.start()
            outcome.kills += 1
            while True:
                try:
                    here.join()
                    break
                except LibraryError:
                    time.sleep(0.05)
        while len(hashes) <= 8 * rounds and thread.is_alive():
            time.sleep(0.01)
    finally:
        over.set()
        thread.join()
    here.join()
    outcome.acknowledged = len(hashes)
    on_server = [revision.hash for revision in open_server(server.url("Odo", house)).revisions(ident)]
    outcome.missing = [item for item in hashes if item not in on_server]
    outcome.doubled = [item for item in hashes if on_server.count(item) > 1]
    if {item.hash for item in here.revisions(ident)} != set(on_server) or here.unsent():
        outcome.unsound.append("the room and the server differ")
    outcome.seconds = time.monotonic() - begun
    return outcome

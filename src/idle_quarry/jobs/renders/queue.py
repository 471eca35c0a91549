"""What is to be rendered of a job, in one file that all its workers share: each piece is taken by one of them at a
time.

A worker tells every second or so that it is alive; the piece of one that has been silent for `SILENT_S` is anybody's
again. What was taken from a worker meanwhile it can neither finish nor give back.
"""

from __future__ import annotations

import contextlib
import json
import socket
import sqlite3
import threading
import time
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path
from typing import Any, Protocol

from idle_quarry.errors import JobError
from idle_quarry.jobs.renders.recipe import Recipe, from_json, to_json

#: After so many seconds without a word a worker is taken for dead.
SILENT_S = 30.0
_TABLES = """
CREATE TABLE IF NOT EXISTS tasks (
    identity TEXT PRIMARY KEY, recipe TEXT NOT NULL, place REAL NOT NULL, state TEXT NOT NULL DEFAULT 'waiting',
    worker TEXT NOT NULL DEFAULT '', heard REAL NOT NULL DEFAULT 0, done INTEGER NOT NULL DEFAULT 0, text TEXT NOT
        NULL DEFAULT ''
);
CREATE TABLE IF NOT EXISTS paces (plan TEXT PRIMARY KEY, frames INTEGER NOT NULL, seconds REAL NOT NULL);
CREATE TABLE IF NOT EXISTS said (name TEXT PRIMARY KEY, value TEXT NOT NULL);
"""


def worker_name(pid: int) -> str:
    """Return what a worker of this machine is called."""
    return f"{socket.gethostname()} {pid}"


class TaskStage(StrEnum):
    """Where a task is: nobody has it, a worker has it, or it could not be done."""

    WAITING = "waiting"
    TAKEN = "taken"
    FAILED = "failed"


@dataclass(frozen=True)
class TaskState:
    """How a task stands: its stage, the worker that has it, how many of its frames are done, and what kept it."""

    stage: TaskStage = TaskStage.WAITING
    worker: str = ""
    done: int = 0
    text: str = ""

    @property
    def open(self) -> bool:
        """Whether it is still to be done."""
        return self.stage is not TaskStage.FAILED


@dataclass(frozen=True)
class Task:
    """A piece that is to be rendered, and how it stands."""

    identity: str
    recipe: Recipe
    state: TaskState = TaskState()


class WorkQueue(Protocol):
    """What is to be rendered of a job, wherever that is kept: in a file of the job, or on the house's server.

    Raises `QuarryError`.
    """

    def put(self, recipes: Iterable[Recipe]) -> None:
        """Have these rendered in their order, before all that waits already.

        What is being rendered goes on, what failed is tried again.
        """

    def drop(self, identities: Iterable[str] | None = None) -> None:
        """Forget what is waiting, being rendered or failed: all of it, or those."""

    def states(self) -> dict[str, TaskState]:
        """Return how each task stands: what is asked for again and again."""

    def paces(self) -> dict[str, float]:
        """Return the seconds that a frame takes, by plan, as far as that is known."""

    @property
    def open(self) -> int:
        """How many tasks are waiting or being rendered."""

    @property
    def paused(self) -> bool:
        """Whether workers are to wait where they are."""

    def pause(self, paused: bool) -> None:
        """Have workers wait where they are, or go on."""

    def close(self) -> None:
        """Let go of it."""


def _state(stage: str, worker: str, done: int, text: str) -> TaskState:
    return TaskState(TaskStage(stage), worker, done, text)


class FileQueue:
    """The queue in a file; any number of processes and threads may use it, each with an object of its own.

    Raises `JobError`.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self._one = threading.RLock()  #: threads that share an object wait for one another
        try:
            self._db = sqlite3.connect(path, timeout=20, isolation_level=None, check_same_thread=False)
            self._db.execute("PRAGMA journal_mode=WAL")
            self._db.execute("PRAGMA synchronous=NORMAL")
            self._db.executescript(_TABLES)
        except sqlite3.Error as error:
            raise JobError(
                f"the queue of renders cannot be used ({error})",
                subject=str(path),
                remedy="remove it: no render is lost",
            ) from error

    def close(self) -> None:
        self._db.close()

    @contextlib.contextmanager
    def _whole(self) -> Iterator[sqlite3.Connection]:
        """One change that others see whole or not at all."""
        try:
            with self._one:
                self._db.execute("BEGIN IMMEDIATE")
                try:
                    yield self._db
                except BaseException:
                    self._db.execute("ROLLBACK")
                    raise
                self._db.execute("COMMIT")
        except sqlite3.Error as error:
            raise JobError(f"the queue of renders could not be changed ({error})", subject=str(self.path)) from error

    # -- who wants something rendered ----------------------------------------------------------------------------------

    def put(self, recipes: Iterable[Recipe]) -> None:
        """Have these rendered in their order, before all that waits already.

        What is being rendered goes on, what failed is tried again.
        """
        rows = [(recipe.identity, json.dumps(to_json(recipe))) for recipe in recipes]
        with self._whole() as db:
            least = db.execute("SELECT COALESCE(MIN(place), 0) FROM tasks").fetchone()[0]
            db.executemany(
                "INSERT INTO tasks (identity, recipe, place) VALUES (?, ?, ?) ON CONFLICT (identity) DO UPDATE SET "
                "place = excluded.place, state = CASE state WHEN 'failed' THEN 'waiting' ELSE state END, text = ''",
                [(ident, recipe, least - len(rows) + n) for n, (ident, recipe) in enumerate(rows)],
            )

    def drop(self, identities: Iterable[str] | None = None) -> None:
        """Forget what is waiting, being rendered or failed: all of it, or those."""
        with self._whole() as db:
            if identities is None:
                db.execute("DELETE FROM tasks")
            else:
                db.executemany("DELETE FROM tasks WHERE identity = ?", [(identity,) for identity in identities])

    def _read(self, query: str, given: tuple[object, ...] = ()) -> list[Any]:
        try:
            with self._one:
                return self._db.execute(query, given).fetchall()
        except sqlite3.Error as error:
            raise JobError(f"the queue of renders cannot be read ({error})", subject=str(self.path)) from error

    def tasks(self) -> list[Task]:
        """Return all tasks, in the order in which they are to be rendered."""
        rows = self._read("SELECT identity, recipe, state, worker, done, text FROM tasks ORDER BY place")
        return [Task(ident, from_json(json.loads(recipe)), _state(*rest)) for ident, recipe, *rest in rows]

    def states(self) -> dict[str, TaskState]:
        """Return how each task stands: what is asked for again and again."""
        rows = self._read("SELECT identity, state, worker, done, text FROM tasks ORDER BY place")
        return {ident: _state(*rest) for ident, *rest in rows}

    @property
    def open(self) -> int:
        """How many tasks are waiting or being rendered."""
        return int(self._read("SELECT COUNT(*) FROM tasks WHERE state != 'failed'")[0][0])

    # -- workers -------------------------------------------------------------------------------------------------------

    def take(self, worker: str) -> Task | None:
        """Return the next piece, which is this worker's from now on; None where there is none, or all is paused."""
        now = time.time()
        with self._whole() as db:
            if self.paused:
                return None
            row = db.execute(
                "SELECT identity, recipe FROM tasks WHERE state = 'waiting' OR (state = 'taken' AND heard < ?) "
                "ORDER BY place LIMIT 1",
                (now - SILENT_S,),
            ).fetchone()
            if row is None:
                return None
            db.execute(
                "UPDATE tasks SET state = 'taken', worker = ?, heard = ?, done = 0, text = '' WHERE identity = ?",
                (worker, now, row[0]),
            )
        return Task(row[0], from_json(json.loads(row[1])), TaskState(TaskStage.TAKEN, worker))

    def alive(self, identity: str, worker: str, done: int, text: str = "") -> bool:
        """Say how far a worker is; return whether the piece is still its own."""
        with self._whole() as db:
            changed = db.execute(
                "UPDATE tasks SET heard = ?, done = ?, text = ? WHERE identity = ? AND worker = ? AND state = 'taken'",
                (time.time(), done, text, identity, worker),
            )
            return changed.rowcount == 1

    def finished(self, identity: str, worker: str) -> None:
        """A piece is rendered: it is a task no longer."""
        with self._whole() as db:
            db.execute("DELETE FROM tasks WHERE identity = ? AND worker = ?", (identity, worker))

    def failed(self, identity: str, worker: str, text: str) -> None:
        """A piece cannot be rendered; it stays, with what kept it, until it is wanted again."""
        with self._whole() as db:
            db.execute(
                "UPDATE tasks SET state = 'failed', worker = '', text = ? WHERE identity = ? AND worker = ?",
                (text, identity, worker),
            )

    def give_back(self, worker: str) -> None:
        """What a worker has taken is anybody's again."""
        with self._whole() as db:
            db.execute(
                "UPDATE tasks SET state = 'waiting', worker = '', done = 0, text = '' WHERE worker = ? AND state ="
                " 'taken'",
                (worker,),
            )

    # -- what is said to all -------------------------------------------------------------------------------------------

    @property
    def paused(self) -> bool:
        return self._setting("paused") == "1"

    def pause(self, paused: bool) -> None:
        """Have workers wait where they are, or go on."""
        self._say("paused", "1" if paused else "0")

    def _setting(self, name: str) -> str:
        rows = self._read("SELECT value FROM said WHERE name = ?", (name,))
        return str(rows[0][0]) if rows else ""

    def _say(self, name: str, value: str) -> None:
        with self._whole() as db:
            db.execute(
                "INSERT INTO said VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value", (name, value)
            )

    # -- how long it takes ---------------------------------------------------------------------------------------------

    def learned(self, plan: str, frames: int, seconds: float) -> None:
        """Remember how long frames of a plan took; of a plan that is known, the last few thousand count."""
        with self._whole() as db:
            db.execute(
                "INSERT INTO paces VALUES (?, ?, ?) ON CONFLICT (plan) DO UPDATE SET "
                "frames = MIN(frames, 2000) + excluded.frames, "
                "seconds = seconds * MIN(frames, 2000) / frames + excluded.seconds",
                (plan, frames, seconds),
            )

    def paces(self) -> dict[str, float]:
        """Return the seconds that a frame takes, by plan, as far as that is known."""
        return {plan: seconds / frames for plan, frames, seconds in self._read("SELECT * FROM paces")}

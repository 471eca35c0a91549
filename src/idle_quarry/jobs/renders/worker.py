"""One worker, a process of its own: takes pieces from a job's queue and renders them until none is left, or it is told to stop.

It stops when what it reads from is closed: whoever started it has gone, or wants it to end. What it had begun it gives back.
"""

from __future__ import annotations

import argparse
import contextlib
import errno
import os
import shutil
import sys
import threading
import time
from pathlib import Path

from idle_quarry.errors import QuarryError
from idle_quarry.jobs.renders.making import render
from idle_quarry.jobs.renders.queue import Queue, Task, worker_name
from idle_quarry.jobs.renders.recipe import Recipe
from idle_quarry.jobs.renders.store import Store
from idle_quarry.path.codecs import mbps
from idle_quarry.reports import unforeseen

#: Seconds between two words to the queue, and between two looks whether a full disk has room again, or something is there to do.
_BEAT_S, _LOOK_S = 0.7, 0.5
#: Room that must be there besides what a piece needs before a full disk is tried again.
_SPARE = 64 << 20


class Stopped(Exception):
    """The worker is to end, or the piece is no longer its own."""


class Worker:
    """Renders what a queue has into a store; `stop` may be set from anywhere."""

    def __init__(self, queue: Queue, store: Store, name: str, stop: threading.Event) -> None:
        self._queue, self._store, self.name, self._stop = queue, store, name, stop
        self._told = 0.0

    def run(self, *, wait: bool = False) -> int:
        """Render until nothing is left, or with `wait` until it is stopped; return how many pieces were rendered."""
        count = 0
        try:
            while not self._stop.is_set():
                task = self._queue.take(self.name)
                if task is not None:
                    count += self._one(task)
                elif not wait and not self._queue.open:
                    break
                else:  # paused, or others are at the last ones: one of those may die
                    self._stop.wait(_LOOK_S)
        finally:
            self._queue.give_back(self.name)
        return count

    def _one(self, task: Task) -> bool:
        """Render a piece; return whether it is there now."""
        while True:
            try:
                begun = time.monotonic()
                made = not self._store.kept(task.recipe)
                self._store.render(task.recipe, lambda recipe, path: self._render(task, recipe, path))
            except Stopped:
                return False
            except QuarryError as error:
                if _is_full(error):
                    if self._waited_for_room(task):
                        continue
                    return False
                self._queue.failed(task.identity, self.name, str(error))
                return False
            except Exception as error:  # an odd clip that nobody thought of: the rest goes on
                self._queue.failed(task.identity, self.name, unforeseen(error))
                return False
            if made:
                self._queue.learned(task.recipe.plan, task.recipe.frames, time.monotonic() - begun)
            self._queue.finished(task.identity, self.name)
            return True

    def _render(self, task: Task, recipe: Recipe, path: Path) -> None:
        def told(done: int, _of: int) -> None:
            if self._stop.is_set():
                raise Stopped
            if time.monotonic() - self._told >= _BEAT_S:
                self._say(task, done)
                while self._queue.paused and not self._stop.is_set():
                    self._stop.wait(_LOOK_S)
                    self._say(task, done)

        render(recipe, path, told)

    def _say(self, task: Task, done: int, text: str = "") -> None:
        self._told = time.monotonic()
        if not self._queue.alive(task.identity, self.name, done, text):
            raise Stopped

    def _waited_for_room(self, task: Task) -> bool:
        """Wait until a full disk has room for a piece; return False where the worker is to end meanwhile, or it is not wanted any more."""
        recipe = task.recipe
        needed = int(mbps(recipe.codec, recipe.format) * 1e6 / 8 * recipe.frames / recipe.format.rate) + _SPARE
        text = f"the disk is full: it goes on when {needed // 1_000_000} MB are free"
        with contextlib.suppress(Stopped):
            while not self._stop.wait(_LOOK_S):
                self._say(task, 0, text)
                with contextlib.suppress(OSError):
                    if shutil.disk_usage(self._store.folder).free >= needed:
                        return True
        return False


def _is_full(error: BaseException) -> bool:
    cause: BaseException | None = error
    while cause is not None:
        if isinstance(cause, OSError) and cause.errno in (errno.ENOSPC, errno.EDQUOT):
            return True
        cause = cause.__cause__
    return False


def work(queue: Path, store: Path, stop: threading.Event | None = None) -> int:
    """Render what a queue has into a store, in this process; return how many pieces were rendered. Raises `JobError`."""
    place = Store(store)
    place.clear_strangers()
    return Worker(Queue(queue), place, worker_name(os.getpid()), stop or threading.Event()).run()


def main(arguments: list[str] | None = None) -> int:
    """Work on a queue and a store; `--core` keeps to one processor, so that several workers share the machine evenly."""
    parser = argparse.ArgumentParser(prog="worker")
    parser.add_argument("queue", type=Path)
    parser.add_argument("store", type=Path)
    parser.add_argument("--core", type=int)
    options = parser.parse_args(arguments)
    if options.core is not None:
        os.sched_setaffinity(0, {options.core})
    with contextlib.suppress(OSError):
        os.nice(5)  # whoever edits meanwhile goes first
    stop = threading.Event()

    def listen() -> None:
        with contextlib.suppress(OSError, ValueError):
            sys.stdin.buffer.read()
        stop.set()

    threading.Thread(target=listen, daemon=True, name="quarry listener").start()
    try:
        work(options.queue, options.store, stop)
    except QuarryError as error:
        print(error, file=sys.stderr)
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())

"""One worker, a process of its own: takes pieces from a job's queue and renders them until none is left, or it is
told to stop.

It stops when what it reads from is closed: whoever started it has gone, or wants it to end. What it had begun it gives
back.
"""

from __future__ import annotations

import argparse
import contextlib
import os
import sys
import threading
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from idle_quarry.errors import QuarryError
from idle_quarry.jobs.renders.queue import FileQueue, Task, worker_name
from idle_quarry.jobs.renders.store import RenderStore
from idle_quarry.jobs.renders.task_run import LOOK_S, TaskRun, WorkStopped, rendered
from idle_quarry.reports import unforeseen


@dataclass(frozen=True)
class _QueuedPiece:
    """A piece out of a queue, as its worker speaks of it."""

    queue: FileQueue
    task: Task

    def alive(self, done: int, text: str = "") -> bool:
        return self.queue.alive(self.task.identity, self.task.state.worker, done, text)

    @property
    def paused(self) -> bool:
        return self.queue.paused


class Worker:
    """Renders what a queue has into a store; `stop` may be set from anywhere."""

    def __init__(self, queue: FileQueue, store: RenderStore, name: str, stop: threading.Event) -> None:
        self._queue, self._store, self.name, self._stop = queue, store, name, stop

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
                    self._stop.wait(LOOK_S)
        finally:
            self._queue.give_back(self.name)
        return count

    def _one(self, task: Task) -> bool:
        """Render a piece; return whether it is there now."""
        try:
            seconds = rendered(task.recipe, self._store, TaskRun(_QueuedPiece(self._queue, task), self._stop))
        except WorkStopped:
            return False
        except QuarryError as error:
            self._queue.failed(task.identity, self.name, str(error))
            return False
        except Exception as error:  # an odd clip that nobody thought of: the rest goes on
            self._queue.failed(task.identity, self.name, unforeseen(error))
            return False
        if seconds:
            self._queue.learned(task.recipe.plan, task.recipe.frames, seconds)
        self._queue.finished(task.identity, self.name)
        return True


def work(queue: Path, store: Path, stop: threading.Event | None = None) -> int:
    """Render what a queue has into a store, in this process; return how many pieces were rendered.

    Raises `JobError`.
    """
    place = RenderStore(store)
    place.clear_strangers()
    return Worker(FileQueue(queue), place, worker_name(os.getpid()), stop or threading.Event()).run()


def as_guest(core: int | None) -> threading.Event:
    """Be a worker beside people who work: on one processor where that is said, and behind them.

    Return what is set when it is to end.
    """
    if core is not None:
        os.sched_setaffinity(0, {core})
    with contextlib.suppress(OSError):
        os.nice(5)  # whoever edits meanwhile goes first
    stop = threading.Event()

    def listen() -> None:
        with contextlib.suppress(OSError, ValueError):
            sys.stdin.buffer.read()
        stop.set()

    threading.Thread(target=listen, daemon=True, name="quarry listener").start()
    return stop


def status_of(act: Callable[[], object]) -> int:
    """Return a worker's exit status; what kept it from its work is its last word, for whoever started it."""
    try:
        act()
    except QuarryError as error:
        print(error, file=sys.stderr)
        return 2
    return 0


def main(arguments: list[str] | None = None) -> int:
    """Work on a queue and a store; `--core` keeps to one processor, so that several workers share the machine
    evenly.
    """
    parser = argparse.ArgumentParser(prog="worker")
    parser.add_argument("queue", type=Path)
    parser.add_argument("store", type=Path)
    parser.add_argument("--core", type=int)
    options = parser.parse_args(arguments)
    stop = as_guest(options.core)
    return status_of(lambda: work(options.queue, options.store, stop))


if __name__ == "__main__":
    sys.exit(main())

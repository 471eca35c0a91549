"""Workers on this machine: started for a job's queue, ended with whoever started them."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import threading
import time
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from idle_quarry.errors import JobError
from idle_quarry.jobs.renders.queue import Queue, worker_name
from idle_quarry.jobs.renders.settled import QUEUE_FILE
from idle_quarry.jobs.renders.store import Store

#: Seconds that a worker that was told to stop is given to leave things tidy.
_PATIENCE_S = 5.0
#: A worker that fails within so many seconds could not begin; after so many of those no other is started.
_STILLBORN_S, _MOST_STILLBORN = 20.0, 3


@dataclass(frozen=True)
class _Worker:
    """A process, the processor it keeps to (None where it has all), when it was started, and what it says of its end."""

    process: subprocess.Popen[bytes]
    core: int | None
    begun: float
    words: IO[bytes]


class Rendering:
    """The workers of a job; for any thread. None of them outlives this process: each ends when the pipe it listens to is closed."""

    def __init__(self, folder: Path, store: Store) -> None:
        self.queue = Queue(folder / QUEUE_FILE)
        self.store = store
        self._folder = folder
        self._one = threading.Lock()
        self._workers: list[_Worker] = []
        self._stillborn = 0
        self._last_words = ""

    @property
    def working(self) -> int:
        """How many workers there are."""
        with self._one:
            self._reap()
            return len(self._workers)

    def _reap(self) -> None:
        """Let go of those that have ended: what one had begun when it was killed is anybody's at once."""
        for worker in self._workers:
            code = worker.process.poll()
            if code:
                self.queue.give_back(worker_name(worker.process.pid))
                if time.monotonic() - worker.begun < _STILLBORN_S:
                    self._stillborn += 1
                    worker.words.seek(0)
                    said = worker.words.read().decode(errors="replace").strip().splitlines()
                    self._last_words = said[-1] if said else f"status {code}"
        self._workers = [each for each in self._workers if each.process.returncode is None]

    def start(self, most: int | None = None) -> None:
        """Have as many workers as there are processors, and no more than there is to do; a single one uses them all.

        Raises `JobError` where workers end as soon as they are started, or none can be.
        """
        with self._one:
            self._reap()
            if self._stillborn >= _MOST_STILLBORN:
                self._stillborn = 0  # whoever asks again may have mended it
                raise JobError(
                    f"nothing is rendered: workers end as soon as they start ({self._last_words})",
                    subject=self._folder.name,
                )
            cores = sorted(os.sched_getaffinity(0))
            wanted = min(most or len(cores), len(cores), self.queue.open)
            free = [core for core in cores if core not in {worker.core for worker in self._workers}]
            try:
                self.store.folder.mkdir(parents=True, exist_ok=True)
                while len(self._workers) < wanted and free:
                    self._begin(free.pop(0) if wanted > 1 else None)
            except OSError as error:
                raise JobError(
                    f"no worker could be started ({error.strerror})", subject=str(self.store.folder)
                ) from error

    def _begin(self, core: int | None) -> None:
        command = [
            sys.executable, "-m", "idle_quarry.jobs.renders.worker", str(self._folder / QUEUE_FILE), str(self.store.folder),
        ]  # fmt: skip
        if core is not None:
            command += ["--core", str(core)]
        words = tempfile.TemporaryFile()  # noqa: SIM115  (it lives as long as the worker)
        process = subprocess.Popen(
            command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=words, start_new_session=True
        )
        self._workers.append(_Worker(process, core, time.monotonic(), words))

    def stop(self) -> None:
        """End the workers: what they had begun is given back, what is whole stays."""
        with self._one:
            for worker in self._workers:
                if worker.process.stdin is not None:
                    worker.process.stdin.close()
            for worker in self._workers:
                try:
                    worker.process.wait(_PATIENCE_S)
                except subprocess.TimeoutExpired:
                    worker.process.kill()
                    worker.process.wait()
            self._reap()

    def close(self) -> None:
        self.stop()
        self.queue.close()

"""Workers on this machine: started for a job's queue, ended with whoever started them."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

from idle_quarry.jobs.renders.queue import Queue
from idle_quarry.jobs.renders.settled import QUEUE_FILE
from idle_quarry.jobs.renders.store import Store

#: Seconds that a worker that was told to stop is given to leave things tidy.
_PATIENCE_S = 5.0


class Rendering:
    """The workers of a job. None of them outlives this process: each ends when the pipe it listens to is closed."""

    def __init__(self, folder: Path, store: Store) -> None:
        self.queue = Queue(folder / QUEUE_FILE)
        self.store = store
        self._folder = folder
        self._workers: list[subprocess.Popen[bytes]] = []

    @property
    def working(self) -> int:
        """How many workers there are."""
        self._workers = [each for each in self._workers if each.poll() is None]
        return len(self._workers)

    def start(self, most: int | None = None) -> None:
        """Have as many workers as there are processors, and no more than there is to do; a single one uses them all."""
        cores = sorted(os.sched_getaffinity(0))
        wanted = min(most or len(cores), len(cores), self.queue.open)
        running = self.working
        self.store.folder.mkdir(parents=True, exist_ok=True)
        for number in range(running, wanted):
            command = [
                sys.executable, "-m", "idle_quarry.jobs.renders.worker", str(self._folder / QUEUE_FILE), str(self.store.folder),
            ]  # fmt: skip
            if wanted > 1:
                command += ["--core", str(cores[number % len(cores)])]
            nowhere = subprocess.DEVNULL
            self._workers.append(
                subprocess.Popen(command, stdin=subprocess.PIPE, stdout=nowhere, stderr=nowhere, start_new_session=True)
            )

    def stop(self) -> None:
        """End the workers: what they had begun is given back, what is whole stays."""
        for worker in self._workers:
            if worker.stdin is not None:
                worker.stdin.close()
        for worker in self._workers:
            try:
                worker.wait(_PATIENCE_S)
            except subprocess.TimeoutExpired:
                worker.kill()
                worker.wait()
        self._workers = []

    def close(self) -> None:
        self.stop()
        self.queue.close()

"""Worker processes of this machine: as many as are wanted, each ended with whoever started it."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import IO

from idle_quarry.errors import JobError

#: Seconds that a worker that was told to stop is given to leave things tidy.
_PATIENCE_S = 5.0
#: A worker that fails within so many seconds could not begin; after so many of those no other is started, or after so
#: many times as many that somebody killed.
_STILLBORN_S, _MOST_STILLBORN, _MOST_KILLED = 20.0, 3, 4


@dataclass(frozen=True)
class _Worker:
    """A process, the processor it keeps to (None where it has all), when it was started, and what it says of its
    end.
    """

    process: subprocess.Popen[bytes]
    core: int | None
    begun: float
    words: IO[bytes]


class Crew:
    """Workers of one kind; for any thread. None outlives this process: each ends when the pipe it listens to is closed.

    `module` and `arguments` are what each runs, `settings` what is added to its environment; `lost` hears of one that
    was killed.
    """

    def __init__(
        self,
        module: str,
        arguments: Sequence[str],
        lost: Callable[[int], object] = lambda _pid: None,
        settings: Mapping[str, str] | None = None,
    ) -> None:
        self._command = [sys.executable, "-m", module, *arguments]
        self._lost, self._settings = lost, dict(settings or {})
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
        """Let go of those that have ended."""
        for worker in self._workers:
            code = worker.process.poll()
            if code:
                self._lost(worker.process.pid)
                if time.monotonic() - worker.begun < _STILLBORN_S:
                    # who kills one may kill a few more; one that ends by itself will again
                    self._stillborn += _MOST_KILLED if code > 0 else 1
                    worker.words.seek(0)
                    texts = worker.words.read().decode(errors="replace").strip().splitlines()
                    ended = f"status {code}" if code > 0 else f"killed by {signal.Signals(-code).name}"
                    self._last_words = texts[-1] if texts and code > 0 else ended
        self._workers = [worker for worker in self._workers if worker.process.returncode is None]

    def start(self, wanted: int, most: int | None = None) -> None:
        """Have as many workers as are wanted, at most one a processor; a single one uses them all.

        Raises `JobError` where workers end as soon as they are started, or none can be.
        """
        with self._one:
            self._reap()
            if self._stillborn >= _MOST_STILLBORN * _MOST_KILLED:
                self._stillborn = 0  # whoever asks again may have mended it
                raise JobError(f"nothing is done: workers end as soon as they start ({self._last_words})")
            cores = sorted(os.sched_getaffinity(0))
            wanted = min(most or len(cores), len(cores), wanted)
            free = [core for core in cores if core not in {worker.core for worker in self._workers}]
            try:
                while len(self._workers) < wanted and free:
                    self._begin(free.pop(0) if wanted > 1 else None)
            except OSError as error:
                raise JobError(f"no worker could be started ({error.strerror})") from error

    def _begin(self, core: int | None) -> None:
        command = self._command if core is None else [*self._command, "--core", str(core)]
        words = tempfile.TemporaryFile()  # noqa: SIM115  (it lives as long as the worker)
        process = subprocess.Popen(
            command,
            stdin=subprocess.PIPE,
            stdout=subprocess.DEVNULL,
            stderr=words,
            start_new_session=True,
            env={**os.environ, **self._settings},
        )
        self._workers.append(_Worker(process, core, time.monotonic(), words))

    def let_go(self) -> None:
        """Tell the workers to end, and do not wait for it: what was wanted of them is done."""
        with self._one:
            for worker in self._workers:
                if worker.process.stdin is not None:
                    worker.process.stdin.close()
            self._workers = []

    def stop(self) -> None:
        """End the workers: what they had begun is given back."""
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

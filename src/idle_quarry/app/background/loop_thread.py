"""A loop on a thread of its own that makes one thing after the other while somebody looks, at a pace, one at a time."""

from __future__ import annotations

import threading
import time
from typing import Any, Protocol

from PySide6.QtCore import QObject, Qt, Signal

from idle_quarry.errors import QuarryError
from idle_quarry.reports import unforeseen


class LoopSteps(Protocol):
    """What a loop does, all of it on the loop's thread."""

    def step(self) -> Any:
        """Make the next thing. A `QuarryError` ends the loop."""

    def period_s(self) -> float:
        """How long one thing lasts."""

    def close(self) -> None:
        """Let go: no step comes any more."""


class LoopThread(QObject):
    """Steps again and again on a thread.

    Each answer arrives on the interface thread, and the next step may begin meanwhile, but is not handed over before
    the last was taken. `failed` says why a loop ended by itself.
    """

    arrived = Signal(object)
    failed = Signal(str)
    _answered = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._thread: threading.Thread | None = None
        self._ending: list[threading.Thread] = []
        self._wake = threading.Event()
        self._stop = threading.Event()
        self._received = threading.Event()
        self._answered.connect(self._take, Qt.ConnectionType.QueuedConnection)

    @property
    def running(self) -> bool:
        return self._thread is not None

    def start(self, steps: LoopSteps) -> None:
        """Begin to step, one step each `period_s()` seconds or as fast as it can."""
        self.stop()
        self._stop, self._received, self._wake = threading.Event(), threading.Event(), threading.Event()
        self._received.set()
        self._thread = threading.Thread(
            target=self._run, args=(steps, self._stop, self._received, self._wake), name="quarry live", daemon=True
        )
        self._thread.start()

    def stop(self) -> None:
        """End the loop without waiting for the step that is under way."""
        self._ending = [thread for thread in self._ending if thread.is_alive()]
        if self._thread is not None:
            self._ending.append(self._thread)
        self._thread = None
        self._stop.set()
        self._received.set()
        self._wake.set()

    def hurry(self) -> None:
        """Begin the next step now: something else is wanted."""
        self._wake.set()

    def finish(self) -> None:
        """End the loop and wait until it, and every one before it, has let go."""
        self.stop()
        for thread in self._ending:
            thread.join()

    def _run(self, steps: LoopSteps, stop: threading.Event, received: threading.Event, wake: threading.Event) -> None:
        try:
            due = time.monotonic()
            while not stop.is_set():
                try:
                    answer: Any = steps.step()
                except QuarryError as error:
                    answer = error
                except Exception as error:  # the window must say so rather than stand still
                    answer = QuarryError(unforeseen(error))
                received.wait()
                if stop.is_set():
                    return
                received.clear()
                try:
                    self._answered.emit((answer, received))
                except RuntimeError:  # the window is gone, and this with it
                    return
                if isinstance(answer, QuarryError):
                    return
                due = max(due + steps.period_s(), time.monotonic() - steps.period_s())
                if wake.wait(max(0.0, due - time.monotonic())):
                    wake.clear()
                    due = time.monotonic()
        finally:
            steps.close()

    def _take(self, results: tuple[Any, threading.Event]) -> None:
        answer, received = results
        if received is self._received and self._thread is not None:
            if isinstance(answer, QuarryError):
                self._thread = None
                self.failed.emit(str(answer))
            else:
                self.arrived.emit(answer)
        received.set()

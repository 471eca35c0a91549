"""Slow work off the interface thread: frozen requests out, frozen answers back through one relay."""

from __future__ import annotations

import contextlib
import ctypes
import gc
import resource
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from enum import Enum
from functools import partial
from pathlib import Path
from types import CellType
from typing import Any

import shiboken6
from PySide6.QtCore import QObject, Qt, QTimer, Signal

from idle_quarry.errors import QuarryError
from idle_quarry.reports import unforeseen


class Cancelled(QuarryError):
    """Raised inside work whose result nobody wants any more; whoever asked is told so by this type."""

    def __init__(self) -> None:
        super().__init__("cancelled; nothing was left behind")


class Ticket:
    """One piece of work under way; `cancel` asks it to stop at its next word of progress."""

    def __init__(self, relay: Relay, done: Callable[[Any], object], failed: Callable[[QuarryError], object]) -> None:
        self._relay = relay
        self.done, self.failed = done, failed
        self.progressed: Callable[[str, float], object] | None = None
        self.gave: Callable[[Any], object] | None = None
        self.quiet = False  #: whether what arrives of it is no sign that somebody works
        self._stop = threading.Event()

    def cancel(self) -> None:
        self._stop.set()

    @property
    def cancelled(self) -> bool:
        return self._stop.is_set()

    def progress(self, what: str, share: float) -> None:
        """Called by the work; raises `Cancelled` when the work is no longer wanted."""
        if self._stop.is_set():
            raise Cancelled
        self._relay.answer.emit(_Answer(self, _Kind.PROGRESS, (what, share)))

    def give(self, value: object) -> None:
        """Called by the work: a part of the result, which does not wait for the rest."""
        self._relay.answer.emit(_Answer(self, _Kind.PART, value))


class _Kind(Enum):
    PROGRESS, PART, DONE, FAILED = range(4)


@dataclass(frozen=True)
class _Answer:
    ticket: Ticket
    kind: _Kind
    value: Any


class Relay(QObject):
    """Brings answers back to the interface thread; answers to cancelled tickets and to closed widgets are dropped."""

    answer = Signal(object)
    arrived = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.answer.connect(self._arrived, Qt.ConnectionType.QueuedConnection)

    def _arrived(self, answer: _Answer) -> None:
        ticket = answer.ticket
        if not ticket.quiet:
            self.arrived.emit()
        if _gone(ticket.done):
            return
        if answer.kind is _Kind.PROGRESS:
            if ticket.progressed is not None and not ticket.cancelled:
                ticket.progressed(*answer.value)
        elif answer.kind is _Kind.PART:
            if ticket.gave is not None and not ticket.cancelled:
                ticket.gave(answer.value)
        elif answer.kind is _Kind.FAILED:
            ticket.failed(answer.value)
        elif not ticket.cancelled:
            ticket.done(answer.value)


def _gone(call: Callable[[Any], object]) -> bool:
    """Return whether a call belongs to a widget whose window has closed since it asked: its own, or one it holds."""
    if isinstance(call, partial):
        return _gone(call.func)
    owner = getattr(call, "__self__", None)
    if owner is not None:
        held = [owner] if isinstance(owner, QObject) else list(getattr(owner, "__dict__", {}).values())
    else:
        held = [cell.cell_contents for cell in getattr(call, "__closure__", None) or () if _filled(cell)]
    return any(isinstance(item, QObject) and not shiboken6.isValid(item) for item in held)


def _filled(cell: CellType) -> bool:
    try:
        cell.cell_contents  # noqa: B018
    except ValueError:
        return False
    return True


#: How long nothing is under way before memory is given back, ms.
_REST_MS = 1500
#: mallopt's M_ARENA_MAX (malloc.h).
_ARENA_MAX = -8


#: So much more than at the last rest is worth a collection of circles, which takes a fifth of a second.
_WORTH_MB = 60.0


def _resident_mb() -> float:
    """Return how much memory is resident; 0 where the system does not say it."""
    try:
        pages = int(Path("/proc/self/statm").read_text(encoding="ascii").split()[1])
    except (OSError, IndexError, ValueError):
        return 0.0
    return pages * resource.getpagesize() / 1e6


def _few_arenas() -> None:
    """Have threads share two heaps: with one each, pictures leave holes of a hundred megabytes in every one of them."""
    with contextlib.suppress(AttributeError):  # another C library has its own ways
        ctypes.CDLL(None).mallopt(_ARENA_MAX, 2)


class Workers:
    """A few threads for files and encoders, whose libraries let go of Python's lock."""

    def __init__(self) -> None:
        _few_arenas()
        self._pool = ThreadPoolExecutor(max_workers=4, thread_name_prefix="quarry")
        self._relay = Relay()
        self._resting = QTimer(singleShot=True, interval=_REST_MS)
        self._resting.timeout.connect(self._rest)
        self._relay.arrived.connect(self._resting.start)
        self._open: set[Ticket] = set()
        #: What lets go of what nobody sees, on the interface thread, when nothing was under way for a while.
        self.before_rest: list[Callable[[], object]] = []
        #: What lets go of memory after that, on a thread.
        self.at_rest: list[Callable[[], object]] = []
        self._at_rest_mb = _resident_mb()  #: what was resident when memory was given back last
        self._closed = False

    def start(
        self,
        work: Callable[[Ticket], Any],
        done: Callable[[Any], object],
        failed: Callable[[QuarryError], object],
        progressed: Callable[[str, float], object] | None = None,
        gave: Callable[[Any], object] | None = None,
        *,
        quiet: bool = False,
    ) -> Ticket:
        """Run `work` on a thread; the rest are called on the interface thread, `gave` for each part that it gives.

        What is asked again and again without anybody's doing is `quiet`: memory is not given back after each.
        """
        ticket = Ticket(self._relay, done, failed)
        ticket.progressed, ticket.gave, ticket.quiet = progressed, gave, quiet
        if self._closed:  # the window is going: nobody would hear the answer
            ticket.cancel()
            return ticket
        self._open.add(ticket)
        self._pool.submit(self._run, ticket, work)
        return ticket

    def _run(self, ticket: Ticket, work: Callable[[Ticket], Any]) -> None:
        try:
            if ticket.cancelled:  # while it waited for a thread: nothing of it is wanted
                raise Cancelled
            value = work(ticket)
        except QuarryError as error:
            self._relay.answer.emit(_Answer(ticket, _Kind.FAILED, error))
        except Exception as error:  # the window must say so rather than wait for ever
            self._relay.answer.emit(_Answer(ticket, _Kind.FAILED, QuarryError(unforeseen(error))))
        else:
            self._relay.answer.emit(_Answer(ticket, _Kind.DONE, value))
        finally:
            self._open.discard(ticket)

    def rest_soon(self) -> None:
        """Have memory given back in a moment: a page that needed much of it was left."""
        self._resting.start()

    def _rest(self) -> None:
        if self._closed:
            return
        if not self.idle:
            self._resting.start()
        else:
            for let_go in self.before_rest:
                let_go()
            if _resident_mb() > self._at_rest_mb + _WORTH_MB:
                gc.collect()  # a few objects in a circle may hold hundreds of megabytes of pictures
            self._pool.submit(self._give_back)

    def _give_back(self) -> None:
        """Give the system back what pictures took: a decoder holds 250 MB of a 2160-line clip, glibc what was freed."""
        try:
            for let_go in self.at_rest:
                let_go()
        finally:
            with contextlib.suppress(AttributeError):  # another C library does it by itself
                ctypes.CDLL(None).malloc_trim(0)
            self._at_rest_mb = _resident_mb()

    @property
    def idle(self) -> bool:
        """Whether nothing is under way that anybody asked for: what is quiet goes on for ever."""
        return all(ticket.quiet for ticket in list(self._open))

    def close(self) -> None:
        """Cancel what is under way and wait for it."""
        self._closed = True
        self._resting.stop()
        for ticket in list(self._open):
            ticket.cancel()
        self._pool.shutdown(wait=True, cancel_futures=True)

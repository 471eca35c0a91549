"""Slow work off the interface thread: frozen requests out, frozen answers back through one relay."""

from __future__ import annotations

import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from types import CellType
from typing import Any

import shiboken6
from PySide6.QtCore import QObject, Qt, Signal

from idle_quarry.errors import QuarryError
from idle_quarry.reports import unforeseen


class Cancelled(Exception):
    """Raised inside work whose result nobody wants any more."""


class Ticket:
    """One piece of work under way; `cancel` asks it to stop at its next word of progress."""

    def __init__(self, relay: Relay, done: Callable[[Any], None], failed: Callable[[QuarryError], None]) -> None:
        self._relay = relay
        self.done, self.failed = done, failed
        self.progressed: Callable[[str, float], None] | None = None
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
        self._relay.answer.emit(_Answer(self, "progress", (what, share)))


@dataclass(frozen=True)
class _Answer:
    ticket: Ticket
    kind: str
    value: Any


class Relay(QObject):
    """Brings answers back to the interface thread; answers to cancelled tickets and to closed widgets are dropped."""

    answer = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.answer.connect(self._arrived, Qt.ConnectionType.QueuedConnection)

    def _arrived(self, answer: _Answer) -> None:
        ticket = answer.ticket
        if _gone(ticket.done):
            return
        if answer.kind == "progress":
            if ticket.progressed is not None and not ticket.cancelled:
                ticket.progressed(*answer.value)
        elif answer.kind == "failed":
            ticket.failed(answer.value)
        elif not ticket.cancelled:
            ticket.done(answer.value)


def _gone(call: Callable[[Any], None]) -> bool:
    """Return whether a call belongs to a widget whose window has closed since it asked: its own, or one it holds."""
    if isinstance(call, partial):
        return _gone(call.func)
    owner = getattr(call, "__self__", None)
    if owner is not None:
        held = [owner] if isinstance(owner, QObject) else list(getattr(owner, "__dict__", {}).values())
    else:
        held = [cell.cell_contents for cell in getattr(call, "__closure__", None) or () if _filled(cell)]
    return any(isinstance(each, QObject) and not shiboken6.isValid(each) for each in held)


def _filled(cell: CellType) -> bool:
    try:
        cell.cell_contents  # noqa: B018
    except ValueError:
        return False
    return True


class Workers:
    """A few threads for files and encoders, whose libraries let go of Python's lock."""

    def __init__(self) -> None:
        self._pool = ThreadPoolExecutor(max_workers=4, thread_name_prefix="quarry")
        self._relay = Relay()
        self._open: set[Ticket] = set()
        self._closed = False

    def start(
        self,
        work: Callable[[Ticket], Any],
        done: Callable[[Any], None],
        failed: Callable[[QuarryError], None],
        progressed: Callable[[str, float], None] | None = None,
    ) -> Ticket:
        """Run `work` on a thread; `done`, `failed` and `progressed` are called on the interface thread."""
        ticket = Ticket(self._relay, done, failed)
        ticket.progressed = progressed
        if self._closed:  # the window is going: nobody would hear the answer
            ticket.cancel()
            return ticket
        self._open.add(ticket)
        self._pool.submit(self._run, ticket, work)
        return ticket

    def _run(self, ticket: Ticket, work: Callable[[Ticket], Any]) -> None:
        try:
            value = work(ticket)
        except Cancelled:
            error = QuarryError("cancelled; nothing was left behind")
            self._relay.answer.emit(_Answer(ticket, "failed", error))
        except QuarryError as error:
            self._relay.answer.emit(_Answer(ticket, "failed", error))
        except Exception as error:  # the window must say so rather than wait for ever
            self._relay.answer.emit(_Answer(ticket, "failed", QuarryError(unforeseen(error))))
        else:
            self._relay.answer.emit(_Answer(ticket, "done", value))
        finally:
            self._open.discard(ticket)

    def close(self) -> None:
        """Cancel what is under way and wait for it."""
        self._closed = True
        for ticket in list(self._open):
            ticket.cancel()
        self._pool.shutdown(wait=True, cancel_futures=True)

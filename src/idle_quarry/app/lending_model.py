"""The house's other machines: whether they may help this one, and when this one is lent to them."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from idle_quarry.errors import QuarryError

if TYPE_CHECKING:  # what speaks to a house is read where there is one
    from idle_quarry.app.context import AppContext
    from idle_quarry.jobs.lending.lender import MachineLending
    from idle_quarry.jobs.lending.task_server import TaskServer

#: When a machine is lent, as it is chosen.
NEVER, IDLE, ALWAYS = "never", "while nobody works on it", "always"
WHEN = (NEVER, IDLE, ALWAYS)
#: Milliseconds between two looks whether it is lent just now, and seconds after which a house that did not answer is
#: asked again.
_LOOK_MS, _AGAIN_S = 5_000, 20.0


class LendingModel(QObject):
    """`changed`: this machine is lent, or no longer, or does something else for others."""

    changed = Signal()

    def __init__(self, context: AppContext) -> None:
        super().__init__()
        self._context = context
        self.words = ""  #: what is to be said of it
        self._one = threading.Lock()
        self._house: TaskServer | None = None
        self._why, self._asked = "", 0.0
        self._lent: MachineLending | None = None
        self._looking = False
        #: What is another whenever somebody has done something in the window, and what it was.
        self.at_hand_of: Callable[[], object] = lambda: None
        self._was: object = None
        self._tick = QTimer(self, interval=_LOOK_MS)
        self._tick.timeout.connect(self._look)
        if context.library.at_hand and context.preferences.lend != NEVER:
            self._tick.start()

    @property
    def _url(self) -> str | None:
        library = self._context.library
        return library.url.render_as_string(hide_password=False) if library.at_hand else None  # type: ignore[attr-defined]

    @property
    def possible(self) -> bool:
        """Whether there is a house to lend it to."""
        return self._url is not None

    def house(self) -> tuple[TaskServer | None, str]:
        """Return the house whose machines may help, or None and why. For any thread but the window's."""
        from idle_quarry.jobs.lending.queue_choice import opened

        with self._one:
            if self._house is None and self._url is not None and time.monotonic() - self._asked > _AGAIN_S:
                self._house, self._why = opened(self._url)
                self._asked = time.monotonic()
            if self._house is not None and self._context.library.away:  # type: ignore[attr-defined]
                return None, "the server does not answer"
            return self._house, self._why

    # -- lent ----------------------------------------------------------------------------------------------------------

    def lend(self, when: str, hours: str) -> None:
        """Lend this machine from now on: when, and between which hours of the day, "" for any."""
        from idle_quarry.jobs.lending.lender import hours_of

        try:
            hours_of(hours)
        except QuarryError as error:
            self._context.refuse(error)
            self.changed.emit()
            return
        chosen = self._context.preferences
        chosen.lend, chosen.lend_hours = when, hours.strip()
        self._stop()
        if self.possible and when != NEVER:
            self._tick.start()
            self._look()
        self.changed.emit()

    def _look(self) -> None:
        """Have this machine work for others, or not, as it is chosen."""
        url, chosen = self._url, self._context.preferences
        if url is None or self._looking:
            return
        now = self.at_hand_of()
        moved, self._was = now != self._was, now
        self._looking, lent = True, self._lent

        def work(_ticket: object) -> tuple[MachineLending, str]:
            from idle_quarry.jobs.lending.lender import LendingOffer, MachineLending, hours_of, touched
            from idle_quarry.jobs.lending.task_server import lent_words

            if moved:
                touched()
            lending = lent or MachineLending(url, LendingOffer(hours_of(chosen.lend_hours), chosen.lend == IDLE))
            why = lending.look()
            house, away = self.house()
            if why or house is None:
                return lending, f"Not lent just now: {why or away}."
            here = "; ".join(lent_words(machine) for machine in house.here())
            return lending, f"Lent: {here or 'nothing is to be done'}."

        def done(results: tuple[MachineLending, str]) -> None:
            self._looking = False
            if not self._tick.isActive():  # it was chosen otherwise meanwhile
                results[0].close()
                return
            self._lent, self.words = results
            self.changed.emit()

        def refused(error: QuarryError) -> None:
            self._looking = False
            self.words = str(error)
            self.changed.emit()

        self._context.workers.start(work, done, refused)

    def _stop(self) -> None:
        self._tick.stop()
        self.words = ""
        lent, self._lent = self._lent, None

        def close(_ticket: object) -> None:
            if lent is not None:
                lent.close()

        self._context.workers.start(close, lambda _none: None, self._context.refuse)

    def close(self) -> None:
        """End what this machine does for others, and let go of the house."""
        self._tick.stop()
        if self._lent is not None:
            self._lent.close()
        if self._house is not None:
            self._house.close()

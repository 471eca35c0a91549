"""Playing what is on the bench: a short loop, made ahead as far as it must be to go on in time, then from memory.

Where making takes far longer than playing, nobody waits for it: the first time round shows each picture as it is there.
"""

from __future__ import annotations

from time import monotonic
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Qt, QTimer, Signal

from idle_quarry.app.background.workers import Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.proof.bench import KEPT_BYTES, still_bytes

if TYPE_CHECKING:
    from idle_quarry.app.models.proof.bench import BenchPictures

SPEEDS = {"real time": 1.0, "half": 0.5, "a quarter": 0.25, "a tenth": 0.1}
#: Seconds of programme that are played over and over; what fits the memory, if less.
_LOOP_SECONDS = 2.0
#: Below this share of the speed asked for, pictures are shown as they are made the first time round.
_HOPELESS = 0.3
#: How much longer a picture takes while others are drawn.
_SLOWED = 1.5
#: So many pictures are made before it is judged how long the rest take; what took fewer seconds was there before.
_TRIED, _KEPT = 4, 0.002


class Player(QObject):
    """`changed` says that it began or stopped."""

    changed = Signal()

    def __init__(self, pictures: BenchPictures) -> None:
        super().__init__(pictures)
        self._pictures = pictures
        self.playing = False
        self.text = ""
        self.speed = 1.0
        self.shown = 0  #: pictures shown since it began
        self._timer = QTimer(self, singleShot=True)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._next)
        self._first = self._from = self._count = 0
        self._there = 0  #: pictures of the loop that are made
        self._picture_s = 0.0  #: seconds one takes
        self._begun = self._waits = False
        self._ticket: Ticket | None = None
        self._times: list[float] = []
        pictures.methods_changed.connect(self._made_anew)

    def toggle(self) -> None:
        """Play a loop from here, or stop."""
        if self.playing:
            self.stop()
            self._pictures.request()
        else:
            self.start()

    def start(self) -> None:
        pictures, bench = self._pictures, self._pictures.bench
        if bench is None or not pictures.compared.methods:
            return
        self.playing, self.text = True, ""
        most = KEPT_BYTES // (still_bytes(bench.target) * len(pictures.compared.methods))
        self._count = max(2, min(int(_LOOP_SECONDS * bench.target.rate), most, pictures.last + 1))
        self._first = min(pictures.index, max(0, pictures.last + 1 - self._count))
        self._from = pictures.index - self._first
        self.shown, self._times = 0, []
        self.changed.emit()
        self._make_ahead()

    def stop(self) -> None:
        if self.playing:
            self.playing = False
            self._timer.stop()
            if self._ticket is not None:
                self._ticket.cancel()
            self.changed.emit()

    def play_at(self, speed: float) -> None:
        """Play at another share of real time; how fast it is counts anew."""
        self.speed = speed
        self._times = []

    def _made_anew(self) -> None:
        """Make the loop of other methods, from the picture that is shown."""
        if self.playing:
            self.stop()
            self.start()

    def _make_ahead(self) -> None:
        """Have the loop's pictures made, in the order in which they are shown."""
        bench, policies = self._pictures.bench, self._pictures.compared.policies()
        assert bench is not None
        order = [self._index(n) for n in range(self._count)]
        self._there, self._picture_s, self._begun, self._waits = 0, 0.0, False, False

        def work(ticket: Ticket) -> None:
            for index in order:
                if ticket.cancelled:
                    return
                start = monotonic()
                for policy in policies:
                    bench.still(policy, index)
                ticket.give(monotonic() - start)

        self._ticket = self._pictures.door.workers.start(work, lambda _none: None, self._failed, gave=self._one_made)

    def _index(self, number: int) -> int:
        return self._first + (self._from + number) % self._count

    def _one_made(self, seconds: float) -> None:
        if not self.playing:
            return
        self._there += 1
        if seconds > _KEPT:
            self._picture_s = 0.7 * self._picture_s + 0.3 * seconds if self._picture_s else seconds
        if self._begun:
            if self._waits:
                self._next()
            return
        to_make, to_play = _SLOWED * (self._count - self._there) * self._picture_s, self._count * self._interval()
        hopeless = self._interval() < _HOPELESS * self._picture_s
        if (to_make <= to_play or hopeless) and self._there >= min(_TRIED, self._count):
            self._begun = True
            self._next()
        else:
            self.text = f"converting ahead, {self._there} of {self._count}"
            self._pictures.pictures_changed.emit()

    def _interval(self) -> float:
        bench = self._pictures.bench
        assert bench is not None
        return 1 / (float(bench.target.rate) * self.speed)

    def _next(self) -> None:
        if not self.playing:
            return
        self._waits = self.shown >= self._there < self._count
        if self._waits:
            return  # what makes it says when it is there
        pictures = self._pictures
        pictures.index = self._index(self.shown)
        self.shown += 1
        self._times = [*self._times[-24:], monotonic()]
        if len(self._times) > 1:
            got = (len(self._times) - 1) / (self._times[-1] - self._times[0])
            wanted = 1 / self._interval()
            state = "in time"
            if got <= 0.97 * wanted:
                first = ": converting" if self.shown <= self._count else ""
                state = f"{got / wanted:.2f} × the speed asked for{first}"
            self.text = f"{got:.1f} of {wanted:.4g} pictures a second, {state}; a loop of {self._count}"
        pictures.pictures_changed.emit()
        wait = self._times[-1] + self._interval() - monotonic()
        self._timer.start(max(0, round(1000 * wait)))

    def _failed(self, error: QuarryError) -> None:
        self.stop()
        self._pictures.door.refuse(error)

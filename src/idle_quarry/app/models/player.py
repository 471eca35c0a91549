"""Playing what is on the bench: a short loop, the first time as it is made, then from memory; and how fast it is."""

from __future__ import annotations

from time import monotonic
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Qt, QTimer, Signal

from idle_quarry.errors import QuarryError
from idle_quarry.path.policies import Policy
from idle_quarry.proof.bench import Bench

if TYPE_CHECKING:
    from idle_quarry.app.models.bench import Pictures

SPEEDS = {"real time": 1.0, "half": 0.5, "a quarter": 0.25, "a tenth": 0.1}
#: Seconds of programme that are played over and over; what fits the memory, if less.
_LOOP_SECONDS, _LOOP_BYTES = 2.0, 160_000_000


class Player(QObject):
    """`changed` says that it began or stopped."""

    changed = Signal()

    def __init__(self, pictures: Pictures) -> None:
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
        self._times: list[float] = []

    def toggle(self) -> None:
        """Play a loop from here, or stop."""
        if self.playing:
            self.stop()
            self._pictures.request()
        else:
            self.start()

    def start(self) -> None:
        pictures, bench = self._pictures, self._pictures.bench
        if bench is None or not pictures.methods:
            return
        self.playing = True
        raster = bench.target.raster
        each = raster.width * raster.height * 7 * len(pictures.methods)  # 8-bit R′G′B′ and codes of 4:2:2
        self._count = max(2, min(int(_LOOP_SECONDS * bench.target.rate), _LOOP_BYTES // each, pictures.last + 1))
        self._first = min(pictures.index, max(0, pictures.last + 1 - self._count))
        self._from = pictures.index - self._first
        self.shown, self._times = 0, []
        self.changed.emit()
        self._make()

    def stop(self) -> None:
        if self.playing:
            self.playing = False
            self._timer.stop()
            self.changed.emit()

    def play_at(self, speed: float) -> None:
        """Play at another share of real time; how fast it is counts anew."""
        self.speed = speed
        self._times = []

    def _make(self) -> None:
        pictures, bench = self._pictures, self._pictures.bench
        assert bench is not None
        index = self._first + (self._from + self.shown) % self._count
        policies = pictures.policies()
        if all(bench.kept(policy, index) for policy in policies):
            self._made(bench)
        else:
            pictures.desk.workers.start(
                lambda _ticket: _all_made(bench, policies, index), lambda _none: self._made(bench), self._failed
            )

    def _made(self, bench: Bench) -> None:
        if not self.playing or bench is not self._pictures.bench:
            return
        wait = self._times[-1] + self._interval() - monotonic() if self._times else 0.0
        self._timer.start(max(0, round(1000 * wait)))

    def _interval(self) -> float:
        bench = self._pictures.bench
        assert bench is not None
        return 1 / (float(bench.target.rate) * self.speed)

    def _next(self) -> None:
        if not self.playing:
            return
        pictures = self._pictures
        pictures.index = self._first + (self._from + self.shown) % self._count
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
        self._make()

    def _failed(self, error: QuarryError) -> None:
        self.stop()
        self._pictures.desk.refuse(error)


def _all_made(bench: Bench, policies: list[Policy], index: int) -> None:
    for policy in policies:
        bench.still(policy, index)

"""Playing what is on the bench: a short loop, the first time as it is made, then from memory."""

from __future__ import annotations

from functools import partial
from time import monotonic
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer

from idle_quarry.app.work import Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.path.policies import Policy
from idle_quarry.proof.bench import Bench

if TYPE_CHECKING:
    from idle_quarry.app.views.proof_pictures import PicturesPage

SPEEDS = {"real time": 1.0, "half": 0.5, "a quarter": 0.25, "a tenth": 0.1}
#: Seconds of programme that are played over and over; what fits the memory, if less.
_LOOP_SECONDS, _LOOP_BYTES = 2.0, 700_000_000


class Player:
    """Plays a short loop of what is on the bench: the first time as it is made, then from memory; says how fast it is."""

    def __init__(self, page: PicturesPage) -> None:
        self._page = page
        self.playing = False
        self.text = ""
        self._timer = QTimer(page, singleShot=True)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._next)
        self._first = self._from = self._count = self._shown = 0
        self._began = 0.0
        self._times: list[float] = []

    def toggle(self) -> None:
        if self.playing:
            self.stop()
            self._page.request()
        else:
            self.start()

    def start(self) -> None:
        bench = self._page.bench
        if bench is None or not self._page.methods:
            return
        self.playing = True
        raster = bench.target.raster
        each = raster.width * raster.height * 7 * len(self._page.methods)  # 8-bit R′G′B′ and codes of 4:2:2
        self._count = max(2, min(int(_LOOP_SECONDS * bench.target.rate), _LOOP_BYTES // each, self._page.last + 1))
        self._first = min(self._page.index, max(0, self._page.last + 1 - self._count))
        self._from = self._page.index - self._first
        self._shown, self._times = 0, []
        self._page.play_button.setText("Stop")
        self._make()

    def stop(self) -> None:
        if self.playing:
            self.playing = False
            self._timer.stop()
            self._page.play_button.setText("Play")

    def again(self) -> None:
        """Begin to count anew: another speed was asked for."""
        self._times = []

    def _make(self) -> None:
        page, bench = self._page, self._page.bench
        assert bench is not None
        index = self._first + (self._from + self._shown) % self._count
        policies = page.policies()
        if all(bench.kept(policy, index) for policy in policies):
            self._made((bench, index))
        else:
            page.desk.workers.start(partial(_all_made, bench, policies, index), self._made, self._failed)

    def _made(self, found: tuple[Bench, int]) -> None:
        bench, _ = found
        if not self.playing or bench is not self._page.bench:
            return
        wait = 0.0
        if self._times:
            wait = self._times[-1] + self._interval() - monotonic()
        self._timer.start(max(0, round(1000 * wait)))

    def _interval(self) -> float:
        bench = self._page.bench
        assert bench is not None
        speed = SPEEDS[self._page.speed_box.currentText()]
        return 1 / (float(bench.target.rate) * speed)

    def _next(self) -> None:
        if not self.playing:
            return
        page = self._page
        page.index = self._first + (self._from + self._shown) % self._count
        self._shown += 1
        self._times = [*self._times[-24:], monotonic()]
        if len(self._times) > 1:
            got = (len(self._times) - 1) / (self._times[-1] - self._times[0])
            wanted = 1 / self._interval()
            if got > 0.97 * wanted:
                state = "in time"
            else:
                state = f"{got / wanted:.2f} × the speed asked for" + (
                    ": converting" if self._shown <= self._count else ""
                )
            self.text = f"{got:.1f} of {wanted:.4g} pictures a second, {state}; a loop of {self._count}"
        page._show_pictures()
        self._make()

    def _failed(self, error: QuarryError) -> None:
        self.stop()
        self._page.desk.refuse(error)


def _all_made(bench: Bench, policies: list[Policy], index: int, _ticket: Ticket) -> tuple[Bench, int]:
    for policy in policies:
        bench.still(policy, index)
    return bench, index

"""Playing pictures and sound: a clock, pictures made ahead on one thread and sound on another, what comes too late
counted.

The sound is the clock where it is heard, else the machine's own. Pictures are shown when their time has come; one that
is not made by then is passed over and counted.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from fractions import Fraction

from PySide6.QtCore import QObject, Qt, QTimer, Signal

from idle_quarry.app.models.jobs.trial.playback_parts import FrameMaker, PlaybackSource, PlayedPicture, SoundFeeder
from idle_quarry.errors import QuarryError
from idle_quarry.sound.playing import RATE, SoundOut, Speaker

#: How fast it plays, one press after the other; below 0 backwards.
SPEEDS = (Fraction(1), Fraction(2), Fraction(4), Fraction(8))
SLOW = (Fraction(1, 4), Fraction(1, 2))
#: Pictures that are made ahead.
_AHEAD = 10
_TICK_MS = 4


class Playback(QObject):
    """`seen_changed`: another picture is shown; `state_changed`: it plays otherwise, or another source."""

    seen_changed = Signal()
    state_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.speaker: Callable[[int], SoundOut] = Speaker
        self.now: Callable[[], float] = time.monotonic
        self.source: PlaybackSource | None = None
        self.seen: PlayedPicture | None = None
        self.frame = 0
        self.speed = Fraction(0)
        self.shown = self.late = 0  #: pictures that were shown since it began to play, and that came too late
        self.lines = 540  #: of a picture that is played
        self.loop: tuple[int, int] | None = None  #: frames between which it plays round and round (half open)
        self.by_field, self.second_field = False, False
        self.silent = ""  #: why nothing is heard
        self._maker = FrameMaker()
        self._maker.prepared.connect(self._take_picture, Qt.ConnectionType.QueuedConnection)
        self._ready: dict[int, PlayedPicture] = {}
        self._sounding: SoundFeeder | None = None
        self._begun, self._from, self._planned = 0.0, 0, 0
        self._timer = QTimer(self, interval=_TICK_MS)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._tick)

    # -- what is shown ---------------------------------------------------------------------------------------------

    def show(self, source: PlaybackSource | None, frame: int = 0) -> None:
        """Show a source from a frame on; what played stops. The same again, changed, is shown where it was."""
        self.stop()
        self.source, self._ready = source, {}
        self.frame = self._inside(frame)
        if source is None:
            self.seen = None
            self._maker.want(None, [], 0)
            self.seen_changed.emit()
        else:
            self._want_still()
        self.state_changed.emit()

    def go(self, frame: int) -> None:
        """Show another frame; what plays goes on from there."""
        speed = self.speed
        self.stop()
        self.frame, self.second_field = self._inside(frame), False
        if speed:
            self._play(speed)
        else:
            self._want_still()
        self.state_changed.emit()

    def step(self, by: int) -> None:
        """Go on or back by frames; by fields where those are looked at one by one."""
        if self.by_field and not self.speed and self.seen is not None and self.seen.order:
            moment = 2 * self.frame + self.second_field + by
            self.go(max(0, moment) // 2)
            self.second_field = bool(moment % 2) and moment > 0
            self.seen_changed.emit()
        else:
            self.go(self.frame + by)

    def look_by_field(self, on: bool) -> None:
        """Look at a held picture field by field, or at all of it."""
        self.by_field, self.second_field = on, False
        self.seen_changed.emit()
        self.state_changed.emit()

    def _inside(self, frame: int) -> int:
        return max(0, min(frame, (self.source.length if self.source is not None else 1) - 1))

    def _want_still(self) -> None:
        self._maker.want(self.source, [self.frame], 0)

    def _take_picture(self, source: object, results: tuple[int, PlayedPicture]) -> None:
        lines, picture = results
        if source is not self.source:
            return
        if not self.speed:
            if picture.frame == self.frame:
                self.seen = picture
                self.seen_changed.emit()
            return
        if lines:
            self._ready[picture.frame] = picture

    # -- playing -----------------------------------------------------------------------------------------------------

    def play(self, speed: Fraction) -> None:
        """Play at a speed: 1 as it is, below 0 backwards, 0 not at all."""
        self.stop()
        if speed and self.source is not None:
            last = self.source.length - 1
            if (speed > 0 and self.frame >= last) or (speed < 0 and self.frame <= 0):
                self.frame = 0 if speed > 0 else last  # at its end it begins again
            self._play(speed)
        self.state_changed.emit()

    def toggle(self) -> None:
        """Play as it is, or hold."""
        self.play(Fraction(0) if self.speed else Fraction(1))

    def faster(self, *, back: bool = False) -> None:
        """Play, and with each press faster, this way; from the other way turn round."""
        way = -1 if back else 1
        now = self.speed * way
        self.play(way * next((speed for speed in SPEEDS if speed > now), SPEEDS[-1]) if now >= 0 else way * SPEEDS[0])

    def slower(self, *, back: bool = False) -> None:
        """Play slowly this way, a quarter and then a half as fast."""
        way = -1 if back else 1
        self.play(way * (SLOW[1] if self.speed * way == SLOW[0] else SLOW[0]))

    def stop(self) -> None:
        """Hold the picture that is shown."""
        if not self.speed:
            return
        self._timer.stop()
        if self._sounding is not None:
            self._sounding.stop()
            self._sounding = None
        self.speed, self._ready = Fraction(0), {}
        self._want_still()
        self.state_changed.emit()

    def _play(self, speed: Fraction) -> None:
        source = self.source
        assert source is not None
        self.speed, self.shown, self.late, self._ready = speed, 0, 0, {}
        self._begin(self.frame)
        self._timer.start()

    def _begin(self, frame: int) -> None:
        """Start the clock at a frame, and the sound with it."""
        source = self.source
        assert source is not None
        self._from, self._planned, self._begun = frame, 0, self.now()
        if self._sounding is not None:
            self._sounding.stop()
            self._sounding = None
        if self.speed == 1 and source.heard:
            try:
                self._sounding = SoundFeeder(source, int(frame * RATE / source.rate), self.speaker(2))
                self.silent = ""
            except QuarryError as error:
                self.silent = error.what
        self._want_ahead()

    @property
    def _stride(self) -> int:
        """How many frames lie between two that are shown."""
        return max(1, int(abs(self.speed))) * (1 if self.speed > 0 else -1)

    def _frame_of(self, number: int) -> int:
        return self._from + number * self._stride

    def _bounds(self) -> tuple[int, int]:
        assert self.source is not None
        first, last = 0, self.source.length
        if self.loop is not None and self.loop[0] <= self._from < self.loop[1]:
            first, last = self.loop
        return first, last

    def _want_ahead(self) -> None:
        first, last = self._bounds()
        wanted = [self._frame_of(self._planned + n) for n in range(_AHEAD)]
        wanted = [number for number in wanted if first <= number < last and number not in self._ready]
        self._maker.want(self.source, wanted, self.lines)

    def seconds(self) -> float:
        """Return how long it has played by its clock: what was heard, or the machine's."""
        return self._sounding.played() if self._sounding is not None else self.now() - self._begun

    def levels(self) -> tuple[float, float]:
        """Return the peaks that are heard now, ±1."""
        return self._sounding.levels() if self._sounding is not None else (0.0, 0.0)

    def _tick(self) -> None:
        source = self.source
        assert source is not None
        due = int(self.seconds() * float(source.rate * abs(self.speed)) / abs(self._stride))
        if due < self._planned:
            return
        first, last = self._bounds()
        frame = self._frame_of(due)
        if not first <= frame < last:
            self._at_end(first, last)
            return
        if frame not in self._ready:  # perhaps an earlier one has come since
            results = [n for n in range(self._planned, due) if self._frame_of(n) in self._ready]
            if not results:
                return
            due = results[-1]
            frame = self._frame_of(due)
        self.late += due - self._planned
        self.shown += 1
        self.frame, self.seen = frame, self._ready[frame]
        self._planned = due + 1
        forward = self.speed > 0
        self._ready = {at: picture for at, picture in self._ready.items() if (at > frame) == forward and at != frame}
        self._want_ahead()
        self.seen_changed.emit()

    def _at_end(self, first: int, last: int) -> None:
        if self.loop is not None and (first, last) == self.loop:
            self._ready = {}
            self._begin(first if self.speed > 0 else last - 1)
            return
        self.stop()

    def words(self) -> str:
        """Return how it plays, and what came too late."""
        if not self.speed:
            return ""
        text = (
            f"{'−' if self.speed < 0 else ''}{float(abs(self.speed)):g} ×, {self.late} of {self.shown + self.late} late"
        )
        return f"{text} · {self.silent}" if self.silent else text

    def let_go(self) -> None:
        """Close the clips that are open, where nothing plays."""
        if not self.speed:
            self._maker.let_go()

    def close(self) -> None:
        """Let go of everything: no picture comes any more."""
        self.stop()
        self._maker.end()

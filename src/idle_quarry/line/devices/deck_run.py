"""A deck with a recorder behind it, step by step: what the deck does now, the picture of its line, and the takes
made of it.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from queue import SimpleQueue

from idle_quarry.errors import QuarryError
from idle_quarry.line.devices.deck import Deck, DeckStatus, Wear
from idle_quarry.line.devices.face import Drawing, Rgb8
from idle_quarry.line.devices.recorder import Recorder, RecordingRequest, Take
from idle_quarry.line.devices.tape import ClipFeed, Tape
from idle_quarry.line.reading.faults import Fault
from idle_quarry.signal.formats import SignalFormat

#: How long a recording rolls before its mark in, seconds.
PRE_ROLL_S = 1
_IDLE_S = 0.04
#: A tape that stands still for so many steps needs no decoder.
_RESTS_AFTER = round(2 / _IDLE_S)


@dataclass(frozen=True)
class DeckSnapshot:
    """After one step: how the deck stands, the picture of the line, its faults, the take that is written, takes
    that ended, why something could not be done, and how long the step took.
    """

    status: DeckStatus
    picture: Rgb8 | None
    faults: tuple[Fault, ...]
    armed: bool
    take: Take | None
    ended: tuple[Take, ...]
    refused: str
    took_ms: float


class DeckRun:
    """Steps for a loop, all on its thread; `ask` hands it something to do before the next step, from any thread."""

    def __init__(self, feed: ClipFeed, fmt: SignalFormat, wear: Wear) -> None:
        self._feed, self._fmt, self._wear = feed, fmt, wear
        self._asked: SimpleQueue[Callable[[DeckRun], None]] = SimpleQueue()
        self._ended: list[Take] = []
        self._tape: Tape | None = None
        self.deck, self.recorder = Deck(), Recorder(self._ended.append)
        self.deck.connect(self.recorder)
        self._shown, self._idle = -1, 0
        self._picture: Rgb8 | None = None

    def ask(self, act: Callable[[DeckRun], None]) -> None:
        self._asked.put(act)

    def step(self) -> DeckSnapshot | None:
        """Do what was asked, send a frame where the tape moves or stands elsewhere; None where nothing is new."""
        begun = time.perf_counter()
        refused = ""
        asked = self._tape is None
        try:
            if self._tape is None:
                self._tape = Tape(self._feed, self._fmt)
                self.deck.load(self._tape, self._wear)
            while not self._asked.empty():
                asked = True
                self._asked.get()(self)
            moves = self.deck.speed != 0
            if moves or self._shown != self.deck.at:
                self._send()
            elif not asked:
                self._idle += 1
                if self._idle == _RESTS_AFTER:
                    self._tape.rest()
                return None
            self._idle = 0
            if moves and self.deck.speed == 0:  # the end of the tape
                self.recorder.finish()
        except QuarryError as error:
            refused = str(error)
            self.deck.stop()
            self.recorder.cancel(keep=True)
            if self._tape is None:
                raise
        ended, self._ended[:] = tuple(self._ended), []
        frame = self.recorder.receiver.frame
        return DeckSnapshot(
            status=self.deck.status(),
            picture=self._picture,
            faults=frame.faults if frame is not None else (),
            armed=self.recorder.armed,
            take=self.recorder.take,
            ended=ended,
            refused=refused,
            took_ms=1000 * (time.perf_counter() - begun),
        )

    def _send(self) -> None:
        armed = self.recorder.armed
        self._shown = self.deck.step()
        frame = self.recorder.receiver.frame
        self._picture = None if frame is None else Drawing(frame, self.recorder.receiver.mwords).meant()
        if armed and not self.recorder.armed:  # its mark out is passed
            self.deck.stop()
            self._shown = self.deck.at

    def period_s(self) -> float:
        return float(1 / self._fmt.rate) if self.deck.speed else _IDLE_S

    def close(self) -> None:
        self.recorder.cancel(keep=True)
        if self._tape is not None:
            self._tape.close()

    # -- what can be asked -------------------------------------------------------------------------------------

    def record(self, wanted: RecordingRequest) -> None:
        """Record: with a mark in from a second before it, else from where the tape is."""
        if wanted.mark_in is not None:
            at = self.deck.find(wanted.mark_in)
            if wanted.mark_out is not None:
                self.deck.find(wanted.mark_out)
            self.deck.locate(at - int(PRE_ROLL_S * self._fmt.rate))
        self.recorder.arm(wanted)
        self.deck.play()

    def end(self, *, keep: bool) -> None:
        """End a recording before its mark out."""
        self.recorder.cancel(keep=keep)
        self.deck.stop()

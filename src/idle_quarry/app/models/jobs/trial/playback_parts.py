"""What plays: what a player asks of it, its pictures made ahead on one thread, its sound given ahead on another."""

from __future__ import annotations

import contextlib
import threading
from dataclasses import dataclass
from fractions import Fraction
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from idle_quarry.errors import QuarryError
from idle_quarry.reports import unforeseen
from idle_quarry.sound.playing import RATE, SoundOut

#: Samples of sound that are given ahead, and at a time.
_SOUND_AHEAD, _BLOCK = RATE // 5, RATE // 50


@dataclass(frozen=True)
class PlayedPicture:
    """A picture as it is shown: R′G′B′ (h, w, 3), where on the canvas it lies (shares: left, top, width, height),
    and what it is.
    """

    frame: int
    rgb: NDArray[np.uint8] | None
    place: tuple[float, float, float, float] = (0.0, 0.0, 1.0, 1.0)
    words: str = ""
    media: str = ""  #: the media's timecode
    quick: bool = False  #: whether it is shown otherwise than it will be
    order: str = ""  #: the field that comes first, "top" or "bottom"; "" where it has none


class PlaybackSource(Protocol):
    """What is played. `seen` and `sound` are each called on one thread of their own."""

    rate: Fraction
    length: int
    aspect: float  #: width to height of what is seen
    heard: bool  #: whether it has sound

    def seen(self, frame: int, lines: int) -> PlayedPicture:
        """Return a frame; `lines` is how many are shown while it plays, 0 where all are wanted."""
        ...

    def sound(self, first: int, count: int) -> NDArray[np.float32]:
        """Return samples (count, 2), ±1, `first` counted from the start."""
        ...

    def close(self) -> None:
        """Let go of its clips; they are opened again where it is asked for more."""


class FrameMaker(QObject):
    """Makes the frames that are wanted, in their order, on a thread of its own."""

    prepared = Signal(object, object)

    def __init__(self) -> None:
        super().__init__()
        self._there = threading.Condition()
        self._wanted: list[int] = []
        self._source: PlaybackSource | None = None
        self._gone: list[PlaybackSource] = []
        self._lines = 0
        self._ended = self._resting = False
        self._thread: threading.Thread | None = None

    def want(self, source: PlaybackSource | None, frames: list[int], lines: int) -> None:
        """Make these frames of a source from now on, and nothing else."""
        with self._there:
            if source is not self._source and self._source is not None:
                self._gone.append(self._source)
            self._source, self._wanted, self._lines = source, frames, lines
            if self._thread is None and source is not None and not self._ended:
                self._thread = threading.Thread(target=self._run, name="quarry pictures", daemon=True)
                self._thread.start()
            self._there.notify()

    def let_go(self) -> None:
        """Close the clips that are open; they are opened again for the next picture that is wanted."""
        with self._there:
            self._resting = True
            self._there.notify()

    def end(self) -> None:
        """Make nothing any more, and wait until it has let go."""
        with self._there:
            self._ended = True
            self._there.notify()
        if self._thread is not None:
            self._thread.join()

    def _run(self) -> None:
        while True:
            with self._there:
                while not (self._wanted or self._gone or self._ended or self._resting):
                    self._there.wait()
                gone, self._gone = self._gone, []
                if self._resting and not self._wanted:  # what is wanted is made first
                    self._resting = False
                    gone += [self._source] if self._source is not None else []
                source, ended = self._source, self._ended
                frame = self._wanted.pop(0) if self._wanted and not ended else None
                lines = self._lines
            for item in gone:
                item.close()
            if ended:
                if source is not None:
                    source.close()
                return
            if frame is None or source is None:
                continue
            try:
                seen: Any = source.seen(frame, lines)
            except QuarryError as error:
                seen = PlayedPicture(frame, None, words=error.what)
            except Exception as error:  # the window must say so rather than stand still
                seen = PlayedPicture(frame, None, words=unforeseen(error))
            self.prepared.emit(source, (lines, seen))


class SoundFeeder:
    """Gives sound to the output from a frame on, some way ahead, on a thread of its own, until it is stopped."""

    def __init__(self, source: PlaybackSource, first: int, out: SoundOut) -> None:
        self._source, self._first, self._out = source, first, out
        self._stop = threading.Event()
        self.given = 0
        self._levels: list[tuple[int, float, float]] = []
        self._thread = threading.Thread(target=self._run, name="quarry sound", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Give no more; the thread lets go of the output."""
        self._stop.set()

    def played(self) -> float:
        """Return how many seconds have been heard."""
        return self._out.played() / RATE

    def levels(self) -> tuple[float, float]:
        """Return the peaks of what is heard now, ±1."""
        at = self._out.played()
        while len(self._levels) > 1 and self._levels[1][0] <= at:
            self._levels.pop(0)
        return self._levels[0][1:] if self._levels else (0.0, 0.0)

    def _run(self) -> None:
        end = int(self._source.length * RATE / self._source.rate) - self._first
        while not self._stop.is_set():
            if self.given - self._out.played() >= _SOUND_AHEAD:
                self._stop.wait(0.005)
                continue
            samples = np.zeros((_BLOCK, 2), np.float32)
            if self.given < end:
                with contextlib.suppress(QuarryError):  # what cannot be read is silent
                    samples = self._source.sound(self._first + self.given, _BLOCK)
            peaks = np.abs(samples).max(axis=0)
            self._levels.append((self.given, float(peaks[0]), float(peaks[1])))
            self._out.give(samples)
            self.given += len(samples)
        self._out.close()

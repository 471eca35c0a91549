"""A tape deck's stand-in: plays a clip as a line, with a transport, timecode, and on request drop-outs and timecode
breaks.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import NotPossible
from idle_quarry.line.devices.devices import CableSignal, Sink, clock_of
from idle_quarry.line.devices.tape import Tape
from idle_quarry.line.transport import Transport, transport
from idle_quarry.line.words import Words
from idle_quarry.line.writing.mapping import Planes
from idle_quarry.line.writing.sound import RATE, most_channels, samples_in
from idle_quarry.line.writing.writer import LineWriter
from idle_quarry.signal.timecode import Timecode

#: Speeds of the transport beside play and stop, in play speeds: shuttling.
SHUTTLE = (2, 5, 15)
#: Lines of a picture that a drop-out harms, and the share of a line.
_HARMED_LINES, _HARMED_SHARE = 6, 0.4


@dataclass(frozen=True)
class Wear:
    """What is wrong with a tape: frames with a drop-out, and frames at which timecode jumps by so many frames."""

    drop_outs: frozenset[int] = frozenset()
    breaks: Mapping[int, int] = field(default_factory=lambda: MappingProxyType({}))


@dataclass(frozen=True)
class DeckStatus:
    """How a deck stands: "empty", "stop", "play", "shuttle"; where its tape is, and what timecode lies there."""

    state: str
    speed: int
    at: int
    frames: int
    timecode: Timecode | None


class Deck:
    """One deck. `step` sends a frame of the line to what hangs on it, and moves the tape on. For one thread."""

    def __init__(self, name: str = "Deck") -> None:
        self.name = name
        self._sinks: list[Sink] = []
        self._tape: Tape | None = None
        self._wear = Wear()
        self._way: Transport | None = None
        self._writer: LineWriter | None = None
        self.at = self.speed = self._sent = 0

    def connect(self, sink: Sink) -> None:
        self._sinks.append(sink)

    def load(self, tape: Tape, wear: Wear | None = None, interface: str = "") -> Transport:
        """Put a tape in, at its beginning, and return how it travels.

        Raises `NotPossible` where the line does not carry it.
        """
        way = transport(tape.format, interface)
        self._tape, self._wear, self._way = tape, wear or Wear(), way
        self._writer = LineWriter(tape.format, way)
        self.at = self.speed = self._sent = 0
        return way

    def play(self, speed: int = 1) -> None:
        """Play, or shuttle at another speed than 1, backwards where it is below 0.

        0 stands still and shows a picture.
        """
        self._loaded()
        self.speed = speed

    def stop(self) -> None:
        self.speed = 0

    def locate(self, frame: int) -> None:
        """Go to a frame of the tape and stand still."""
        tape, _ = self._loaded()
        self.at, self.speed = min(max(frame, 0), tape.frames - 1), 0

    def find(self, moment: Timecode) -> int:
        """Return the first frame of the tape that has a timecode. Raises `NotPossible` where none has."""
        tape, _ = self._loaded()
        if (moment.rate, moment.drop) == (tape.start.rate, tape.start.drop):
            at = moment.frames_since(tape.start)
            begin = jumped = 0
            for end, jump in [*sorted(self._wear.breaks.items()), (tape.frames, 0)]:
                if begin <= at - jumped < end:
                    return at - jumped
                begin, jumped = end, jumped + jump
        raise NotPossible("is not on this tape", subject=str(moment), remedy=f"it begins at {tape.start}")

    def timecode(self, frame: int) -> Timecode:
        """Return the timecode that lies at a frame of the tape."""
        tape, _ = self._loaded()
        return tape.start + frame + sum(jump for at, jump in self._wear.breaks.items() if at <= frame)

    def status(self) -> DeckStatus:
        if self._tape is None:
            return DeckStatus("empty", 0, 0, 0, None)
        state = {0: "stop", 1: "play"}.get(self.speed, "shuttle")
        return DeckStatus(state, self.speed, self.at, self._tape.frames, self.timecode(self.at))

    def step(self) -> int:
        """Send the frame that is under the heads, move on, and return which it was.

        Raises `MediaError` where it cannot be read.
        """
        tape, way = self._loaded()
        at = self.at
        cabled = CableSignal(tuple(self._words(tape, way, at)), clock_of(way, tape.format))
        for sink in self._sinks:
            sink.receive(cabled)
        self._sent += way.pictures
        following = at + self.speed * way.pictures
        self.at = min(max(following, 0), tape.frames - 1)
        if self.at != following:  # the end of the tape
            self.speed = 0
        return at

    def _words(self, tape: Tape, way: Transport, at: int) -> list[Words]:
        assert self._writer is not None
        pictures: list[Planes] = [
            tape.picture(at + (n if way.pictures == 2 else 0)) for n in range(self._writer.pictures)
        ]
        count = sum(samples_in(self._sent + n, tape.format.rate) for n in range(way.pictures))
        sound: NDArray[np.int32] | None = None
        if tape.channels:
            sound = tape.sound(int(at * RATE / tape.format.rate), count)[:, : most_channels(way)]
            if self.speed != 1:
                sound = np.zeros_like(sound)
        words = self._writer.frame(pictures, sound, self.timecode(at))
        if at in self._wear.drop_outs and self.speed:
            words = [_harmed(word, way, at) for word in words]
        return words

    def _loaded(self) -> tuple[Tape, Transport]:
        if self._tape is None or self._way is None:
            raise NotPossible("no tape is in it", subject=self.name, remedy="put one in")
        return self._tape, self._way


def _harmed(words: Words, way: Transport, seed: int) -> Words:
    """Return words with stretches of some lines of the picture as a head that lost the tape leaves them."""
    result = words.copy()
    draws = np.random.default_rng(seed)
    first, last = way.raster.active[0]
    begin = way.sav + 4
    length = way.words - begin
    for line in draws.integers(first, last + 1, _HARMED_LINES):
        at = begin + int(draws.integers(0, length - int(length * _HARMED_SHARE)))
        part = result[line - 1, at : at + int(length * _HARMED_SHARE)]
        part[...] = draws.integers(64, 941, part.shape)
    return result

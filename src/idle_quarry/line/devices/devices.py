"""Stand-ins for a card, a monitor and a cable between them, each with the face that a driver would have.

Between them goes the real signal, word for word; a real device takes the place of its stand-in by having the same face.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from idle_quarry.errors import NotPossible
from idle_quarry.line.reading.line_finder import LineFinder
from idle_quarry.line.reading.lock import Timing
from idle_quarry.line.reading.reader import LineReader
from idle_quarry.line.reading.received import ReceivedFrame
from idle_quarry.line.transport import INTERFACES, Transport, transport, transports
from idle_quarry.line.words import Words
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rates import is_pulled

#: A clock and its thousandth less (ST 292-1: 148.5 MHz and 148.5 / 1.001 of words).
_PULLED = 1.001


@dataclass(frozen=True)
class CableSignal:
    """Words as they come off a cable: an array of words for each link, and the clock, million words a second of one
    link.
    """

    links: tuple[Words, ...]
    mwords: float


class Sink(Protocol):
    """What takes a line: a monitor, a recorder, a scope."""

    def receive(self, cabled: CableSignal) -> None: ...


@dataclass(frozen=True)
class Status:
    """How a device stands: whether it is open, for which format over what, and how many frames went through it."""

    open: bool
    format: SignalFormat | None
    interface: str
    frames: int


class OutputCard:
    """A card with one output: opened for a format and an interface, it passes frames on to what hangs on its cable."""

    def __init__(self, name: str = "Output", interfaces: Sequence[str] = tuple(INTERFACES)) -> None:
        self.name, self._interfaces = name, tuple(interfaces)
        self._sinks: list[Sink] = []
        self._way: Transport | None = None
        self._format: SignalFormat | None = None
        self.frames = 0

    def connect(self, sink: Sink) -> None:
        self._sinks.append(sink)

    def formats(self, fmt: SignalFormat) -> list[Transport]:
        """Return how the card can send a format."""
        return [way for way in transports(fmt) if way.interface.id in self._interfaces]

    def open(self, fmt: SignalFormat, interface: str = "") -> Transport:
        """Open the output and return how the format travels. Raises `NotPossible` with the reason where it does not."""
        way = transport(fmt, interface)
        if way.interface.id not in self._interfaces:
            raise NotPossible(f"the card has no {way.interface.id}", subject=self.name)
        self._way, self._format, self.frames = way, fmt, 0
        return way

    def send(self, links: Sequence[Words]) -> None:
        """Send one frame. Raises `NotPossible` for words of another size than the card is open for."""
        if self._way is None or self._format is None:
            raise NotPossible("the output is not open", subject=self.name)
        if len(links) != self._way.interface.links or any(link.size != self._way.words_per_frame for link in links):
            raise NotPossible("a frame of another format than the output is open for", subject=self.name)
        self.frames += 1
        cabled = CableSignal(tuple(links), clock_of(self._way, self._format))
        for sink in self._sinks:
            sink.receive(cabled)

    def status(self) -> Status:
        way = self._way
        return Status(way is not None, self._format, way.interface.id if way is not None else "", self.frames)

    def close(self) -> None:
        self._way = self._format = None


def clock_of(way: Transport, fmt: SignalFormat) -> float:
    """Return the clock of a format on its way, million words a second of one link."""
    slower = is_pulled(fmt.rate) and not way.raster.of_sd
    return way.interface.mwords / _PULLED if slower else way.interface.mwords


class Receiver:
    """Takes frames off a cable and reads them: what each is, and every fault. The newest is kept."""

    def __init__(self) -> None:
        self.frame: ReceivedFrame | None = None
        self.mwords = 0.0
        self._reader: LineReader | None = None
        self._timing: Timing | None = None

    def receive(self, cabled: CableSignal) -> None:
        if self._reader is None or self._timing is None or cabled.mwords != self.mwords or not self._still(cabled):
            self._reader, self.mwords = LineReader(cabled.mwords), cabled.mwords
            try:
                self._timing = LineFinder(cabled.links[0].reshape(-1)).timing
            except NotPossible:
                self.frame, self._timing = None, None
                return
        timing = self._timing
        size = timing.raster.lines, timing.words, timing.streams
        if any(link.size != size[0] * size[1] * size[2] for link in cabled.links):
            self.frame, self._timing = None, None
            return
        self.frame = self._reader.frame([plane.reshape(size) for plane in cabled.links], timing)

    def _still(self, cabled: CableSignal) -> bool:
        """Return whether the words begin as those that were locked to: a reference where a line begins, and one
        line on.
        """
        timing = self._timing
        if timing is None or cabled.links[0].size % timing.line_words:
            return False
        flat = cabled.links[0].reshape(-1)
        n = timing.streams
        sav = timing.sav * n
        heads = (flat[:n], flat[timing.line_words : timing.line_words + n], flat[sav : sav + n])
        return all((head == 0x3FF).all() for head in heads)

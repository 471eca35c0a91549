"""What is fed into an output: a test picture with test sound, or a clip through a link, as frames of a line.

And a file of it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import dataclass
from itertools import islice
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from idle_quarry.line.devices.tape import ClipFeed, Tape
from idle_quarry.line.files import write_words
from idle_quarry.line.transport import transport
from idle_quarry.line.words import Words
from idle_quarry.line.writing.mapping import Planes
from idle_quarry.line.writing.sending import frames_of, sent_frames, sent_sound
from idle_quarry.line.writing.sound import RATE
from idle_quarry.line.writing.writer import LineSignalling
from idle_quarry.path.entries import Monitor, SoundLayout
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.timecode import Timecode


@dataclass(frozen=True)
class Setup:
    """What a chain is made of: format and interface, what is sent, and the monitors that hang on it, the template's
    first.
    """

    format: SignalFormat
    interface: str
    payload: bool
    picture: str
    sound: str
    level_dbfs: float
    layout: SoundLayout
    start: Timecode
    monitors: tuple[Monitor, ...]
    meter: str
    clip: ClipFeed | None = None  #: sent in a loop, with its own sound and timecode, in place of `picture` and `sound`


class SignalFeed:
    """A setup's frames, without end; a clip begins again where it ends.

    `length` is the clip's in frames, 0 for test pictures.

    Raises `NotPossible` where the format does not travel so, `MediaError` for a clip that cannot be read.
    """

    def __init__(self, setup: Setup) -> None:
        self.setup, self.way = setup, transport(setup.format, setup.interface)
        self._tape = Tape(setup.clip, setup.format) if setup.clip is not None else None
        self.channels = len(setup.layout.channels) if self._tape is None else self._tape.channels
        self.length = 0 if self._tape is None else self._tape.frames
        self.frames: Iterator[list[Words]] = self._test() if self._tape is None else self._of(self._tape)

    def close(self) -> None:
        if self._tape is not None:
            self._tape.close()

    def _test(self) -> Iterator[list[Words]]:
        setup = self.setup
        sound = None if setup.sound == "none" else sent_sound(setup.sound, setup.level_dbfs, setup.layout, setup.format)
        return sent_frames(setup.format, self.way, setup.picture, sound, setup.start, LineSignalling(setup.payload))

    def _of(self, tape: Tape) -> Iterator[list[Words]]:
        samples = int(tape.frames * RATE / self.setup.format.rate)

        def picture(index: int) -> Planes:
            return tape.picture(index % tape.frames)

        def sound(first: int, count: int) -> NDArray[np.int32]:
            return tape.sound(first % samples, count)

        line_signalling = LineSignalling(self.setup.payload)
        return frames_of(
            self.setup.format, self.way, picture, sound if tape.channels else None, tape.start, line_signalling
        )


def play_out(setup: Setup, path: Path, frames: int, on_progress: Callable[[int, int], None]) -> list[Path]:
    """Write frames of a setup as words into a file, or one a link, and return the files; nothing is left of what fails.

    `frames` of 0 are those of the whole clip. `on_progress` hears how many are written, of how many; it may raise to
    stop.
    """
    with closing(SignalFeed(setup)) as feed:
        count = -(-(frames or feed.length or 1) // feed.way.pictures)
        return write_words(
            path,
            feed.way.interface.links,
            islice(feed.frames, count),
            on_progress=lambda done: on_progress(done, count),
        )

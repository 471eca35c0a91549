"""Sound that is really played, where the machine can.

And a stand-in with the same face that keeps what it was given.
"""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Callable, Generator
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import NotPossible

Samples = NDArray[np.float32]
RATE = 48000
#: Sound that waits to be played is at most so long: what comes faster is cut, lest sound trail behind the picture.
_MOST_WAITING = RATE // 4
#: What the device itself holds before it is heard.
_BUFFER_MS = 60


class SoundOut(Protocol):
    """What sound is given to: samples of ±1, (n, channels), one block after the other."""

    def give(self, samples: Samples) -> None: ...

    def played(self) -> int:
        """Return how many of the samples that were given have been heard."""
        ...

    def close(self) -> None: ...


class Speaker:
    """The machine's own output. Raises `NotPossible` where there is none that opens."""

    def __init__(self, channels: int = 2) -> None:
        import miniaudio

        self.channels = channels
        self._waiting: deque[Samples] = deque()
        self._samples_out = 0
        self._lock = threading.Lock()
        try:
            self._device = miniaudio.PlaybackDevice(
                output_format=miniaudio.SampleFormat.FLOAT32,
                nchannels=channels,
                sample_rate=RATE,
                buffersize_msec=_BUFFER_MS,
            )
            pulled = self._pulled()
            next(pulled)
            self._device.start(pulled)
        except miniaudio.MiniaudioError as error:
            raise NotPossible(
                "nothing here plays sound", subject="Listen", remedy=f"connect an output ({error})"
            ) from error

    def give(self, samples: Samples) -> None:
        with self._lock:
            self._waiting.append(np.ascontiguousarray(samples, np.float32))
            while sum(len(plane) for plane in self._waiting) > _MOST_WAITING:
                self._waiting.popleft()

    def played(self) -> int:
        return max(0, self._samples_out - RATE * _BUFFER_MS // 1000)

    def _pulled(self) -> Generator[bytes, int, None]:
        """Give the device what it asks for; silence where nothing waits."""
        wanted = yield b""
        while True:
            wanted = yield self._next(wanted).tobytes()

    def _next(self, wanted: int) -> Samples:
        result = np.zeros((wanted, self.channels), np.float32)
        at = 0
        with self._lock:
            while self._waiting and at < wanted:
                block = self._waiting.popleft()
                part = block[: wanted - at]
                result[at : at + len(part)] = part
                at += len(part)
                if len(part) < len(block):
                    self._waiting.appendleft(block[len(part) :])
            self._samples_out += at
        return result

    def close(self) -> None:
        self._device.close()


class SpeakerStandIn:
    """Keeps what it is given, and plays it by a clock: what was given is heard one second a second, once it is
    there.
    """

    def __init__(self, channels: int = 2, now: Callable[[], float] = time.monotonic) -> None:
        self.channels = channels
        self._given: list[Samples] = []
        self._now = now
        self._heard, self._at = 0.0, now()  #: samples that were heard, and when that was so
        self.open = True

    def give(self, samples: Samples) -> None:
        self.played()
        self._given.append(samples.copy())

    def played(self) -> int:
        now = self._now()
        there = sum(len(plane) for plane in self._given)
        self._heard, self._at = min(float(there), self._heard + RATE * (now - self._at)), now
        return int(self._heard)

    @property
    def samples(self) -> Samples:
        """All of it, (n, channels)."""
        return np.concatenate(self._given) if self._given else np.zeros((0, self.channels), np.float32)

    def close(self) -> None:
        self.open = False

"""A lining-up chain: what is sent through a card to monitors, and what of it is looked at, frame by frame."""

from __future__ import annotations

import time
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from idle_quarry.line.devices.devices import OutputCard, Receiver
from idle_quarry.line.devices.face import Drawing, Face, Rgb8
from idle_quarry.line.reading.received import ReceivedFrame
from idle_quarry.line.words import Words
from idle_quarry.line.writing.feed import Setup, SignalFeed
from idle_quarry.line.writing.mapping import Planes
from idle_quarry.path.entries import SoundLayout
from idle_quarry.picture.scopes import Counts, normalised, vectors, waveform, ycbcr_to_rgb
from idle_quarry.signal.formats import Encoding
from idle_quarry.sound.meters import Loudness, LoudnessMeter, PeakMeter, phase

#: Bounds of luma codes in ten bits: kept by the line, below EBU R 103's 5 of 8 bits, below black, narrow, above white,
#: above R 103.
CODE_BANDS = (
    ("reserved", 0, 3),
    ("below 20", 4, 19),
    ("sub-black", 20, 63),
    ("narrow", 64, 940),
    ("super-white", 941, 984),
    ("above 984", 985, 1019),
    ("reserved", 1020, 1023),
)
_FULL = 1 << 23


@dataclass(frozen=True)
class ShownFrame:
    """One frame as received, and everything that is shown of it."""

    setup: Setup
    frame: ReceivedFrame
    faces: tuple[Face, ...]
    meant: Rgb8 | None
    waveform: Counts
    parade: tuple[Counts, ...]  #: waveforms of R′, G′ and B′, where they are wanted
    vectors: Counts
    bands: tuple[tuple[str, float], ...]
    peaks_dbfs: tuple[float, ...]
    loudness: Loudness
    phases: tuple[float | None, ...]
    took_ms: tuple[float, float, float]  #: sent, received, looked at


class Chain:
    """Sends and receives one frame after the other; meters and readers keep what they know from one to the next.

    Raises `NotPossible` where the format does not travel so, `MediaError` for a clip that cannot be read.
    """

    def __init__(self, setup: Setup) -> None:
        self.setup = setup
        self._card, self._receiver = OutputCard(), Receiver()
        self._card.connect(self._receiver)
        self._card.open(setup.format, setup.interface)
        self._feed = SignalFeed(setup)
        self._channels, self.way = self._feed.channels, self._feed.way
        self._peaks = PeakMeter(setup.meter, self._channels)
        self._loudness = _loudness_of(setup.layout, self._channels)
        self._writer = ThreadPoolExecutor(1, thread_name_prefix="quarry writer")
        self._left = False
        self._ahead: Future[tuple[list[Words], float]] | None = None
        self._scopes: _Scopes | None = None
        self._every = max(1, round(float(setup.format.rate) / self.way.pictures / 12.5))

    @property
    def period_s(self) -> float:
        """How long one frame of the interface lasts."""
        return float(self.way.pictures / self.setup.format.rate)

    def _written(self) -> tuple[list[Words], float]:
        begun = time.perf_counter()
        words = next(self._feed.frames)
        return words, 1000 * (time.perf_counter() - begun)

    def leave(self) -> None:
        """Send no more, without waiting for the frame that is being written ahead."""
        if not self._left:
            self._left = True
            self._writer.submit(self._feed.close)
            self._writer.shutdown(wait=False)

    def close(self) -> None:
        """Send no more, and wait until everything is let go of."""
        self.leave()
        self._writer.shutdown(wait=True)

    def step(self, *, parade: bool = False) -> ShownFrame | None:
        """Return the next frame as it was received, with a parade where it is wanted.

        None where nothing can be locked to.
        """
        words, wrote_ms = self._ahead.result() if self._ahead is not None else self._written()
        self._ahead = self._writer.submit(self._written)  # the next one meanwhile
        wrote = time.perf_counter()
        self._card.send(words)
        read = time.perf_counter()
        frame = self._receiver.frame
        if frame is None:
            return None
        drawing = Drawing(frame, self._receiver.mwords)
        faces = tuple(drawing.face(monitor) for monitor in self.setup.monitors)
        if self._scopes is None or frame.number % self._every == 0 or parade != bool(self._scopes[1]):
            self._scopes = _scoped(drawing.planes, frame, parade=parade)
        samples = frame.samples[:, : self._channels] / _FULL
        peaks = self._peaks.read(samples) if 0 < samples.shape[1] == self._channels else np.zeros(0)
        loudness = (
            Loudness(None, None, None, None, None)
            if self._loudness is None or samples.shape[1] < self._loudness[1]
            else self._loudness[0].take(samples[:, : self._loudness[1]])
        )
        phases = tuple(phase(samples[:, n : n + 2]) for n in range(0, samples.shape[1] - 1, 2))
        what = drawing.meant()
        done = time.perf_counter()
        took = wrote_ms, 1000 * (read - wrote), 1000 * (done - read)
        return ShownFrame(
            self.setup, frame, faces, what, *self._scopes, tuple(float(peak) for peak in peaks), loudness, phases, took
        )


def _loudness_of(layout: SoundLayout, channels: int) -> tuple[LoudnessMeter, int] | None:
    """Return a meter for the full mix at the head of a layout: 5.1, stereo or mono; None where there is none."""
    at = [channel.at for channel in layout.channels]
    for count, first in ((6, ("left", "right", "centre", "LFE")), (2, ("left", "right")), (1, ("mono",))):
        if tuple(at[: len(first)]) == first and min(len(at), channels) >= count:
            return LoudnessMeter(count), count
    return None


_Scopes = tuple[Counts, tuple[Counts, ...], Counts, tuple[tuple[str, float], ...]]
#: Samples across and lines down that the parade is made of, and how many columns each of its parts has.
_PARADE, _PART = (480, 270), 96


def _scoped(planes: tuple[Planes, NDArray[np.int64]] | None, frame: ReceivedFrame, *, parade: bool) -> _Scopes:
    if planes is None:
        empty: NDArray[np.int64] = np.zeros((256, 256), np.int64)
        return empty, (), np.zeros((128, 128), np.int64), ()
    (luma, cb, cr), rows = planes
    fmt = frame.lock.format
    bits = 12 if fmt is not None and fmt.encoding.bit_depth == 12 else 10
    step = max(1, luma.shape[1] // 960)
    thin = luma[rows[::step], ::step]
    ten = thin >> (bits - 10)
    counts = np.bincount(ten.reshape(-1), minlength=1024)
    bands: dict[str, float] = {}
    for name, first, last in CODE_BANDS:
        bands[name] = bands.get(name, 0.0) + float(counts[first : last + 1].sum()) / ten.size
    chroma = [plane[rows[:: 2 * step]] if len(plane) == len(luma) else plane for plane in (cb, cr)]
    parts = _parade(planes, fmt.encoding, bits) if parade and fmt is not None else ()
    return waveform(thin, bits), parts, vectors((chroma[0], chroma[1]), bits), tuple(bands.items())


def _parade(planes: tuple[Planes, NDArray[np.int64]], encoding: Encoding, bits: int) -> tuple[Counts, ...]:
    """Return waveforms of R′, G′ and B′, (256, columns), row 0 code 0, on samples far enough apart to be quick."""
    (first, second, third), rows = planes
    down, across = max(1, len(rows) // _PARADE[1]), max(1, first.shape[1] // _PARADE[0])
    across += across % 2  # where there is chroma
    some = rows[::down]
    luma = first[some, ::across]
    beside = [
        plane[some if len(plane) == len(first) else some // 2, :: across * plane.shape[1] // first.shape[1]]
        for plane in (second, third)
    ]
    if encoding.matrix == "rgb":
        codes = [beside[1], luma, beside[0]]  # lines carry G, B, R
    else:
        values = normalised(luma, (beside[0], beside[1]), bits, encoding)
        levels = replace(encoding, bit_depth=bits).levels
        span = levels.white - levels.black
        top = (1 << bits) - 1
        codes = [
            np.clip(np.rint(channel * span + levels.black), 0, top).astype(np.uint16)
            for channel in ycbcr_to_rgb(*values, encoding.matrix)
        ]
    return tuple(waveform(channel, bits, _PART) for channel in codes)

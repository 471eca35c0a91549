"""Meters: quasi-peak by IEC 60268-10, true peak and loudness by ITU-R BS.1770 and EBU R 128, phase of a pair."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.sound import kernels

RATE = 48000
Samples = NDArray[Any]


@dataclass(frozen=True)
class PeakType:
    """A type of quasi-peak meter: its name, what it is, how it rises and falls (dB a second), and its scale.

    A reading is made of two needles, a quick and a slow one: `rise` is the quick one's share and the time constants of
    both in seconds, fitted to the tone bursts of IEC 60268-10 (type I 10 ms −1 dB to 0.4 ms −15 dB, types II 100 ms 0
    dB to 0.5 ms −17 dB); `tests/sound` holds them. `marks` are readings in dBFS with what the scale prints there.
    """

    id: str
    text: str
    rise: tuple[float, float, float] | None
    fall_db_s: float
    marks: tuple[tuple[float, str], ...]


def _steps(first: float, labels: str, step: float) -> tuple[tuple[float, str], ...]:
    return tuple((first + step * n, label) for n, label in enumerate(labels.split()))


#: Share of the quick needle, time constants of both (s).
_TYPE_I, _TYPE_II = (0.5, 0.000812, 0.002377), (0.7975, 0.001588, 0.016055)
#: Scales against full scale with alignment level at −18 dBFS (EBU R 68): type I's 0 dB is permitted maximum, +9 over
#: it; IIa's 4 and IIb's TEST are alignment.
PEAK_TYPES = {
    peak_type.id: peak_type
    for peak_type in (
        PeakType("I", "type I: −50 to +5 dB, 0 at permitted maximum", _TYPE_I, 20 / 1.7, (*_steps(-59,
        "−50 −40 −30 −20 −10", 10.0), (-14, "−5"), (-9, "0"), (-4, "+5"))),
        PeakType("IIa", "type IIa: 1 to 7, alignment at 4", _TYPE_II, 24 / 2.8, _steps(-30, "1 2 3 4 5 6 7", 4.0)),
        PeakType("IIb", "type IIb: −12 to +12 dB, alignment at TEST", _TYPE_II, 24 / 2.8, _steps(-30,
        "−12 −8 −4 TEST +4 +8 +12", 4.0)),
        PeakType("dBFS", "samples against full scale", None, 20 / 1.7, _steps(-60, "−60 −50 −40 −30 −20 −10 0", 10.0)),
    )
}  # fmt: skip
#: Which scale the parts of the world read by: EBU's in 50 Hz countries, full scale elsewhere.
USUAL_TYPE = {"50 Hz": "IIb", "59.94 Hz": "dBFS"}


class PeakMeter:
    """Needles of several channels; samples in, readings in dBFS out. A steady sine of peak level L reads L."""

    def __init__(self, kind: str, channels: int) -> None:
        self.type = PEAK_TYPES[kind]
        parts = [(1.0, 0.0)] if self.type.rise is None else _parts(*self.type.rise)
        fall = float(10 ** (-self.type.fall_db_s / RATE / 20))
        self._needles = [
            (share / _steady(constant, fall), _attack(constant), fall, np.zeros(channels)) for share, constant in parts
        ]

    def read(self, samples: Samples) -> NDArray[np.float64]:
        """Take samples (n, channels), full scale 1, and return how high each needle went, dBFS; −inf for nothing."""
        given = np.ascontiguousarray(samples, np.float64)
        total = np.zeros(given.shape[1])
        peaks = np.zeros(given.shape[1])
        for share, attack, fall, state in self._needles:
            kernels.needle(given, attack, fall, state, peaks)
            total += share * peaks
        with np.errstate(divide="ignore"):
            return np.asarray(20 * np.log10(total), np.float64)


def _parts(share: float, quick: float, slow: float) -> list[tuple[float, float]]:
    return [(share, quick), (1 - share, slow)]


def _attack(constant: float) -> float:
    return 1.0 if constant == 0 else float(1 - np.exp(-1 / (RATE * constant)))


@lru_cache(maxsize=16)
def _steady(constant: float, fall: float) -> float:
    """Return how high a needle goes on a steady tone of full scale, which a slow rise does not reach."""
    tone = np.sin(2 * np.pi * 5000 * np.arange(RATE // 2) / RATE)[:, None]
    peaks = np.zeros(1)
    kernels.needle(tone, _attack(constant), fall, np.zeros(1), peaks)
    return float(peaks[0])


def phase(pair: Samples) -> float | None:
    """Return how far two channels agree.

    Parameters
    ----------
    pair
        (n, 2), any scale.

    Returns
    -------
    1 the same, 0 nothing in common, −1 one turned over; None for silence.

    >>> phase(np.array([[1.0, -1.0], [-0.5, 0.5]]))
    -1.0
    """
    left, right = pair[:, 0].astype(np.float64), pair[:, 1].astype(np.float64)
    power = float(np.sqrt((left**2).sum() * (right**2).sum()))
    return None if power == 0 else float((left * right).sum() / power)


@dataclass(frozen=True)
class Loudness:
    """Loudness by EBU R 128, LUFS: momentary (0.4 s), short-term (3 s), integrated, its range (LU), and true peak
    (dBTP).
    """

    momentary: float | None
    short_term: float | None
    integrated: float | None
    range: float | None
    true_peak: float | None


class LoudnessMeter:
    """FFmpeg's ebur128, fed as sound comes: 48 kHz, channels in the order of their layout.

    Raises `ValueError` for a layout that FFmpeg does not know.
    """

    #: What ebur128 reports for no programme yet.
    _NOTHING = -70.0

    def __init__(self, channels: int) -> None:
        import av
        from av.filter import Graph

        layout = {1: "mono", 2: "stereo", 6: "5.1"}.get(channels)
        if layout is None:
            raise ValueError(f"loudness is of one, two or six channels, not {channels}")
        self._layout, self._at, self._av = layout, 0, av
        graph = Graph()
        graph.threads = 1  # a thread a filter waits longer for the others than a block of sound takes
        source = graph.add_abuffer(sample_rate=RATE, format="flt", layout=layout, time_base=Fraction(1, RATE))
        meter = graph.add("ebur128", "metadata=1:peak=true")
        sink = graph.add("abuffersink")
        source.link_to(meter)
        meter.link_to(sink)
        graph.configure()
        self._graph = graph
        self.latest = Loudness(None, None, None, None, None)

    def take(self, samples: Samples) -> Loudness:
        """Take samples (n, channels), full scale 1, and return what is measured up to here."""
        if not len(samples):
            return self.latest
        data = np.ascontiguousarray(samples, np.float32).reshape(1, -1)
        frame = self._av.AudioFrame.from_ndarray(data, format="flt", layout=self._layout)
        frame.sample_rate, frame.pts, frame.time_base = RATE, self._at, Fraction(1, RATE)
        self._at += len(samples)
        self._graph.push(frame)
        while True:
            try:
                measured = self._graph.pull()
            except (self._av.error.BlockingIOError, self._av.error.EOFError):
                return self.latest
            text = dict(measured.metadata)
            peaks = [float(value) for key, value in text.items() if key.startswith("lavfi.r128.true_peaks_ch")]
            self.latest = Loudness(
                self._figure(text, "M"),
                self._figure(text, "S"),
                self._figure(text, "I"),
                self._figure(text, "LRA", any_value=True),
                20 * float(np.log10(max(peaks))) if peaks and max(peaks) > 0 else None,
            )

    def _figure(self, data: dict[str, str], name: str, *, any_value: bool = False) -> float | None:
        text = data.get(f"lavfi.r128.{name}")
        if text is None:
            return None
        value = float(text)
        return value if any_value or (np.isfinite(value) and value > self._NOTHING) else None

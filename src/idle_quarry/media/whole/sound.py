"""All sound of a file: loudness and true peak as EBU R 128 has them, levels of each channel, silence, clipping,
phase, tone.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from idle_quarry.media.measurement.sound import tone_of
from idle_quarry.media.sounds import SoundReader
from idle_quarry.sound.meters import LoudnessMeter

RATE = 48000
#: Samples of a block: a tenth of a second, by which loudness is told and places are named.
BLOCK = RATE // 10
#: So many samples in a row at full scale are clipping.
_CLIPPED, _FULL = 3, 1 - 2.0**-15
#: Two channels are out of phase where they agree by less than this.
_AGAINST = -0.3
#: A channel quieter than this, dBFS, is silent.
SILENT_DBFS = -60.0
_FLOOR = 1e-10


@dataclass(frozen=True)
class ChannelFigures:
    """One channel: peak and mean level, dBFS (None for nothing at all), how much of it is silent, the share of its
    power above 250 Hz.
    """

    peak_dbfs: float | None
    rms_dbfs: float | None
    silent_share: float
    high_share: float


@dataclass(frozen=True)
class SoundSpan:
    """Seconds from the beginning of the file, and a figure of what was found there."""

    first_s: float
    last_s: float
    figure: float = 0.0


@dataclass(frozen=True)
class SoundMeasurement:
    """What all sound of a file is. Loudness in LUFS, range in LU, true peak in dBTP; None where there is too little.

    `short_term` is a figure every tenth of a second, rounded to 0.1, −70 where there is none.
    """

    channels: tuple[ChannelFigures, ...]
    seconds: float
    integrated: float | None = None
    range: float | None = None
    true_peak: float | None = None
    most_momentary: float | None = None
    most_short_term: float | None = None
    short_term: tuple[float, ...] = ()
    silence: tuple[SoundSpan, ...] = ()
    clipping: tuple[SoundSpan, ...] = ()
    against: tuple[SoundSpan, ...] = ()  #: where the first pair is out of phase
    alike: tuple[tuple[int, int], ...] = ()  #: channels, from 1, that are the same throughout


class _Blocks:
    """Figures of each block of every channel, as sound comes."""

    def __init__(self, channels: int) -> None:
        self.channels = channels
        self.peaks: list[NDArray[np.float64]] = []
        self.powers: list[NDArray[np.float64]] = []
        self.highs: list[NDArray[np.float64]] = []
        self.clipped: list[int] = []
        self.phases: list[float] = []
        self.tones: list[float] = []
        self._apart = np.zeros((channels, channels))
        self._low = np.zeros(channels)
        self._full = np.zeros((_CLIPPED - 1, channels), bool)

    def take(self, block: NDArray[np.float32]) -> None:
        wide = block.astype(np.float64)
        self.peaks.append(np.abs(wide).max(axis=0, initial=0.0))
        power = (wide**2).mean(axis=0)
        self.powers.append(power)
        # a one-pole low-pass at 250 Hz, block by block: what is left of the power is above it
        low = _low_passed(wide, self._low)
        self.highs.append(np.maximum(power - (low**2).mean(axis=0), 0))
        full = np.concatenate([self._full, np.abs(wide) >= _FULL])  # a run may begin in the block before
        self._full = full[len(full) - _CLIPPED + 1 :]
        runs = full[2:] & full[1:-1] & full[:-2]
        self.clipped.append(int(runs.any(axis=0).sum()) if len(runs) else 0)
        if self.channels > 1:
            left, right = wide[:, 0], wide[:, 1]
            norm = float(np.sqrt((left**2).sum() * (right**2).sum()))
            self.phases.append(float((left * right).sum() / norm) if norm > 1e-6 else 1.0)
        for one in range(self.channels):
            for other in range(one + 1, self.channels):
                self._apart[one, other] += ((wide[:, one] - wide[:, other]) ** 2).mean()

    def alike(self) -> tuple[tuple[int, int], ...]:
        total = np.sum(self.powers, axis=0) if self.powers else np.zeros(self.channels)
        return tuple(
            (one + 1, other + 1)
            for one in range(self.channels)
            for other in range(one + 1, self.channels)
            if total[one] > 1e-6 and self._apart[one, other] < 1e-5 * (total[one] + total[other])
        )


def _low_passed(block: NDArray[np.float64], state: NDArray[np.float64]) -> NDArray[np.float64]:
    share = 1 - np.exp(-2 * np.pi * 250 / RATE)
    from scipy.signal import lfilter  # takes a second to load, and few processes look at whole files

    result, last = lfilter([share], [1, share - 1], block, axis=0, zi=((1 - share) * state)[None, :])
    state[:] = last[0] / (1 - share)
    return np.asarray(result)


def sound_of(
    path: Path,
    mix: Sequence[int] | None,
    span: tuple[float, float],
    on_progress: Callable[[float], None] | None = None,
) -> SoundMeasurement | None:
    """Return what the sound of a file is from one second to another; None where it has none.

    `mix` are the channels (from 0) of the full mix, one, two or six of them, in the order left, right, centre, LFE,
    surrounds; None for those that there are.

    `on_progress` hears seconds that are done, and may raise to stop. Raises `MediaError` where the file cannot be
    opened.
    """
    with SoundReader(path, RATE) as reader:
        if not reader.channels:
            return None
        chosen = list(mix) if mix is not None else list(range(reader.channels))
        chosen = [number for number in chosen if number < reader.channels]
        chosen = chosen if len(chosen) in (1, 2, 6) else chosen[:2] if len(chosen) > 1 else chosen
        meter, blocks = LoudnessMeter(len(chosen)) if chosen else None, _Blocks(reader.channels)
        momentary, short = [], []
        begin, end = (round(value * RATE) for value in span)
        at = begin
        while at < end:
            count = min(BLOCK, end - at)
            block = reader.samples(at, count).astype(np.float32) / np.float32(1 << 31)
            blocks.take(block)
            if meter is not None:
                latest = meter.take(block[:, chosen])
                momentary.append(latest.momentary if latest.momentary is not None else -70.0)
                short.append(latest.short_term if latest.short_term is not None else -70.0)
            at += count
            if on_progress is not None and len(blocks.peaks) % 50 == 0:
                on_progress(at / RATE)
        last = meter.latest if meter is not None else None
        return SoundMeasurement(
            channels=tuple(_channel(blocks, n) for n in range(reader.channels)),
            seconds=(at - begin) / RATE,
            integrated=last.integrated if last else None,
            range=last.range if last else None,
            true_peak=last.true_peak if last else None,
            most_momentary=max(momentary, default=-70.0) if max(momentary, default=-70.0) > -70 else None,
            most_short_term=max(short, default=-70.0) if max(short, default=-70.0) > -70 else None,
            short_term=tuple(round(value, 1) for value in short),
            silence=_spans(np.array([_db(float(p.max())) < SILENT_DBFS for p in blocks.peaks], bool), span[0]),
            clipping=_spans(np.array(blocks.clipped) > 0, span[0]),
            against=_spans(np.array([p < _AGAINST for p in blocks.phases], bool), span[0]),
            alike=blocks.alike(),
        )


def tone_spans(
    path: Path, channels: int, seconds: float, on: Callable[[], object] = lambda: None
) -> tuple[SoundSpan, ...]:
    """Return where a steady tone lies on all channels that sound, with its level in dBFS: half seconds looked at
    one after the other.

    `on` is called now and then, and may raise to stop.
    """
    spans: list[SoundSpan] = []
    with SoundReader(path, RATE) as reader:
        at = 0.0
        while at + 0.5 <= min(seconds, 1800.0):
            on()
            samples = reader.samples(int(at * RATE), RATE // 2).astype(np.float32) / np.float32(1 << 31)
            tones = [tone_of(samples[:, n], RATE) for n in range(channels)]
            sounding = [tone for n, tone in enumerate(tones) if float(np.abs(samples[:, n]).max()) > 1e-3]
            if sounding and all(tone is not None for tone in sounding):
                level = max(tone.level_dbfs for tone in sounding if tone is not None)
                if spans and abs(spans[-1].last_s - at) < 0.01 and abs(spans[-1].figure - level) < 0.5:
                    spans[-1] = SoundSpan(spans[-1].first_s, at + 0.5, spans[-1].figure)
                else:
                    spans.append(SoundSpan(at, at + 0.5, level))
            elif at > 180 and not (spans and at - spans[-1].last_s < 60):
                break  # line-up lies at the beginning
            at += 0.5
    return tuple(span for span in spans if span.last_s - span.first_s >= 1)


def _db(value: float) -> float:
    return 20 * float(np.log10(max(value, _FLOOR)))


def _channel(blocks: _Blocks, n: int) -> ChannelFigures:
    peaks, powers = np.array([peak[n] for peak in blocks.peaks]), np.array([power[n] for power in blocks.powers])
    highs = np.array([high[n] for high in blocks.highs])
    if not len(peaks) or peaks.max() <= _FLOOR:
        return ChannelFigures(None, None, 1.0, 0.0)
    silent = float((peaks < 10 ** (SILENT_DBFS / 20)).mean())
    rms = 10 * float(np.log10(max(float(powers.mean()), _FLOOR**2)))
    return ChannelFigures(
        round(_db(float(peaks.max())), 2), round(rms, 2), silent, float(highs.sum() / max(powers.sum(), 1e-20))
    )


def _spans(where: NDArray[np.bool_], begin: float) -> tuple[SoundSpan, ...]:
    """Return runs of blocks as seconds of the file."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], where, [False]]).astype(np.int8)))
    return tuple(
        SoundSpan(begin + float(first) * BLOCK / RATE, begin + float(last) * BLOCK / RATE)
        for first, last in zip(edges[::2], edges[1::2], strict=True)
    )

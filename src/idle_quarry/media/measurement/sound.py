"""What a clip's sound is: silent, alike or inverted channels, peaks, loudness, a steady tone, line-up found and named.

Loudness and true peak are EBU R 128's (ITU-R BS.1770-5), by FFmpeg's ebur128 filter.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.audio.frame import AudioFrame
from av.error import FFmpegError
from numpy.typing import NDArray

from idle_quarry.media.measurement.results import ChannelMeasurement, SoundStreamMeasurement, Tone
from idle_quarry.media.streams import streams_of_sound

#: Below this a channel is silent, dBFS.
_SILENT_DBFS = -80.0
#: Sound as long as this is heard whole; of longer sound, `_WINDOWS` windows of `_WINDOW_S` seconds.
_WHOLE_S, _WINDOWS, _WINDOW_S = 90.0, 8, 6.0
#: Line-up levels that houses use, dBFS of a sine's peak, and who says so.
LINE_UPS = {
    -18.0: "EBU R 68",
    -20.0: "SMPTE RP 155",
    -12.0: "a house level",
    -14.0: "a house level",
    -9.0: "a house level",
}
_FLOOR = 1e-10


def heard(path: Path, stream_index: int, sample_rate: int, duration_s: float | None) -> SoundStreamMeasurement | None:
    """Return what sound stream `stream_index` of a clip is; None where nothing of it can be decoded."""
    blocks: list[NDArray[np.float32]] = []
    layout = "stereo"
    for frame in _frames(path, stream_index, duration_s):
        block = _floats(frame)
        if blocks and len(block) != len(blocks[0]):
            continue  # sound that becomes of another layout on the way is told as it begins
        layout = frame.layout.name
        blocks.append(block)
    if not blocks:
        return None
    samples = np.concatenate(blocks, axis=1)
    channels = tuple(_channel(samples[n], sample_rate) for n in range(samples.shape[0]))
    identical, inverted = _pairs(samples, channels)
    loudness, spread, peak = _loudness(samples, sample_rate, layout)
    return SoundStreamMeasurement(
        sample_rate=sample_rate,
        seconds=samples.shape[1] / sample_rate,
        channels=channels,
        identical=identical,
        inverted=inverted,
        loudness_lufs=loudness,
        range_lu=spread,
        true_peak_dbtp=peak,
        windows=1 if _heard_whole(duration_s) else _WINDOWS,
    )


def _heard_whole(duration_s: float | None) -> bool:
    return duration_s is None or duration_s <= _WHOLE_S


def _frames(path: Path, stream_index: int, duration_s: float | None) -> Iterator[AudioFrame]:
    try:
        with av.open(f"file:{path.absolute()}", options={"strict": "-2"}, metadata_errors="replace") as container:
            stream = streams_of_sound(container)[stream_index]
            if _heard_whole(duration_s):
                yield from _some(container, stream, None)
                return
            assert duration_s is not None
            for number in range(_WINDOWS):
                start = (duration_s - _WINDOW_S) * number / (_WINDOWS - 1)
                container.seek(int(start * 1_000_000), backward=True)
                yield from _some(container, stream, _WINDOW_S)
    except (FFmpegError, OSError, ValueError, IndexError):
        return


def _some(container: Any, stream: Any, seconds: float | None) -> Iterator[AudioFrame]:
    given = 0.0
    for packet in container.demux(stream):
        try:
            decoded = packet.decode()
        except FFmpegError:
            continue
        for frame in decoded:
            if isinstance(frame, AudioFrame) and frame.samples:
                yield frame
                given += frame.samples / frame.sample_rate
        if seconds is not None and given >= seconds:
            return


def _floats(frame: AudioFrame) -> NDArray[np.float32]:
    """Return samples as floats of ±1, shape (channels, samples)."""
    data: NDArray[Any] = frame.to_ndarray()
    count = frame.layout.nb_channels
    if not frame.format.is_planar:
        data = data.reshape(-1, count).T
    if data.dtype.kind == "f":
        return np.asarray(data, np.float32)
    if data.dtype == np.uint8:
        return np.asarray((data.astype(np.float32) - 128) / 128, np.float32)
    return np.asarray(data / float(1 << (8 * data.dtype.itemsize - 1)), np.float32)


def _dbfs(value: float) -> float | None:
    return round(20 * float(np.log10(value)), 2) if value > _FLOOR else None


def _channel(samples: NDArray[np.float32], rate: int) -> ChannelMeasurement:
    peak = float(np.abs(samples).max()) if len(samples) else 0.0
    rms = float(np.sqrt(np.mean(samples.astype(np.float64) ** 2))) if len(samples) else 0.0
    level = _dbfs(peak)
    silent = level is None or level < _SILENT_DBFS
    return ChannelMeasurement(level, _dbfs(rms), silent, None if silent else tone_of(samples, rate))


def tone_of(samples: NDArray[np.float32], rate: int) -> Tone | None:
    """Return the steady sine that most half seconds of a sound are.

    Parameters
    ----------
    samples
        (n,) float32, full scale 1.
    rate
        Samples a second.

    Returns
    -------
    Tone or None
        Its frequency in Hz and its peak in dBFS; None where there is no such sine.
    """
    size = rate // 2
    count = min(40, len(samples) // size)
    if not count:
        return None
    window = np.hanning(size)
    results = []
    for number in range(count):
        part = samples[number * size : (number + 1) * size].astype(np.float64)
        power = float(np.mean(part**2))
        if power < 1e-9:
            continue  # the ident's gaps
        spectrum = np.abs(np.fft.rfft(part * window))
        top = int(spectrum[1:-1].argmax()) + 1
        near = spectrum[max(0, top - 3) : top + 4]
        if float((near**2).sum()) < 0.98 * float((spectrum**2).sum()):
            continue
        below, at, above = np.log(spectrum[top - 1 : top + 2] + 1e-12)
        shift = 0.5 * (below - above) / (below - 2 * at + above)
        # half seconds that a gap cuts are quieter: their power would give another level
        results.append(((top + shift) * rate / size, float(np.sqrt(2 * power))))
    if len(results) < max(1, 0.4 * count):
        return None
    frequency = float(np.median([f for f, _ in results]))
    if np.mean([abs(f - frequency) < 2 for f, _ in results]) < 0.8:
        return None
    level = 20 * float(np.log10(np.percentile([a for _, a in results], 75)))
    near_up = min(LINE_UPS, key=lambda value: abs(value - level))
    named = LINE_UPS[near_up] if abs(near_up - level) < 0.3 and 390 <= frequency <= 1010 else None
    return Tone(round(frequency, 1), round(level, 2), named)


def _pairs(
    samples: NDArray[np.float32], channels: tuple[ChannelMeasurement, ...]
) -> tuple[tuple[tuple[int, int], ...], tuple[tuple[int, int], ...]]:
    """Return the neighbouring channels that are identical, and those that are inverted, numbered from 1.

    Line-up's left is interrupted, so that tone on both is not mono.
    """
    same, against = [], []
    step = max(1, samples.shape[1] // 400_000)
    for n in range(len(channels) - 1):
        if channels[n].silent or channels[n + 1].silent:
            continue
        one, other = samples[n, ::step].astype(np.float64), samples[n + 1, ::step].astype(np.float64)
        power = float(one @ one + other @ other)
        if float(((one - other) ** 2).sum()) < 1e-5 * power:
            same.append((n + 1, n + 2))
        elif float(one @ other) / float(np.sqrt((one @ one) * (other @ other)) + 1e-12) < -0.95:
            against.append((n + 1, n + 2))
    return tuple(same), tuple(against)


class _Meter:
    """FFmpeg's ebur128, fed block by block. Raises `FFmpegError` or `ValueError` for a layout that it does not know."""

    def __init__(self, rate: int, layout: str) -> None:
        self._rate, self._layout = rate, layout
        graph = av.filter.Graph()
        graph.threads = 1
        self._source = graph.add_abuffer(sample_rate=rate, format="flt", layout=layout)
        meter = graph.add("ebur128", "peak=true:metadata=1")
        self._sink = graph.add("abuffersink")
        self._source.link_to(meter)
        meter.link_to(self._sink)
        graph.configure()
        self._graph = graph
        self._last: dict[str, str] = {}
        self.samples = 0

    def push(self, block: NDArray[np.float32] | None) -> None:
        """Take samples (channels, n), or None for the end."""
        if block is None:
            self._source.push(None)
        else:
            # packed: of planes PyAV lays out no more than eight
            packed = np.ascontiguousarray(block.T).reshape(1, -1)
            frame = AudioFrame.from_ndarray(packed, format="flt", layout=self._layout)
            frame.sample_rate, frame.pts = self._rate, self.samples
            self.samples += block.shape[1]
            self._source.push(frame)
        self._last = _drained(self._sink) or self._last

    def result(self, channels: int) -> tuple[float | None, float | None, float | None]:
        """Return integrated loudness (LUFS), loudness range (LU) and true peak (dBTP)."""

        def value(key: str) -> float | None:
            try:
                number = float(self._last.get(key, "nan"))
            except ValueError:
                return None
            return number if np.isfinite(number) and number > -70 else None

        peaks = [value(f"lavfi.r128.true_peaks_ch{n}") for n in range(channels)]
        heard_peaks = [20 * float(np.log10(p)) for p in peaks if p is not None and p > 0]
        return (
            _rounded(value("lavfi.r128.I")),
            _rounded(value("lavfi.r128.LRA")),
            round(max(heard_peaks), 2) if heard_peaks else None,
        )


def _loudness(samples: NDArray[np.float32], rate: int, layout: str) -> tuple[float | None, float | None, float | None]:
    """Return integrated loudness (LUFS), loudness range (LU) and true peak (dBTP) by FFmpeg's ebur128."""
    if samples.shape[1] < rate * 2 // 5:
        return None, None, None
    try:
        meter = _Meter(rate, layout)
        for start in range(0, samples.shape[1], rate):
            meter.push(samples[:, start : start + rate])
        meter.push(None)
    except (FFmpegError, ValueError, OSError):
        return None, None, None
    return meter.result(samples.shape[0])


def heard_whole(
    measurement: SoundStreamMeasurement, path: Path, stream_index: int, on_progress: Callable[[float], None]
) -> SoundStreamMeasurement:
    """Return what was heard of windows with loudness, its range and true peak of the whole stream, as R 128 integrates.

    `on_progress` hears how many seconds were heard, and may raise to stop. Where nothing more can be decoded,
    `measurement` is returned.
    """
    meter: _Meter | None = None
    channels = 0
    try:
        for frame in _frames(path, stream_index, None):
            block = _floats(frame)
            if meter is None:
                meter, channels = _Meter(frame.sample_rate, frame.layout.name), len(block)
            if len(block) == channels:
                meter.push(block)
                on_progress(meter.samples / measurement.sample_rate)
        if meter is None or meter.samples < measurement.sample_rate * measurement.seconds:
            return measurement
        meter.push(None)
    except (FFmpegError, ValueError):  # an arrangement of channels that R 128 has no weights for
        return measurement
    loudness, spread, peak = meter.result(channels)
    return replace(
        measurement,
        seconds=meter.samples / measurement.sample_rate,
        loudness_lufs=loudness,
        range_lu=spread,
        true_peak_dbtp=peak,
        windows=1,
    )


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 2)


def _drained(sink: Any) -> dict[str, str]:
    last: dict[str, str] = {}
    while True:
        try:
            frame = sink.pull()
        except (BlockingIOError, EOFError, FFmpegError):
            return last
        last = dict(frame.metadata) if hasattr(frame, "metadata") else last

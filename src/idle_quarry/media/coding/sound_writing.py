"""The sound of a container that is open for writing: its channels, divided over tracks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import numpy as np
from av.audio.stream import AudioStream
from av.container import OutputContainer
from numpy.typing import NDArray

from idle_quarry.path.entries import Codec
from idle_quarry.path.entries.sound import SoundLayout
from idle_quarry.path.sound_tracks import sound_tracks

_PCM = {16: "pcm_s16le", 24: "pcm_s24le", 32: "pcm_s32le"}


@dataclass(frozen=True)
class WrittenSound:
    """What sound is written: `channels` at `rate` a second, kept in `bits`, in tracks as `tracks` says (a word of
    `SOUND_TRACKS`); a layout's words and languages label the tracks.
    """

    channels: int = 0
    rate: int = 48000
    bits: int = 24
    tracks: str = "usual"
    layout: SoundLayout | None = None


class SoundWriter:
    """The sound tracks of a container.

    Raises `NotPossible` for tracks that the container cannot carry.
    """

    def __init__(self, container: OutputContainer, codec: Codec, suffix: str, sound: WrittenSound) -> None:
        self._container, self.rate, self._samples = container, sound.rate, 0
        bits = 16 if suffix == "dv" else sound.bits
        self._widths = sound_tracks(sound.tracks, codec, suffix, sound.channels)
        self._tracks: list[AudioStream] = []
        first = 0
        for width in self._widths:
            self._tracks.append(self._track(width, bits, _Label(sound.layout, first, width)))
            first += width

    def _track(self, width: int, bits: int, label: _Label) -> AudioStream:
        track = self._container.add_stream(_PCM[bits], rate=self.rate)
        assert isinstance(track, AudioStream)
        # what FFmpeg calls so many channels; those of no arrangement it knows are only counted
        track.codec_context.layout = {1: "mono", 2: "stereo", 6: "5.1(side)"}.get(width, f"{width} channels")
        track.codec_context.format = "s16" if bits == 16 else "s32"
        track.metadata.update(label.metadata)
        return track

    def write(self, samples: NDArray[np.int32]) -> None:
        """Write samples (count, channels) at 32 bits; channels that a track has beyond them are silent."""
        if not self._tracks or not len(samples):
            return
        missing = sum(self._widths) - samples.shape[1]
        if missing > 0:
            samples = np.pad(samples, ((0, 0), (0, missing)))
        first = 0
        for track, width in zip(self._tracks, self._widths, strict=True):
            self._mux(track, samples[:, first : first + width])
            first += width
        self._samples += len(samples)

    def _mux(self, track: AudioStream, samples: NDArray[np.int32]) -> None:
        context = track.codec_context
        wide = context.format.name == "s32"
        data: NDArray[Any] = samples if wide else (samples >> 16).astype(np.int16)
        frame = _frame(data, "s32" if wide else "s16", context.layout.name)
        frame.sample_rate, frame.pts, frame.time_base = self.rate, self._samples, Fraction(1, self.rate)
        self._container.mux(track.encode(frame))

    def finish(self) -> None:
        """Write what is still held."""
        for track in self._tracks:
            self._container.mux(track.encode(None))


def _frame(data: NDArray[Any], kind: str, layout: str) -> Any:
    from av import AudioFrame

    return AudioFrame.from_ndarray(np.ascontiguousarray(data.reshape(1, -1)), format=kind, layout=layout)


@dataclass(frozen=True)
class _Label:
    """What a track says of its channels: their words, and the language where they have one."""

    layout: SoundLayout | None
    first: int
    width: int

    @property
    def metadata(self) -> dict[str, str]:
        if self.layout is None:
            return {}
        channels: Sequence[Any] = self.layout.channels[self.first : self.first + self.width]
        words = ", ".join(f"{number} {channel.words}" for number, channel in enumerate(channels, self.first + 1))
        languages = {channel.language for channel in channels if channel.language}
        return ({"handler_name": words} if words else {}) | (
            {"language": languages.pop()[:2]} if len(languages) == 1 else {}
        )

"""The sound of a clip as samples: any stretch of it, all its channels in a row, at a rate of choice.

Sample 0 is heard with the first picture: sound that a container has begin later or earlier is later or earlier here.
"""

from __future__ import annotations

from pathlib import Path
from types import TracebackType
from typing import Any

import av
import numpy as np
from av.audio.resampler import AudioResampler
from av.container import InputContainer
from av.error import FFmpegError
from av.stream import Disposition
from numpy.typing import NDArray

from idle_quarry.errors import MediaError
from idle_quarry.media.streams import streams_of_sound

Samples = NDArray[np.int32]
#: A jump back, or forward by more than so many seconds, seeks; a shorter one is read over.
_READ_OVER_S = 2.0
#: After a seek decoders need sound from before to be right.
_RUN_IN_S = 0.2


class _Stream:
    """One stream's samples, from `first` on, as far as they are decoded.

    `origin` is the moment of sample 0 in seconds.
    """

    def __init__(self, stream: Any, rate: int, origin: float) -> None:
        self.stream, self.channels = stream, int(stream.codec_context.layout.nb_channels)
        self._rate, self._origin = rate, origin
        own = float((stream.start_time or 0) * (stream.time_base or 0))
        self.begins = round((own - origin) * rate)  #: its first sample
        self.begin(None)

    def begin(self, at: int | None) -> None:
        """Start anew: at the sample that a seek led to, which its time stamp tells, or at the first."""
        self.first, self._blocks, self._seeking = self.begins, [np.zeros((0, self.channels), np.int32)], at is not None
        self._resampler = AudioResampler(format="s32", layout=self.stream.codec_context.layout.name, rate=self._rate)

    @property
    def end(self) -> int:
        return self.first + sum(len(block) for block in self._blocks)

    def take_in(self, frame: Any) -> None:
        if self._seeking and frame is not None:
            seconds = float((frame.pts or 0) * (self.stream.time_base or 0)) - self._origin
            self.first, self._seeking = round(seconds * self._rate), False
        for result in self._resampler.resample(frame):
            block: Samples = np.asarray(result.to_ndarray(), np.int32).reshape(-1, self.channels)
            self._blocks.append(block)

    def samples(self, first: int, count: int) -> Samples:
        """Return samples from `first` on, silence where there are none, and let go of what lies before."""
        have = np.concatenate(self._blocks) if len(self._blocks) > 1 else self._blocks[0]
        passed = max(0, min(len(have), first - self.first))
        self._blocks, self.first = [have[passed:]], self.first + passed
        result = np.zeros((count, self.channels), np.int32)
        there = have[passed : passed + max(0, count - max(0, self.first - first))]
        at = max(0, self.first - first)
        result[at : at + len(there)] = there[: max(0, count - at)]
        return result


def _origin(container: InputContainer, sounds: list[Any]) -> float:
    """Return the moment in seconds at which the first picture is shown.

    Of sound alone, at which the first of it is heard.
    """
    pictures = [stream for stream in container.streams.video if not stream.disposition & Disposition.attached_pic]
    moments = [
        float(stream.start_time * (stream.time_base or 0))
        for stream in pictures[:1] or sounds
        if stream.start_time is not None
    ]
    return min(moments, default=0.0)


class SoundReader:
    """An open clip's sound. Use it as a context; not to be shared between threads. `channels` is 0 where it has none.

    Raises `MediaError` where the clip cannot be opened.
    """

    def __init__(self, path: Path, rate: int = 48000) -> None:
        self.path, self.rate = path, rate
        try:
            self._container: InputContainer = av.open(
                f"file:{path.absolute()}", options={"strict": "-2"}, metadata_errors="replace"
            )
        except (FFmpegError, OSError, ValueError) as error:
            raise MediaError("its sound is not readable", subject=str(path)) from error
        sounds = [item for item in streams_of_sound(self._container) if item.codec_context.layout.nb_channels]
        self._origin = _origin(self._container, sounds)
        self._streams = [_Stream(sound, rate, self._origin) for sound in sounds]
        self.channels = sum(stream.channels for stream in self._streams)
        self._packets = self._demuxed()
        self._ended = False

    def __enter__(self) -> SoundReader:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        self._container.close()

    def _demuxed(self) -> Any:
        return self._container.demux([stream.stream for stream in self._streams]) if self._streams else iter(())

    def samples(self, first: int, count: int) -> Samples:
        """Return `count` samples from `first` on, (count, channels) at 32 bits.

        Silence before, after, and where none decode.
        """
        if not self._streams:
            return np.zeros((count, 0), np.int32)
        if any(
            (first < stream.first and stream.first > stream.begins + 1) or first > stream.end + _READ_OVER_S * self.rate
            for stream in self._streams
        ):
            self._seek(first)
        while not self._ended and any(stream.end < first + count for stream in self._streams):
            self._read_on()
        return np.concatenate([stream.samples(first, count) for stream in self._streams], axis=1)

    def ended(self, at: int) -> bool:
        """Return whether no sound lies from a sample on; known when it was read to its end."""
        return self._ended and all(stream.end <= at for stream in self._streams)

    def _seek(self, first: int) -> None:
        begins = self._container.start_time or 0
        at = max(begins, int((first / self.rate + self._origin - _RUN_IN_S) * 1_000_000))
        try:
            self._container.seek(at, backward=True)
        except (FFmpegError, OSError):
            return
        for stream in self._streams:
            stream.begin(first)
        self._packets, self._ended = self._demuxed(), False

    def _read_on(self) -> None:
        try:
            packet = next(self._packets)
        except (StopIteration, FFmpegError, IndexError):
            self._end()
            return
        result = next((stream for stream in self._streams if stream.stream.index == packet.stream.index), None)
        if result is None:
            return
        try:
            for frame in packet.decode():
                result.take_in(frame)
        except FFmpegError:
            return

    def _end(self) -> None:
        self._ended = True
        for stream in self._streams:
            try:
                stream.take_in(None)
            except (FFmpegError, ValueError):
                continue

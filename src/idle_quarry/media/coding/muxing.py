"""A container that is open for writing: pictures, coded or not, and sound, each in its order."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.audio.stream import AudioStream
from av.video.stream import VideoStream
from numpy.typing import NDArray

from idle_quarry.media.coding.declaring import SAYS_ACTIVE_FORMAT, with_active_format
from idle_quarry.media.coding.encode import (
    Pixels,
    colour_flags,
    encoder_options,
)
from idle_quarry.path.registry import Codec
from idle_quarry.signal.timecode import Timecode

_PCM = {16: "pcm_s16le", 24: "pcm_s24le", 32: "pcm_s32le"}


class Muxed:
    """A container that is open for writing: pictures, coded or not, and sound, each in its order."""

    def __init__(
        self,
        path: Path,
        codec: Codec,
        pixels: Pixels,
        start: Timecode | None,
        channels: int,
        rate: int,
        bits: int,
        active_format: str | None = None,
    ) -> None:
        fmt = pixels.format
        self._encoder, self._active = codec.encode.encoder, active_format
        options = {"movflags": "+write_colr"} if path.suffix == ".mov" else {}
        self.pixels, self.sample_rate = pixels, rate
        self._container = av.open(f"file:{path.absolute()}", "w", options=options)
        try:
            stream = self._container.add_stream(codec.encode.encoder, rate=fmt.rate)
            assert isinstance(stream, VideoStream)
            self.stream = stream
            context = stream.codec_context
            context.width, context.height, context.pix_fmt = fmt.raster.width, pixels.height, pixels.name
            context.time_base = 1 / fmt.rate
            context.options = encoder_options(codec, fmt)
            if start is not None and codec.encode.encoder == "mpeg2video":  # the pictures say it themselves too
                context.options = {**context.options, "gop_timecode": str(start)}
            colour_flags(context, fmt)
            if start is not None:
                stream.metadata["timecode"] = str(start)
            self._voice = self._voice_of(channels, 16 if path.suffix == ".dv" else bits) if channels else None
        except BaseException:
            self._container.close()
            raise
        self.frames = self._samples = 0

    def _voice_of(self, channels: int, bits: int) -> AudioStream:
        voice = self._container.add_stream(_PCM[bits], rate=self.sample_rate)
        assert isinstance(voice, AudioStream)
        # what FFmpeg calls so many channels; those of no arrangement it knows are only counted
        layout = {1: "mono", 2: "stereo", 6: "5.1(side)"}.get(channels, f"{channels} channels")
        voice.codec_context.layout = layout
        voice.codec_context.format = "s16" if bits == 16 else "s32"
        return voice

    def picture(self, frame: av.VideoFrame) -> None:
        frame.pts, frame.time_base = self.frames, 1 / self.pixels.format.rate
        self._mux(self.stream.encode(frame))
        self.frames += 1

    def _mux(self, packets: Sequence[av.Packet[Any]]) -> None:
        """Write coded pictures, which say their active format where they can and are to."""
        if self._active is not None and self._encoder in SAYS_ACTIVE_FORMAT:
            packets = [self._saying(packet, self._active) for packet in packets]
        self._container.mux(packets)

    def _saying(self, packet: av.Packet[Any], word: str) -> av.Packet[Any]:
        data = bytes(packet)
        if not data:
            return packet
        result = av.Packet(with_active_format(data, self._encoder, word))
        result.stream, result.time_base, result.pts, result.dts = (
            packet.stream,
            packet.time_base,
            packet.pts,
            packet.dts,
        )
        result.is_keyframe = packet.is_keyframe
        if packet.duration:
            result.duration = packet.duration
        return result

    def coded_packets(self, frame: av.VideoFrame, count: int) -> list[bytes]:
        """Return the packets of a picture coded `count` times, without writing them."""
        packets: list[bytes] = []
        for index in range(count):
            frame.pts, frame.time_base = index, 1 / self.pixels.format.rate
            packets += [bytes(packet) for packet in self.stream.encode(frame)]
        if count:
            packets += [bytes(packet) for packet in self.stream.encode(None)]
        return [packet for packet in packets if packet]

    def coded(self, data: bytes) -> None:
        packet = av.Packet(data)
        packet.stream, packet.time_base = self.stream, 1 / self.pixels.format.rate
        packet.pts = packet.dts = self.frames
        packet.duration, packet.is_keyframe = 1, True
        self._container.mux(packet)
        self.frames += 1

    def sound(self, samples: NDArray[np.int32]) -> None:
        voice = self._voice
        if voice is None or not len(samples):
            return
        context = voice.codec_context
        wide = context.format.name == "s32"
        data: NDArray[Any] = samples if wide else (samples >> 16).astype(np.int16)
        frame = av.AudioFrame.from_ndarray(
            np.ascontiguousarray(data.reshape(1, -1)), format="s32" if wide else "s16", layout=context.layout.name
        )
        frame.sample_rate, frame.pts, frame.time_base = self.sample_rate, self._samples, Fraction(1, self.sample_rate)
        self._container.mux(voice.encode(frame))
        self._samples += len(samples)

    def finish(self, *, pictures_wait: bool) -> None:
        """Write what encoders still hold, and the index."""
        if pictures_wait:
            self._mux(with_decoding_times(self.stream.encode(None)))
        if self._voice is not None:
            self._container.mux(self._voice.encode(None))

    def close(self) -> None:
        self._container.close()


#: Pictures by which decoding is earlier than showing at the most, of any encoder.
_MOST_REORDERED = 64


def with_decoding_times(packets: Sequence[av.Packet[Any]]) -> Sequence[av.Packet[Any]]:
    """Return an encoder's last packets with times of decoding that can be.

    x265 leaves them undefined where a clip is shorter than its delay: they are what lies in memory then, and containers
    write them or refuse. Packets come in the order of decoding, so it follows from when each is shown.
    """
    timed = [(packet, packet.pts, packet.dts) for packet in packets if packet.pts is not None]
    if all(dts is not None and abs(dts - pts) <= _MOST_REORDERED for _, pts, dts in timed):
        return packets
    shown = sorted(pts for _, pts, _ in timed)
    early = max(due - pts for due, (_, pts, _) in zip(shown, timed, strict=True))
    for due, (packet, _, _) in zip(shown, timed, strict=True):
        packet.dts = due - early
    return packets

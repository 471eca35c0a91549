"""A container that is open for writing: pictures, coded or not, and sound, each in its order."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import Any

import av
from av.video.stream import VideoStream

from idle_quarry.media.coding.declaring import with_active_format
from idle_quarry.media.coding.encode import (
    Pixels,
    colour_flags,
    encoder_options,
)
from idle_quarry.media.coding.mxf_descriptor import put_right
from idle_quarry.media.coding.sound_writing import SoundWriter, WrittenSound
from idle_quarry.path.codecs import says_active_format
from idle_quarry.path.registry import Codec
from idle_quarry.signal.timecode import Timecode


class Muxed:
    """A container that is open for writing: pictures, coded or not, and sound, each in its order."""

    def __init__(
        self,
        path: Path,
        codec: Codec,
        pixels: Pixels,
        start: Timecode | None,
        sound: WrittenSound,
        active_format: str | None = None,
    ) -> None:
        fmt = pixels.format
        self._encoder, self._path = codec.encode.encoder, path
        self._active = active_format if says_active_format(codec) else None
        options = {"movflags": "+write_colr"} if path.suffix == ".mov" else {}
        self.pixels = pixels
        muxer = codec.encode.muxer or None
        self._container = av.open(f"file:{path.absolute()}", "w", format=muxer, options=options)
        try:
            stream = self._container.add_stream(codec.encode.encoder, rate=fmt.rate)
            assert isinstance(stream, VideoStream)
            self.stream = stream
            context = stream.codec_context
            context.width, context.height, context.pix_fmt = fmt.raster.width, pixels.height, pixels.name
            context.time_base = 1 / fmt.rate
            context.options = encoder_options(codec, fmt)
            self._most_bytes = 0
            if muxer == "mxf_d10":
                context.bit_rate = int(context.options["b"])  # by which the container knows its kind
                self._most_bytes = int(context.bit_rate / 8 / fmt.rate)
            if start is not None and codec.encode.encoder == "mpeg2video":  # the pictures say it themselves too
                context.options = {**context.options, "gop_timecode": str(start)}
            colour_flags(context, fmt)
            if start is not None:
                stream.metadata["timecode"] = str(start)
            self.sound = SoundWriter(self._container, codec, path.suffix.removeprefix("."), sound)
        except BaseException:
            self._container.close()
            raise
        self.frames = 0

    def picture(self, frame: av.VideoFrame) -> None:
        frame.pts, frame.time_base = self.frames, 1 / self.pixels.format.rate
        self._mux(self.stream.encode(frame))
        self.frames += 1

    def _mux(self, packets: Sequence[av.Packet[Any]]) -> None:
        """Write coded pictures, which say their active format where they can and are to."""
        if self._active is not None:
            packets = [_remade(packet, partial(self._saying, self._active)) for packet in packets]
        if self._most_bytes:
            packets = [_remade(packet, self._fitting) for packet in packets]
        self._container.mux(packets)

    def _saying(self, word: str, data: bytes) -> bytes:
        return with_active_format(data, self._encoder, word)

    def _fitting(self, data: bytes) -> bytes:
        """Return a picture without the stuffing beyond the size that each has: 208 541 bytes of 50 Mb/s at 29.97
        (ST 356), of which the encoder makes 208 542.
        """
        return data[: self._most_bytes] if not any(data[self._most_bytes :]) else data

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

    def finish(self, *, pictures_wait: bool) -> None:
        """Write what encoders still hold, and the index; the file is closed."""
        if pictures_wait:
            self._mux(with_decoding_times(self.stream.encode(None)))
        self.sound.finish()
        self.close()
        if self._path.suffix == ".mxf":
            put_right(self._path, self._encoder, self.pixels.format)

    def close(self) -> None:
        self._container.close()


def _remade(packet: av.Packet[Any], change: Callable[[bytes], bytes]) -> av.Packet[Any]:
    """Return a packet with other data, and all else as it was."""
    data = bytes(packet)
    if not data:
        return packet
    result = av.Packet(change(data))
    result.stream, result.time_base, result.pts, result.dts = packet.stream, packet.time_base, packet.pts, packet.dts
    result.is_keyframe = packet.is_keyframe
    if packet.duration:
        result.duration = packet.duration
    return result


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

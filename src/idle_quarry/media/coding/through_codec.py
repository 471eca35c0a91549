"""Pictures through a real encoder and its decoder, in memory, timed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from time import perf_counter
from typing import Any

import av
from av.error import FFmpegError
from av.video.codeccontext import VideoCodecContext
from av.video.frame import VideoFrame
from numpy.typing import NDArray

from idle_quarry.errors import MediaError
from idle_quarry.media.coding.encode import Pixels, encoder_options, frame_of_codes
from idle_quarry.media.planes import planes_of
from idle_quarry.path.registry import Codec

Codes = Sequence[NDArray[Any]]


@dataclass(frozen=True)
class CodedPictures:
    """Coded pictures: the bytes of each packet, what a decoder must be told first, and the time it took, seconds."""

    packets: tuple[bytes, ...]
    extradata: bytes | None
    seconds: float

    @property
    def bytes(self) -> int:
        return sum(len(packet) for packet in self.packets)


@dataclass(frozen=True)
class DecodedPicture:
    """A decoded picture as its decoder gives it: luma, chroma, or R′G′B′ (h, w, 3), of `bits` bits."""

    luma: NDArray[Any]
    chroma: tuple[NDArray[Any], NDArray[Any]] | None
    rgb: NDArray[Any] | None
    bits: int


def encoded(
    codec: Codec, pixels: Pixels, frames: Sequence[Codes], before_each: Callable[[], object] = lambda: None
) -> CodedPictures:
    """Return pictures, code values in the encoding of `pixels`, coded; `before_each` picture may raise to stop.

    Raises `MediaError` where the encoder refuses.
    """
    fmt = pixels.format
    given = [frame_of_codes(pixels, codes) for codes in frames]  # laying out pictures is not coding: it is not timed
    try:
        context = av.CodecContext.create(codec.encode.encoder, "w")
        assert isinstance(context, VideoCodecContext)
        context.width, context.height, context.pix_fmt = fmt.raster.width, pixels.height, pixels.name
        context.time_base, context.framerate = 1 / fmt.rate, fmt.rate
        context.thread_count = 0  # as many as there are processors, where the encoder can
        context.options = {key: value for key, value in encoder_options(codec, fmt).items() if key != "aspect"}
        packets: list[bytes] = []
        start = perf_counter()
        for number, frame in enumerate(given):
            before_each()
            frame.pts, frame.time_base = number, 1 / fmt.rate
            packets += [bytes(packet) for packet in context.encode(frame)]
        packets += [bytes(packet) for packet in context.encode(None)]
        seconds = perf_counter() - start
        return CodedPictures(tuple(packet for packet in packets if packet), context.extradata, seconds)
    except (FFmpegError, OSError, ValueError) as error:
        raise MediaError(f"the {codec.name} encoder refused ({error})", subject=codec.name) from error


def decoded(codec: Codec, pixels: Pixels, coded: CodedPictures) -> tuple[list[DecodedPicture], float]:
    """Return the pictures of packets in the order they are shown, and the time decoding took, seconds.

    Raises `MediaError` where they cannot be decoded.
    """
    try:
        context = av.CodecContext.create(av.Codec(codec.encode.encoder, "w").canonical_name, "r")
        assert isinstance(context, VideoCodecContext)
        context.width, context.height = pixels.format.raster.width, pixels.height
        context.pix_fmt = pixels.name
        context.thread_count = 0
        if coded.extradata:
            context.extradata = coded.extradata
        frames: list[VideoFrame] = []
        start = perf_counter()
        for data in coded.packets:
            frames += context.decode(av.Packet(data))
        frames += context.decode(None)
        seconds = perf_counter() - start
    except (FFmpegError, OSError, ValueError) as error:
        raise MediaError(
            f"what the {codec.name} encoder made could not be decoded ({error})", subject=codec.name
        ) from error
    return [DecodedPicture(*planes_of(frame, pixels.blanking)) for frame in frames], seconds

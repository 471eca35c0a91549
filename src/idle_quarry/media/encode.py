"""Encoding with the real encoders: a still picture with sound, in any codec of the registry, correctly flagged."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.audio.stream import AudioStream
from av.error import FFmpegError
from av.video.codeccontext import VideoCodecContext
from av.video.stream import VideoStream
from numpy.typing import NDArray

from idle_quarry.errors import MediaError
from idle_quarry.media.code_points import written
from idle_quarry.path.codecs import mbps
from idle_quarry.path.registry import Codec
from idle_quarry.picture.bars import ycbcr_codes
from idle_quarry.picture.colour import linear_light
from idle_quarry.signal.formats import SAMPLINGS, SignalFormat
from idle_quarry.signal.timecode import Timecode

Progress = Callable[[int, int], None]

#: Encoders whose packets stand alone, so that a coded picture can be written as often as it is shown.
_STANDALONE = ("prores_ks", "dnxhd", "cfhd", "ffv1", "v210", "jpeg2000")


def _coded_once(codec: Codec) -> int:
    """Return how many pictures must be coded for a still of any length; 0 where each must be.

    Two for intra-only H.264: neighbouring IDR pictures must differ in their idr_pic_id (H.264, 7.4.3).
    """
    if codec.encode.encoder in _STANDALONE:
        return 1
    return 2 if "avcintra" in codec.encode.options.get("x264-params", "") else 0


_PCM = {16: "pcm_s16le", 24: "pcm_s24le", 32: "pcm_s32le"}


@dataclass(frozen=True)
class Pixels:
    """The pixel format an encoder takes for a signal format, and the format it then carries."""

    name: str
    format: SignalFormat
    blanking: int = 0  #: lines of blanking coded above the picture

    @property
    def height(self) -> int:
        """Lines that are coded."""
        return self.format.raster.height + self.blanking


def encoder_pixels(codec: Codec, fmt: SignalFormat) -> Pixels:
    """Return the encoder's pixel format nearest to `fmt`: at least its bits and chroma where there is one."""
    wants_rgb = fmt.encoding.matrix == "rgb"
    wanted = (_chroma("rgb" if wants_rgb else fmt.encoding.sampling), fmt.encoding.bit_depth)

    def distance(key: str) -> tuple[bool, bool, int]:
        bits, sampling = key.split()
        have = (_chroma(sampling), int(bits))
        short = have[0] < wanted[0] or have[1] < wanted[1]
        return short, (sampling == "rgb") != wants_rgb, abs(have[0] - wanted[0]) * 8 + abs(have[1] - wanted[1])

    key = min(codec.encode.pixels, key=distance)
    bits, sampling = key.split()
    encoding: dict[str, Any] = {"bit_depth": int(bits), "sampling": sampling}
    if sampling == "rgb":
        encoding |= {"sampling": "4:4:4", "matrix": "rgb", "range": "full"}
    elif wants_rgb:
        encoding |= {"matrix": "bt2020" if fmt.encoding.primaries == "bt2020" else "bt709", "range": "narrow"}
    return Pixels(codec.encode.pixels[key], fmt.with_encoding(**encoding), _blanking(codec, fmt))


def _blanking(codec: Codec, fmt: SignalFormat) -> int:
    return codec.encode.blanking.get(f"{fmt.raster.width}x{fmt.raster.height}", 0)


def _chroma(sampling: str) -> int:
    return SAMPLINGS.index("4:4:4" if sampling == "rgb" else sampling)


def clip_suffix(codec: Codec) -> str:
    """Return the file suffix of a clip in this codec."""
    return "." + codec.containers[0]


def encode_still(
    path: Path,
    codec: Codec,
    fmt: SignalFormat,
    rgb: NDArray[np.float64],
    frames: int,
    start: Timecode | None = None,
    sound: NDArray[np.int32] | None = None,
    sample_rate: int = 48000,
    sound_bits: int = 24,
    progress: Progress | None = None,
) -> SignalFormat:
    """Write a clip that shows R′G′B′ `rgb` (h, w, 3) for `frames` frames; return the format it carries.

    Field order, pixel aspect, colour and start timecode are flagged. `sound` is (samples, channels) int32.
    For codecs of one picture a file, `path` names the first file, whose number is counted on.
    Raises `MediaError`; what was written by then is left for the caller to remove.
    """
    pixels = encoder_pixels(codec, fmt)
    try:
        if codec.one_picture_a_file:
            _write_files(path, codec, pixels, rgb, frames, progress)
        else:
            _write_clip(path, codec, pixels, rgb, frames, start, sound, sample_rate, sound_bits, progress)
    except (FFmpegError, OSError, ValueError) as error:
        raise MediaError(f"the {codec.name} encoder refused ({error})", subject=path.name) from error
    if pixels.name == _LINEAR:
        return pixels.format.with_encoding(transfer="linear")
    return pixels.format


#: The pixel format of OpenEXR: linear light by definition.
_LINEAR = "gbrpf32le"


def _picture(pixels: Pixels, rgb: NDArray[np.float64]) -> av.VideoFrame:
    fmt = pixels.format
    if pixels.name == _LINEAR:
        white = _WHITE_SIGNAL.get(fmt.encoding.transfer, 1.0)
        one = linear_light(np.full((1, 1), white), fmt.encoding.transfer)[0, 0]
        return _filled(pixels, [linear_light(rgb[..., i], fmt.encoding.transfer) / one for i in range(3)])
    if fmt.encoding.matrix == "rgb":
        top = (1 << fmt.encoding.bit_depth) - 1
        return _filled(pixels, [np.rint(np.clip(rgb[..., i], 0, 1) * top) for i in range(3)])
    return _filled(pixels, list(ycbcr_codes(rgb, fmt.encoding)))


#: Reference white of HDR signals (BT.2408-7, table 1): written as 1.0 where light is linear.
_WHITE_SIGNAL = {"hlg": 0.75, "pq": 0.5807}


def frame_of_codes(pixels: Pixels, codes: Sequence[NDArray[Any]]) -> av.VideoFrame:
    """Return a frame of code values in the encoding of `pixels`: luma and chroma, or R, G, B; flagged as its format says."""
    if pixels.name == _LINEAR:
        top = (1 << pixels.format.encoding.bit_depth) - 1
        codes = [plane / np.float32(top) for plane in codes]
    return _flagged(_filled(pixels, codes), pixels.format)


def _filled(pixels: Pixels, planes: Sequence[NDArray[Any]]) -> av.VideoFrame:
    """Return a frame that holds planes: Y, C′B, C′R, or R, G, B, which FFmpeg keeps as G, B, R."""
    frame = av.VideoFrame(pixels.format.raster.width, pixels.height, pixels.name)
    if pixels.blanking:
        levels = pixels.format.encoding.levels
        empty = (levels.black, levels.chroma_zero, levels.chroma_zero)
        planes = [
            np.pad(
                plane, ((pixels.blanking * len(plane) // pixels.format.raster.height, 0), (0, 0)), constant_values=code
            )
            for plane, code in zip(planes, empty, strict=True)
        ]
    if pixels.name.startswith("gbr"):
        planes = [planes[1], planes[2], planes[0]]
    deep = pixels.format.encoding.bit_depth > 8
    kind = "<f4" if pixels.name == _LINEAR else ">u2" if pixels.name.endswith("be") else "<u2" if deep else "u1"
    for plane, data in zip(frame.planes, planes, strict=True):
        rows = np.ascontiguousarray(data.astype(kind)).view(np.uint8).reshape(data.shape[0], -1)
        padded = np.zeros((data.shape[0], plane.line_size), np.uint8)
        padded[:, : rows.shape[1]] = rows
        plane.update(padded.tobytes())
    return frame


def _flagged(frame: av.VideoFrame, fmt: SignalFormat) -> av.VideoFrame:
    """Return the frame with field and colour flags; PyAV sets field flags only through a filter."""
    graph = av.filter.Graph()
    source = graph.add_buffer(width=frame.width, height=frame.height, format=frame.format, time_base=Fraction(1, 25))
    mode = {"top": "tff", "bottom": "bff", None: "prog"}[fmt.field_order if fmt.scan != "progressive" else None]
    field = graph.add("setfield", mode)
    sink = graph.add("buffersink")
    source.link_to(field)
    field.link_to(sink)
    graph.configure()
    frame.pts, frame.time_base = 0, Fraction(1, 25)
    source.push(frame)
    result = sink.pull()
    assert isinstance(result, av.VideoFrame)
    _colour_flags(result, fmt)
    return result


def _colour_flags(target: Any, fmt: SignalFormat) -> None:
    e = fmt.encoding
    target.color_primaries, target.color_trc, target.colorspace = written(e.primaries, e.transfer, e.matrix)
    target.color_range = 2 if e.range == "full" else 1


def encoder_options(codec: Codec, fmt: SignalFormat) -> dict[str, str]:
    """Return the encoder options that code `fmt` as it is: bit rate, fields, pixel aspect."""
    options = dict(codec.encode.options)
    aspect = fmt.raster.pixel_aspect * (fmt.raster.height + _blanking(codec, fmt)) / fmt.raster.height
    options["aspect"] = f"{aspect.numerator}:{aspect.denominator}"
    if codec.encode.encoder == "dnxhd" and options.get("profile") == "dnxhd":
        options["b"] = str(_vc3_rate(codec, fmt, codec.encode.pixels))
    if fmt.scan != "progressive":
        # interlaced coding; the container's word for the order is FFmpeg's tb and bt (see `declared`)
        options["flags"] = "+ildct" + ("+ilme" if codec.encode.encoder in ("mpeg2video", "libx264") else "")
        options["field_order"] = "tb" if fmt.field_order == "top" else "bt"
        if codec.encode.encoder == "libx264":
            params = options.get("x264-params", "")
            options["x264-params"] = ":".join(
                p for p in (params, "tff=1" if fmt.field_order == "top" else "bff=1") if p
            )
    else:
        options["field_order"] = "progressive"
    return options


#: Nominal rates (Mb/s) by which compression IDs are named, at all their frame rates (ST 2019-1, annex).
_VC3_RATES = (36, 42, 45, 60, 63, 75, 80, 84, 90, 100, 110, 115, 120, 145, 175, 180, 185, 220, 240, 290, 365, 440)


def _vc3_rate(codec: Codec, fmt: SignalFormat, pixels: dict[str, str]) -> int:
    """Return the nominal bit rate, in bits a second, that makes the encoder take this compression ID.

    The encoder knows the rates of each ID; the nearest to the coded rate that it accepts is the right one.
    """
    exact = mbps(codec, fmt)
    for rate in sorted(_VC3_RATES, key=lambda each: abs(each - exact)):
        trial = av.CodecContext.create("dnxhd", "w")
        assert isinstance(trial, VideoCodecContext)
        trial.width, trial.height = fmt.raster.width, fmt.raster.height
        trial.pix_fmt, trial.time_base = next(iter(pixels.values())), 1 / fmt.rate
        trial.options = {"b": str(rate * 1_000_000), "flags": "+ildct" if fmt.scan != "progressive" else "0"}
        try:
            trial.open()
        except FFmpegError:
            continue
        return rate * 1_000_000
    raise MediaError("no compression ID fits", subject=codec.name)


def _write_clip(
    path: Path,
    codec: Codec,
    pixels: Pixels,
    rgb: NDArray[np.float64],
    frames: int,
    start: Timecode | None,
    sound: NDArray[np.int32] | None,
    sample_rate: int,
    sound_bits: int,
    progress: Progress | None,
) -> None:
    fmt = pixels.format
    options = {"movflags": "+write_colr"} if path.suffix == ".mov" else {}
    if path.suffix == ".dv":
        sound_bits = 16  # DV carries no other
    with av.open(f"file:{path.absolute()}", "w", options=options) as container:
        stream = container.add_stream(codec.encode.encoder, rate=fmt.rate)
        assert isinstance(stream, VideoStream)
        context = stream.codec_context
        context.width, context.height, context.pix_fmt = fmt.raster.width, pixels.height, pixels.name
        context.time_base = 1 / fmt.rate
        context.options = encoder_options(codec, fmt)
        _colour_flags(context, fmt)
        if start is not None:
            stream.metadata["timecode"] = str(start)
        voice: AudioStream | None = None
        if sound is not None:
            spoken = container.add_stream(_PCM[sound_bits], rate=sample_rate)
            assert isinstance(spoken, AudioStream)
            voice = spoken
            voice.codec_context.layout = _layout_of(sound.shape[1])
            voice.codec_context.format = "s16" if sound_bits == 16 else "s32"
        frame = _flagged(_picture(pixels, rgb), fmt)
        coded = _coded_packets(stream, frame, _coded_once(codec), fmt.rate)
        at = 0  # samples of sound written so far
        for index in range(frames):
            if progress is not None:
                progress(index, frames)
            if coded:
                packet = av.Packet(coded[index % len(coded)])
                packet.stream, packet.time_base = stream, 1 / fmt.rate
                packet.pts = packet.dts = index
                packet.duration, packet.is_keyframe = 1, True
                container.mux(packet)
            else:
                frame.pts, frame.time_base = index, 1 / fmt.rate
                container.mux(stream.encode(frame))
            if voice is not None and sound is not None:
                upto = min(len(sound), int((index + 1) * sample_rate / fmt.rate))
                container.mux(_encoded_sound(voice, sound[at:upto], at, sample_rate))
                at = upto
        if not coded:
            container.mux(stream.encode(None))
        if voice is not None:
            container.mux(voice.encode(None))


def _layout_of(channels: int) -> str:
    """Return what FFmpeg calls so many channels; those of no arrangement it knows are only counted."""
    return {1: "mono", 2: "stereo", 6: "5.1(side)"}.get(channels, f"{channels} channels")


def _coded_packets(stream: Any, frame: av.VideoFrame, count: int, rate: Fraction) -> list[bytes]:
    packets: list[bytes] = []
    for index in range(count):
        frame.pts, frame.time_base = index, 1 / rate
        packets += [bytes(packet) for packet in stream.encode(frame)]
    if count:
        packets += [bytes(packet) for packet in stream.encode(None)]
    return [packet for packet in packets if packet]


def _encoded_sound(voice: Any, samples: NDArray[np.int32], at: int, rate: int) -> list[Any]:
    if not len(samples):
        return []
    wide = voice.codec_context.format.name == "s32"
    data: NDArray[Any] = samples if wide else (samples >> 16).astype(np.int16)
    frame = av.AudioFrame.from_ndarray(
        np.ascontiguousarray(data.reshape(1, -1)),
        format="s32" if wide else "s16",
        layout=voice.codec_context.layout.name,
    )
    frame.sample_rate, frame.pts, frame.time_base = rate, at, Fraction(1, rate)
    return list(voice.encode(frame))


def _write_files(
    path: Path, codec: Codec, pixels: Pixels, rgb: NDArray[np.float64], frames: int, progress: Progress | None
) -> None:
    """Write one file a picture: the first coded, the rest the same bytes under the next numbers."""
    context = av.CodecContext.create(codec.encode.encoder, "w")
    assert isinstance(context, VideoCodecContext)
    fmt = pixels.format
    context.width, context.height, context.pix_fmt = fmt.raster.width, fmt.raster.height, pixels.name
    context.time_base = 1 / fmt.rate
    context.options = dict(codec.encode.options)
    frame = _flagged(_picture(pixels, rgb), fmt)
    packets = [*context.encode(frame), *context.encode(None)]
    data = b"".join(bytes(packet) for packet in packets)
    stem, number = path.stem.rsplit(".", 1)
    for index in range(frames):
        if progress is not None:
            progress(index, frames)
        name = f"{stem}.{int(number) + index:0{len(number)}d}{path.suffix}"
        (path.parent / name).write_bytes(data)

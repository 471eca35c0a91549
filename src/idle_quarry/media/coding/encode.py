"""What an encoder is given: its pixel format for a signal format, frames of codes with their flags, its options."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import av
import numpy as np
from av.error import FFmpegError
from av.video.codeccontext import VideoCodecContext
from numpy.typing import NDArray

from idle_quarry.errors import MediaError
from idle_quarry.media.code_points import written
from idle_quarry.path.codecs import mbps
from idle_quarry.path.registry import Codec
from idle_quarry.signal.formats import SAMPLINGS, SignalFormat


@dataclass(frozen=True)
class Pixels:
    """The pixel format an encoder takes for a signal format, and the format it then carries."""

    name: str
    format: SignalFormat
    blanking: int = 0  #: lines of blanking coded above the picture

    @property
    def height(self) -> int:
        """Lines that are coded."""
        return _coded_lines(self.format, self.blanking)

    @property
    def order(self) -> str | None:
        """The order of fields as it is coded: an odd number of lines above the picture makes its first field the
        other one.
        """
        return _coded_order(self.format, self.blanking)


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


def _coded_lines(fmt: SignalFormat, blanking: int) -> int:
    """Return how many lines are coded: with blanking whole blocks of both fields, 608 and 512 (ST 356)."""
    height = fmt.raster.height
    return (height + blanking) // _BLOCKS * _BLOCKS if blanking else height


def _coded_order(fmt: SignalFormat, blanking: int) -> str | None:
    if fmt.scan == "progressive":
        return None
    return {"top": "bottom", "bottom": "top"}[fmt.field_order or "top"] if blanking % 2 else fmt.field_order


def _chroma(sampling: str) -> int:
    return SAMPLINGS.index("4:4:4" if sampling == "rgb" else sampling)


#: Lines of the blocks of both fields of an MPEG-2 picture.
_BLOCKS = 32
#: The pixel format of OpenEXR: linear light by definition.
LINEAR = "gbrpf32le"


def frame_of_codes(pixels: Pixels, codes: Sequence[NDArray[Any]]) -> av.VideoFrame:
    """Return a frame of FFmpeg's, flagged as its format says.

    Parameters
    ----------
    pixels
        The encoding of the codes, and FFmpeg's name of it.
    codes
        Luma and colour differences, or R, G, B, each (h, w).
    """
    if pixels.name == LINEAR:
        top = (1 << pixels.format.encoding.bit_depth) - 1
        codes = [plane / np.float32(top) for plane in codes]
    return flagged(filled(pixels, codes), pixels)


def filled(pixels: Pixels, planes: Sequence[NDArray[Any]]) -> av.VideoFrame:
    """Return a frame that holds planes: Y, C′B, C′R, or R, G, B, which FFmpeg keeps as G, B, R."""
    frame = av.VideoFrame(pixels.format.raster.width, pixels.height, pixels.name)
    if pixels.blanking:
        levels = pixels.format.encoding.levels
        empty = (levels.black, levels.chroma_zero, levels.chroma_zero)
        lines = pixels.format.raster.height
        planes = [
            np.pad(plane, ((pixels.blanking * len(plane) // lines, 0), (0, 0)), constant_values=code)[
                : pixels.height * len(plane) // lines
            ]
            for plane, code in zip(planes, empty, strict=True)
        ]
    if pixels.name.startswith("gbr"):
        planes = [planes[1], planes[2], planes[0]]
    deep = pixels.format.encoding.bit_depth > 8
    kind = "<f4" if pixels.name == LINEAR else ">u2" if pixels.name.endswith("be") else "<u2" if deep else "u1"
    size = np.dtype(kind).itemsize
    for plane, data in zip(frame.planes, planes, strict=True):
        height, width = data.shape
        rows = np.frombuffer(memoryview(plane), np.uint8)[: height * plane.line_size].reshape(height, plane.line_size)
        rows[:, : width * size].view(kind)[...] = data
        rows[:, width * size :] = 0
    return frame


def flagged(frame: av.VideoFrame, pixels: Pixels) -> av.VideoFrame:
    """Return the frame with field and colour flags; PyAV sets field flags only through a filter."""
    graph = av.filter.Graph()
    source = graph.add_buffer(width=frame.width, height=frame.height, format=frame.format, time_base=Fraction(1, 25))
    mode = {"top": "tff", "bottom": "bff", None: "prog"}[pixels.order]
    field = graph.add("setfield", mode)
    sink = graph.add("buffersink")
    source.link_to(field)
    field.link_to(sink)
    graph.configure()
    frame.pts, frame.time_base = 0, Fraction(1, 25)
    source.push(frame)
    result = sink.pull()
    assert isinstance(result, av.VideoFrame)
    colour_flags(result, pixels.format)
    return result


def colour_flags(target: Any, fmt: SignalFormat) -> None:
    """Flag primaries, transfer, matrix and range of a frame or an encoder by H.273."""
    e = fmt.encoding
    target.color_primaries, target.color_trc, target.colorspace = written(e.primaries, e.transfer, e.matrix)
    target.color_range = 2 if e.range == "full" else 1


def encoder_options(codec: Codec, fmt: SignalFormat) -> dict[str, str]:
    """Return the encoder options that code `fmt` as it is: bit rate, fields, pixel aspect."""
    options = dict(codec.encode.options)
    blanking = _blanking(codec, fmt)
    aspect = fmt.raster.pixel_aspect * _coded_lines(fmt, blanking) / fmt.raster.height
    options["aspect"] = f"{aspect.numerator}:{aspect.denominator}"
    if codec.encode.encoder == "dnxhd" and options.get("profile") == "dnxhd":
        options["b"] = str(_vc3_rate(codec, fmt, codec.encode.pixels))
    if fmt.scan != "progressive":
        # interlaced coding; the container's word for the order is FFmpeg's tb and bt (see `declared`)
        options["flags"] = "+ildct" + ("+ilme" if codec.encode.encoder in ("mpeg2video", "libx264") else "")
        options["field_order"] = "tb" if _coded_order(fmt, blanking) == "top" else "bt"
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
    for rate in sorted(_VC3_RATES, key=lambda number: abs(number - exact)):
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

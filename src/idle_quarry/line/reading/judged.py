"""What a payload identifier and a line say of each other, and the format that follows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction

import numpy as np

from idle_quarry.errors import NotPossible
from idle_quarry.line.reading.lock import Timing
from idle_quarry.line.words import Words
from idle_quarry.line.writing.payload import Payload
from idle_quarry.signal.formats import SignalFormat, standard_field_order
from idle_quarry.signal.rasters import FOUR_THREE, SIXTEEN_NINE, Raster, default_pixel_aspect
from idle_quarry.signal.rates import counting_base
from idle_quarry.signal.words import default_encoding


def contradiction(payload: Payload, timing: Timing, links: int, mwords: float | None) -> str:
    """Return what a payload identifier says that the line is not, "" where they agree."""
    raster = timing.raster
    streams = {"SD": 1, "HD": 2, "3G-A": 2, "3G-B": 4, "3G-B two streams": 4, "6G": 8, "12G": 8, "quad 3G": 2}
    if payload.interface is None or payload.interface not in streams:
        return "its first byte names no interface that this line can be of"
    if (
        streams[payload.interface] != timing.streams
        or (payload.interface == "SD") != raster.of_sd
        or (links == 4) != (payload.interface == "quad 3G" or (links == 4 and payload.interface == "3G-A"))
    ):
        return f"it says {payload.interface}, the line has {timing.streams} streams over {links} links"
    if mwords is not None:
        clock = {"SD": 27.0, "HD": 148.5, "6G": 594.0, "12G": 1188.0}.get(payload.interface, 297.0)
        if abs(mwords / clock - 1) > 0.01:
            return f"it says {payload.interface}, the clock is of {mwords:g} million words a second"
    if payload.transport != raster.scan:
        return f"it says {payload.transport} lines, the line is {raster.scan}"
    if payload.lines and {720: 750, 1080: 1125, 2160: 1125}[payload.lines] != raster.lines:
        return f"it says {payload.lines} lines of picture, the line has {raster.lines} in all"
    if payload.rate is None:
        return "its frame rate is a reserved code"
    if raster.of_sd:
        wanted = Fraction(25) if raster.lines == 625 else Fraction(30000, 1001)
        return (
            ""
            if payload.rate == wanted
            else f"it says {float(payload.rate):g} frames a second, lines of this length have {float(wanted):g}"
        )
    if payload.interface == "HD" and payload.wide and timing.width != 2048:
        return "it says 2048 samples, the line has 1920"
    clocks = {"SD": 27.0, "HD": 148.5, "6G": 594.0, "12G": 1188.0}.get(payload.interface, 297.0)
    pictures = 2 if payload.interface == "3G-B" and payload.rate > 30 else 1
    exact = clocks * 1e6 / (timing.line_words * raster.lines) * pictures
    if counting_base(payload.rate) != round(exact):
        return f"it says {float(payload.rate):g} frames a second, lines of {timing.samples} samples have {round(exact)}"
    if payload.sampling is None:
        return "its sampling is a reserved code"
    return ""


def format_of(
    links: Sequence[Words],
    timing: Timing,
    payload: Payload | None,
    scan: str | None,
    rate: Fraction | None,
    interface: str | None,
) -> SignalFormat | None:
    """Return the signal format that was received, None where rate or scan is not known or they make none."""
    if rate is None or scan is None:
        return None
    width, height = timing.width, {625: 576, 525: 486, 750: 720, 1125: 1080}[timing.raster.lines]
    if timing.raster.lines == 525 and _six_lines_blank(links[0][:, :, 0], timing):
        height = 480
    if interface in ("6G", "12G", "quad 3G", "quad 3G square"):
        width, height = 2 * width, 2 * height
    aspect = None
    if timing.raster.of_sd:
        aspect = SIXTEEN_NINE if payload is not None and payload.sixteen_nine else FOUR_THREE
    try:
        raster = Raster(width, height, default_pixel_aspect(width, height, aspect))
        e = default_encoding(raster)
        if payload is not None:
            wide_gamut = payload.colorimetry == "bt2020" or (payload.transfer or "bt709") != "bt709"
            e = replace(
                e,
                bit_depth=payload.bits,
                range=payload.range,
                sampling=payload.sampling or "4:2:2",
                transfer=payload.transfer or e.transfer,
                primaries="bt2020" if wide_gamut else e.primaries,
                matrix="rgb" if payload.rgb else "bt2020" if wide_gamut else e.matrix,
            )
        order = None if scan == "progressive" else standard_field_order(raster)
        return SignalFormat(raster, rate, scan, order, e)
    except NotPossible:
        return None


def _six_lines_blank(stream: Words, timing: Timing) -> bool:
    """Return whether the lines that a picture of 480 rows leaves free of 486 hold nothing: then it is one."""
    begin = timing.sav + 4
    blank = np.array([0x200, 0x040], np.uint16)
    return all((stream[line - 1, begin:].reshape(-1, 2) == blank).all() for line in (283, 284, 525, 21, 22, 263))


def stream_name(timing: Timing, stream: int) -> str:
    """Return what a stream of the multiplex is called."""
    if timing.streams == 1:
        return "luma and colour differences"
    half = timing.streams // 2
    kind = "luma" if stream >= half else "colour differences"
    part = {1: (1,), 2: (2, 1), 4: (4, 2, 3, 1)}[half][stream % half]
    return kind if half == 1 else f"{kind} of {'link ' + 'AB'[part - 1] if half == 2 else 'quarter ' + str(part)}"

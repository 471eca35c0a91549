"""Planes of a decoded frame as arrays of code values."""

from __future__ import annotations

from typing import Any

import numpy as np
from av.video.frame import VideoFrame
from numpy.typing import NDArray

#: Luma weights for pictures that come as R′G′B′ (BT.709): only for what needs a luma at all.
_LUMA = (0.2126, 0.7152, 0.0722)
Plane = NDArray[Any]


Laid = tuple[Plane, tuple[Plane, Plane] | None, Plane | None, int]


def square_pixels(plane: Plane, shape: tuple[int, ...]) -> Plane:
    """Return turned chroma; what was halved across alone would be halved down alone, so that its lines are repeated."""
    across, down = round(shape[1] / plane.shape[1]), round(shape[0] / plane.shape[0])
    return plane if across >= down else np.repeat(plane, down, axis=0)


def planes_of(frame: VideoFrame, blanking: int = 0) -> Laid:
    """Return luma, chroma, R′G′B′ and bits of a frame; packed layouts are laid out as planes first, without loss.

    `blanking` lines above the picture, which some codecs code with it, are left off. Where they are an odd number, the
    picture's last line is not coded (D-10 of 525 lines): it is that of its field before.
    """
    luma, chroma, rgb, bits = _planes(frame)
    if blanking:
        height = luma.shape[0]
        luma = luma[blanking:]
        chroma = chroma and (
            chroma[0][blanking * len(chroma[0]) // height :],
            chroma[1][blanking * len(chroma[1]) // height :],
        )
        if blanking % 2:
            luma = _with_last(luma)
            chroma = chroma and (_with_last(chroma[0]), _with_last(chroma[1]))
    return luma, chroma, rgb, bits


def _with_last(plane: Plane) -> Plane:
    return np.concatenate([plane, plane[-2:-1]])


def _planes(frame: VideoFrame) -> Laid:
    name = frame.format.name
    if frame.format.is_rgb:
        deepest = max(component.bits for component in frame.format.components)
        bits = next((known for known in (8, 10, 12) if deepest <= known), 16)
        frame = frame.reformat(format="gbrp" if bits == 8 else f"gbrp{bits}le")
        green, blue, red = (_array(plane, frame.width, bits) for plane in frame.planes[:3])
        rgb = np.stack([red, green, blue], axis=-1)
        luma = np.rint(rgb.astype(np.float32) @ np.array(_LUMA, np.float32)).astype(rgb.dtype)
        return luma, None, rgb, bits
    bits = frame.format.components[0].bits
    planar = name.startswith(("yuv", "gray")) and not name.endswith("be") and len(frame.planes) in (1, 3, 4)
    if not planar or name.startswith(("yuyv", "yuvy")):
        frame = frame.reformat(format={8: "yuv422p", 10: "yuv422p10le"}.get(bits, "yuv444p16le"))
        bits = frame.format.components[0].bits
    luma = _array(frame.planes[0], frame.width, bits)
    if len(frame.planes) < 3:
        return luma, None, None, bits
    across = frame.format.chroma_width(frame.width)
    chroma = (_array(frame.planes[1], across, bits), _array(frame.planes[2], across, bits))
    return luma, chroma, None, bits


def _array(plane: Any, width: int, bits: int) -> Plane:
    wide = bits > 8
    raw = np.frombuffer(plane, np.dtype("<u2") if wide else np.uint8)
    line = plane.line_size // (2 if wide else 1)
    return raw[: plane.height * line].reshape(plane.height, line)[:, :width]

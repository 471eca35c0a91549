"""Timecode that coded pictures carry themselves: groups of MPEG-2."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, cast

from av.video.frame import VideoFrame

#: A picture's own timecode: drop-frame, hours, minutes, seconds, frames.
FrameTimecode = tuple[bool, int, int, int, int]


def gop_timecode(head: bytes) -> FrameTimecode | None:
    """Return the timecode of a group of pictures from the beginning of a coded picture (H.262, 6.2.2.6), or None."""
    at = head.find(b"\x00\x00\x01\xb8")
    if at < 0 or len(head) < at + 8:
        return None
    word = (
        int.from_bytes(head[at + 4 : at + 8], "big") >> 7
    )  # 25 bits: drop, hours, minutes, a marker, seconds, pictures
    return bool(word >> 24), word >> 19 & 31, word >> 13 & 63, word >> 6 & 63, word & 63


def timecode_text(frame: VideoFrame) -> FrameTimecode | None:
    """Return the frame's own timecode from its ST 12-1 side data, or None."""
    for data in cast("Iterable[Any]", frame.side_data):  # yields the data themselves
        if str(data.type).endswith("S12M_TIMECODE"):
            # ST 12-1 binary groups, as FFmpeg packs them: tens and units of frames, seconds, minutes, hours
            word = int.from_bytes(bytes(data)[4:8], "little")
            units = [(word >> s & 15) + 10 * (word >> (s + 4) & m) for s, m in ((24, 3), (16, 7), (8, 7), (0, 3))]
            return bool(word >> 30 & 1), units[3], units[2], units[1], units[0]
    return None

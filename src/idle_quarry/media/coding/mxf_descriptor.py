"""What an MXF file says of its pictures, put right where FFmpeg's muxer says it wrongly.

Of DV with 525 lines it puts the first field on line 20, which with the second on 285 cannot be: 23 (ST 383).

FFmpeg describes RDD 36 pictures in MXF as whole frames whatever they are. Interlaced ones are two fields, each
described by itself (ST 377-1, annex G): the layout of separate fields, heights of one field, and the line of the
interface on which each begins.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from pathlib import Path

from idle_quarry.errors import MediaError
from idle_quarry.signal.formats import SignalFormat

#: The key of a CDCI and of an RGBA picture essence descriptor (ST 377-1, annex A).
_DESCRIPTORS = tuple(bytes.fromhex(f"060e2b34025301010d0101010101{kind}00") for kind in ("28", "29"))
_FRAME_LAYOUT, _LINE_MAP = 0x320C, 0x320D
#: Stored, sampled and display height.
_HEIGHTS = (0x3202, 0x3204, 0x3208)
_SEPARATE_FIELDS = 1
#: The first line of each field on the interface, by lines: ST 274, BT.656 (576, 480), ST 125 (486).
_FIRST_LINES = {1080: (21, 584), 576: (23, 336), 480: (23, 286), 486: (21, 283)}
_DV_525 = (23, 285)
#: The header's metadata ends before.
_MOST_HEADER = 1 << 17


def put_right(path: Path, encoder: str, fmt: SignalFormat) -> None:
    """Have a finished MXF file say what its pictures are, where FFmpeg's muxer does not.

    Raises `MediaError` where the file has no descriptor, or the format's order of fields cannot be said in it.
    """
    if fmt.scan != "interlaced":
        return
    if encoder == "prores_ks":
        first_lines = _FIRST_LINES.get(fmt.raster.height)
        if first_lines is None or fmt.field_order != "top":
            raise MediaError(
                "fields whose lower one is earlier cannot be described in MXF with this codec",
                subject=path.name,
                remedy="wrap it in QuickTime, or bring it to upper field first",
            )
        _describe(path, first_lines, fmt.raster.height)
    elif encoder == "dvvideo" and fmt.raster.height == 480:
        _describe(path, _DV_525, None)


def _describe(path: Path, first_lines: tuple[int, int], whole: int | None) -> None:
    """Write the lines on which fields begin, and, where pictures of `whole` lines are called whole, that they are two
    fields.
    """
    with path.open("r+b") as file:
        head = bytearray(file.read(_MOST_HEADER))
        count = 0
        for tag, at, length in _picture_properties(head):
            count += 1
            if tag == _LINE_MAP and length == 16:
                head[at + 8 : at + 16] = struct.pack(">II", *first_lines)
            elif tag == _FRAME_LAYOUT and whole is not None:
                head[at] = _SEPARATE_FIELDS
            elif tag in _HEIGHTS and whole == int.from_bytes(head[at : at + 4], "big"):
                head[at : at + 4] = struct.pack(">I", whole // 2)
        if not count:
            raise MediaError("its picture is not described", subject=path.name)
        file.seek(0)
        file.write(head)


def _picture_properties(head: bytearray) -> Iterator[tuple[int, int, int]]:
    """Yield tag, place and length of each property of the picture's descriptors in a file's header."""
    for key in _DESCRIPTORS:
        at = head.find(key)
        while at >= 0:
            at += 16
            size = head[at]
            length, at = (
                (int.from_bytes(head[at + 1 : at + 1 + (size & 0x7F)], "big"), at + 1 + (size & 0x7F))
                if size & 0x80
                else (size, at + 1)
            )
            end = min(at + length, len(head))
            while at + 4 <= end:
                tag, width = struct.unpack(">HH", head[at : at + 4])
                yield tag, at + 4, width
                at += 4 + width
            at = head.find(key, at)

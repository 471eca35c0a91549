"""What travels with pictures besides them: the active format in the coded pictures, HDR light in the container.

Active format: SMPTE ST 2016-1 codes as ETSI TS 101 154, annex B, carries them: user data of MPEG-2 pictures, a user
data SEI of H.264 and HEVC. Light: ST 2086 and CTA-861.3 figures as boxes `mdcv` and `clli` (ISO/IEC 14496-12) of MOV
and MP4.
"""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from idle_quarry.errors import MediaError
from idle_quarry.signal.colour import PRIMARIES

#: The four bits of ST 2016-1, table 1, by the words of a delivery.
CODES = {
    "full frame": 8,
    "4:3 centre": 9,
    "16:9 letterbox": 10,
    "14:9 centre": 11,
    "protect 14:9": 14,
    "protect 4:3": 15,
}
_CONTAINERS = (b"moov", b"trak", b"mdia", b"minf", b"stbl")
#: Bytes of `stsd` before its entries: version, flags, how many there are.
_STSD = 8


def with_active_format(packet: bytes, encoder: str, word: str) -> bytes:
    """Return a coded picture that says its active format; one of constant size keeps it, where it ends in stuffing."""
    value = b"DTG1" + bytes((0x41, 0xF0 | CODES[word]))
    if encoder == "mpeg2video":
        put, at = b"\x00\x00\x01\xb2" + value, _start(packet, lambda byte: 1 <= byte <= 0xAF)
    else:
        payload = b"\xb5\x00\x31" + value
        hevc = encoder == "libx265"
        kind = b"\x4e\x01" if hevc else b"\x06"
        put = b"\x00\x00\x00\x01" + kind + bytes((4, len(payload))) + payload + b"\x80"
        at = _start(packet, (lambda byte: byte >> 1 & 0x3F < 32) if hevc else (lambda byte: byte & 0x1F in (1, 5)))
        at -= at > 0 and packet[at - 1] == 0  # a start code of four bytes begins one earlier
    if at < 0:
        return packet
    data = packet[:at] + put + packet[at:]
    stuffing = bytes(len(put))
    return data[: -len(put)] if encoder == "mpeg2video" and data.endswith(stuffing + bytes(4)) else data


def _start(data: bytes, wanted: Callable[[int], bool]) -> int:
    """Return where the first unit begins whose first byte is wanted, -1 where there is none."""
    at = data.find(b"\x00\x00\x01")
    while at >= 0 and at + 3 < len(data):
        if wanted(data[at + 3]):
            return at
        at = data.find(b"\x00\x00\x01", at + 3)
    return -1


@dataclass(frozen=True)
class MasteringDisplay:
    """The display that pictures were graded on (ST 2086): its primaries by name, its light in cd/m²."""

    primaries: str
    peak: float
    black: float


def declare_light(path: Path, display: MasteringDisplay | None, max_cll: float, max_fall: float) -> bool:
    """Have a MOV or MP4 declare the display it was graded on, where that is known, and its own light, cd/m².

    Return whether it does now: other containers have no place for it. Raises `MediaError` where the file is not as this
    program writes it: its index at its end, one track of pictures.
    """
    if path.suffix.lower() not in (".mov", ".mp4"):
        return False
    boxes = _box(b"clli", struct.pack(">HH", min(65535, round(max_cll)), min(65535, round(max_fall))))
    if display is not None:
        of = PRIMARIES[display.primaries]
        points = [round(50000 * value) for point in (of.green, of.blue, of.red, of.white) for value in point]
        boxes = (
            _box(b"mdcv", struct.pack(">8H2I", *points, round(10000 * display.peak), round(10000 * display.black)))
            + boxes
        )
    try:
        with path.open("r+b") as file:
            at = _last_box(file, b"moov")
            file.seek(at)
            data = _with_boxes(file.read(), boxes)
            file.seek(at)
            file.write(data)
    except (OSError, struct.error, ValueError) as error:
        raise MediaError("its light could not be declared", subject=path.name) from error
    return True


def _box(kind: bytes, inside: bytes) -> bytes:
    return struct.pack(">I4s", 8 + len(inside), kind) + inside


def _last_box(file: BinaryIO, wanted: bytes) -> int:
    """Return where the box of a kind begins, which is the last of the file: nothing after it would move.

    Raises `ValueError`.
    """
    at, end = 0, file.seek(0, 2)
    while at < end:
        file.seek(at)
        size, kind = struct.unpack(">I4s", file.read(8))
        if size == 1:
            size = struct.unpack(">Q", file.read(8))[0]
        if kind == wanted and at + size == end:
            return at
        if size < 8:
            break
        at += size
    raise ValueError("no such box at the end")


def _with_boxes(box: bytes, boxes: bytes) -> bytes:
    """Return a box with more boxes in its first entry of pictures; the sizes of all that it lies in grow with it."""
    size, kind = struct.unpack(">I4s", box[:8])
    inside = box[8:size]
    if kind == b"stsd":
        entry_size = struct.unpack(">I", inside[_STSD : _STSD + 4])[0]
        entry = inside[_STSD : _STSD + entry_size]
        data = struct.pack(">I", entry_size + len(boxes)) + entry[4:] + boxes
        return _box(kind, inside[:_STSD] + data + inside[_STSD + entry_size :])
    if kind not in _CONTAINERS:
        return box
    parts = list(_parts(inside))
    # of a track whose media is no picture nothing is touched
    if kind == b"mdia" and not any(part[4:8] == b"hdlr" and part[16:20] == b"vide" for part in parts):
        return box
    return _box(kind, b"".join(_with_boxes(part, boxes) for part in parts))


def _parts(inside: bytes) -> Iterator[bytes]:
    at = 0
    while at + 8 <= len(inside):
        size = struct.unpack(">I", inside[at : at + 4])[0]
        if size < 8:
            break
        yield inside[at : at + size]
        at += size
    if at < len(inside):
        yield inside[at:]

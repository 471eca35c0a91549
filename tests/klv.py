"""A small reader of MXF for tests, written from the standards alone: ST 377-1 (partitions, primer, local sets) over
ST 336 (keys, lengths, values).
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

_PREFIX = bytes.fromhex("060e2b34")
_PARTITION = bytes.fromhex("060e2b34020501010d010201")
_PRIMER = bytes.fromhex("060e2b34020501010d01020101050100")
_SET = bytes.fromhex("060e2b34025301010d010101")
_INDEX = bytes.fromhex("060e2b34025301010d010201011001")
_ELEMENT = bytes.fromhex("060e2b3401020101")

#: Sets by byte 15 of their key (ST 377-1, annex A and E).
_SETS = {
    0x14: "TimecodeComponent",
    0x11: "SourceClip",
    0x0F: "Sequence",
    0x36: "MaterialPackage",
    0x37: "SourcePackage",
    0x3B: "Track",
    0x42: "GenericSoundDescriptor",
    0x44: "MultipleDescriptor",
    0x28: "CDCIDescriptor",
    0x29: "RGBADescriptor",
    0x51: "MPEG2VideoDescriptor",
    0x48: "WaveAudioDescriptor",
    0x47: "AES3Descriptor",
    0x5A: "JPEG2000SubDescriptor",
    0x6E: "AVCSubDescriptor",
}


@dataclass
class LocalSet:
    """A set of header metadata: its kind, and its properties by their static tags."""

    kind: str
    properties: dict[int, bytes]

    def number(self, tag: int) -> int:
        """Return a property as an unsigned number."""
        return int.from_bytes(self.properties[tag], "big")

    def numbers(self, tag: int) -> list[int]:
        """Return a property that is an array of 32-bit numbers."""
        count, size = struct.unpack(">II", self.properties[tag][:8])
        data = self.properties[tag][8:]
        return [int.from_bytes(data[n * size : (n + 1) * size], "big", signed=True) for n in range(count)]


@dataclass
class MxfFile:
    """What a file says of itself."""

    partitions: list[str] = field(default_factory=list)
    pattern: bytes = b""
    containers: list[bytes] = field(default_factory=list)
    sets: list[LocalSet] = field(default_factory=list)
    index_edit_units: int = 0
    elements: dict[bytes, list[int]] = field(default_factory=dict)  #: lengths of essence elements by key

    def of(self, kind: str) -> list[LocalSet]:
        """Return the sets of a kind."""
        return [local_set for local_set in self.sets if local_set.kind == kind]

    @property
    def picture(self) -> LocalSet:
        """The descriptor of the pictures."""
        kinds = ("CDCIDescriptor", "RGBADescriptor", "MPEG2VideoDescriptor")
        return next(local_set for local_set in self.sets if local_set.kind in kinds)

    @property
    def sounds(self) -> list[LocalSet]:
        """The descriptors of the sound, one a track."""
        kinds = ("GenericSoundDescriptor", "WaveAudioDescriptor", "AES3Descriptor")
        return [local_set for local_set in self.sets if local_set.kind in kinds]


def _packets(data: bytes) -> Iterator[tuple[bytes, bytes]]:
    at = data.index(_PARTITION)
    while at + 17 <= len(data):
        key, length, start = data[at : at + 16], data[at + 16], at + 17
        assert key[:4] == _PREFIX, f"no key at {at}"
        if length & 0x80:
            count = length & 0x7F
            length, start = int.from_bytes(data[start : start + count], "big"), start + count
        yield key, data[start : start + length]
        at = start + length


def _partition(file: MxfFile, key: bytes, value: bytes) -> None:
    kind = {2: "header", 3: "body", 4: "footer", 0x11: "random index"}[key[13]]
    file.partitions.append(kind)
    if kind == "header":
        file.pattern = value[64:80]
        count, size = struct.unpack(">II", value[80:88])
        file.containers = [value[88 + n * size : 88 + (n + 1) * size] for n in range(count)]


def _local_set(value: bytes) -> dict[int, bytes]:
    properties, at = {}, 0
    while at + 4 <= len(value):
        tag, length = struct.unpack(">HH", value[at : at + 4])
        properties[tag] = value[at + 4 : at + 4 + length]
        at += 4 + length
    return properties


def read_mxf(path: Path) -> MxfFile:
    """Return what an MXF file says. Raises `AssertionError` where it is none."""
    file = MxfFile()
    for key, value in _packets(path.read_bytes()):
        if key.startswith(_PARTITION) and key[13] != 5:
            _partition(file, key, value)
        elif key[:13] == _INDEX[:13] and key[4] == 2 and key[8:14] == _INDEX[8:14]:
            file.index_edit_units += int.from_bytes(_local_set(value).get(0x3F0D, b""), "big")
        elif key[:12] == _SET and key[12] == 1 and key[13] == 1:
            file.sets.append(LocalSet(_SETS.get(key[14], f"set {key[14]:02x}"), _local_set(value)))
        elif key[:8] == _ELEMENT and key[8:12] == bytes.fromhex("0d010301"):
            file.elements.setdefault(key, []).append(len(value))
    return file

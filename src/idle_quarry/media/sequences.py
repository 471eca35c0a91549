"""Numbered runs of still pictures: which files belong together, where the gaps are, what their headers say."""

from __future__ import annotations

import os
import re
import struct
from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from idle_quarry.media.names import MEDIA_SUFFIXES, STILL_SUFFIXES
from idle_quarry.signal.rates import nearest_named_rate

_NUMBERED = re.compile(r"(.*?)([0-9]+)(\.[A-Za-z]+)", re.DOTALL)


@dataclass(frozen=True)
class StillRun:
    """A numbered run: its folder, name around the number, how many digits, and the numbers there are."""

    folder: Path
    prefix: str
    suffix: str
    digits: int
    numbers: tuple[int, ...]

    @property
    def first(self) -> Path:
        return self.folder / self.file_name(self.numbers[0])

    def file_name(self, number: int) -> str:
        return f"{self.prefix}{number:0{self.digits}d}{self.suffix}"

    @property
    def label(self) -> str:
        """The run as people write it: name[0001-0048].dpx."""
        return f"{self.prefix}[{self.numbers[0]:0{self.digits}d}-{self.numbers[-1]:0{self.digits}d}]{self.suffix}"

    @property
    def gaps(self) -> tuple[tuple[int, int], ...]:
        """The numbers missing between first and last, as inclusive spans."""
        results = []
        for before, after in zip(self.numbers, self.numbers[1:], strict=False):
            if after > before + 1:
                results.append((before + 1, after - 1))
        return tuple(results)

    @property
    def pattern(self) -> str:
        """The run as FFmpeg's image2 reads it."""
        prefix = (str(self.folder) + "/" + self.prefix).replace("%", "%%")
        return f"{prefix}%0{self.digits}d{self.suffix}"


def run_of(path: Path) -> StillRun | None:
    """Return the run that a still's file belongs to, or None where its name has no number."""
    match = _NUMBERED.fullmatch(path.name)
    if match is None or path.suffix.lower() not in STILL_SUFFIXES:
        return None
    prefix, digits, suffix = match.groups()
    return _run(path.parent, prefix, suffix, digits, _numbers_in(path.parent).get((prefix, suffix), [digits]))


def _run(folder: Path, prefix: str, suffix: str, digits: str, there: Iterable[str]) -> StillRun:
    numbers = sorted(int(name) for name in there if _same_padding(name, digits))
    return StillRun(folder, prefix, suffix, len(digits), tuple(numbers))


def _numbers_in(folder: Path) -> dict[tuple[str, str], list[str]]:
    """Return the numbers of the stills in a folder, by what stands around them in their names."""
    results: dict[tuple[str, str], list[str]] = {}
    with os.scandir(folder) as entries:
        names = [entry.name for entry in entries]
    for name in names:
        match = _NUMBERED.fullmatch(name)
        if match is not None and match[3].lower() in STILL_SUFFIXES:
            results.setdefault((match[1], match[3]), []).append(match[2])
    return results


def _same_padding(number: str, pattern: str) -> bool:
    return len(number) == len(pattern) or (len(number) > len(pattern) and number[0] != "0")


def grouped(paths: Iterable[Path]) -> list[Path]:
    """Return paths with each numbered run of stills reduced to its first file."""
    results: list[Path] = []
    folders: dict[Path, dict[tuple[str, str], list[str]]] = {}  # each is read once, however many stills lie in it
    covered: set[tuple[Path, str]] = set()
    for path in paths:
        match = _NUMBERED.fullmatch(path.name) if path.suffix.lower() in STILL_SUFFIXES else None
        if match is None or not path.is_file():
            results.append(path)
            continue
        if (path.parent, path.name) in covered:
            continue
        if path.parent not in folders:
            folders[path.parent] = _numbers_in(path.parent)
        prefix, digits, suffix = match.groups()
        run = _run(path.parent, prefix, suffix, digits, folders[path.parent].get((prefix, suffix), [digits]))
        covered |= {(path.parent, run.file_name(number)) for number in run.numbers}
        results.append(run.first if len(run.numbers) > 1 else path)
    return results


@dataclass(frozen=True)
class StillHeader:
    """What a still's own header says beyond its picture: frame rate and timecode, where it says them."""

    rate: Fraction | None = None
    timecode: str | None = None


def still_header(path: Path) -> StillHeader:
    """Return rate and timecode from a DPX (ST 268-1) or OpenEXR header; empty for other kinds."""
    with path.open("rb") as file:
        head = file.read(4096)
    if head[:4] in (b"SDPX", b"XPDS") and len(head) >= 2048:
        return _dpx(head)
    if head[:4] == b"\x76\x2f\x31\x01":
        return _exr(head)
    return StillHeader()


def _dpx(head: bytes) -> StillHeader:
    order = ">" if head[:4] == b"SDPX" else "<"
    # picture data may begin before the motion picture and television headers would: what lies there is no header then
    header = head[: struct.unpack_from(order + "I", head, 4)[0]]
    film = _number(header, order + "f", 1724)  # ST 268-1, motion picture header, field 54
    television = _number(header, order + "f", 1940)  # television header, frame rate
    rate = None
    for value in (film, television):
        if 1.0 <= value <= 1000.0:
            exact = Fraction(value).limit_denominator(1001)
            rate = nearest_named_rate(exact) or exact
            break
    word = int(_number(header, order + "I", 1920))  # television header, BCD timecode
    timecode = None
    if word not in (0xFFFFFFFF, 0):
        digits = f"{word:08x}"
        if digits.isdecimal():
            timecode = ":".join(digits[i : i + 2] for i in (0, 2, 4, 6))
    return StillHeader(rate, timecode)


def _number(header: bytes, kind: str, at: int) -> float:
    """Return a field of a header, 0 where the header ends before it."""
    return float(struct.unpack_from(kind, header, at)[0]) if len(header) >= at + 4 else 0.0


def _exr(head: bytes) -> StillHeader:
    at = head.find(b"framesPerSecond\x00rational\x00")
    if at < 0 or at + 36 > len(head):
        return StillHeader()
    top, bottom = struct.unpack_from("<iI", head, at + len(b"framesPerSecond\x00rational\x00") + 4)
    return StillHeader(Fraction(top, bottom) if top > 0 and bottom > 0 else None)


def clips_among(paths: Iterable[Path]) -> list[Path]:
    """Return the clips among what was dropped, those inside folders too, in the order of their names.

    Of numbered stills the first.
    """
    inside = [item for path in paths for item in (sorted(path.rglob("*")) if path.is_dir() else [path])]
    return grouped(path for path in inside if path.suffix.casefold() in MEDIA_SUFFIXES and path.is_file())

"""EBU STL (Tech 3264): the general block, and a block of 128 bytes for each piece of text."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction

from idle_quarry.errors import MediaError

_GSI, _TTI = 1024, 128
#: Code of the disk format → frames a second (Tech 3264, 5.2).
_RATES = {b"STL25.01": 25, b"STL30.01": 30}
#: TF: a new line, the end of the text; what is a control and no letter.
_NEW_LINE, _UNUSED = 0x8A, 0x8F
_COMMENT = 1


@dataclass(frozen=True)
class StlBlock:
    """A text block: its place in the file, number, first and last frame of timecode, row and lines."""

    at: int
    number: int
    begin: int
    end: int
    row: int
    lines: tuple[str, ...]
    goes_on: bool


@dataclass(frozen=True)
class StlHead:
    """The general block: counting rate, code table, start of the programme (frames), most columns and rows."""

    rate: int
    table: str
    start: int
    columns: int
    rows: int


def head_of(data: bytes) -> StlHead:
    """Return what the general block says. Raises `MediaError` where the data is no EBU STL."""
    rate = _RATES.get(data[3:11])
    if rate is None or len(data) < _GSI:
        raise MediaError("is no EBU STL: its disk format is neither STL25.01 nor STL30.01")
    start = _digits(data[256:264], rate)
    if start is None:
        start = 0
    columns, rows = (int(text) if text.strip().isdigit() else 0 for text in (data[251:253], data[253:255]))
    table = {b"00": "latin", b"01": "iso8859_5", b"02": "iso8859_6", b"03": "iso8859_7", b"04": "iso8859_8"}
    return StlHead(rate, table.get(data[12:14], "latin"), start, columns, rows)


def blocks_of(data: bytes) -> Iterator[StlBlock]:
    """Yield the text blocks. Raises `MediaError` for times that no clock has."""
    head = head_of(data)
    for at in range(_GSI, len(data) - _TTI + 1, _TTI):
        block = data[at : at + _TTI]
        if block[15] == _COMMENT:
            continue
        times = []
        for first in (5, 9):
            hours, minutes, seconds, frames = block[first : first + 4]
            if hours > 23 or minutes > 59 or seconds > 59 or frames >= head.rate:
                raise MediaError(
                    f"block {(at - _GSI) // _TTI + 1} has the timecode"
                    f" {hours:02}:{minutes:02}:{seconds:02}:{frames:02}, which no clock at {head.rate} shows"
                )
            times.append(((hours * 60 + minutes) * 60 + seconds) * head.rate + frames)
        text = block[16:]
        lines = tuple(_text(line, head.table) for line in text.split(bytes([_UNUSED]))[0].split(bytes([_NEW_LINE])))
        shown = tuple(line for line in lines if line)
        number = int.from_bytes(block[1:3], "little")
        yield StlBlock(at, number, times[0], times[1], block[13], shown, block[3] not in (0xFF, 0xFE))


def _text(line: bytes, table: str) -> str:
    """Return the letters of a line; of ISO 6937 an accent and its letter are one."""
    letters = bytes(byte for byte in line if byte >= 0x20 and not 0x7F <= byte < 0xA0)
    if table != "latin":
        return letters.decode(table, "replace").strip()
    accents = bytes(byte for byte in letters if not 0xC1 <= byte <= 0xCF)
    return accents.decode("latin-1").strip()


def _digits(text: bytes, rate: int) -> int | None:
    if len(text) != 8 or not text.isdigit():
        return None
    hours, minutes, seconds, frames = (int(text[n : n + 2]) for n in range(0, 8, 2))
    return ((hours * 60 + minutes) * 60 + seconds) * rate + frames


def with_times(data: bytes, moved: Callable[[Fraction], Fraction], rate: int) -> bytes:
    """Return an EBU STL with each timecode moved: `moved` takes and gives seconds of timecode.

    The rest stays byte for byte. Raises `MediaError` for a time outside the day.
    """
    head, result = head_of(data), bytearray(data)
    if rate != head.rate:
        result[3:11] = {value: key for key, value in _RATES.items()}[rate]

    def placed(frames: int) -> tuple[int, int, int, int]:
        number = round(moved(Fraction(frames, head.rate)) * rate)
        if not 0 <= number < 24 * 3600 * rate:
            raise MediaError("a caption would lie outside the day", remedy="choose another start")
        seconds, frame = divmod(number, rate)
        return seconds // 3600, seconds // 60 % 60, seconds % 60, frame

    first: tuple[int, int, int, int] | None = None
    for block in blocks_of(data):
        begin, end = placed(block.begin), placed(block.end)
        result[block.at + 5 : block.at + 13] = bytes((*begin, *end))
        first = begin if first is None else min(first, begin)
    start = placed(head.start) if data[256:264].isdigit() else None
    for at, value in ((256, start), (264, first)):
        if value is not None:
            result[at : at + 8] = "".join(f"{part:02}" for part in value).encode()
    return bytes(result)

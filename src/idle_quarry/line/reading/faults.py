"""What a receiver finds wrong in a line, and where."""

from __future__ import annotations

from dataclasses import dataclass

#: Kind → what it means, for those who look at a list of them.
KINDS = {
    "timing reference": "a timing reference is missing or has wrong bits",
    "line length": "a line has more or fewer words than the others",
    "line count": "a frame has more or fewer lines than its standard",
    "line number": "the number that a line tells is not its place",
    "crc": "the picture of a line or its number is not as it was sent (CRC of ST 292-1)",
    "edh": "a field is not as it was sent (RP 165)",
    "reserved code": "the picture has codes that timing references keep for themselves",
    "blanking": "blanking holds words that are neither blank nor of a packet",
    "parity": "a word of a packet has wrong protection bits",
    "checksum": "a packet is not as it was sent",
    "packet": "a packet has a length that its kind cannot have",
    "payload missing": "nothing says what the line carries",
    "payload contradicts": "the payload identifier says other than the line is",
    "sound gap": "samples of sound are missing or come out of turn",
    "sound code": "a packet of sound has a wrong error code",
    "timecode": "a timecode shows a number that no clock shows",
    "timecode break": "timecode does not go on from the frame before",
    "link": "one of several links is missing or of another signal",
}


@dataclass(frozen=True, order=True)
class Fault:
    """One fault: its frame (from 0) and line (from 1, 0 where it is of no line), its kind, and what is wrong in
    words.
    """

    frame: int
    line: int
    kind: str
    text: str


class FrameFaults:
    """Faults of one frame as they are found; of each kind the first `most` are told one by one, the rest counted."""

    def __init__(self, frame: int, most: int = 200) -> None:
        self.frame, self._most = frame, most
        self._listed: list[Fault] = []
        self._more: dict[str, int] = {}

    def tell(self, kind: str, line: int, text: str) -> None:
        if sum(1 for fault in self._listed if fault.kind == kind) < self._most:
            self._listed.append(Fault(self.frame, line, kind, text))
        else:
            self._more[kind] = self._more.get(kind, 0) + 1

    def all(self) -> tuple[Fault, ...]:
        """Return them in the order of lines."""
        more = [Fault(self.frame, 0, kind, f"and {count} more of this kind") for kind, count in self._more.items()]
        return (*sorted(self._listed), *more)

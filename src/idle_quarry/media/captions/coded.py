"""Captions that pictures carry themselves: CEA-608 and CEA-708 as user data (ANSI/SCTE 128, A/53 part 4)."""

from __future__ import annotations

import contextlib
from itertools import islice
from pathlib import Path
from typing import Any

import av
from av.error import FFmpegError

#: Places of a file that are looked at, and pictures at each: who sends captions sends some with every picture.
_PLACES, _PICTURES = 4, 24
#: cc_valid, and the two kinds of line-21 data and of DTVCC packets (CEA-708, 4.3).
_VALID = 0x04
_EMPTY_608 = (b"\x80\x80", b"\x00\x00")


def coded_captions(path: Path) -> tuple[str, ...]:
    """Return the kinds of captions that coded pictures carry: "CEA-608", "CEA-708", both, or none."""
    kinds: set[str] = set()
    with contextlib.suppress(FFmpegError, OSError, ValueError), av.open(f"file:{path.absolute()}") as container:
        stream = container.streams.video[0]
        length = container.duration or 0
        for place in range(_PLACES):
            if place:
                container.seek(length * place // _PLACES)
            for frame in islice(container.decode(stream), _PICTURES):
                data: Any = frame.side_data.get("A53_CC")
                if data is not None:
                    kinds |= _kinds(bytes(data))
            if len(kinds) == 2:
                break
    return tuple(sorted(kinds))


def _kinds(data: bytes) -> set[str]:
    kinds = set()
    for at in range(0, len(data) - 2, 3):
        head, pair = data[at], data[at + 1 : at + 3]
        if not head & _VALID:
            continue
        if head & 0x03 >= 2:
            kinds.add("CEA-708")
        elif pair not in _EMPTY_608:
            kinds.add("CEA-608")
    return kinds

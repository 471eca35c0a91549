"""The process of its own in which timelines from elsewhere are read first: `otio_reading` begins it, and hears
whether it comes back.
"""

from __future__ import annotations

import os
import resource
import select
import signal
import sys
from fractions import Fraction
from pathlib import Path

import opentimelineio as otio

from idle_quarry.errors import one_line
from idle_quarry.jobs.conform.lists import timeline_in_text
from idle_quarry.jobs.cutting.otio_writing import to_otio
from idle_quarry.jobs.otio_reading import HEAD, MOST_MEMORY, MOST_SECONDS

#: Seconds without a request after which the process ends, and what it may have grown to.
_IDLE_S, _MOST_KEPT = 30, 400_000_000


def serve() -> None:
    """Do with each file what the program is going to do with it.

    The alarm and the limits end what does not end by itself.
    """
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    requests, answers = sys.stdin.buffer, os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)  # an adapter prints what it does not find
    while _resident_bytes() < _MOST_KEPT and select.select([requests], [], [], _IDLE_S)[0]:
        head = requests.read(HEAD.size)
        if len(head) < HEAD.size:
            return
        kind, length = HEAD.unpack(head)
        body = requests.read(length)
        signal.alarm(MOST_SECONDS)
        try:
            status, text = b"yes", _made_of(kind.rstrip(b"\0").decode(), body)
        except Exception as error:  # the library and its adapters raise whatever they like
            status, text = b"no", one_line(str(error) or type(error).__name__).encode(errors="replace")
        signal.alarm(0)
        answers.write(HEAD.pack(status, len(text)) + text)
        answers.flush()


def _resident_bytes() -> int:
    """Return the memory that this process holds (proc(5)); what `getrusage` tells was its parent's at first."""
    return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize()


def _made_of(kind: str, body: bytes) -> bytes:
    if kind == "otio":
        timeline, _, _ = timeline_in_text(body, Fraction(25))
        otio.adapters.write_to_string(to_otio(timeline), "otio_json")
        return b""
    given = otio.adapters.read_from_file(os.fsdecode(body), adapter_name="AAF")
    return str(otio.adapters.write_to_string(given, "otio_json")).encode()


if __name__ == "__main__":
    serve()

"""The one door for OpenTimelineIO's files and AAF: measured before they are parsed, and parsed in a process of its
own first.

The library recurses without a limit and falls over some shapes of text (a `Clip.1` without media is one): a file from
elsewhere ends the process that reads it. So size and depth are counted in the bytes; then a process of its own does all
that this one is going to do with the very same bytes. Only what it survives is parsed here.
"""

from __future__ import annotations

import hashlib
import json
import os
import re
import struct
import subprocess
import sys
import threading
from collections import OrderedDict
from itertools import accumulate
from pathlib import Path
from typing import Any

from idle_quarry.errors import NotUnderstood, one_line

#: Bytes of a timeline at the most, of an AAF, how deep its objects lie in one another, and how many there are.
MOST_BYTES, MOST_AAF_BYTES, DEEPEST, MOST_OBJECTS = 64_000_000, 256_000_000, 120, 2_000_000
#: What the process of its own may use.
MOST_MEMORY, MOST_SECONDS = 2_000_000_000, 60
_NO_BRACKETS = bytes(set(range(256)) - set(b"{}[]"))
_STRINGS = re.compile(rb'"[^"\\]*(?:\\.[^"\\]*)*"', re.DOTALL)
#: Texts that were survived, by their hash: a timeline is read again and again while it is worked on.
_survived: OrderedDict[bytes, None] = OrderedDict()
_KEPT = 256
_lock = threading.Lock()


def measure(data: bytes) -> None:
    """Count size, depth and objects of a timeline's text. Raises `NotUnderstood` where there is too much of one."""
    if len(data) > MOST_BYTES:
        raise NotUnderstood(f"larger than {MOST_BYTES // 1_000_000} MB", remedy="give a timeline, not its media")
    brackets = _STRINGS.sub(b"", data).translate(None, _NO_BRACKETS)
    if len(brackets) > 2 * MOST_OBJECTS:
        raise NotUnderstood(f"holds more than {MOST_OBJECTS // 1_000_000} million objects")
    if max(accumulate(1 if bracket in b"{[" else -1 for bracket in brackets), default=0) > DEEPEST:
        raise NotUnderstood(
            f"its objects lie more than {DEEPEST} deep in one another", remedy="take its nested sequences apart"
        )


def values_of(data: bytes) -> Any:
    """Return the plain values of a timeline's text, without OpenTimelineIO. Raises `NotUnderstood`."""
    measure(data)
    try:
        return json.loads(data)
    except (ValueError, RecursionError) as error:
        raise NotUnderstood("not the text of a timeline") from error


def survived(data: bytes) -> bytes:
    """Return a timeline's text once a process of its own has read it and come back. Raises `NotUnderstood`."""
    measure(data)
    key = hashlib.sha256(data).digest()
    with _lock:
        if key in _survived:
            _survived.move_to_end(key)
            return data
    _reader.read("otio", data)
    remember(data)
    return data


def remember(data: bytes) -> None:
    """Hold a timeline's text for one that can be read: it was survived, or written here a moment ago."""
    with _lock:
        _survived[hashlib.sha256(data).digest()] = None
        while len(_survived) > _KEPT:
            _survived.popitem(last=False)


def aaf_as_otio(path: Path) -> bytes:
    """Return what the adapter for AAF makes of a file, as a timeline's text. Raises `NotUnderstood`."""
    return survived(_reader.read("aaf", os.fsencode(path.absolute())))


class _Reader:
    """The process of its own: it reads one file after another, ends where nobody asks for a while, and is begun
    again.
    """

    def __init__(self) -> None:
        self._one = threading.Lock()
        self._process: subprocess.Popen[bytes] | None = None

    def read(self, kind: str, body: bytes) -> bytes:
        """Return what the process makes of a text, or of the file that `body` names. Raises `NotUnderstood`."""
        with self._one:
            for _try in range(2):  # one that ended for want of work is begun again
                fresh = self._process is None or self._process.poll() is not None
                answer = self._ask(kind, body)
                if answer is not None or fresh:
                    break
        if answer is None:
            raise NotUnderstood(
                "is damaged so that reading it ends the program that tries", remedy="have it written again"
            )
        refused, text = answer
        if refused:
            raise NotUnderstood(one_line(text.decode(errors="replace"))[:200])
        return text

    def _ask(self, kind: str, body: bytes) -> tuple[bool, bytes] | None:
        """Return whether the process refused and what it said; None where it ended over it."""
        if self._process is None or self._process.poll() is not None:
            self._process = _begin()
        process = self._process
        assert process.stdin is not None and process.stdout is not None
        try:
            process.stdin.write(HEAD.pack(kind.encode(), len(body)) + body)
            process.stdin.flush()
            head = process.stdout.read(HEAD.size)
            if len(head) == HEAD.size:
                status, length = HEAD.unpack(head)
                text = process.stdout.read(length)
                if len(text) == length:
                    return status.rstrip(b"\0") == b"no", text
        except OSError:
            pass
        process.kill()
        process.wait()
        return None


#: Before each request and answer: four letters that say what it is, and the bytes that follow.
HEAD = struct.Struct("!4sQ")
_reader = _Reader()


def _begin() -> subprocess.Popen[bytes]:
    source = str(Path(__file__).resolve().parents[2])
    environment = {**os.environ, "PYTHONPATH": os.pathsep.join(filter(None, (source, os.environ.get("PYTHONPATH"))))}
    return subprocess.Popen(
        [sys.executable, "-m", "idle_quarry.jobs.otio_process"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        env=environment,
    )

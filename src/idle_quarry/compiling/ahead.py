"""Compiling all loops ahead of use: two processes do it behind the window, and whoever needs a loop meanwhile waits
for it.

Numba is not imported here. What is compiled is known by `mark`, which is written when both processes have ended well.
"""

from __future__ import annotations

import contextlib
import ctypes
import fcntl
import hashlib
import os
import shutil
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache
from pathlib import Path

from idle_quarry.errors import QuarryError
from idle_quarry.places import memory_folder

#: The parts of the work, one process each; they take about as long as one another.
PARTS = ("motion", "rest")
#: Where tests and benchmarks, whose home is a new one each time, find the code that was compiled before.
PLACE = "IDLE_QUARRY_LOOPS"
#: Code that is older goes when something is compiled anew.
_OLD_S = 180 * 86400
_ROOT = Path(__file__).resolve().parent.parent
_MODULES = ("line/kernels.py", "sound/kernels.py", "picture/loops/*.py", "compile_all.py")
_closing, _is_compiler, _announced = threading.Event(), threading.Event(), threading.Event()


#: madvise's MADV_DONTNEED (madvise(2)): a page of a file is read again when it is next touched.
_NOT_NEEDED = 4


class ProgramClosing(QuarryError):
    """The program ends while a loop was waited for."""

    def __init__(self) -> None:
        super().__init__("the program is closing; what waited for compiled loops was left")


def folder() -> Path:
    """Return the folder for compiled code, which can be emptied at any time."""
    return Path(os.environ[PLACE]) if PLACE in os.environ else memory_folder() / "loops"


@lru_cache(maxsize=1)
def _digest() -> str:
    """Return what all compiled code depends on: the loops, the compiler, Python, and the processor."""
    from importlib.metadata import version

    content = hashlib.sha256(f"{version('numba')} {sys.version_info[:2]} {_processor()}".encode())
    for pattern in _MODULES:
        for module in sorted(_ROOT.glob(pattern)):
            content.update(module.read_bytes())
    return content.hexdigest()[:16]


def _processor() -> str:
    """Return the processor's features: code for one may not run on another that shares the same home."""
    try:
        lines = Path("/proc/cpuinfo").read_text(encoding="utf-8").splitlines()
    except OSError:
        return os.uname().machine
    return next((line for line in lines if line.startswith(("flags", "Features"))), "")


def _file(kind: str, part: str) -> Path:
    return folder() / f"{kind}-{part}-{_digest()}"


def mark(part: str) -> None:
    """Note that a part of the loops is compiled; what earlier versions left long ago goes."""
    _file("done", part).touch()
    for path in folder().iterdir():
        with contextlib.suppress(OSError):
            if time.time() - path.stat().st_mtime > _OLD_S:
                shutil.rmtree(path) if path.is_dir() else path.unlink()


def is_done() -> bool:
    """Return whether every loop is compiled for this machine."""
    return all(_file("done", part).exists() for part in PARTS)


def begin() -> list[subprocess.Popen[bytes]]:
    """Start compiling what is not compiled yet, on all processors, and return the processes."""
    missing = [part for part in PARTS if not _file("done", part).exists()]
    environment = {
        **os.environ,
        "PYTHONPATH": os.pathsep.join(path for path in (str(_ROOT.parent), os.environ.get("PYTHONPATH")) if path),
    }
    return [
        subprocess.Popen(
            [sys.executable, "-m", "idle_quarry.compile_all", part],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            env=environment,
        )
        for part in missing
    ]


@contextmanager
def compiling(part: str) -> Iterator[bool]:
    """Hold the lock of a part while it is compiled; yield False where another process has it."""
    folder().mkdir(parents=True, exist_ok=True)
    with _file("lock", part).open("wb") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            yield False
            return
        _is_compiler.set()
        yield True


def is_under_way() -> bool:
    """Return whether a process is compiling loops now."""
    for part in PARTS:
        try:
            with _file("lock", part).open("rb") as lock:
                fcntl.flock(lock, fcntl.LOCK_SH | fcntl.LOCK_NB)
        except BlockingIOError:
            return True
        except OSError:
            continue
    return False


def wait_a_little() -> bool:
    """Wait a moment for the processes that compile; return False where there is none, or this is one.

    Raises `ProgramClosing`.
    """
    if _is_compiler.is_set() or is_done() or not is_under_way():
        _say("compiling loops over pictures, once for this machine (some seconds)")
        return False
    _say("waiting until the loops over pictures are compiled, once (half a minute)")
    if _closing.wait(0.2):
        raise ProgramClosing
    return True


@contextmanager
def closing() -> Iterator[None]:
    """Let nobody wait: what waits inside, on whatever thread, ends with `ProgramClosing`."""
    _closing.set()
    try:
        yield
    finally:
        _closing.clear()


def _say(sentence: str) -> None:
    """Tell a person at a terminal why it takes longer this once; the window has a place of its own for that."""
    if not _announced.is_set() and not _is_compiler.is_set() and sys.stderr.isatty():
        print(f"idle-quarry: {sentence}", file=sys.stderr)
    _announced.set()


def let_go_of_compiler() -> None:
    """Drop the pages of LLVM's machine code, 60 MB of them, which only compiling and loading a loop touch.

    They are unchanged pages of its file, and come back from it when one is next executed.
    """
    libc = ctypes.CDLL(None, use_errno=True)
    with contextlib.suppress(OSError, AttributeError):  # another system keeps them, which does no harm
        for line in Path("/proc/self/maps").read_text().splitlines():
            span, access, *_rest = line.split()
            if access == "r-xp" and "libllvmlite" in line:
                start, end = (int(address, 16) for address in span.split("-"))
                libc.madvise(ctypes.c_void_p(start), ctypes.c_size_t(end - start), _NOT_NEEDED)

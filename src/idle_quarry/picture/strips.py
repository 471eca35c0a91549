"""Work on parts of a picture at once, on as many threads as there are processors.

NumPy and Numba let go of Python's lock.
"""

from __future__ import annotations

import contextlib
import ctypes
import os
import threading
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor, wait
from functools import lru_cache
from typing import TypeVar

_A = TypeVar("_A")
_B = TypeVar("_B")
_inside = threading.local()
#: mallopt's M_MMAP_THRESHOLD and M_TRIM_THRESHOLD (malloc.h), and what they are set to: as much as glibc takes, and
#: half a GB.
_KEPT = ((-3, 32 << 20), (-1, 512 << 20))


@lru_cache(maxsize=1)
def cores() -> int:
    """Return how many processors this process may use, as it was when that was first asked."""
    return len(os.sched_getaffinity(0))


@lru_cache(maxsize=1)
def _pool() -> ThreadPoolExecutor:
    # planes are made and freed with every picture: given back to the system each time, every page of them would be new
    # again
    with contextlib.suppress(AttributeError):  # another C library does as it likes
        for name, value in _KEPT:
            ctypes.CDLL(None).mallopt(name, value)
    return ThreadPoolExecutor(max_workers=max(1, cores() - 1), thread_name_prefix="strip")


def give_back() -> None:
    """Give memory that is free back to the system: where something large was let go of, and something else begins."""
    with contextlib.suppress(AttributeError):
        ctypes.CDLL(None).malloc_trim(0)


def at_once(work: Callable[[_A], _B], parts: Iterable[_A]) -> list[_B]:
    """Return `work` of each of `parts`, in their order; raises what it raises.

    Work that calls this again goes on alone.
    """
    given = list(parts)
    if getattr(_inside, "busy", False) or len(given) < 2:  # a thread that waited for its own pool would wait for ever
        return [work(part) for part in given]

    def marked(part: _A) -> _B:
        _inside.busy = True
        try:
            return work(part)
        finally:
            _inside.busy = False

    rest = [_pool().submit(marked, part) for part in given[1:]]
    try:
        first = marked(given[0])
    finally:
        wait(rest)  # nobody writes into a picture that its maker has left
    return [first, *(future.result() for future in rest)]


def by_rows(count: int, work: Callable[[int, int], object], least: int = 96) -> None:
    """Call `work` with the first row and the row after the last of each strip of `count` rows.

    Strips have `least` rows at least: to hand a smaller one to another thread takes longer than to do it.
    """
    parts = max(1, min(cores(), count // least))
    edges = [count * n // parts for n in range(parts + 1)]
    at_once(lambda n: work(edges[n], edges[n + 1]), range(parts))

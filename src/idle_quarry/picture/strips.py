"""Work on parts of a picture at once, on as many threads as there are processors; NumPy lets go of Python's lock."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache
from typing import TypeVar

_A = TypeVar("_A")
_B = TypeVar("_B")
_inside = threading.local()


@lru_cache(maxsize=1)
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(max_workers=os.cpu_count() or 1, thread_name_prefix="strip")


def at_once(work: Callable[[_A], _B], parts: Iterable[_A]) -> list[_B]:
    """Return `work` of each of `parts`, in their order; raises what it raises. Work that calls this again goes on alone."""
    if getattr(_inside, "busy", False):  # a thread of the pool that waited for the pool would wait for ever
        return [work(part) for part in parts]

    def marked(part: _A) -> _B:
        _inside.busy = True
        return work(part)

    return list(_pool().map(marked, parts))


def in_groups(parts: Sequence[_A]) -> list[Sequence[_A]]:
    """Return parts in a few groups of neighbours, for work so small that handing each over would cost more than doing it."""
    count = 2 * (os.cpu_count() or 1)
    size = max(1, -(-len(parts) // count))
    return [parts[first : first + size] for first in range(0, len(parts), size)]


def by_rows(count: int, work: Callable[[int, int], object], least: int = 16) -> None:
    """Call `work` with the first row and the row after the last of each strip of `count` rows; strips have `least` at least."""
    parts = max(1, min(4 * (os.cpu_count() or 1), count // least))
    edges = [count * n // parts for n in range(parts + 1)]
    at_once(lambda n: work(edges[n], edges[n + 1]), range(parts))

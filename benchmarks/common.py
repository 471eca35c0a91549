"""What the benchmarks share: measuring in turn, and saying what a figure was measured against."""

from __future__ import annotations

import os
import platform
import statistics
import sys
from collections.abc import Callable
from pathlib import Path
from time import perf_counter

ROOT = Path(__file__).resolve().parents[1]


def machine() -> str:
    """Return in a line what this was measured on."""
    return f"Python {platform.python_version()}, {os.cpu_count()} cores, {platform.machine()}"


def timed(work: Callable[[], object], rounds: int) -> list[float]:
    """Return the seconds of each of `rounds` runs."""
    taken = []
    for _ in range(rounds):
        start = perf_counter()
        work()
        taken.append(perf_counter() - start)
    return taken


def milliseconds(values: list[float]) -> str:
    """Return median and 95th percentile in milliseconds."""
    ordered = sorted(values)
    high = ordered[min(len(ordered) - 1, int(len(ordered) * 0.95))]
    return f"median {statistics.median(values) * 1000:.2f} ms, 95 % within {high * 1000:.2f} ms"


def offscreen() -> None:
    """Draw off screen where there is no screen."""
    if not os.environ.get("DISPLAY") and sys.platform.startswith("linux"):
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

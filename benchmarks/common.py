"""What the benchmarks share: measuring in turn, and saying what a figure was measured against."""

from __future__ import annotations

import os
import platform
import statistics
import sys
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from time import perf_counter
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from idle_quarry.app.shell.window import MainWindow

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


def ratios(ours: list[float], others: list[float]) -> str:
    """Return the median of the ratios of runs made in turns, with the half that lies around it.

    Whether that says anything.
    """
    item = sorted(a / b for a, b in zip(ours, others, strict=True))
    low, high = item[len(item) // 4], item[(3 * len(item)) // 4]
    wide = "; the spread is too wide to mean much" if high > 1.5 * low else ""
    return f"{statistics.median(item):.2f} × ({low:.2f} to {high:.2f}{wide})"


def offscreen() -> None:
    """Draw off screen where there is no screen."""
    if not os.environ.get("DISPLAY") and sys.platform.startswith("linux"):
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


@contextmanager
def demo_window() -> Iterator[MainWindow]:
    """Yield the real window on a demo library in a home of its own."""
    offscreen()
    with tempfile.TemporaryDirectory() as home:
        os.environ["XDG_DATA_HOME"] = os.environ["XDG_CONFIG_HOME"] = home
        from PySide6.QtWidgets import QApplication

        from idle_quarry.app.appearance.style import prepare
        from idle_quarry.app.appearance.theme import theme
        from idle_quarry.app.desk import Desk
        from idle_quarry.app.preferences import Preferences
        from idle_quarry.app.shell.window import MainWindow
        from idle_quarry.demo.lay_out import lay_out
        from idle_quarry.library import open_library

        app = QApplication([])
        prepare(app)
        theme.apply(app, "dim room", 100)
        desk = Desk(open_library(lay_out(None), "Runa"), Preferences())
        window = MainWindow(desk)
        window.show()
        yield window
        window.close()
        desk.close()

"""The window at work: opening views again, dressing, memory with all demo clips and the worst link, growth over
twenty of each.
"""

from __future__ import annotations

import statistics
import time
from pathlib import Path
from typing import Any

from common import demo_window, machine
from PySide6.QtCore import QEventLoop, QTimer
from PySide6.QtWidgets import QApplication

from idle_quarry.app.appearance.theme import BRIGHTNESSES, TEXT_SIZES
from idle_quarry.app.background.loading import Loading
from idle_quarry.app.views.registry import VIEWS, to_load

ROUNDS = 20


def resident_mb() -> float:
    """Return what this process has in memory now, in MB."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) for line in lines if line.startswith("VmRSS:")) / 1000


def until(ready: Any, most_s: float = 240.0) -> None:
    """Let the window work until something is so."""
    end = time.monotonic() + most_s
    while not ready() and time.monotonic() < end:
        loop = QEventLoop()
        QTimer.singleShot(30, loop.quit)
        loop.exec()
    assert ready(), "it did not come about"


def shown(work: Any) -> float:
    """Return the milliseconds until what was asked for is done and painted."""
    began = time.perf_counter()
    work()
    QApplication.processEvents()
    return (time.perf_counter() - began) * 1000


def main() -> None:
    """Print one figure a line."""
    with demo_window() as window:
        desk = window.desk

        def settled() -> float:
            """Wait until nothing is under way; return what is in memory then."""
            quiet = [0.0]

            def still_so() -> bool:
                quiet[0] = (quiet[0] or time.monotonic()) if desk.workers.idle else 0.0
                return quiet[0] > 0 and time.monotonic() - quiet[0] > 3

            until(still_so)
            return resident_mb()

        print(f"The window ({machine()})")
        loading = Loading(to_load())  # as a start does in its first moment of rest
        loading.start()
        loading.join()
        desk.open_stored(desk.library.find("Saltmarsh Hours").id)
        first = {row.name: shown(lambda n=row.name: window.show_view(n)) for row in VIEWS}
        print(
            "  a view opened for the first time, ms (aim 250): " + ", ".join(f"{n} {ms:.0f}" for n, ms in first.items())
        )
        desk.line_up.stop()
        window.show_view("Path")
        empty = settled()
        window.show_view("Intake")
        desk.intake.look_at([desk.library.place.parent / "clips"])
        until(lambda: not desk.intake.running)
        with_clips = settled()
        window.show_view("Proof")
        pictures = desk.proof.pictures
        until(
            lambda: (
                pictures.bench is not None
                and bool(pictures.compared.methods)
                and None not in pictures.measured.figures()
            )
        )
        print(
            f"  memory, MB: {empty:.0f} before, {with_clips:.0f} with all demo clips, {settled():.0f} with Proof on the"
            " worst link"
        )
        names = ("Library", "Path", "Intake", "Proof", "Jobs")
        for name in names:
            window.show_view(name)
            QApplication.processEvents()
        settled()
        again = {name: statistics.median(shown(lambda n=name: window.show_view(n)) for _ in range(9)) for name in names}
        print("  a view opened again, median ms (aim 60): " + ", ".join(f"{n} {ms:.0f}" for n, ms in again.items()))
        window.show_view("Line-up")
        until(lambda: len(desk.line_up.times) >= 20)
        window.show_view("Library")
        desk.line_up.stop()
        print(f"  memory after everything was opened and the line was sent, back at rest: {settled():.0f} MB (aim 350)")
        dressing = [shown(lambda n=n: desk.profile.dress(BRIGHTNESSES[n % 3], 100)) for n in range(1, 10)]
        print(f"  another brightness, ms: median {statistics.median(dressing):.0f}, most {max(dressing):.0f}")
        sizes = [shown(lambda n=n: desk.profile.dress(BRIGHTNESSES[0], TEXT_SIZES[n % 2])) for n in range(1, 10)]
        print(f"  another text size, ms: median {statistics.median(sizes):.0f}, most {max(sizes):.0f}")
        begun = settled()
        for _ in range(ROUNDS):
            for name in names:
                window.show_view(name)
                QApplication.processEvents()
        opened = settled()
        for number in range(ROUNDS):
            desk.profile.dress(BRIGHTNESSES[number % 3], 100)
            QApplication.processEvents()
        print(
            f"  growth, MB: {opened - begun:.0f} over {ROUNDS} openings of each view, {settled() - opened:.0f} over"
            f" {ROUNDS} dressings"
        )


if __name__ == "__main__":
    main()

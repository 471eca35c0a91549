"""Twenty thousand random events at the window: no exception, no warning of Qt's, no window or memory that grows."""

from __future__ import annotations

import os
import random
import sys
import tempfile
import time
from pathlib import Path
from typing import TYPE_CHECKING

from common import ROOT, machine
from PySide6.QtCore import QEventLoop, QTimer

if TYPE_CHECKING:
    from idle_quarry.app.desk import Desk

sys.path.insert(0, str(ROOT))


def _resident_mb() -> float:
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) for line in lines if line.startswith("VmRSS:")) / 1000


def _settle(desk: Desk) -> None:
    """Stop what goes on by itself; wait until the rest is done and its memory given back."""
    desk.proof.pictures.player.stop()
    desk.proof.codecs.cancel()
    end = quiet = time.monotonic()
    while time.monotonic() - quiet < 3 and time.monotonic() - end < 90:
        loop = QEventLoop()
        QTimer.singleShot(50, loop.quit)
        loop.exec()
        quiet = quiet if desk.workers.idle else time.monotonic()


def main() -> None:
    """Work with the demo's templates in a folder of its own; as many events as the first argument says."""
    events = int(sys.argv[1]) if len(sys.argv) > 1 else 20_000
    folder = Path(tempfile.mkdtemp(prefix="quarry-monkey-"))
    for name in ("DATA", "STATE", "CONFIG", "CACHE"):
        os.environ[f"XDG_{name}_HOME"] = str(folder / name)
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtWidgets import QApplication
    from tests.app.monkey import Monkey

    from idle_quarry.app.desk import Desk
    from idle_quarry.app.preferences import Preferences
    from idle_quarry.app.style import prepare
    from idle_quarry.app.theme import theme
    from idle_quarry.app.window import MainWindow
    from idle_quarry.demo.lay_out import fill
    from idle_quarry.library import open_library

    app = QApplication([])
    prepare(app)
    theme.apply(app, "dim room", 100)
    library = open_library(folder / "library.db", "Runa")
    fill(library)
    desk = Desk(library, Preferences(jobs_folder=str(folder)))
    window = MainWindow(desk)
    window.show()
    files = [folder / name for name in ("junk.json", "junk.zip", "junk.mov")]
    for path in files:
        path.write_bytes(b"PK\x03\x04 no archive" * 20)
    print(f"{events} random events; {machine()}")
    monkey = Monkey([*files, folder / "gone.mov"], random.Random(2026))
    told: set[str] = set()
    for part in range(10):
        monkey.run(events // 10)
        _settle(desk)
        failures, memory = len(monkey.failures), _resident_mb()
        for failure in sorted(set(monkey.failures) - told)[:20]:
            told.add(failure)
            print(f"  {failure[-900:]}")
        print(
            f"  {(part + 1) * events // 10}: {failures} failures, {monkey.most_windows} windows at the most, {memory:.0f} MB",
            flush=True,
        )
    desk.close()
    os._exit(1 if monkey.failures else 0)  # threads of what was never waited for go along


if __name__ == "__main__":
    main()

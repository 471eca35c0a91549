"""Start of the demo against a bare PySide6 window started the same way: the shelf painted, and a key answered on it.

The aims are 2.5 × for the painted shelf and 3.5 × for the answered key. Both programs are started in turns; figures are
medians of the ratios of neighbours. The moment is taken inside, against the moment at which the process was begun.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
from time import monotonic

from common import ROOT, machine, offscreen, ratios

BARE = """
from time import monotonic
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication, QLabel, QMainWindow
app = QApplication([])
window = QMainWindow(); window.setCentralWidget(QLabel("bare")); window.resize(1280, 800); window.show()
app.processEvents()
print("painted", monotonic())
"""
DEMO = """
import os
from time import monotonic
from PySide6.QtCore import QTimer, Qt
import idle_quarry.app.run as run
opened, furnish = run._library, run.MainWindow.furnish
def library(place):
    print("painted", monotonic(), flush=True)
    return opened(place)
def furnished(self, desk):
    furnish(self, desk)
    QTimer.singleShot(0, lambda: answer(self))
def answer(window):
    from PySide6.QtTest import QTest
    shelf = window.view("Library").list
    before = shelf.currentIndex().row()
    QTest.keyClick(shelf, Qt.Key.Key_Down if before == 0 else Qt.Key.Key_Up)
    shelf.viewport().repaint()
    assert shelf.currentIndex().row() != before
    print("answered", monotonic(), flush=True)
    QTest.keyClick(shelf, Qt.Key.Key_Up if before == 0 else Qt.Key.Key_Down)
    QTimer.singleShot(300, window.close)
run._library, run.MainWindow.furnish = library, furnished
run._demo_jobs = lambda desk: None
from idle_quarry.__main__ import main
raise SystemExit(main(["demo"]))
"""


def main() -> None:
    offscreen()
    with tempfile.TemporaryDirectory() as home:
        names = ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME")
        environment = {**os.environ, "PYTHONPATH": str(ROOT / "src"), **dict.fromkeys(names, home)}
        environment.pop("PYTHONDONTWRITEBYTECODE", None)

        def run(code: str) -> dict[str, float]:
            begun = monotonic()
            done = subprocess.run(
                [sys.executable, "-c", code], check=True, env=environment, capture_output=True, text=True
            )
            return {name: float(at) - begun for name, at in (line.split() for line in done.stdout.splitlines())}

        for code in (BARE, DEMO, DEMO):  # lays the demo out, compiles, fills the caches of the disk
            run(code)
        turns = [(run(BARE), run(DEMO)) for _ in range(11)]
    bare = [a["painted"] for a, _b in turns]
    print(f"start ({machine()}): bare PySide6 window {statistics.median(bare) * 1000:.0f} ms")
    for what, aim in (("painted", 2.5), ("answered", 3.5)):
        ours = [b[what] for _a, b in turns]
        words = {"painted": "shelf painted", "answered": "key answered"}[what]
        print(f"  {words} {statistics.median(ours) * 1000:.0f} ms: {ratios(ours, bare)} (aim {aim})")


if __name__ == "__main__":
    main()

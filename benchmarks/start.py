"""Start of the demo to a painted, usable window, against a bare PySide6 window started the same way (aim: 3 ×)."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile

from common import ROOT, machine, offscreen, timed

BARE = """
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication, QLabel, QMainWindow
app = QApplication([])
window = QMainWindow(); window.setCentralWidget(QLabel("bare")); window.resize(1280, 800); window.show()
QTimer.singleShot(0, lambda: (window.grab(), app.quit()))
app.exec()
"""
DEMO = """
from PySide6.QtCore import QTimer
import idle_quarry.app.window as module
made = module.MainWindow.__init__
def started(self, desk):
    made(self, desk)
    QTimer.singleShot(0, lambda: (self.grab(), self.view("Library").list.currentIndex().isValid() or exit(3), self.close()))
module.MainWindow.__init__ = started
from idle_quarry.__main__ import main
raise SystemExit(main(["demo"]))
"""


def main() -> None:
    offscreen()
    with tempfile.TemporaryDirectory() as home:
        environment = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "XDG_DATA_HOME": home, "XDG_CONFIG_HOME": home}
        environment.pop("PYTHONDONTWRITEBYTECODE", None)

        def run(code: str) -> None:
            subprocess.run([sys.executable, "-c", code], check=True, env=environment, capture_output=True)

        for code in (BARE, DEMO, DEMO):  # lays the demo out, compiles, fills the caches of the disk
            run(code)
        bare: list[float] = []
        demo: list[float] = []
        for _ in range(9):  # in turn, so that whatever else the machine does falls on both
            bare += timed(lambda: run(BARE), 1)
            demo += timed(lambda: run(DEMO), 1)
    a, b = statistics.median(bare), statistics.median(demo)
    print(
        f"start ({machine()}): bare PySide6 window {a * 1000:.0f} ms, demo to a painted window {b * 1000:.0f} ms: {b / a:.2f} × (aim 3)"
    )


if __name__ == "__main__":
    main()

"""A keystroke that settles a setting, to the repainted strip and findings (aim: 95 % within 50 ms)."""

from __future__ import annotations

import os
import tempfile
from functools import partial
from pathlib import Path

from common import machine, milliseconds, offscreen, timed


def main() -> None:
    offscreen()
    with tempfile.TemporaryDirectory() as home:
        os.environ["XDG_DATA_HOME"] = os.environ["XDG_CONFIG_HOME"] = home
        from PySide6.QtGui import QPaintEvent
        from PySide6.QtWidgets import QApplication

        from idle_quarry.app.desk import Desk
        from idle_quarry.app.preferences import Preferences
        from idle_quarry.app.theme import load_type, theme
        from idle_quarry.app.widgets.strip import Strip
        from idle_quarry.app.window import MainWindow
        from idle_quarry.demo.lay_out import lay_out
        from idle_quarry.library import open_library

        app = QApplication([])
        load_type()
        theme.apply(app, "dim room", 100)
        desk = Desk(open_library(Path(lay_out(None)), "Runa"), Preferences())
        window = MainWindow(desk)
        window.show()
        desk.open_stored(desk.library.find("Saltmarsh Hours").id)
        window.path.choose("working")
        values = ["25", "50", "29.97", "59.94", "23.976", "24", "30", "60"]

        def keystroke(value: str) -> None:
            row = window.path.sheet.row("working.format.rate")
            assert row is not None
            row._commit(value)
            app.processEvents()  # what asked to be painted is painted

        painted: list[int] = []
        paint = Strip.paintEvent

        def counted(strip: Strip, event: QPaintEvent) -> None:
            painted.append(1)
            paint(strip, event)

        Strip.paintEvent = counted  # type: ignore[method-assign, assignment]
        for value in values:
            keystroke(value)
        taken = [t for index in range(120) for t in timed(partial(keystroke, values[index % len(values)]), 1)]
        assert len(painted) >= 120, "each keystroke repaints the strip"
        print(f"keystroke to repainted strip and findings ({machine()}): {milliseconds(taken)} (aim 50 ms)")
        window.close()
        desk.close()


if __name__ == "__main__":
    main()

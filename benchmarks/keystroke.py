"""A keystroke that settles a setting, to the repainted strip and findings, against a bare edit of the same window.

A bare edit is a letter typed into a field of the window, and the same strip, findings and evidence painted again as
they were. The aims are 25 ms in the median and 2.5 × a bare edit.
"""

from __future__ import annotations

from functools import partial

from common import demo_window, machine, milliseconds, ratios, timed
from PySide6.QtGui import QPaintEvent
from PySide6.QtWidgets import QApplication

from idle_quarry.app.views.path.view import PathView
from idle_quarry.app.widgets.templates.strip import Strip

VALUES = ["25", "50", "29.97", "59.94", "23.976", "24", "30", "60"]


def main() -> None:
    painted: list[int] = []
    paint = Strip.paintEvent

    def counted(strip: Strip, event: QPaintEvent) -> None:
        painted.append(1)
        paint(strip, event)

    Strip.paintEvent = counted  # type: ignore[method-assign, assignment]
    with demo_window() as window:
        window.desk.open_stored(window.desk.library.find("Saltmarsh Hours").id)
        window.desk.path.choose("working")
        path = window.view("Path")
        assert isinstance(path, PathView)

        def keystroke(value: str) -> None:
            row = path.sheets.sheet.row("working.format.rate")
            assert row is not None
            row.type(value)
            QApplication.processEvents()  # what asked to be painted is painted

        def bare(letter: str) -> None:
            path.sheets.sheet.row("working.format.rate").editor.lineEdit().setText(letter)  # type: ignore[union-attr]
            for widget in (path.strip, path.findings.list.viewport(), path.evidence.canvas):
                widget.update()
            QApplication.processEvents()

        for value in VALUES:
            keystroke(value)
        taken: list[float] = []
        others: list[float] = []
        for index in range(120):
            value = VALUES[index % len(VALUES)]
            taken += timed(partial(keystroke, value), 1)
            others += timed(partial(bare, value), 1)
    assert len(painted) >= 120, "each keystroke repaints the strip"
    print(f"keystroke to repainted strip and findings ({machine()}): {milliseconds(taken)} (aim 25 ms)")
    print(f"  a bare edit of the same window: {milliseconds(others)}: {ratios(taken, others)} (aim 2.5)")


if __name__ == "__main__":
    main()

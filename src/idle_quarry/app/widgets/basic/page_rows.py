"""How the pages of a job begin: a row of what can be done, and lines of words below it."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from idle_quarry.app.appearance.sizes import sized

#: At 100 % of text size: room at the left and at the right of a page.
LEFT, RIGHT = 20, 16


def tools_row(*widgets: QWidget) -> QHBoxLayout:
    """Return a row of buttons and boxes, at the left."""
    row = QHBoxLayout()
    sized(row).setContentsMargins(LEFT, 0, RIGHT, 0)
    sized(row).setSpacing(7)
    for widget in widgets:
        row.addWidget(widget)
    row.addStretch(1)
    return row


def words_column(*widgets: QWidget) -> QVBoxLayout:
    """Return lines of words below one another."""
    column = QVBoxLayout()
    sized(column).setContentsMargins(LEFT, 0, RIGHT, 0)
    sized(column).setSpacing(3)
    for widget in widgets:
        column.addWidget(widget)
    return column


def with_button(line: QWidget, button: QWidget) -> QWidget:
    """Return a line of words with a button at its end: one thing to show and hide."""
    widget = QWidget()
    row = QHBoxLayout(widget)
    sized(row).setSpacing(9)
    row.setContentsMargins(0, 0, 0, 0)
    row.addWidget(line, 1)
    row.addWidget(button)
    return widget


def report_asked(page: QWidget, name: str) -> Path | None:
    """Ask where a report is to be written, and so in which form; None where that was given up."""
    kinds = "PDF (*.pdf);;HTML (*.html);;CSV (*.csv);;JSON (*.json)"
    chosen, _kind = QFileDialog.getSaveFileName(page, "Write the report", f"{name}.pdf", kinds)
    return Path(chosen) if chosen else None

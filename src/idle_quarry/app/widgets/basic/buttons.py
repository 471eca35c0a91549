"""Buttons: the main one of a page, others, and those that stay in the background."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import (
    QPushButton,
)


def button(
    text: str, pressed: Callable[[], object], *, main: bool = False, quiet: bool = False, tip: str = ""
) -> QPushButton:
    """Return a button; `main` for the view's next step, `quiet` for what stays in the background."""
    result = QPushButton(text)
    result.clicked.connect(lambda: pressed())
    if main:
        result.setProperty("main", "true")
    if quiet:
        result.setProperty("quiet", "true")
    result.setToolTip(tip)
    result.setAccessibleName(text)
    return result

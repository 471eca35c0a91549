"""Formats that can be read in several ways: each offered below its editor."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QLineEdit,
    QMenu,
)

from idle_quarry.errors import QuarryError
from idle_quarry.signal.spoken import SeveralReadings


def offer_readings(error: QuarryError, editor: QLineEdit, typed: Callable[[], object]) -> None:
    """Where a format could be read in several ways, offer each below its editor.

    The chosen one is as if it was typed.
    """

    def take(reading: str) -> None:
        editor.setText(reading)
        typed()

    if not isinstance(error, SeveralReadings) or not error.readings:
        return
    menu = QMenu(editor)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    for reading in error.readings:
        menu.addAction(reading, partial(take, reading))
    menu.popup(editor.mapToGlobal(editor.rect().bottomLeft()))

"""Menus made of what can be done: names with acts, None for a line between."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QMenu, QWidget


def menu_under(widget: QWidget, entries: Sequence[tuple[str, Callable[[], object] | None]]) -> None:
    """Show a menu under a widget, and carry out what is chosen."""
    menu = menu_of(widget, entries)
    menu.exec(widget.mapToGlobal(widget.rect().bottomLeft()))


def menu_of(parent: QWidget, entries: Sequence[tuple[str, Callable[[], object] | None]]) -> QMenu:
    """Return a menu of what can be done."""
    menu = QMenu(parent)
    for text, act in entries:
        if act is None:
            menu.addSeparator()
        else:
            menu.addAction(text).triggered.connect(lambda _on=False, act=act: act())
    menu.aboutToHide.connect(menu.deleteLater)
    return menu


def menu_at(widget: QWidget, corner: QPoint, entries: Sequence[tuple[str, Callable[[], object] | None]]) -> None:
    """Show a menu whose right edge stands at a point of the widget."""
    menu = menu_of(widget, entries)
    menu.exec(widget.mapToGlobal(corner) - QPoint(menu.sizeHint().width(), 0))

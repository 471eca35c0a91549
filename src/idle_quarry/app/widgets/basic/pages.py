"""Parts of pages: a head with what can be done at its right, a body that scrolls."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QLayout,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.sizes import sized


def scrolled(layout: QLayout) -> QScrollArea:
    """Return what lies in `layout` so that it can be scrolled where the window is too low for it."""
    inside = QWidget()
    layout.setContentsMargins(0, 0, 0, 0)
    inside.setLayout(layout)
    result = QScrollArea()
    result.setWidgetResizable(True)
    result.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    result.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    result.setWidget(inside)
    return result


def fill_scrolled(widget: QWidget, column: QVBoxLayout, margins: tuple[int, int, int, int]) -> None:
    """Fill a widget with a column that scrolls; `margins` (left, top, right, bottom) are inside it."""
    whole = QVBoxLayout(widget)
    whole.setContentsMargins(0, 0, 0, 0)
    whole.addWidget(scrolled(column))
    sized(column).setContentsMargins(*margins)


def page_head(title: QLabel, about: QLabel, *beside: QWidget) -> QHBoxLayout:
    """Return the head of a page: its title over a line about it, and what can be done at the right."""
    names = QVBoxLayout()
    sized(names).setSpacing(1)
    names.addWidget(title)
    names.addWidget(about)
    head = QHBoxLayout()
    sized(head).setContentsMargins(16, 7, 16, 7)
    sized(head).setSpacing(7)
    head.addLayout(names, 1)
    for widget in beside:
        head.addWidget(widget)
    return head

"""Rows of lists, trees and tables that keep the role of their colour, not a colour: another brightness only paints
them anew.
"""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QPalette
from PySide6.QtWidgets import (
    QAbstractItemView,
    QListWidgetItem,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableWidgetItem,
    QTreeWidgetItem,
)

from idle_quarry.app.appearance.theme import theme

_ROLE = Qt.ItemDataRole(Qt.ItemDataRole.UserRole + 40)
_BOLD = Qt.ItemDataRole(Qt.ItemDataRole.UserRole + 41)
_SIZE = Qt.ItemDataRole(Qt.ItemDataRole.UserRole + 42)


class TintDelegate(QStyledItemDelegate):
    """Gives a row the colour of its role and the type that was stated for it, as they are now."""

    def initStyleOption(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> None:
        super().initStyleOption(option, index)
        role, bold, size = index.data(_ROLE), index.data(_BOLD), index.data(_SIZE)
        if role:
            for which in (QPalette.ColorRole.Text, QPalette.ColorRole.HighlightedText):
                option.palette.setColor(which, theme.colour(role))
        if bold or size:
            option.font = theme.font(size or 13, bold=bool(bold))


def tint(item: QListWidgetItem | QTableWidgetItem, role: str, *, bold: bool = False, size: int = 0) -> None:
    """Give an item the role of its colour ("dust"; "" for plain), and its type. Its view has a `TintDelegate`."""
    item.setData(_ROLE, role)
    item.setData(_BOLD, bold)
    item.setData(_SIZE, size)


def tint_branch(item: QTreeWidgetItem, column: int, role: str) -> None:
    """Give a cell of a tree the role of its colour."""
    item.setData(column, _ROLE, role)


def tinted(view: QAbstractItemView) -> None:
    """Have a view paint its rows in the colours of their roles."""
    view.setItemDelegate(TintDelegate(view))

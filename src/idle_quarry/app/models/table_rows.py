"""Rows of a table as Qt asks for them: how many, how many columns, their heads."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt

Index = QModelIndex | QPersistentModelIndex
#: What a cell is written in: the name of a colour, "" for none.
COLOUR = Qt.ItemDataRole.UserRole + 100


class TableRows(QAbstractTableModel):
    """`heads` are the columns' names; what is in a cell says whoever derives from it, and how many rows there are."""

    heads: Sequence[str] = ()

    def count(self) -> int:
        """Return how many rows there are."""
        raise NotImplementedError

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008  (Qt's own signature)
        return 0 if parent.isValid() else self.count()

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.heads)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return self.heads[section]
        return None

"""A tree that is edited in place: rows are dragged, moved by Alt with the arrow keys, renamed by F2, removed by
Delete.
"""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QDropEvent, QKeyEvent
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTreeWidget, QTreeWidgetItem

ID = Qt.ItemDataRole.UserRole
_FLAGS = (
    Qt.ItemFlag.ItemIsEnabled
    | Qt.ItemFlag.ItemIsSelectable
    | Qt.ItemFlag.ItemIsEditable
    | Qt.ItemFlag.ItemIsDragEnabled
)


class EditTree(QTreeWidget):
    """`moved` and `removed` say what was asked for; `typed` carries a row and the column that was typed in."""

    moved = Signal()
    removed = Signal()
    typed = Signal(QTreeWidgetItem, int)

    def __init__(self, name: str, heads: Sequence[str] = ()) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setDefaultDropAction(Qt.DropAction.MoveAction)
        self.setEditTriggers(QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed)
        self.setHeaderHidden(not heads)
        self._filling = False
        if heads:
            self.setRootIsDecorated(False)
            self.setHeaderLabels(list(heads))
            self.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
            self.header().setStretchLastSection(False)
        self.itemChanged.connect(self._changed)

    def _changed(self, item: QTreeWidgetItem, column: int) -> None:
        if not self._filling:
            self.typed.emit(item, column)

    def begin(self) -> str | None:
        """Empty the tree to be filled anew; return the id of the row that was chosen."""
        chosen = self.currentItem()
        ident = chosen.data(0, ID) if chosen is not None else None
        self._filling = True
        self.blockSignals(True)
        self.clear()
        return ident

    def end(self) -> None:
        """The tree is filled."""
        self.blockSignals(False)
        self._filling = False

    def add(
        self, ident: str, texts: Sequence[str], above: QTreeWidgetItem | None = None, *, holds: bool = False
    ) -> QTreeWidgetItem:
        """Add a row; `holds` where others can be dropped into it."""
        item = QTreeWidgetItem(list(texts))
        item.setData(0, ID, ident)
        item.setFlags(_FLAGS | Qt.ItemFlag.ItemIsDropEnabled if holds else _FLAGS)
        (above or self.invisibleRootItem()).addChild(item)
        return item

    def current_id(self) -> str | None:
        """Return the id of the chosen row."""
        item = self.currentItem()
        return item.data(0, ID) if item is not None else None

    def order(self) -> list[str]:
        """Return the ids of the rows from top to bottom."""
        items = (self.topLevelItem(i) for i in range(self.topLevelItemCount()))
        return [item.data(0, ID) for item in items if item is not None]

    def dropEvent(self, event: QDropEvent) -> None:
        super().dropEvent(event)
        QTimer.singleShot(0, self.moved.emit)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        alt = event.modifiers() & Qt.KeyboardModifier.AltModifier
        if event.key() == Qt.Key.Key_Delete:
            self.removed.emit()
        elif alt and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._shift(-1 if event.key() == Qt.Key.Key_Up else 1)
        else:
            super().keyPressEvent(event)

    def _shift(self, by: int) -> None:
        item = self.currentItem()
        if item is None:
            return
        parent = item.parent() or self.invisibleRootItem()
        index = parent.indexOfChild(item)
        if 0 <= index + by < parent.childCount():
            parent.takeChild(index)
            parent.insertChild(index + by, item)
            self.setCurrentItem(item)
            self.moved.emit()

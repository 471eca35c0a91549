"""The table of keys: every command with the key it has, and what is to be said of it."""

from __future__ import annotations

from PySide6.QtCore import QAbstractItemModel, QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import (
    QHBoxLayout,
    QKeySequenceEdit,
    QLineEdit,
    QStyleOptionViewItem,
    QTableWidgetItem,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.models.people.profile import Profile
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.tables import fit_rows, wrapped_table
from idle_quarry.app.widgets.basic.tinted import TintDelegate, tint

_KEY = 1  # the column


class _KeyDelegate(TintDelegate):
    """Edits a cell by the key that is pressed: one editor at a time, since a hundred would be made for nobody."""

    def createEditor(
        self, parent: QWidget, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> QWidget:
        command = index.sibling(index.row(), 0).data()
        edit = QKeySequenceEdit(parent)
        edit.setMaximumSequenceLength(1)
        edit.setClearButtonEnabled(True)
        edit.setAccessibleName(f"Key of {command}")
        line = edit.findChild(QLineEdit)
        if line is not None:
            line.setAccessibleName(f"Key of {command}")
            line.setPlaceholderText("press a key")
        for inside in edit.findChildren(QToolButton):
            inside.setAccessibleName(f"Clear the key of {command}")
        edit.editingFinished.connect(lambda: self._finish(edit))
        return edit

    def _finish(self, edit: QKeySequenceEdit) -> None:
        self.commitData.emit(edit)
        self.closeEditor.emit(edit)

    def setEditorData(self, editor: QWidget, index: QModelIndex | QPersistentModelIndex) -> None:
        if isinstance(editor, QKeySequenceEdit):
            editor.setKeySequence(QKeySequence(index.data(Qt.ItemDataRole.UserRole)))

    def setModelData(
        self, editor: QWidget, model: QAbstractItemModel, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        if isinstance(editor, QKeySequenceEdit):
            model.setData(index, editor.keySequence().toString(), Qt.ItemDataRole.UserRole)


class KeyTable(QWidget):
    """Keys are chosen by pressing them; those that two commands share are said."""

    def __init__(self, model: Profile) -> None:
        super().__init__()
        self.model = model
        self.table = wrapped_table("Keys", {"Command": 0, "Key": 190, "": 250})
        self.table.setItemDelegateForColumn(_KEY, _KeyDelegate(self.table))
        self.table.setToolTip("click a command's key, or go there and press Enter, then press the key it is to have")
        self.table.cellClicked.connect(self._edit)
        self.table.cellActivated.connect(self._edit)
        self.note = label(role="refusal", wrap=True)
        row = QHBoxLayout()
        row.addWidget(label("Keys", "head"))
        row.addWidget(self.note, 1)
        row.addWidget(button("Put all keys back", model.keys_back))
        column = QVBoxLayout(self)
        sized(column).setContentsMargins(12, 8, 16, 12)
        column.addLayout(row)
        column.addWidget(self.table, 1)
        self._fill()
        self.table.itemChanged.connect(self._changed)
        model.keys_changed.connect(self._show)

    def _edit(self, row: int, _column: int) -> None:
        item = self.table.item(row, _KEY)
        if item is not None and not self.table.isPersistentEditorOpen(item):
            self.table.editItem(item)

    def _fill(self) -> None:
        rows = self.model.key_rows()
        self.table.setRowCount(len(rows))
        for number, row in enumerate(rows):
            for column in range(3):
                self.table.setItem(number, column, QTableWidgetItem(row.name if not column else ""))
        self._show()
        fit_rows(self.table, least=30)

    def _changed(self, item: QTableWidgetItem) -> None:
        command = self.table.item(item.row(), 0)
        if item.column() == _KEY and command is not None:
            self.model.set_key(command.text(), item.data(Qt.ItemDataRole.UserRole))

    def _show(self) -> None:
        self.table.blockSignals(True)
        for number, row in enumerate(self.model.key_rows()):
            key, cell = self.table.item(number, _KEY), self.table.item(number, 2)
            if key is not None and cell is not None:
                key.setData(Qt.ItemDataRole.UserRole, row.now)
                key.setText(QKeySequence(row.now).toString(QKeySequence.SequenceFormat.NativeText) or "none")
                tint(key, "" if row.now else "dust")
                cell.setText(row.words)
                tint(cell, "oxide" if row.shared else "dust")
        self.table.blockSignals(False)
        self.table.viewport().update()
        self.note.setText(self.model.note_words())

"""The table of keys: every command with the key it has, and what is to be said of it."""

from __future__ import annotations

from functools import partial

from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import (
    QHBoxLayout,
    QKeySequenceEdit,
    QLineEdit,
    QTableWidgetItem,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.models.profile import Profile
from idle_quarry.app.sizes import sized
from idle_quarry.app.widgets.buttons import button
from idle_quarry.app.widgets.labels import label
from idle_quarry.app.widgets.tables import fit_rows, wrapped_table
from idle_quarry.app.widgets.tinted import tint


class KeyTable(QWidget):
    """Keys are chosen by pressing them; those that two commands share are said."""

    def __init__(self, model: Profile) -> None:
        super().__init__()
        self.model = model
        self.table = wrapped_table("Keys", {"Command": 0, "Key": 190, "": 250})
        self.note = label(role="refusal", wrap=True)
        row = QHBoxLayout()
        row.addWidget(label("Keys", "head"))
        row.addWidget(self.note, 1)
        row.addWidget(button("Put all keys back", model.keys_back))
        column = QVBoxLayout(self)
        sized(column).setContentsMargins(12, 8, 16, 12)
        column.addLayout(row)
        column.addWidget(self.table, 1)
        model.keys_changed.connect(self._show)
        self._fill()

    def _fill(self) -> None:
        rows = self.model.key_rows()
        self.table.setRowCount(len(rows))
        for number, row in enumerate(rows):
            self.table.setItem(number, 0, QTableWidgetItem(row.name))
            self.table.setItem(number, 2, QTableWidgetItem(""))
            edit = QKeySequenceEdit()
            edit.setMaximumSequenceLength(1)
            edit.setClearButtonEnabled(True)
            edit.setAccessibleName(f"Key of {row.name}")
            line = edit.findChild(QLineEdit)
            if line is not None:
                line.setAccessibleName(f"Key of {row.name}")
                line.setPlaceholderText("press a key")
            for inside in edit.findChildren(QToolButton):
                inside.setAccessibleName(f"Clear the key of {row.name}")
            edit.editingFinished.connect(partial(self._pressed, row.name, edit))
            self.table.setCellWidget(number, 1, edit)
        self._show()
        fit_rows(self.table)

    def _pressed(self, name: str, edit: QKeySequenceEdit) -> None:
        self.model.set_key(name, edit.keySequence().toString())

    def _show(self) -> None:
        for number, row in enumerate(self.model.key_rows()):
            edit, said = self.table.cellWidget(number, 1), self.table.item(number, 2)
            if isinstance(edit, QKeySequenceEdit) and edit.keySequence().toString() != row.now:
                edit.setKeySequence(QKeySequence(row.now))
            if said is not None:
                said.setText(row.said)
                tint(said, "oxide" if row.shared else "dust")
        self.note.setText(self.model.note_words())

"""What a file offers: each template with its path, its findings, where it comes from, and what it would collide
with.
"""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QTableWidgetItem, QVBoxLayout, QWidget

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.desk import Desk
from idle_quarry.app.models.library.importing import OfferRow
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.pages import page_head
from idle_quarry.app.widgets.basic.tables import fit_rows, wrapped_table
from idle_quarry.app.widgets.basic.tinted import tint
from idle_quarry.app.widgets.templates.mini_strip import MiniStrip

_COLUMNS = {"Path": 320, "Template": 0, "Where it comes from": 230, "On the shelf": 210, "What to do": 180}
_LEAST_ROW = 66


class ImportingPage(QWidget):
    """A row a template, a decision in each; nothing is taken before the button, and all of it can be taken back."""

    guide_section = "Carry templates"

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.model = desk, desk.importing
        self.title, self.sum = label(role="title"), label(role="dust", wrap=True)
        self.shelf = QComboBox()
        self.shelf.setAccessibleName("Shelf they are put on")
        self.shelf.addItem("to my own shelf", "own")
        self.shelf.addItem("to the house shelf, as drafts", "house")
        self.shelf.activated.connect(lambda _i: self.model.put_on(self.shelf.currentData()))
        self.take_button = button("Import", self.model.take, main=True)
        self.table = wrapped_table("Templates in the file", _COLUMNS)
        back = button("Back to the shelf", desk.shelf.back, tip="Esc")
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addLayout(page_head(self.title, self.sum, back, self.shelf, self.take_button))
        outer.addWidget(self.table, 1)
        self.first_focus = self.table
        self.model.changed.connect(self._show)
        self.model.counted.connect(self._count)
        self._show()

    def _show(self) -> None:
        model = self.model
        if model.path is None:
            return
        self.title.setText(model.title_words())
        self.shelf.setCurrentIndex(self.shelf.findData(model.shelf))
        self.table.setRowCount(0)
        self.table.setRowCount(len(model.rows))
        for number, row in enumerate(model.rows):
            self._fill(number, row)
        fit_rows(self.table, _LEAST_ROW)
        self._count()

    def _fill(self, number: int, row: OfferRow) -> None:
        if row.evaluation is not None:
            self.table.setCellWidget(number, 0, MiniStrip(row.evaluation))
        readable, collision = row.offer.exchanged is not None, row.collision
        words = collision.words if readable and collision is not None else ""
        new = collision is None or collision.same is None or collision.known is not None
        for column, text, role in (
            (1, row.what_words(), "" if readable else "oxide"),
            (2, row.origin_words(), "oxide" if row.doubtful else "dust"),
            (3, words, "dust" if new else "ochre"),
        ):
            item = QTableWidgetItem(text)
            tint(item, role)
            self.table.setItem(number, column, item)
        self.table.setCellWidget(number, 4, self._choice(number, row))

    def _choice(self, number: int, row: OfferRow) -> QWidget:
        holder = QWidget()
        inside = QHBoxLayout(holder)
        sized(inside).setContentsMargins(4, 0, 8, 0)
        decisions = row.decisions()
        if len(decisions) < 2:
            inside.addWidget(label("cannot be imported", "dust"))
            return holder
        box = QComboBox()
        box.setAccessibleName(f"What to do with {row.offer.member}")
        for words, decision in decisions:
            box.addItem(words, decision)
        box.activated.connect(partial(self._decided, number, box))
        inside.addWidget(box)
        return holder

    def _decided(self, number: int, box: QComboBox, _index: int) -> None:
        self.model.decide(number, box.currentData())

    def _count(self) -> None:
        self.sum.setText(self.model.sum_words())
        self.take_button.setText(self.model.verb_words())
        self.take_button.setAccessibleName(self.model.verb_words())
        self.take_button.setEnabled(bool(self.model.wanted))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.desk.shelf.back()
        else:
            super().keyPressEvent(event)

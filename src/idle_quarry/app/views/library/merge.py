"""Two drafts of one template side by side, and the one that is made of both: conflicts chosen by whoever merges."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QButtonGroup, QRadioButton, QTableWidgetItem, QVBoxLayout, QWidget

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.desk import Desk
from idle_quarry.app.models.library.merge import MergeRow, draft_words
from idle_quarry.app.widgets.basic.ask_bar import AskBar
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.pages import page_head, scrolled
from idle_quarry.app.widgets.basic.tables import fit_rows, wrapped_table
from idle_quarry.app.widgets.basic.tinted import tint
from idle_quarry.app.widgets.templates.findings import Findings
from idle_quarry.app.widgets.templates.strip import Strip, share_scale
from idle_quarry.path.changes.merging import Side
from idle_quarry.path.evaluate import evaluate

_SIDES: tuple[tuple[int, Side], ...] = ((2, "mine"), (3, "theirs"))


class MergePage(QWidget):
    """Left the one draft, right the other, in the rows what each changed; below what follows from the two together."""

    guide_section = "Two drafts"

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.model = desk, desk.merge
        self.title, self.sum = label(role="title"), label(role="dust", wrap=True)
        self.save_button = button("Save the merged draft", self.model.ask_save, main=True)
        self.ask = AskBar()
        self.names = label(role="dust"), label(role="dust")
        self.strips = Strip(editable=False, low=True), Strip(editable=False, low=True)
        share_scale(*self.strips)
        self.table = wrapped_table("What each draft changed", {"Setting": 230, "Began as": 230, "Left": 0, "Right": 0})
        self.refusal = label(role="refusal", wrap=True)
        self.findings = Findings(curable=False)
        self._build()
        self.first_focus = self.table
        self.model.changed.connect(self._show)
        self.model.worked_out.connect(self._show_made)
        self.model.asked.connect(self.ask.put)
        self._show()

    def _build(self) -> None:
        back = button("Back to the shelf", self.desk.shelf.back, tip="Esc")
        head = page_head(self.title, self.sum, back, self.save_button)
        body = QVBoxLayout()
        body.setSpacing(0)
        for name, strip in zip(self.names, self.strips, strict=True):
            sized(name).setContentsMargins(16, 3, 0, 2)
            body.addWidget(name)
            body.addWidget(strip)
        sized(self.refusal).setContentsMargins(16, 0, 16, 0)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addLayout(head)
        outer.addWidget(self.ask)
        sized(self.table).setMinimumHeight(110)
        sized(self.findings).setMinimumHeight(90)
        body.addWidget(self.refusal)
        body.addWidget(self.table, 3)
        body.addWidget(self.findings, 2)
        outer.addWidget(scrolled(body), 1)

    def _show(self) -> None:
        drafts = self.model.drafts
        if drafts is None:
            return
        self.ask.hide()
        self.title.setText(self.model.title_words())
        for name, strip, stored in zip(self.names, self.strips, (drafts.left, drafts.right), strict=True):
            name.setText(draft_words(stored))
            strip.show_evaluation(evaluate(stored.template, remedies=False), "")
        self._fill()
        self._show_made()

    def _show_made(self) -> None:
        model = self.model
        self.sum.setText(model.sum_words())
        self.refusal.setText(model.refusal)
        self.refusal.setVisible(bool(model.refusal))
        self.save_button.setEnabled(model.can_be_saved)
        if model.result is not None and model.evaluation is not None:
            self.findings.show_evaluation(model.evaluation)

    def _fill(self) -> None:
        rows = self.model.rows()
        self.table.setHorizontalHeaderLabels(list(self.model.heads()))
        self.table.setRowCount(0)
        self.table.setRowCount(len(rows))
        for number, row in enumerate(rows):
            name, began = QTableWidgetItem(row.label), QTableWidgetItem(row.began)
            tint(name, "", bold=row.conflict)
            tint(began, "dust")
            self.table.setItem(number, 0, name)
            self.table.setItem(number, 1, began)
            if row.conflict:
                self._offer(number, row)
            else:
                self.table.setItem(number, 2, QTableWidgetItem(row.left))
                self.table.setItem(number, 3, QTableWidgetItem(row.right))
        fit_rows(self.table)

    def _offer(self, number: int, row: MergeRow) -> None:
        group = QButtonGroup(self.table)
        drafts = self.model.drafts
        assert drafts is not None
        for (column, side), text, stored in zip(
            _SIDES, (row.left, row.right), (drafts.left, drafts.right), strict=True
        ):
            choice = QRadioButton(text if len(text) < 80 else text[:78] + "…")
            choice.setAccessibleName(f"{row.label}: {text}, from {stored.revision.author}")
            choice.clicked.connect(partial(self.model.choose, row.place, side))
            group.addButton(choice)
            self.table.setCellWidget(number, column, choice)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.desk.shelf.back()
        else:
            super().keyPressEvent(event)

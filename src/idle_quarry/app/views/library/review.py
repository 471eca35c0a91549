"""Two revisions beside one another: their strips to one scale, what differs and what that does, what is said of it."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QListWidgetItem, QPlainTextEdit, QSplitter, QVBoxLayout, QWidget

from idle_quarry.app.appearance.roles import on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.desk import Desk
from idle_quarry.app.models.library.review import pair_words
from idle_quarry.app.widgets.basic.ask_bar import AskBar
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.pages import page_head, scrolled
from idle_quarry.app.widgets.basic.tables import words_list
from idle_quarry.app.widgets.basic.tinted import tint
from idle_quarry.app.widgets.templates.difference_table import DifferenceTable
from idle_quarry.app.widgets.templates.strip import Strip, share_scale


class ReviewPage(QWidget):
    """What is proposed beside what is there."""

    guide_section = "Review and approve"

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.model = desk, desk.review
        self.title, self.sum = label(role="title"), label(role="dust", wrap=True)
        self.approve_button = button("Approve", lambda: self.model.act("approve"), main=True)
        self.send_back_button = button("Send back", lambda: self.model.act("send back"))
        self.back_button = button("Back to the shelf", desk.shelf.back, tip="Esc")
        self.ask = AskBar()
        self.table = DifferenceTable()
        self.strips = Strip(editable=False, low=True), Strip(editable=False, low=True)
        share_scale(*self.strips)
        self.names = label(role="dust"), label(role="dust")
        self.about = QComboBox()
        self.about.setAccessibleName("What the comment is about")
        self.text = QPlainTextEdit()
        self.text.setAccessibleName("Comment")
        self.text.setPlaceholderText("Say something about this revision, a station, a link or a setting")
        sized(self.text).setMaximumHeight(64)
        self.comment_button = button("Comment", self._comment)
        self.remarks = words_list()
        self.remarks.setAccessibleName("Comments and history")
        self.rule = label(role="dust", wrap=True)
        self._build()
        self.first_focus = self.table
        for strip in self.strips:
            strip.chosen.connect(lambda ident: self._about(f"station {ident}"))
        self.table.picked.connect(lambda place: self._about(f"setting {place}"))
        self.model.changed.connect(self._show)
        self.model.said_changed.connect(self._show_said)
        self.model.asked.connect(self.ask.put)
        self._show()
        self._show_said()

    def _build(self) -> None:
        acts = (self.back_button, self.send_back_button, self.approve_button)
        head = page_head(self.title, self.sum, *acts)
        body = QVBoxLayout()
        body.setSpacing(0)
        for name, strip in zip(self.names, self.strips, strict=True):
            sized(name).setContentsMargins(16, 3, 0, 2)
            body.addWidget(name)
            body.addWidget(strip)
        side = QWidget()
        on(side, "bench")
        layout = QVBoxLayout(side)
        sized(layout).setContentsMargins(14, 6, 14, 10)
        layout.addWidget(label("Comments and history", "head"))
        layout.addWidget(self.remarks, 1)
        row = QHBoxLayout()
        row.addWidget(self.about, 1)
        row.addWidget(self.comment_button)
        layout.addWidget(self.text)
        layout.addLayout(row)
        layout.addWidget(self.rule)
        self.same = label("They are the same, setting for setting.", "good")
        sized(self.same).setContentsMargins(16, 10, 0, 0)
        left = QWidget()
        column = QVBoxLayout(left)
        sized(column).setContentsMargins(8, 0, 0, 0)
        column.addWidget(self.same)
        column.addWidget(self.table, 1)
        lower = QSplitter(Qt.Orientation.Horizontal)
        lower.addWidget(left)
        lower.addWidget(side)
        lower.setSizes([theme.px(880), theme.px(400)])
        lower.setChildrenCollapsible(False)
        sized(lower).setMinimumHeight(230)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addLayout(head)
        outer.addWidget(self.ask)
        body.addWidget(lower, 1)
        outer.addWidget(scrolled(body), 1)

    # -- showing ---------------------------------------------------------------------------------------------

    def _show(self) -> None:
        model = self.model
        if model.pair is None:
            return
        self.title.setText(model.title_words())
        self.sum.setText(model.sum_words())
        for name, stored in zip(self.names, model.pair, strict=True):
            name.setText(pair_words(stored))
        if model.compare is None:
            self.ask.hide()
            self._fill_about()
            return
        for strip, path in zip(self.strips, (model.compare.left, model.compare.right), strict=True):
            strip.show_evaluation(path, "")
        for item in (self.strips[0], self.names[0]):
            item.setVisible(not model.first)
        rows = model.compare.rows
        self.table.show_differences(rows, *model.column_words(), effects=not model.first)
        self.table.setVisible(bool(rows))
        self.same.setVisible(not rows)

    def _fill_about(self) -> None:
        self.about.clear()
        for words, place in self.model.places():
            self.about.addItem(words, place)

    def _about(self, place: str) -> None:
        index = self.about.findData(place)
        if index < 0:
            self.about.addItem(self.model.place_words(place), place)
            index = self.about.count() - 1
        self.about.setCurrentIndex(index)

    def _show_said(self) -> None:
        discussion = self.model.discussion
        self.remarks.clear()
        for text, history in discussion.remarks:
            item = QListWidgetItem(text)
            tint(item, "dust" if history else "")
            self.remarks.addItem(item)
        if not discussion.remarks:
            self.remarks.addItem("No comment and no decision yet.")
        self.approve_button.setVisible(discussion.reviewed)
        self.send_back_button.setVisible(discussion.reviewed)
        self.approve_button.setEnabled(discussion.may_approve)
        self.rule.setText(discussion.rule)
        self.rule.setVisible(bool(discussion.rule))

    def _comment(self) -> None:
        self.model.comment(self.about.currentData() or "", self.text.toPlainText(), self._commented)

    def _commented(self) -> None:
        self.text.clear()
        self.about.setCurrentIndex(0)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.desk.shelf.back()
        else:
            super().keyPressEvent(event)

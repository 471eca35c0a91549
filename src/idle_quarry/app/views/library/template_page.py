"""The chosen template in the Library: its path, its revisions, what was said of them, what can be done."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QSizePolicy, QSplitter, QVBoxLayout, QWidget

from idle_quarry.app.appearance.roles import on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.desk import Desk
from idle_quarry.app.models.library.menus import more
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import OneLine, label
from idle_quarry.app.widgets.basic.menus import menu_under
from idle_quarry.app.widgets.basic.tables import words_list
from idle_quarry.app.widgets.templates.findings import Findings
from idle_quarry.app.widgets.templates.revisions import Revisions
from idle_quarry.app.widgets.templates.strip import Strip


class TemplatePage(QWidget):
    """Shows the template that is chosen on the shelves, and forwards to its model."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.shelf, self.model = desk, desk.shelf, desk.shelf.chosen
        on(self, "bench")
        self.name, self.about, self.note = OneLine("title"), label(role="dust", wrap=True), OneLine()
        self.open_button = button("Open", self.shelf.open_chosen, main=True, tip="Enter")
        self.job_button = button("Start a job", self.shelf.start_job)
        self.more_button = button("More", self._more)
        self.strip = Strip(editable=False)
        self.strip.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.revisions = Revisions()
        self.revisions.chosen.connect(self.model.pick)
        self.history = words_list()
        self.history.setAccessibleName("History of the revision")
        self.revision_head = label(role="head")
        act = self.model.act
        self.propose_button = button("Send to review", lambda: act("propose"))
        self.approve_button = button("Approve", lambda: act("approve"))
        self.review_button = button("Review", self.model.review)
        self.merge_button = button("Merge the drafts", self.model.merge)
        self.compare_button = button(
            "Compare", self.model.compare, tip="Ctrl+click a second revision to choose with which"
        )
        self.withdraw_button = button("Withdraw", lambda: act("withdraw"), quiet=True)
        self.bring_back_button = button("Bring back", lambda: act("bring back"))
        self.findings = Findings()
        self.findings.cured.connect(self.shelf.cure)
        self._inner = QWidget()  # there is nothing to show where nothing is chosen
        self._build()
        self._soon = QTimer(self, singleShot=True, interval=0)
        self._soon.timeout.connect(self._show_path)
        self.model.changed.connect(self._show)
        self._show()

    def _build(self) -> None:
        head = QHBoxLayout()
        sized(head).setSpacing(7)
        head.addWidget(self.name, 1)
        for item in (self.more_button, self.job_button, self.open_button):
            head.addWidget(item)
        lower = QSplitter(Qt.Orientation.Vertical)
        lower.setObjectName("library-lower")
        lower.addWidget(self._revisions_and_acts())
        lower.addWidget(self.findings)
        lower.setSizes([theme.px(260), theme.px(180)])
        lower.setChildrenCollapsible(False)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(self._inner)
        column = QVBoxLayout(self._inner)
        sized(column).setContentsMargins(0, 10, 0, 0)
        sized(column).setSpacing(4)
        top = QVBoxLayout()
        sized(top).setContentsMargins(16, 0, 12, 4)
        sized(top).setSpacing(3)
        top.addLayout(head)
        top.addWidget(self.about)
        top.addWidget(self.note)
        column.addLayout(top)
        column.addWidget(self.strip)
        column.addWidget(lower, 1)

    def _revisions_and_acts(self) -> QWidget:
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(self.revisions)
        left = QWidget()
        inner = QVBoxLayout(left)
        sized(inner).setContentsMargins(16, 6, 4, 0)
        inner.addWidget(label("Revisions", "head"))
        inner.addWidget(scroll, 1)
        widget = QWidget()
        right = QVBoxLayout(widget)
        sized(right).setContentsMargins(8, 6, 12, 0)
        right.addWidget(self.revision_head)
        right.addWidget(self.history, 1)
        beside = QSplitter(Qt.Orientation.Horizontal)
        beside.setObjectName("library-core")
        beside.addWidget(left)
        beside.addWidget(widget)
        beside.setSizes([theme.px(330), theme.px(320)])
        beside.setChildrenCollapsible(False)
        acts = QHBoxLayout()
        sized(acts).setSpacing(7)
        sized(acts).setContentsMargins(16, 4, 12, 6)
        for item in (
            self.propose_button,
            self.approve_button,
            self.review_button,
            self.merge_button,
            self.bring_back_button,
            self.compare_button,
            self.withdraw_button,
        ):
            item.setSizePolicy(QSizePolicy.Policy.Minimum, QSizePolicy.Policy.Fixed)  # a verb is never cut
            acts.addWidget(item)
        acts.addStretch(1)
        result = QWidget()
        stacked = QVBoxLayout(result)
        stacked.setContentsMargins(0, 0, 0, 0)
        stacked.setSpacing(0)
        stacked.addWidget(beside, 1)
        stacked.addLayout(acts)
        return result

    def _more(self) -> None:
        if self.model.summary is not None:
            menu_under(self.more_button, more(self.shelf, self.model.summary))

    def _show(self) -> None:
        """Show what is known of the template at once; its path follows when no key waits."""
        model = self.model
        summary = model.summary
        self._inner.setVisible(summary is not None)
        if summary is None:
            return
        self.name.setText(summary.name)
        self.revision_head.setText(f"Revision {model.number}")
        self.revisions.show_revisions(model.revisions, model.jobs_on(), model.number, model.second)
        self._show_offers()
        self._soon.start()

    def _show_path(self) -> None:
        """Show what is read and worked out of the revision: its path, its findings, its history."""
        model = self.model
        evaluation = model.evaluation
        if evaluation is None:
            return
        self.about.setText(model.about_words())
        self.note.setText(evaluation.template.note)
        self.strip.show_evaluation(evaluation, "")
        self.findings.show_evaluation(evaluation)
        self.history.clear()
        self.history.addItems(model.history)

    def _show_offers(self) -> None:
        offers = self.model.offers()
        self.propose_button.setVisible(offers.propose)
        self.approve_button.setVisible(offers.approve)
        self.review_button.setVisible(offers.review is not None)
        self.review_button.setText("Review" if offers.review == self.model.number else f"Review {offers.review}")
        self.merge_button.setVisible(offers.merge)
        self.bring_back_button.setVisible(offers.bring_back)
        self.withdraw_button.setVisible(offers.withdraw)
        self.compare_button.setVisible(offers.compare is not None)
        self.compare_button.setText(f"Compare with {offers.compare}")
        for item in (self.review_button, self.compare_button):
            item.setAccessibleName(item.text())

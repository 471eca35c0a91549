"""The chosen template in the Library: its path, its revisions as a core, what was said of them, what can be done."""

from __future__ import annotations

from collections import Counter

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.desk import Desk
from idle_quarry.app.roles import on
from idle_quarry.app.sizes import sized
from idle_quarry.app.theme import theme
from idle_quarry.app.views.review import remark_words
from idle_quarry.app.widgets.basics import OneLine, button, label, told_list
from idle_quarry.app.widgets.core import Core
from idle_quarry.app.widgets.findings import Findings
from idle_quarry.app.widgets.strip import Strip
from idle_quarry.errors import QuarryError
from idle_quarry.library import JobRecord, Remark, Revision, Stored, Summary


class TemplatePage(QWidget):
    """`open_wanted`, `job_wanted` and `more_wanted` are the head's buttons; `compare_wanted` carries two numbers,
    `merge_wanted` two drafts' numbers.
    """

    open_wanted = Signal()
    job_wanted = Signal()
    more_wanted = Signal(QPushButton)
    compare_wanted = Signal(int, int)
    merge_wanted = Signal(int, int)
    act_wanted = Signal(str, int)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.summary: Summary | None = None
        self._revisions: list[Revision] = []
        self._jobs: list[JobRecord] = []
        self._alone = False
        #: Whether the revision shown was picked by a person, and is not the one that opening would open.
        self.picked = False
        on(self, "bench")
        self._name, self._about, self._note = OneLine("title"), label(role="dust", wrap=True), OneLine()
        self.open_button = button("Open", self.open_wanted.emit, main=True, tip="Enter")
        self.job_button = button("Start a job", self.job_wanted.emit)
        self.more_button = button("More", lambda: self.more_wanted.emit(self.more_button))
        self.strip = Strip(editable=False)
        self.strip.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.core = Core()
        self.core.chosen.connect(self._picked)
        self.history = told_list()
        self.history.setAccessibleName("History of the revision")
        self._revision_head = label(role="head")
        self.propose_button = button("Send to review", lambda: self._act("propose"))
        self.approve_button = button("Approve", lambda: self._act("approve"))
        self.review_button = button("Review", self._review)
        self.merge_button = button("Merge the drafts", self._merge)
        self.compare_button = button("Compare", self._compare, tip="Ctrl+click a second revision to choose with which")
        self.withdraw_button = button("Withdraw", lambda: self._act("withdraw"), quiet=True)
        self.bring_back_button = button("Bring back", lambda: self._act("bring back"))
        self.findings = Findings()
        self._build()

    def _build(self) -> None:
        head = QHBoxLayout()
        sized(head).setSpacing(7)
        head.addWidget(self._name, 1)
        for each in (self.more_button, self.job_button, self.open_button):
            head.addWidget(each)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(self.core)
        revisions = QWidget()
        inner = QVBoxLayout(revisions)
        sized(inner).setContentsMargins(16, 6, 4, 0)
        inner.addWidget(label("Revisions", "head"))
        inner.addWidget(scroll, 1)
        said = QWidget()
        right = QVBoxLayout(said)
        sized(right).setContentsMargins(8, 6, 12, 0)
        right.addWidget(self._revision_head)
        right.addWidget(self.history, 1)
        beside = QSplitter(Qt.Orientation.Horizontal)
        beside.setObjectName("library-core")
        beside.addWidget(revisions)
        beside.addWidget(said)
        beside.setSizes([theme.px(330), theme.px(320)])
        beside.setChildrenCollapsible(False)
        acts = QHBoxLayout()
        sized(acts).setSpacing(7)
        for each in (
            self.propose_button, self.approve_button, self.review_button, self.merge_button, self.bring_back_button, self.compare_button,
            self.withdraw_button,
        ):  # fmt: skip
            each.setSizePolicy(QSizePolicy.Policy.Minimum, QSizePolicy.Policy.Fixed)  # a verb is never cut
            acts.addWidget(each)
        acts.addStretch(1)
        sized(acts).setContentsMargins(16, 4, 12, 6)
        upper = QWidget()
        stacked = QVBoxLayout(upper)
        stacked.setContentsMargins(0, 0, 0, 0)
        stacked.setSpacing(0)
        stacked.addWidget(beside, 1)
        stacked.addLayout(acts)
        lower = QSplitter(Qt.Orientation.Vertical)
        lower.setObjectName("library-lower")
        lower.addWidget(upper)
        lower.addWidget(self.findings)
        lower.setSizes([theme.px(260), theme.px(180)])
        lower.setChildrenCollapsible(False)
        self._inner = QWidget()  # there is nothing to show where nothing is chosen
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
        top.addWidget(self._about)
        top.addWidget(self._note)
        column.addLayout(top)
        column.addWidget(self.strip)
        column.addWidget(lower, 1)

    # -- showing ---------------------------------------------------------------------------------------

    def show_summary(self, summary: Summary | None) -> None:
        """Show a template; the revision chosen before stays chosen where it is the same template."""
        same = summary is not None and self.summary is not None and summary.id == self.summary.id
        self.picked = self.picked and same
        kept = self.core.selected if self.picked else None
        self.summary = summary
        self._inner.setVisible(summary is not None)
        if summary is None:
            return
        try:
            self._revisions = self.desk.library.revisions(summary.id)
            self._jobs = self.desk.library.jobs_from(summary.id)
            self._alone = self.desk.library.one_person()
            opens = self.desk.worked_on(summary)
        except QuarryError as error:
            self.desk.refuse(error)
            return
        number = kept if kept is not None else opens
        self._name.setText(summary.name)
        self.core.show_revisions(self._revisions, dict(Counter(job.revision for job in self._jobs)), number)
        self._show_revision(number)

    def revision(self) -> Revision | None:
        """Return the revision chosen in the core."""
        return next((each for each in self._revisions if each.number == self.core.selected), None)

    def _picked(self, number: int) -> None:
        self.picked = True
        self._show_revision(number)

    def _show_revision(self, number: int) -> None:
        summary, revision = self.summary, next((r for r in self._revisions if r.number == number), None)
        if summary is None or revision is None:
            return
        try:
            stored = self.desk.stored(revision)
            remarks = self.desk.library.remarks(summary.id)
        except QuarryError as error:
            self.desk.refuse(error)
            return
        evaluation = self.desk.evaluation(summary.id, number, revision.hash)
        shelf = "House shelf" if summary.shelf == "house" else "Own shelf"
        jobs = f" · jobs start from revision {summary.for_jobs}" if summary.shelf == "house" else ""
        jobs += " · one person approves here" if self._alone and summary.shelf == "house" else ""
        self._about.setText(
            f"{shelf} · revision {number}, {revision.state} · worst link {evaluation.worst_grade}{jobs}"
        )
        self._note.setText(evaluation.template.note)
        self._revision_head.setText(f"Revision {number}")
        self.strip.show_evaluation(evaluation, "")
        self.findings.show_evaluation(evaluation)
        self._fill_history(stored, [each for each in remarks if each.number == number])
        self._offer(revision)

    def _fill_history(self, stored: Stored, remarks: list[Remark]) -> None:
        self.history.clear()
        for remark in remarks:
            self.history.addItem(QListWidgetItem(remark_words(stored, remark)))
        for job in self._jobs:
            if job.revision == stored.revision.number:
                self.history.addItem(f"{job.author}, {job.time[:10]}: started the job {job.title}")
        revision = stored.revision
        began = [f"from revision {revision.parent}"] if revision.parent else []
        began += [f"merged with {revision.merged}"] if revision.merged else []
        saved = f"{revision.author}, {revision.time[:10]}: saved {', '.join(began) or 'new'}"
        self.history.addItem(f"{saved}\n{revision.note}" if revision.note else saved)

    def _offer(self, revision: Revision | None) -> None:
        """Show the buttons of what may be done with the chosen revision."""
        summary = self.summary
        house = summary is not None and summary.shelf == "house" and not summary.aside
        state = revision.state if revision else ""
        drafts = self._drafts()
        several = len(self._revisions) > 1 and revision is not None
        self.propose_button.setVisible(house and state == "draft" and not self._alone)
        self.approve_button.setVisible(house and state == "draft" and self._alone)
        proposed = self._proposed()
        self.review_button.setVisible(house and proposed is not None)
        if proposed is not None:
            self.review_button.setText("Review" if proposed == revision else f"Review {proposed.number}")
        self.merge_button.setVisible(len(drafts) > 1)
        self.bring_back_button.setVisible(state == "withdrawn")
        self.withdraw_button.setVisible(house and state in ("draft", "in review", "approved"))
        self.compare_button.setVisible(several)
        if several:
            self.compare_button.setText(f"Compare with {self._other()}")
            self.compare_button.setAccessibleName(self.compare_button.text())

    def _drafts(self) -> list[Revision]:
        used = {number for each in self._revisions for number in (each.parent, each.merged)}
        return [r for r in self._revisions if r.state in ("draft", "in review") and r.number not in used]

    def _other(self) -> int:
        """The revision the chosen one is compared with: the second picked, else what it began from, else its neighbour."""
        revision = self.revision()
        assert revision is not None
        if self.core.second is not None:
            return self.core.second
        if revision.parent is not None:
            return revision.parent
        return next((r.number for r in reversed(self._revisions) if r.number != revision.number), revision.number)

    # -- doing -----------------------------------------------------------------------------------------

    def _compare(self) -> None:
        if self.core.selected is not None:
            self.compare_wanted.emit(*sorted((self._other(), self.core.selected)))

    def _proposed(self) -> Revision | None:
        """Return the revision that waits for a review: the chosen one where it does, else the newest that does."""
        waiting = [each for each in self._revisions if each.state == "in review"]
        chosen = self.revision()
        return chosen if chosen in waiting else next(iter(waiting), None)

    def _review(self) -> None:
        revision = self._proposed()
        if self.summary is not None and revision is not None:
            self.compare_wanted.emit(self.summary.approved or revision.parent or revision.number, revision.number)

    def _merge(self) -> None:
        drafts, revision = self._drafts(), self.revision()
        if len(drafts) > 1:
            one = revision if revision in drafts else drafts[0]
            other = next(each for each in drafts if each != one)
            self.merge_wanted.emit(*sorted((other.number, one.number)))

    def _act(self, act: str) -> None:
        if self.core.selected is not None:
            self.act_wanted.emit(act, self.core.selected)

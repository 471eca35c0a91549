"""Two revisions beside one another: their strips to one scale, what differs and what that does, what is said of it."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QListWidgetItem,
    QPlainTextEdit,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.desk import Desk
from idle_quarry.app.roles import on
from idle_quarry.app.sizes import sized
from idle_quarry.app.theme import theme
from idle_quarry.app.views.deciding import ask_act
from idle_quarry.app.widgets.basics import AskBar, button, label, page_head, scrolled, told_list
from idle_quarry.app.widgets.difference_table import DifferenceTable
from idle_quarry.app.widgets.strip import Strip, share_scale
from idle_quarry.app.widgets.tinted import tint
from idle_quarry.errors import QuarryError
from idle_quarry.library import Remark, Stored
from idle_quarry.library.reviewing import ACTS
from idle_quarry.path.effects import Compared, compared, effect
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.evaluation import Evaluation
from idle_quarry.path.settings import label_of


class ReviewPage(QWidget):
    """What is proposed beside what is there. `closed` when the person goes back; `decided` when a state changed."""

    closed = Signal()
    decided = Signal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.a: Stored | None = None
        self.b: Stored | None = None
        self._title, self._sum = label(role="title"), label(role="dust", wrap=True)
        self.approve_button = button("Approve", lambda: self._ask("approve"), main=True)
        self.send_back_button = button("Send back", lambda: self._ask("send back"))
        self.back_button = button("Back to the shelf", self.closed.emit, tip="Esc")
        self.ask = AskBar()
        self.table = DifferenceTable()
        self.above, self.below = Strip(editable=False, low=True), Strip(editable=False, low=True)
        share_scale(self.above, self.below)
        self.about = QComboBox()
        self.about.setAccessibleName("What the comment is about")
        self.text = QPlainTextEdit()
        self.text.setAccessibleName("Comment")
        self.text.setPlaceholderText("Say something about this revision, a station, a link or a setting")
        sized(self.text).setMaximumHeight(64)
        self.comment_button = button("Comment", self._comment)
        self.remarks = told_list()
        self.remarks.setAccessibleName("Comments and history")
        self._rule = label(role="dust", wrap=True)
        self._build()
        self.first_focus = self.table
        for strip in (self.above, self.below):
            strip.chosen.connect(lambda ident: self._about(f"station {ident}"))
        self.table.picked.connect(lambda place: self._about(f"setting {place}"))
        desk.shelves_changed.connect(self._shelves_changed)

    def _shelves_changed(self) -> None:
        if self.isVisible():
            self._again()

    def _build(self) -> None:
        acts = (self.back_button, self.send_back_button, self.approve_button)
        head = page_head(self._title, self._sum, *acts)
        self._name_a, self._name_b = label(role="dust"), label(role="dust")
        strips = QVBoxLayout()
        strips.setSpacing(0)
        for name, strip in ((self._name_a, self.above), (self._name_b, self.below)):
            sized(name).setContentsMargins(16, 3, 0, 2)
            strips.addWidget(name)
            strips.addWidget(strip)
        side = QWidget()
        on(side, "bench")
        said = QVBoxLayout(side)
        sized(said).setContentsMargins(14, 6, 14, 10)
        said.addWidget(label("Comments and history", "head"))
        said.addWidget(self.remarks, 1)
        row = QHBoxLayout()
        row.addWidget(self.about, 1)
        row.addWidget(self.comment_button)
        said.addWidget(self.text)
        said.addLayout(row)
        said.addWidget(self._rule)
        self._same = label("", "good")
        sized(self._same).setContentsMargins(16, 10, 0, 0)
        left = QWidget()
        column = QVBoxLayout(left)
        sized(column).setContentsMargins(8, 0, 0, 0)
        column.addWidget(self._same)
        column.addWidget(self.table, 1)
        lower = QSplitter(Qt.Orientation.Horizontal)
        lower.addWidget(left)
        lower.addWidget(side)
        lower.setSizes([theme.px(880), theme.px(400)])
        lower.setChildrenCollapsible(False)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addLayout(head)
        outer.addWidget(self.ask)
        sized(lower).setMinimumHeight(230)
        strips.addWidget(lower, 1)
        outer.addWidget(scrolled(strips), 1)

    # -- showing ---------------------------------------------------------------------------------------

    def show_pair(self, a: Stored, b: Stored) -> None:
        """Show two revisions, of one template or of two; what is computed of them comes off the interface thread."""
        self.a, self.b = a, b
        self.ask.hide()
        one = a.revision.template_id == b.revision.template_id
        names = [f"revision {s.revision.number}" if one else f"{s.name}, revision {s.revision.number}" for s in (a, b)]
        self._title.setText(f"{b.name}: {names[1]} beside {names[0]}" if one else f"{names[1]} beside {names[0]}")
        for where, stored in ((self._name_a, a), (self._name_b, b)):
            revision = stored.revision
            where.setText(
                f"{stored.name}, revision {revision.number}: {revision.state}, {revision.author} {revision.time[:10]}"
                + (f", “{revision.note}”" if revision.note else "")
            )
        self._sum.setText("being compared")
        self._fill_about()
        self._again()

        def work(_ticket: object) -> tuple[Evaluation, Evaluation, list[Compared]]:
            return (
                evaluate(a.template, remedies=False),
                evaluate(b.template, remedies=False),
                compared(a.template, b.template),
            )

        def done(found: tuple[Evaluation, Evaluation, list[Compared]]) -> None:
            if (self.a, self.b) == (a, b):
                self._show_compared(*found)

        self.desk.workers.start(work, done, self.desk.refuse)

    def _show_compared(self, left: Evaluation, right: Evaluation, rows: list[Compared]) -> None:
        assert self.a is not None and self.b is not None
        self.above.show_evaluation(left, "")
        self.below.show_evaluation(right, "")
        one = self.a.revision.template_id == self.b.revision.template_id
        names = [f"Revision {s.revision.number}" if one else s.name for s in (self.a, self.b)]
        self.table.show_differences(rows, *names)
        self.table.setVisible(bool(rows))
        self._same.setVisible(not rows)
        self._same.setText("They are the same, setting for setting.")
        whole = effect(left, right)
        parts = [_counted(len(rows), "setting differs", "settings differ")]
        grades = sum(link.before != link.after for link in whole.links)
        if grades:
            parts.append(_counted(grades, "link changes its cost", "links change their cost"))
        if whole.gained:
            parts.append(_counted(len(whole.gained), "new finding", "new findings"))
        if whole.lost:
            parts.append(_counted(len(whole.lost), "finding goes", "findings go"))
        if whole.nothing:
            parts.append("no link and no finding changes")
        if whole.data_words:
            parts.append(whole.data_words)
        self._sum.setText(" · ".join(parts))

    def _fill_about(self) -> None:
        assert self.b is not None
        self.about.clear()
        self.about.addItem("the whole revision", "")
        evaluation = evaluate(self.b.template, remedies=False)
        for station in evaluation.stations:
            self.about.addItem(f"station {station.name}", f"station {station.id}")
        for link in evaluation.links:
            place = f"link {link.source} {link.target}"
            self.about.addItem(place_words(self.b, place), place)

    def _about(self, place: str) -> None:
        if self.b is None:
            return
        index = self.about.findData(place)
        if index < 0:
            self.about.addItem(place_words(self.b, place), place)
            index = self.about.count() - 1
        self.about.setCurrentIndex(index)

    def _again(self) -> None:
        """Read what was said and done once more, and offer what may be done now."""
        if self.b is None:
            return
        key = self.b.revision
        try:
            remarks = self.desk.library.remarks(key.template_id)
            one_person = self.desk.library.one_person()
            every = self.desk.library.revisions(key.template_id)
        except QuarryError as error:
            self.desk.refuse(error)
            return
        now = next((each for each in every if each.number == key.number), key)
        self.remarks.clear()
        for remark in remarks:
            item = QListWidgetItem(remark_words(self.b, remark))
            if remark.act != "comment":
                tint(item, "dust")
            self.remarks.addItem(item)
        if not remarks:
            self.remarks.addItem("No comment and no decision yet.")
        reviewed = now.state == "in review"
        authors = self.desk.library.authors(key.template_id, key.number) if reviewed else frozenset()
        own = self.desk.library.person in authors and not one_person
        self.approve_button.setVisible(reviewed)
        self.send_back_button.setVisible(reviewed)
        self.approve_button.setEnabled(not own)
        rule = "In this house one person may approve alone." if one_person else ""
        if reviewed and own:
            rule = "You saved this revision: another person approves it."
            if now.author != self.desk.library.person:
                rule = "Part of this revision is yours: somebody who wrote none of it approves it."
        self._rule.setText(rule)
        self._rule.setVisible(bool(rule))

    # -- doing -----------------------------------------------------------------------------------------

    def _comment(self) -> None:
        if self.b is None:
            return
        try:
            self.desk.library.comment(
                self.b.revision.template_id,
                self.b.revision.number,
                self.about.currentData() or "",
                self.text.toPlainText(),
            )
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self.text.clear()
        self.about.setCurrentIndex(0)
        self._again()

    def _ask(self, act: str) -> None:
        if self.b is not None:
            ask_act(self.desk, self.ask, self.b.name, self.b.revision, act, self.decided.emit)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.closed.emit()
        else:
            super().keyPressEvent(event)


def _counted(count: int, one: str, more: str) -> str:
    return f"{count} {one if count == 1 else more}"


def place_words(stored: Stored, place: str) -> str:
    """Return the place of a comment in words; a place that this revision has not is said as it was written."""
    kind, _, rest = place.partition(" ")
    try:
        if kind == "setting":
            return label_of(stored.template, rest)
        stations = {each.id: each.name for each in evaluate(stored.template, remedies=False).stations}
        if kind == "station":
            return stations[rest]
        if kind == "link":
            source, target = rest.split(" ")
            return f"{stations[source]} → {stations[target]}"
    except (KeyError, ValueError, QuarryError):
        return rest
    return place


def remark_words(stored: Stored, remark: Remark) -> str:
    """Return a remark as it is listed: who, when, what, and about what."""
    told = "" if remark.act == "comment" else f" {ACTS[remark.act].told}" if remark.act in ACTS else f" {remark.act}"
    about = f" on {place_words(stored, remark.place)}" if remark.place else ""
    head = f"{remark.person}, {remark.time[:10]}: revision {remark.number}{told}{about}"
    return f"{head}\n{remark.note}" if remark.note else head

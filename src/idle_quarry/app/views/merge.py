"""Two drafts of one template side by side, and the one that is made of both: conflicts chosen by whoever merges."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QRadioButton,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.desk import Desk
from idle_quarry.app.sizes import sized
from idle_quarry.app.widgets.basics import AskBar, button, fit_rows, label, page_head, scrolled, wrapped_table
from idle_quarry.app.widgets.findings import Findings
from idle_quarry.app.widgets.strip import Strip, share_scale
from idle_quarry.app.widgets.tinted import tint
from idle_quarry.errors import QuarryError
from idle_quarry.library import Stored
from idle_quarry.path.effects import said_value
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.merging import Conflict, Merged, Side, merge
from idle_quarry.path.settings import label_of


class MergePage(QWidget):
    """Left the one draft, right the other, in the rows what each changed; below what follows from the two together."""

    closed = Signal()
    merged = Signal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._base: Stored | None = None
        self._left: Stored | None = None
        self._right: Stored | None = None
        self._choices: dict[str, Side] = {}
        self._made: Merged | None = None
        self._title, self._sum = label(role="title"), label(role="dust", wrap=True)
        self.save_button = button("Save the merged draft", self._ask_save, main=True)
        self.ask = AskBar()
        self._names = [label(role="dust"), label(role="dust")]
        self.strips = [Strip(editable=False, low=True), Strip(editable=False, low=True)]
        share_scale(*self.strips)
        self.table = wrapped_table("What each draft changed", {"Setting": 230, "Began as": 230, "Left": 0, "Right": 0})
        self._refusal = label(role="refusal", wrap=True)
        self.findings = Findings(curable=False)
        self._build()
        self.first_focus = self.table

    def _build(self) -> None:
        back = button("Back to the shelf", self.closed.emit, tip="Esc")
        head = page_head(self._title, self._sum, back, self.save_button)
        strips = QVBoxLayout()
        strips.setSpacing(0)
        for name, strip in zip(self._names, self.strips, strict=True):
            sized(name).setContentsMargins(16, 3, 0, 2)
            strips.addWidget(name)
            strips.addWidget(strip)
        sized(self._refusal).setContentsMargins(16, 0, 16, 0)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addLayout(head)
        outer.addWidget(self.ask)
        sized(self.table).setMinimumHeight(110)
        sized(self.findings).setMinimumHeight(90)
        strips.addWidget(self._refusal)
        strips.addWidget(self.table, 3)
        strips.addWidget(self.findings, 2)
        outer.addWidget(scrolled(strips), 1)

    def show_drafts(self, base: Stored, left: Stored, right: Stored) -> None:
        """Show two drafts and the revision that both began from."""
        self._base, self._left, self._right = base, left, right
        self._choices = {}
        self.ask.hide()
        self._title.setText(f"{left.name}: two drafts of revision {base.revision.number}")
        for name, strip, stored in zip(self._names, self.strips, (left, right), strict=True):
            revision = stored.revision
            note = f", “{revision.note}”" if revision.note else ""
            name.setText(f"Revision {revision.number} by {revision.author}, {revision.time[:10]}{note}")
            strip.show_evaluation(evaluate(stored.template, remedies=False), "")
        self._work_out(fill=True)

    def _work_out(self, *, fill: bool = False) -> None:
        assert self._base is not None and self._left is not None and self._right is not None
        try:
            made = merge(self._base.template, self._left.template, self._right.template, self._choices)
        except QuarryError as error:
            self._made = None
            self._refusal.setText(str(error))
            self._refusal.show()
            self._sum.setText("The two cannot be put together as they are.")
            self.save_button.setEnabled(False)
            return
        self._made = made
        self._refusal.hide()
        if fill:
            self._fill(made)
        undecided = [each for each in made.conflicts if each.place not in self._choices]
        taken = len(made.from_mine) + len(made.from_theirs)
        self._sum.setText(
            ("1 change goes in" if taken == 1 else f"{taken} changes go in")
            + (f" · {len(undecided)} to be chosen: changed differently in both drafts" if undecided else "")
        )
        self.save_button.setEnabled(not undecided)
        self.findings.show_evaluation(evaluate(made.template))

    def _fill(self, made: Merged) -> None:
        assert self._base is not None and self._left is not None and self._right is not None
        authors = [f"{s.revision.number}, {s.revision.author}" for s in (self._left, self._right)]
        began = f"Began as, revision {self._base.revision.number}"
        self.table.setHorizontalHeaderLabels(["Setting", began, *authors])
        rows: list[tuple[str, Conflict | None, str]] = [(each.place, each, "") for each in made.conflicts]
        rows += [(place, None, "mine") for place in made.from_mine]
        rows += [(place, None, "theirs") for place in made.from_theirs]
        self.table.setRowCount(0)
        self.table.setRowCount(len(rows))
        for number, (place, conflict, side) in enumerate(rows):
            name = QTableWidgetItem(self._label(place))
            tint(name, "", bold=conflict is not None)
            self.table.setItem(number, 0, name)
            self.table.setItem(number, 1, _dusty(said_value(self._base.template, place)))
            if conflict is None:
                for column, whose, stored in ((2, "mine", self._left), (3, "theirs", self._right)):
                    text = said_value(stored.template, place) if side == whose else ""
                    self.table.setItem(number, column, QTableWidgetItem(text))
            else:
                self._offer(number, conflict)
        fit_rows(self.table)

    def _offer(self, row: int, conflict: Conflict) -> None:
        assert self._left is not None and self._right is not None
        group = QButtonGroup(self.table)
        sides: tuple[tuple[int, Side, Stored], ...] = ((2, "mine", self._left), (3, "theirs", self._right))
        for column, side, stored in sides:
            text = said_value(stored.template, conflict.place)
            choice = QRadioButton(text if len(text) < 80 else text[:78] + "…")
            choice.setAccessibleName(f"{self._label(conflict.place)}: {text}, from {stored.revision.author}")
            choice.clicked.connect(partial(self._chosen, conflict.place, side))
            group.addButton(choice)
            self.table.setCellWidget(row, column, choice)

    def _chosen(self, place: str, side: Side) -> None:
        self._choices[place] = side
        self._work_out()

    def _label(self, place: str) -> str:
        for stored in (self._left, self._right, self._base):
            assert stored is not None
            said = label_of(stored.template, place)
            if said:
                return said
        return place

    def _ask_save(self) -> None:
        assert self._left is not None and self._right is not None
        note = f"merged from {self._left.revision.number} and {self._right.revision.number}"
        self.ask.ask_text("What is new:", note, "Save", self._save)

    def _save(self, note: str) -> str | None:
        if self._made is None or self._left is None or self._right is None:
            return None
        ident = self._left.revision.template_id
        try:
            made = self.desk.library.save_revision(
                ident, self._made.template, note,
                parent=self._left.revision.number, merged=self._right.revision.number,
            )  # fmt: skip
        except QuarryError as error:
            return str(error)
        self.desk.say(f"{self._made.template.name}: revision {made.number} holds both drafts.")
        self.desk.forget_held(ident)
        self.desk.shelves_changed.emit()
        self.merged.emit(ident)
        return None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.closed.emit()
        else:
            super().keyPressEvent(event)


def _dusty(text: str) -> QTableWidgetItem:
    item = QTableWidgetItem(text)
    tint(item, "dust")
    return item

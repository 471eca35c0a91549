"""What a file offers: each template with its path, its findings, where it comes from, and what it would collide with."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.desk import Desk
from idle_quarry.app.sizes import sized
from idle_quarry.app.widgets.basics import button, fit_rows, label, page_head, wrapped_table
from idle_quarry.app.widgets.mini_strip import MiniStrip
from idle_quarry.app.widgets.tinted import tint
from idle_quarry.errors import QuarryError
from idle_quarry.library.bundles import Offered, offered
from idle_quarry.library.taking import DECISIONS, Collision, Taken, collision, take, take_back
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.evaluation import Evaluation
from idle_quarry.signal.words import format_words

_COLUMNS = {"Path": 320, "Template": 0, "Where it comes from": 230, "On the shelf": 210, "What to do": 180}


class TakingPage(QWidget):
    """A row a template, a decision in each; nothing is taken before the button, and all of it can be taken back."""

    closed = Signal()
    taken = Signal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.path: Path | None = None
        self._rows: list[tuple[Offered, Evaluation | None]] = []
        self._title, self._sum = label(role="title"), label(role="dust", wrap=True)
        self.shelf = QComboBox()
        self.shelf.setAccessibleName("Shelf they are put on")
        self.shelf.addItem("to my own shelf", "own")
        self.shelf.addItem("to the house shelf, as drafts", "house")
        self.shelf.activated.connect(self._compare)
        self.take_button = button("Take", self.take_chosen, main=True)
        self.table = wrapped_table("Templates in the file", _COLUMNS)
        self._build()
        self.first_focus = self.table

    def _build(self) -> None:
        back = button("Back to the shelf", self.closed.emit, tip="Esc")
        head = page_head(self._title, self._sum, back, self.shelf, self.take_button)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addLayout(head)
        outer.addWidget(self.table, 1)

    # -- showing ---------------------------------------------------------------------------------------

    def open(self, path: Path, then: Callable[[], None]) -> None:
        """Read a file off the interface thread and show what is in it; `then` when it can be looked at."""
        self.path = path

        def work(_ticket: object) -> list[tuple[Offered, Evaluation | None]]:
            return [
                (each, evaluate(each.found.template, remedies=False) if each.found else None) for each in offered(path)
            ]

        def done(rows: list[tuple[Offered, Evaluation | None]]) -> None:
            if path == self.path:
                self._rows = rows
                self._show()
                then()

        self.desk.workers.start(work, done, self.desk.refuse)

    def _show(self) -> None:
        assert self.path is not None
        count = len(self._rows)
        self._title.setText(f"{self.path.name}: {count} template{'s' if count != 1 else ''}")
        self.table.setRowCount(0)
        self.table.setRowCount(count)
        for number, (each, evaluation) in enumerate(self._rows):
            if evaluation is not None:
                self.table.setCellWidget(number, 0, MiniStrip(evaluation))
            for column, text in ((1, _what(each, evaluation)), (2, _origin(each))):
                item = QTableWidgetItem(text)
                if column == 2:
                    tint(item, "oxide" if _doubtful(each) else "dust")
                elif each.found is None:
                    tint(item, "oxide")
                self.table.setItem(number, column, item)
        self._compare()

    def _compare(self) -> None:
        """Compare what is offered with the shelf it is to be put on, and propose what to do."""
        shelf = self.shelf.currentData()
        for number, (each, _) in enumerate(self._rows):
            try:
                found = collision(self.desk.library, each, shelf)
            except QuarryError as error:
                self.desk.refuse(error)
                return
            item = QTableWidgetItem("" if each.found is None else found.words)
            tint(item, "dust" if found.same is None or found.known else "ochre")
            self.table.setItem(number, 3, item)
            self.table.setCellWidget(number, 4, self._choice(each, found))
        fit_rows(self.table, 66)
        self._count()

    def _choice(self, each: Offered, found: Collision) -> QWidget:
        holder = QWidget()
        row = QHBoxLayout(holder)
        sized(row).setContentsMargins(4, 0, 8, 0)
        if len(found.decisions) == 1:
            row.addWidget(label("cannot be imported", "dust"))
            return holder
        box = QComboBox()
        box.setAccessibleName(f"What to do with {each.member}")
        for decision in found.decisions:
            box.addItem(DECISIONS[decision], decision)
        box.activated.connect(self._count)
        row.addWidget(box)
        return holder

    def decision_box(self, row: int) -> QComboBox | None:
        """Return the decision of a row, or None where there is none to make."""
        holder = self.table.cellWidget(row, 4)
        return holder.findChild(QComboBox) if holder is not None else None

    def _decisions(self) -> list[tuple[Offered, str]]:
        found = []
        for number, (each, _) in enumerate(self._rows):
            box = self.decision_box(number)
            found.append((each, box.currentData() if box is not None else "leave"))
        return found

    def _count(self) -> None:
        taken = sum(decision != "leave" for _, decision in self._decisions())
        left = len(self._rows) - taken
        doubtful = sum(_doubtful(each) or each.found is None for each, _ in self._rows)
        self.take_button.setText(f"Import {taken} template{'s' if taken != 1 else ''}" if taken else "Import none")
        self.take_button.setEnabled(bool(taken))
        self._sum.setText(
            f"{taken} to be imported, {left} left" + (f" · {doubtful} cannot be trusted or read" if doubtful else "")
            + ". Nothing is written before you press Import."
        )  # fmt: skip

    # -- doing -----------------------------------------------------------------------------------------

    def take_chosen(self) -> None:
        """Take what was decided; what is refused is said, the rest is taken."""
        assert self.path is not None
        library, shelf, name = self.desk.library, self.shelf.currentData(), self.path.name
        done: list[Taken] = []
        refused: list[str] = []
        for each, decision in self._decisions():
            try:
                one = take(library, each, shelf, decision, name)
            except QuarryError as error:
                refused.append(str(error))
                continue
            if one is not None:
                done.append(one)
                self.desk.forget_held(one.template_id)
        self.desk.shelves_changed.emit()
        if done:
            self.taken.emit(done[0].template_id)
            said = f"{done[0].name} imported" if len(done) == 1 else f"{len(done)} templates imported"
            more = f" {len(refused)} refused: {refused[0]}" if refused else ""
            self.desk.say(f"{said} from {name}.{more}", action=("Undo", lambda: self._take_back(done)))
        elif refused:
            self.desk.say(refused[0], refusal=True)

    def _take_back(self, done: list[Taken]) -> None:
        try:
            take_back(self.desk.library, done)
        except QuarryError as error:
            self.desk.refuse(error)
        for each in done:
            self.desk.forget_held(each.template_id)
        self.desk.shelves_changed.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.closed.emit()
        else:
            super().keyPressEvent(event)


def _doubtful(each: Offered) -> bool:
    return each.found is not None and each.found.genuine is False


def _what(each: Offered, evaluation: Evaluation | None) -> str:
    if each.found is None or evaluation is None:
        return f"{each.member}\n{each.trouble}"
    stops, cautions = evaluation.count("stop"), evaluation.count("caution")
    words = format_words(each.found.template.working.format)
    said = [f"{n} {word}{'s' if n > 1 else ''}" for n, word in ((stops, "stop"), (cautions, "caution")) if n]
    return f"{each.found.template.name}\n{words} · worst link {evaluation.worst_grade}\n{', '.join(said) or 'no stops, no cautions'}"


def _origin(each: Offered) -> str:
    if each.found is None:
        return ""
    origin = each.found.origin
    author, number, time = (str(origin.get(key, ""))[:60] for key in ("author", "revision", "time"))
    came = (
        f"revision {number} by {author}, {time[:10]}"
        if author and number
        else "where it comes from is not written in it"
    )
    genuine = {
        True: "unchanged since export",
        False: "changed since export",
        None: "without a hash: whether it was changed cannot be checked",
    }[each.found.genuine]
    return f"{came}\n{genuine}"

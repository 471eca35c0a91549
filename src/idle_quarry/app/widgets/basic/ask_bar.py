"""The bar that asks in place: for one text, or for one of a few answers."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QCompleter, QFrame, QHBoxLayout, QLineEdit, QPushButton

from idle_quarry.app.appearance.roles import on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.questions import Accept, Choice, Question
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label


class _Line(QLineEdit):
    def __init__(self, escaped: Callable[[], None]) -> None:
        super().__init__()
        self._escaped = escaped

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self._escaped()
        else:
            super().keyPressEvent(event)


class AskBar(QFrame):
    """Puts a question; hidden until there is one. While a server answers, it waits and keeps what was typed."""

    def __init__(self) -> None:
        super().__init__()
        on(self, "bench")
        self._row = QHBoxLayout(self)
        sized(self._row).setContentsMargins(16, 6, 16, 6)
        self.question = label(wrap=True)
        self.line = _Line(self.hide)
        sized(self.line).setMinimumWidth(300)
        self.refusal = label(role="refusal", wrap=True)
        self._row.addWidget(self.question)
        self._row.addWidget(self.line, 1)
        self._row.addWidget(self.refusal, 1)
        self.buttons: list[QPushButton] = []
        self._asked: Question | None = None
        self.line.returnPressed.connect(self.enter)
        self.hide()

    def put(self, asked: Question | Choice) -> None:
        """Put a question, in place of one that stands."""
        self._clear(asked.text)
        if isinstance(asked, Choice):
            self._put_choice(asked)
        else:
            self._put_question(asked)

    def _put_question(self, question: Question) -> None:
        self._asked = question
        self._row.setStretchFactor(self.question, 0)
        completer = QCompleter(list(question.offers), self.line)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        self.line.setCompleter(completer if question.offers else None)  # type: ignore[arg-type]
        self.line.setText(question.value)
        self.line.setAccessibleName(question.text)
        self.line.show()
        self._add(question.verb, self.enter, main=True)
        if question.otherwise is not None:
            self._add(question.otherwise[0], partial(self._give, question, question.otherwise[1]))
        self._add("Cancel", self.hide)
        self.show()
        self.line.setFocus()
        self.line.selectAll()

    def _put_choice(self, choice: Choice) -> None:
        self.line.hide()
        self._row.setStretchFactor(self.question, 1)
        for index, (text, act) in enumerate(choice.answers.items()):
            self._add(text, partial(self._choose, act), main=index == 0)
        self.show()
        self.buttons[0].setFocus()

    def _choose(self, act: Callable[[], object]) -> None:
        self.hide()
        act()

    def _clear(self, question: str) -> None:
        self.question.setText(question)
        self.refusal.hide()
        self.line.setEnabled(True)
        self._asked = None
        for item in self.buttons:
            self._row.removeWidget(item)
            item.deleteLater()
        self.buttons = []

    def _add(self, text: str, act: Callable[[], object], main: bool = False) -> None:
        result = button(text, act, main=main)
        self._row.addWidget(result)
        self.buttons.append(result)

    def enter(self) -> None:
        """Give what was typed to whoever asked."""
        if self._asked is not None and self.line.isEnabled():
            self._give(self._asked, self._asked.accept)

    def _give(self, question: Question, accept: Accept) -> None:
        self._wait(True)
        accept(self.line.text().strip(), partial(self._answered, question))

    def _wait(self, on: bool) -> None:
        self.line.setEnabled(not on)
        for item in self.buttons[:-1]:
            item.setEnabled(not on)

    def _answered(self, question: Question, why: str | None) -> None:
        if question is not self._asked:  # another question stands there by now, or none
            return
        self._wait(False)
        if why is None:
            self.hide()
            self._asked = None
        else:
            self.refusal.setText(why)
            self.refusal.show()
            self.line.setFocus()

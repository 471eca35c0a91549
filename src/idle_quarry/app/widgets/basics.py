"""The smallest parts: labels by role, buttons, a bar that asks one thing in place, a bar that says one."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCompleter,
    QFrame,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLayout,
    QLineEdit,
    QListWidget,
    QMenu,
    QProgressBar,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QTableWidget,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.roles import as_role, on
from idle_quarry.app.sizes import sized
from idle_quarry.app.theme import theme
from idle_quarry.app.widgets.tinted import tinted
from idle_quarry.errors import QuarryError
from idle_quarry.signal.spoken import Readings


def label(text: str = "", role: str = "", *, wrap: bool = False) -> QLabel:
    """Return a label; roles are dust, title, head, refusal, good."""
    made = QLabel(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    if role:
        as_role(made, role)
    made.setWordWrap(wrap)
    return made


class OneLine(QLabel):
    """A label of one line that gives way: what has no room ends in dots, and the whole stands in its tip."""

    def __init__(self, role: str = "") -> None:
        super().__init__()
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        if role:
            as_role(self, role)

    def setText(self, text: str) -> None:
        super().setText(text)
        self.setToolTip(text)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setPen(self.palette().color(self.foregroundRole()))
        text = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)


def button(
    text: str, pressed: Callable[[], object], *, main: bool = False, quiet: bool = False, tip: str = ""
) -> QPushButton:
    """Return a button; `main` for the view's next step, `quiet` for what stays in the background."""
    made = QPushButton(text)
    made.clicked.connect(lambda: pressed())
    if main:
        made.setProperty("main", "true")
    if quiet:
        made.setProperty("quiet", "true")
    made.setToolTip(tip)
    made.setAccessibleName(text)
    return made


def offer_readings(error: QuarryError, editor: QLineEdit, typed: Callable[[], object]) -> None:
    """Where a format could be read in several ways, offer each below its editor; the chosen one is as if it was typed."""

    def take(reading: str) -> None:
        editor.setText(reading)
        typed()

    if not isinstance(error, Readings) or not error.readings:
        return
    menu = QMenu(editor)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    for reading in error.readings:
        menu.addAction(reading, partial(take, reading))
    menu.popup(editor.mapToGlobal(editor.rect().bottomLeft()))


def scrolled(layout: QLayout) -> QScrollArea:
    """Return what lies in `layout` so that it can be scrolled where the window is too low for it."""
    inside = QWidget()
    layout.setContentsMargins(0, 0, 0, 0)
    inside.setLayout(layout)
    made = QScrollArea()
    made.setWidgetResizable(True)
    made.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    made.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    made.setWidget(inside)
    return made


def page_head(title: QLabel, about: QLabel, *beside: QWidget) -> QHBoxLayout:
    """Return the head of a page: its title over a line about it, and what can be done at the right."""
    names = QVBoxLayout()
    sized(names).setSpacing(1)
    names.addWidget(title)
    names.addWidget(about)
    head = QHBoxLayout()
    sized(head).setContentsMargins(16, 7, 16, 7)
    sized(head).setSpacing(7)
    head.addLayout(names, 1)
    for each in beside:
        head.addWidget(each)
    return head


def told_list() -> QListWidget:
    """Return a list of what was said and done: whole sentences, wrapped, nothing to choose."""
    made = QListWidget()
    made.setWordWrap(True)
    made.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    made.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
    made.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
    made.setProperty("told", "true")
    tinted(made)
    return made


def wrapped_table(name: str, columns: dict[str, int]) -> QTableWidget:
    """Return a table whose texts wrap; `columns` are the heads and their widths, 0 for those that share the rest."""
    made = QTableWidget(0, len(columns))
    made.setHorizontalHeaderLabels(list(columns))
    made.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    made.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    made.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
    made.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
    made.setShowGrid(False)
    made.setWordWrap(True)
    made.setAccessibleName(name)
    made.verticalHeader().hide()
    header = made.horizontalHeader()
    header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    for column, width in enumerate(columns.values()):
        sized(made).setColumnWidth(column, width)
        if not width:
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
    fit = QTimer(made, singleShot=True, interval=0)  # once for all columns that a new width moved
    fit.timeout.connect(lambda: fit_rows(made))
    header.sectionResized.connect(lambda *_: fit.start())
    theme.changed.connect(fit.start)
    tinted(made)
    return made


def fit_rows(table: QTableWidget, least: int = 0) -> None:
    """Make the rows of a table as high as their texts, with air around them, and no lower than their widgets.

    `least` is a height at 100 % of text size; it is kept for the next time.
    """
    if least:
        table.setProperty("least", least)
    table.resizeRowsToContents()
    for row in range(table.rowCount()):
        widgets = [table.cellWidget(row, column) for column in range(table.columnCount())]
        high = max((each.sizeHint().height() for each in widgets if each is not None), default=0)
        table.setRowHeight(row, max(table.rowHeight(row) + theme.px(10), high, theme.px(table.property("least") or 0)))


def restyle(widget: QWidget) -> None:
    """Have a widget painted by what its properties say now."""
    widget.updateGeometry()
    widget.update()


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
    """Asks for one text, or one of a few answers, in place; hidden until it asks."""

    def __init__(self) -> None:
        super().__init__()
        on(self, "bench")
        self._row = QHBoxLayout(self)
        sized(self._row).setContentsMargins(16, 6, 16, 6)
        self._question = label(wrap=True)
        self.line = _Line(self.hide)
        sized(self.line).setMinimumWidth(300)
        self._refusal = label(role="refusal", wrap=True)
        self._row.addWidget(self._question)
        self._row.addWidget(self.line, 1)
        self._row.addWidget(self._refusal, 1)
        self._buttons: list[QPushButton] = []
        self._accept: Callable[[str], str | None] | None = None
        self.line.returnPressed.connect(self._entered)
        self.hide()

    def ask_text(
        self,
        question: str,
        text: str,
        verb: str,
        accept: Callable[[str], str | None],
        offers: list[str] | None = None,
        otherwise: tuple[str, Callable[[str], str | None]] | None = None,
    ) -> None:
        """Ask for a text. `accept` returns why it will not do, or None; then the bar closes. `offers` can be picked.

        `otherwise` is another verb, and what takes the text then; Enter is the first.
        """
        self._clear(question)
        completer = QCompleter(offers or [], self.line)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        self.line.setCompleter(completer if offers else None)  # type: ignore[arg-type]
        self._accept = accept
        self.line.setText(text)
        self.line.setAccessibleName(question)
        self.line.show()
        self._add(verb, self._entered, main=True)
        if otherwise is not None:
            self._add(otherwise[0], partial(self._taken, otherwise[1]))
        self._add("Cancel", self.hide)
        self.show()
        self.line.setFocus()
        self.line.selectAll()

    def ask_choice(self, question: str, answers: Mapping[str, Callable[[], object]]) -> None:
        """Ask which of a few answers is meant; each closes the bar and is carried out."""
        self._clear(question)
        self.line.hide()
        for index, (text, act) in enumerate(answers.items()):
            self._add(text, partial(self._answered, act), main=index == 0)
        self.show()
        self._buttons[0].setFocus()

    def _answered(self, act: Callable[[], object]) -> None:
        self.hide()
        act()

    def _clear(self, question: str) -> None:
        self._question.setText(question)
        self._refusal.hide()
        self._accept = None
        for each in self._buttons:
            self._row.removeWidget(each)
            each.deleteLater()
        self._buttons = []

    def _add(self, text: str, act: Callable[[], object], main: bool = False) -> None:
        made = button(text, act, main=main)
        self._row.addWidget(made)
        self._buttons.append(made)

    def _entered(self) -> None:
        if self._accept is not None:
            self._taken(self._accept)

    def _taken(self, accept: Callable[[str], str | None]) -> None:
        why = accept(self.line.text().strip())
        if why is None:
            self.hide()
        else:
            self._refusal.setText(why)
            self._refusal.show()


class SayBar(QFrame):
    """Says what happened in one sentence, and goes by itself; a refusal stays until it is closed."""

    def __init__(self) -> None:
        super().__init__()
        on(self, "bench")
        row = QHBoxLayout(self)
        sized(row).setContentsMargins(16, 4, 10, 4)
        self._text = label(wrap=True)
        self._act = button("", lambda: None, quiet=True)
        self._close = button("Close", self.hide, quiet=True)
        row.addWidget(self._text, 1)
        row.addWidget(self._act)
        row.addWidget(self._close)
        self._timer = QTimer(self, singleShot=True, interval=9000)
        self._timer.timeout.connect(self.hide)
        self._action: Callable[[], object] | None = None
        self._act.clicked.connect(self._acted)
        self.hide()

    @property
    def text(self) -> str:
        return self._text.text()

    def say(self, text: str, *, refusal: bool = False, action: tuple[str, Callable[[], object]] | None = None) -> None:
        """Say a sentence; `action` is a word to click and what it does."""
        self._text.setText(text)
        as_role(self._text, "refusal" if refusal else "")
        self._action = action[1] if action else None
        self._act.setVisible(action is not None)
        if action:
            self._act.setText(action[0])
            self._act.setAccessibleName(action[0])
        self.show()
        self._timer.stop()
        if not refusal and action is None:
            self._timer.start()

    def _acted(self) -> None:
        self.hide()
        if self._action is not None:
            self._action()


class ProgressBar(QFrame):
    """How far long work is, with its time left and Cancel."""

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self._what = label(role="dust")
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.setRange(0, 1000)
        self._cancel = button("Cancel", lambda: None)
        row.addWidget(self._what)
        row.addWidget(self._bar, 1)
        row.addWidget(self._cancel)
        self._stop: Callable[[], None] | None = None
        self._cancel.clicked.connect(lambda: self._stop() if self._stop else None)
        self.hide()

    def begin(self, what: str, cancel: Callable[[], None]) -> None:
        self._stop = cancel
        self.step(what, 0.0)
        self.show()

    def step(self, what: str, share: float, left_s: float | None = None) -> None:
        left = f" · {left_s:.0f} s left" if left_s is not None and left_s >= 1 else ""
        self._what.setText(what + left)
        self._bar.setValue(int(share * 1000))

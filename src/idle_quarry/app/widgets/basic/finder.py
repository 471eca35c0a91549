"""One search over everything: commands, templates, stations, settings, clips. Opens under the search field."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from idle_quarry.app.appearance.roles import on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.widgets.basic.tinted import tint, tinted
from idle_quarry.library import typed_words

_MOST = 60


@dataclass(frozen=True)
class FinderItem:
    """Something that can be found: its kind, its text, what stands beside it, and what choosing it does."""

    kind: str
    text: str
    beside: str
    act: Callable[[], object]
    also: str = ""  #: more that it is found by
    why_not: str = ""  #: why it cannot be done now

    @property
    def haystack(self) -> str:
        return f"{self.text} {self.beside} {self.kind} {self.also}".lower()


class Finder(QFrame):
    """A field and a list over the window; typing narrows, Enter carries out, Escape goes back."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        on(self, "bench")
        self.setFrameShape(QFrame.Shape.StyledPanel)
        self.field = QLineEdit()
        self.field.setAccessibleName("Search")
        self.results = QListWidget()
        self.results.setAccessibleName("Results")
        self.results.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.results.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        tinted(self.results)
        column = QVBoxLayout(self)
        sized(column).setContentsMargins(8, 8, 8, 8)
        column.addWidget(self.field)
        column.addWidget(self.results)
        self._entries: list[tuple[str, FinderItem]] = []
        self._back: QWidget | None = None
        self.field.textChanged.connect(self._narrow)
        self.field.installEventFilter(self)
        self.results.itemClicked.connect(lambda _item: self._carry_out())
        self.hide()

    def open(self, entries: list[FinderItem], placeholder: str) -> None:
        """Show the finder over `entries`."""
        self._go_back_to(self.window().focusWidget())
        self._entries = [(entry.haystack, entry) for entry in entries]
        self.field.setPlaceholderText(placeholder)
        self.field.clear()
        self._narrow("")
        parent = self.parentWidget()
        assert parent is not None
        width = min(theme.px(680), parent.width() - 40)
        self.setGeometry(
            (parent.width() - width) // 2, theme.px(44), width, min(theme.px(430), parent.height() - theme.px(80))
        )
        self.show()
        self.raise_()
        self.field.setFocus()

    def _narrow(self, text: str) -> None:
        words = typed_words(text)
        items = [entry for hay, entry in self._entries if all(word in hay for word in words)]
        if words:  # what begins with the first word comes before what only contains it
            items.sort(key=lambda entry: not entry.text.lower().startswith(words[0]))
        self.results.clear()
        for entry in items[:_MOST]:
            item = QListWidgetItem("   ".join(filter(None, (entry.text, entry.beside, entry.why_not))))
            tint(item, "dust" if entry.why_not else "")
            item.setData(Qt.ItemDataRole.UserRole, entry)
            item.setToolTip(entry.kind)
            self.results.addItem(item)
        if not items:
            self.results.addItem("nothing has all of these words")
        self.results.setCurrentRow(0)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() == Qt.Key.Key_Escape:
                self._close()
                return True
            if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                row = max(0, min(self.results.count() - 1, self.results.currentRow() + step))
                self.results.setCurrentRow(row)
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._carry_out()
                return True
        if event.type() == QEvent.Type.FocusOut and self.isVisible() and not self.results.underMouse():
            self.hide()
        return super().eventFilter(watched, event)

    def _carry_out(self) -> None:
        item = self.results.currentItem()
        entry = item.data(Qt.ItemDataRole.UserRole) if item else None
        self._close()
        if entry is not None:
            entry.act()

    def _go_back_to(self, widget: QWidget | None) -> None:
        """Note who has the keyboard back afterwards.

        A part of Qt's own that dies meanwhile is known by its last word alone.
        """
        if self._back is not None:
            self._back.destroyed.disconnect(self._forget)
        self._back = widget
        if widget is not None:
            widget.destroyed.connect(self._forget)

    def _forget(self) -> None:
        self._back = None

    def _close(self) -> None:
        self.hide()
        back = self._back
        self._go_back_to(None)
        if back is not None:
            back.setFocus()

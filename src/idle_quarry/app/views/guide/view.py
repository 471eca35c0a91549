"""The guide: sections at the left, narrowed by what is searched, and the one that is read; and about this program."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent, QTextBlockFormat, QTextCharFormat, QTextCursor, QTextDocument
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStackedWidget,
    QTextBrowser,
    QTextEdit,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.desk import Desk
from idle_quarry.app.models.help.guide import sections
from idle_quarry.app.views.guide.about import AboutPage
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.tabs import Tabs
from idle_quarry.app.widgets.basic.tinted import tint, tinted

GUIDE, ABOUT = "Guide", "About"


class GuideView(QWidget):
    """Shows the guide, and forwards what is searched and chosen."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.model = desk, desk.guide
        self.tabs = Tabs((GUIDE, ABOUT), "Guide: {}")
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search the guide")
        self.search.setAccessibleName("Search the guide")
        self.search.setClearButtonEnabled(True)
        self.list = QListWidget()
        self.list.setAccessibleName("Sections of the guide")
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        tinted(self.list)
        self.page = QTextBrowser()
        self.page.setOpenLinks(False)
        sized(self.page).setMaximumWidth(880)
        self.page.setAccessibleName("The section that is read")
        self.about = AboutPage(desk)
        self._stack = QStackedWidget()
        self._build()
        self.first_focus = self.search
        self.tabs.chosen.connect(self._show_tab)
        self.search.textChanged.connect(self.model.search)
        self.list.currentItemChanged.connect(self._chosen)
        self.model.changed.connect(self._show)
        self.model.tab_wanted.connect(self._show_tab)
        theme.changed.connect(self._show)
        self._show()

    def _build(self) -> None:
        head = QHBoxLayout()
        sized(head).setContentsMargins(12, 7, 16, 7)
        head.addWidget(self.tabs)
        head.addStretch(1)
        head.addWidget(button("Back to work", self._back, tip="Esc"))
        left = QVBoxLayout()
        left.addWidget(self.search)
        left.addWidget(self.list, 1)
        inside = QWidget()
        row = QHBoxLayout(inside)
        sized(row).setContentsMargins(16, 0, 16, 12)
        sized(row).setSpacing(16)
        row.addLayout(left, 2)
        row.addWidget(self.page, 5)
        row.addStretch(1)
        self._stack.addWidget(inside)
        self._stack.addWidget(self.about)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addLayout(head)
        outer.addWidget(self._stack, 1)

    def _show_tab(self, name: str) -> None:
        self.tabs.show_on(name)
        self._stack.setCurrentIndex((GUIDE, ABOUT).index(name))
        if name == ABOUT:
            self.about.show_facts()

    def _show(self) -> None:
        model = self.model
        results = model.matches()
        self.list.blockSignals(True)
        self.list.clear()
        for number in results:
            section = sections()[number]
            item = QListWidgetItem(("    " if section.depth == 3 else "") + section.title)
            tint(item, "dust" if section.depth == 3 else "")
            item.setData(Qt.ItemDataRole.UserRole, number)
            self.list.addItem(item)
            if number == model.shown:
                self.list.setCurrentItem(item)
        if not results:
            self.list.addItem("nothing has all of these words")
        self.list.blockSignals(False)
        if self.search.text().lower().split() != list(model.words):
            self.search.setText(" ".join(model.words))
        self.page.document().setDefaultFont(theme.font(14))
        self.page.setMarkdown(model.text())
        self._space()
        self._mark()

    def _space(self) -> None:
        """Give paragraphs and lines the air that Markdown does not ask for."""
        block = self.page.document().begin()
        while block.isValid():
            shape = block.blockFormat()
            shape.setLineHeight(125, QTextBlockFormat.LineHeightTypes.ProportionalHeight.value)
            shape.setBottomMargin(theme.px(6))
            QTextCursor(block).setBlockFormat(shape)
            block = block.next()

    def _mark(self) -> None:
        """Mark what is searched where it stands in the text, and go to the first."""
        marked = []
        format_ = QTextCharFormat()
        format_.setBackground(theme.colour("lichen"))
        format_.setForeground(theme.colour("on_lichen"))
        for word in self.model.words:
            cursor = QTextCursor(self.page.document())
            while not (cursor := self.page.document().find(word, cursor, QTextDocument.FindFlag(0))).isNull():
                item = QTextEdit.ExtraSelection()
                item.cursor, item.format = cursor, format_
                marked.append(item)
        self.page.setExtraSelections(marked)
        if marked:
            first = QTextCursor(marked[0].cursor)
            first.clearSelection()
            self.page.setTextCursor(first)
            self.page.ensureCursorVisible()

    def _chosen(self, item: QListWidgetItem | None) -> None:
        number = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        if isinstance(number, int):
            self.model.read(number)

    def _back(self) -> None:
        self.desk.view_wanted.emit(self.model.came_from)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self._back()
            return
        super().keyPressEvent(event)

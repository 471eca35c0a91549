"""Equipment and specs: every entry at the left, the one that is looked at as a sheet, and what it means drawn
beside it.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QSplitter,
    QStackedWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.roles import on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.desk import Desk
from idle_quarry.app.models.equipment.equipment import ALL
from idle_quarry.app.models.equipment.words import SHELVES
from idle_quarry.app.widgets.basic.ask_bar import AskBar
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.folding_split import FoldingSplit
from idle_quarry.app.widgets.basic.labels import OneLine, label
from idle_quarry.app.widgets.basic.menus import menu_under
from idle_quarry.app.widgets.basic.pages import scrolled
from idle_quarry.app.widgets.basic.tables import fit_rows, words_list, wrapped_table
from idle_quarry.app.widgets.basic.tinted import tint, tinted
from idle_quarry.app.widgets.templates.entry_picture import EntryPicture
from idle_quarry.app.widgets.templates.sheet import Sheet
from idle_quarry.path.entries import KINDS
from idle_quarry.path.entries.edid import screens_here

#: Room in which the sheet and what it means fit beside one another.
_BESIDE = 760


class EquipmentPage(QWidget):
    """Shows the entries, and forwards to their model."""

    guide_section = "Equipment and specs"

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.model = desk, desk.equipment
        self.search = QLineEdit(clearButtonEnabled=True)
        self.kind, self.shelf = QComboBox(), QComboBox()
        self.list = QListWidget()
        self.nothing = label(role="dust", wrap=True)
        self.ask = AskBar()
        self.name, self.about = OneLine("title"), label(role="dust", wrap=True)
        self.uses = label(role="dust", wrap=True)
        self.sheet, self.picture, self.history = Sheet(self.model.type, (4, 5)), EntryPicture(), words_list()
        self.facts = wrapped_table("What it says", {"": 150, " ": 0})
        self.middle = QStackedWidget()
        model = self.model
        self.copy_button = button("Copy and change", model.begin.ask_copy, main=True)
        self.copy_own_button = button("Copy", model.begin.ask_copy, quiet=True)
        self.save_button = button("Save draft", model.ask_save, main=True)
        self.discard_button = button("Drop changes", model.discard, quiet=True)
        self.propose_button = button("Send to review", lambda: model.act("propose"))
        self.approve_button = button("Approve", lambda: model.act("approve"))
        self.withdraw_button = button("Withdraw", lambda: model.act("withdraw"), quiet=True)
        self.aside_button = button("Put aside", model.put_aside, quiet=True)
        self.back_button = button("Put back on the shelf", model.bring_back)
        self.export_button = button("Export", model.begin.ask_export, quiet=True)
        self._build()
        self.first_focus = self.list
        model.listed.connect(self._show_list)
        model.changed.connect(self._show_entry)
        model.asked.connect(self.ask.put)
        model.begin.place_asked.connect(self._ask_place)
        desk.documents.opened.connect(self._show_entry)
        self._show_list()
        self._show_entry()

    def _build(self) -> None:
        split = QSplitter(Qt.Orientation.Horizontal)
        split.setObjectName("equipment")
        split.addWidget(self._left())
        split.addWidget(self._right())
        split.setSizes([theme.px(310), theme.px(970)])
        split.setChildrenCollapsible(False)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(self.ask)
        outer.addWidget(split, 1)

    def _left(self) -> QWidget:
        model = self.model
        self.search.setAccessibleName("Search equipment and specs")
        self.search.setPlaceholderText("Search equipment and specs")
        self.search.textChanged.connect(lambda text: model.look_for(typed=text))
        self.new_button = button("New", lambda: menu_under(self.new_button, self._kinds()), main=True)
        top = QHBoxLayout()
        sized(top).setContentsMargins(12, 10, 12, 0)
        sized(top).setSpacing(7)
        top.addWidget(self.search, 1)
        top.addWidget(button("Import", model.begin.ask_import))
        top.addWidget(self.new_button)
        self.kind.addItems([ALL, *(kind.many for kind in KINDS.values())])
        self.shelf.addItems(SHELVES)
        self.kind.textActivated.connect(lambda text: model.look_for(kind=text))
        self.shelf.textActivated.connect(lambda text: model.look_for(shelf=text))
        boxes = QHBoxLayout()
        sized(boxes).setContentsMargins(12, 6, 12, 8)
        sized(boxes).setSpacing(7)
        for box, name in ((self.kind, "Kind"), (self.shelf, "Shelf")):
            box.setAccessibleName(name)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(6)
            boxes.addWidget(box, 1)
        boxes.addWidget(button("Templates", self.desk.shelf.back, quiet=True, tip="back to the templates"))
        self.list.setAccessibleName("Equipment and specs")
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentItemChanged.connect(self._row_chosen)
        tinted(self.list)
        sized(self.nothing).setContentsMargins(16, 12, 16, 10)
        widget = QWidget()
        column = QVBoxLayout(widget)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(top)
        column.addLayout(boxes)
        column.addWidget(self.nothing)
        column.addWidget(self.list, 1)
        return widget

    def _kinds(self) -> list[tuple[str, Callable[[], object] | None]]:
        """Return what can be begun: each kind, and monitors out of what screens say of themselves."""
        model = self.model
        results: list[tuple[str, Callable[[], object] | None]] = [
            (kind.one, partial(model.begin.ask_new, kind.word)) for kind in KINDS.values()
        ]
        here = [
            (f"Monitor: this machine's {path.parent.name}", partial(model.begin.ask_screen, path))
            for path in screens_here()
        ]
        return [*results, ("", None), *here, ("Monitor from an EDID file", model.begin.ask_screen)]

    def _right(self) -> QWidget:
        widget = QWidget()
        on(widget, "bench")
        head = QHBoxLayout()
        sized(head).setSpacing(7)
        head.addWidget(self.name, 1)
        for item in (
            self.export_button,
            self.copy_own_button,
            self.aside_button,
            self.withdraw_button,
            self.discard_button,
            self.back_button,
            self.approve_button,
            self.propose_button,
            self.save_button,
            self.copy_button,
        ):
            head.addWidget(item)
        top = QVBoxLayout()
        sized(top).setContentsMargins(16, 10, 12, 6)
        sized(top).setSpacing(3)
        top.addLayout(head)
        top.addWidget(self.about)
        top.addWidget(self.uses)
        self.sheet.put_back.connect(self.model.put_back)
        self.facts.horizontalHeader().hide()
        self.middle.addWidget(self.sheet)
        self.middle.addWidget(self.facts)
        drawn = QVBoxLayout()
        drawn.addWidget(self.picture)
        drawn.addWidget(self._history_head())
        drawn.addWidget(self.history, 1)
        right = scrolled(drawn)
        sized(drawn).setContentsMargins(16, 4, 12, 8)
        beside = FoldingSplit(_BESIDE)
        beside.setObjectName("equipment-core")
        beside.addWidget(self.middle)
        beside.addWidget(right)
        beside.setSizes([theme.px(490), theme.px(480)])
        column = QVBoxLayout(widget)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(top)
        column.addWidget(beside, 1)
        return widget

    def _history_head(self) -> QWidget:
        self.history_head = label("History", "head")
        self.history.setAccessibleName("History of the entry")
        sized(self.history).setMinimumHeight(90)
        return self.history_head

    # -- showing -------------------------------------------------------------------------------------------------

    def _show_list(self) -> None:
        model = self.model
        self.kind.setCurrentText(model.kind)
        self.shelf.setCurrentText(model.shelf)
        blocker = QSignalBlocker(self.list)
        self.list.clear()
        last = ""
        for row in model.rows:
            kind = KINDS[row.entry.entry].many
            if kind != last:
                head = QListWidgetItem(kind)
                head.setFlags(Qt.ItemFlag.NoItemFlags)
                tint(head, "dust")
                self.list.addItem(head)
                last = kind
            beside = model.words.shelf_words(row)
            item = QListWidgetItem(f"    {row.entry.name}" + (f"   ·   {beside}" if beside else ""))
            item.setData(Qt.ItemDataRole.UserRole, row.ident)
            item.setToolTip(row.words)
            tint(item, "" if row.revision is not None else "dust")
            self.list.addItem(item)
            if row.ident == model.ident:
                self.list.setCurrentItem(item)
        blocker.unblock()
        self.nothing.setText(model.words.nothing_words())
        self.nothing.setVisible(not model.rows)

    def _mark_chosen(self) -> None:
        for number in range(self.list.count()):
            item = self.list.item(number)
            if item.data(Qt.ItemDataRole.UserRole) == self.model.ident and item is not self.list.currentItem():
                with QSignalBlocker(self.list):
                    self.list.setCurrentItem(item)
                self.list.scrollToItem(item)

    def _row_chosen(self, item: QListWidgetItem | None) -> None:
        ident = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        if isinstance(ident, str):
            self.model.choose(ident)

    def _show_entry(self) -> None:
        model = self.model
        self._mark_chosen()
        entry, acts = model.entry, model.acts()
        own = entry is not None and bool(entry.uid)
        self.name.setText(entry.name if entry is not None else "")
        self.about.setText(model.words.about_words())
        self.uses.setText(model.words.use_words())
        self.middle.setCurrentWidget(self.sheet if own else self.facts)
        if own:
            self.sheet.show_settings(model.settings(), model.words.before())
        else:
            self._show_told()
        self.sheet.setEnabled(acts.edit)
        document = self.desk.document
        feed = document.template.monitor if document is not None else None
        self.picture.show_entry(entry, feed.format if feed else None, document.template.name if document else "")
        self.history.clear()
        self.history.addItems(model.history)
        self.history.setVisible(bool(model.history))
        self.history_head.setVisible(bool(model.history))
        for item, shown in (
            (self.copy_button, entry is not None and not own),
            (self.copy_own_button, own),
            (self.export_button, entry is not None),
            (self.save_button, acts.save),
            (self.discard_button, acts.save),
            (self.propose_button, acts.propose),
            (self.approve_button, acts.approve),
            (self.withdraw_button, acts.withdraw),
            (self.aside_button, acts.aside),
            (self.back_button, acts.back),
        ):
            item.setVisible(shown)

    def _show_told(self) -> None:
        rows = self.model.words.rows()
        self.facts.setRowCount(len(rows))
        for number, (name, text) in enumerate(rows):
            for column, words in enumerate((name, text)):
                item = QTableWidgetItem(words)
                tint(item, "dust" if column == 0 else "")
                self.facts.setItem(number, column, item)
        fit_rows(self.facts)

    def _ask_place(self, what: str, name: str, take: Callable[[Path], object], write: bool) -> None:
        start = str(self.desk.shelf.files.folder() / name)
        ask = QFileDialog.getSaveFileName if write else QFileDialog.getOpenFileName
        chosen, _kind = ask(self, what, start, "Any file (*)" if "EDID" in what else "Entry (*.json)")
        if chosen:
            take(Path(chosen))

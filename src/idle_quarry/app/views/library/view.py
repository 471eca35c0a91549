"""The Library view: the shelves on the left, the chosen template on the right, and the pages that take the whole
view.
"""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListView,
    QSizePolicy,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.desk import Desk
from idle_quarry.app.models.library.menus import beginnings
from idle_quarry.app.models.library.rows import SUMMARY
from idle_quarry.app.models.library.search_text import SHELVES
from idle_quarry.app.models.library.shelf import territory_words
from idle_quarry.app.views.library.shelf_list import ShelfDelegate
from idle_quarry.app.views.library.template_page import TemplatePage
from idle_quarry.app.widgets.basic.ask_bar import AskBar
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.menus import menu_under

FILES = "Templates and bundles (*.json *.zip)"
#: The pages over the shelves: the name on the model, the module here, and its class.
_PAGES = {
    "review": "ReviewPage",
    "merge": "MergePage",
    "importing": "ImportingPage",
    "standard_set": "StandardSetPage",
    "many": "ManyPage",
    "equipment": "EquipmentPage",
}


class LibraryView(QWidget):
    """Shows the shelves, and forwards to their model."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.model = desk, desk.shelf
        self.search = QLineEdit(clearButtonEnabled=True)
        self.search.setAccessibleName("Search templates")
        self.shelf, self.territory, self.lines = QComboBox(), QComboBox(), QComboBox()
        self.list = self._made_list()
        self.ask = AskBar()
        self.page = TemplatePage(desk)
        self._pages: dict[str, QWidget] = {}
        self._build()
        self.first_focus = self.list
        self.search.textChanged.connect(lambda text: self.model.look_for(typed=text))
        self.shelf.textActivated.connect(lambda text: self.model.look_for(shelf=text))
        self.territory.activated.connect(lambda _i: self.model.look_for(territory=self.territory.currentData()))
        self.lines.activated.connect(lambda _i: self.model.look_for(lines=self.lines.currentData()))
        self.model.listed.connect(self._show_found)
        self.model.asked.connect(self.ask.put)
        self.model.page_wanted.connect(self._show_page)
        self.model.import_asked.connect(self._ask_import)
        self.model.files.place_asked.connect(self._ask_place)
        self._show_found()

    def _made_list(self) -> QListView:
        result = QListView()
        result.setModel(self.model.rows)
        self._delegate = ShelfDelegate(self.model.paths)
        result.setItemDelegate(self._delegate)
        self.model.paths.worked_out.connect(result.viewport().update)
        result.setUniformItemSizes(True)
        result.setLayoutMode(QListView.LayoutMode.Batched)  # ten thousand rows are not laid out at each keystroke
        result.setAccessibleName("Templates")
        result.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        result.selectionModel().currentChanged.connect(self._row_chosen)
        result.activated.connect(lambda _index: self.model.open_chosen())
        return result

    def _build(self) -> None:
        self.new_button = button("New", lambda: menu_under(self.new_button, beginnings(self.model)), main=True)
        self.import_button = button("Import", self.model.import_asked.emit)
        tools = QHBoxLayout()
        sized(tools).setSpacing(7)
        sized(tools).setContentsMargins(12, 10, 12, 0)
        tools.addWidget(self.search, 1)
        tools.addWidget(self.import_button)
        tools.addWidget(self.new_button)
        self.shelf.addItems(list(SHELVES))
        self.territory.addItem("Any territory", None)
        for ident, words in territory_words().items():
            self.territory.addItem(words, ident)
        filters = QHBoxLayout()
        sized(filters).setSpacing(7)
        sized(filters).setContentsMargins(12, 6, 12, 8)
        for box, name in ((self.shelf, "Shelf"), (self.territory, "Territory"), (self.lines, "Raster")):
            box.setAccessibleName(name)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
            box.setSizePolicy(QSizePolicy.Policy.Minimum, QSizePolicy.Policy.Fixed)
            filters.addWidget(box)
        filters.addStretch(1)
        filters.addWidget(
            button("Equipment", self.model.show_equipment, quiet=True, tip="monitors, specs, codecs, layouts: Ctrl+E")
        )
        filters.addWidget(
            button("Table", self.model.show_table, quiet=True, tip="settings of all that is shown, and changes in many")
        )
        self.nothing = label("", "dust", wrap=True)
        self.nothing.setAlignment(Qt.AlignmentFlag.AlignCenter)
        sized(self.nothing).setContentsMargins(16, 12, 16, 10)
        self.first_step = button("The standard set of a house", self.model.show_standard_set, main=True)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(tools)
        column.addLayout(filters)
        column.addWidget(self.nothing)
        column.addWidget(self.first_step, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addWidget(self.list, 1)
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.setObjectName("library")
        self.split.addWidget(left)
        self.split.addWidget(self.page)
        self.split.setSizes([theme.px(600), theme.px(680)])
        self.split.setChildrenCollapsible(False)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.split)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(self.ask)
        outer.addWidget(self.pages, 1)

    # -- showing ---------------------------------------------------------------------------------------------

    def _show_found(self) -> None:
        model = self.model
        shown = model.rows.shown
        if self.search.text().strip() != model.sought.typed.strip():
            self.search.blockSignals(True)
            self.search.setText(model.sought.typed)
            self.search.blockSignals(False)
        self.shelf.setCurrentText(model.sought.shelf)
        self.territory.setCurrentIndex(max(0, self.territory.findData(model.sought.territory)))
        self.lines.clear()
        self.lines.addItem("Any raster", None)
        for lines in model.lines_present:
            self.lines.addItem(f"{lines} lines", lines)
        self.lines.setCurrentIndex(max(0, self.lines.findData(model.sought.lines)))
        self.nothing.setVisible(shown == 0)
        self.nothing.setText(model.nothing_words())
        self.first_step.setVisible(model.nothing_at_all)
        self.search.setPlaceholderText(f"Search {model.counted_words()} by name, note, format, delivery")
        self.list.setAccessibleDescription(model.counted_words())
        summary = model.chosen.summary
        row = model.rows.row_of(summary.id) if summary is not None else None
        if row is not None:
            self.list.selectionModel().blockSignals(True)
            self.list.setCurrentIndex(model.rows.index(row))
            self.list.selectionModel().blockSignals(False)
            self.list.viewport().update()

    def _row_chosen(self) -> None:
        index = self.list.currentIndex()
        if index.isValid() and index.data(SUMMARY) is not None:
            self.model.choose_row(index.row())

    # -- pages that take the whole view ------------------------------------------------------------------------

    def _show_page(self, page: str) -> None:
        widget = self.split if page not in _PAGES else self._page(page)
        self.pages.setCurrentWidget(widget)
        (self.list if widget is self.split else widget.first_focus).setFocus()  # type: ignore[attr-defined]

    def _page(self, name: str) -> QWidget:
        if name not in self._pages:
            module = import_module(f"idle_quarry.app.views.library.{name}")
            self._pages[name] = getattr(module, _PAGES[name])(self.desk)
            self.pages.addWidget(self._pages[name])
        return self._pages[name]

    # -- files ---------------------------------------------------------------------------------------------------

    def _ask_import(self) -> None:
        """Ask for a file, and show what it offers."""
        name, _kind = QFileDialog.getOpenFileName(self, "Import templates", str(self.model.files.folder()), FILES)
        if name:
            self.desk.importing.open(Path(name))

    def _ask_place(self, what: str, name: str, kinds: str, write: Callable[[Path], object]) -> None:
        start = str(self.model.files.folder() / name)
        into = QFileDialog.Option.DontConfirmOverwrite if write == self.model.files.carry_to else QFileDialog.Option(0)
        chosen, _kind = QFileDialog.getSaveFileName(self, what, start, kinds, options=into)
        if chosen:
            write(Path(chosen))

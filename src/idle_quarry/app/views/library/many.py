"""Many templates as a table of their settings.

Below, one setting changed in all that are chosen, looked at before it is saved.
"""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QAbstractTableModel, QItemSelection, QModelIndex, QPersistentModelIndex, QPoint, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QCompleter,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QSplitter,
    QTableView,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.desk import Desk
from idle_quarry.app.models.library.many import ManyTemplates
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.menus import menu_under
from idle_quarry.app.widgets.basic.pages import page_head
from idle_quarry.app.widgets.basic.progress_bar import ProgressBar
from idle_quarry.app.widgets.basic.tables import fit_rows, wrapped_table
from idle_quarry.app.widgets.basic.tinted import tint, tinted
from idle_quarry.counting import counted
from idle_quarry.path.settings import label_in_all

Index = QModelIndex | QPersistentModelIndex
#: Rows of the preview that are written out; more are counted.
_MOST_SHOWN = 200


class _Rows(QAbstractTableModel):
    """The table's cells, asked for as they come into sight."""

    def __init__(self, model: ManyTemplates) -> None:
        super().__init__()
        self._many = model

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008  (Qt's own signature)
        return 0 if parent.isValid() else len(self._many.ids)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self._many.columns) + 1

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            return None
        return self._many.text(self._many.ids[index.row()], index.column())

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if orientation != Qt.Orientation.Horizontal:
            return None
        if role == Qt.ItemDataRole.ToolTipRole and section:
            return f"{self._many.columns[section - 1]}: click to sort, right-click to leave it out"
        return self._many.heads()[section] if role == Qt.ItemDataRole.DisplayRole else None

    def anew(self) -> None:
        self.beginResetModel()
        self.endResetModel()


class ManyPage(QWidget):
    """Shows the table and the change, and forwards to their model."""

    guide_section = "Many at once"

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.model = desk, desk.many
        self.title, self.sum = label(role="title"), label(role="dust", wrap=True)
        self.rows = _Rows(self.model)
        self.table = self._made_table()
        self.column, self.setting, self.value = QComboBox(), QComboBox(), QComboBox()
        self.note = QLineEdit()
        self.preview = wrapped_table("What it would do", {"Template": 210, "Now": 190, "Then": 190, "What it does": 0})
        self.saving_words = label(role="dust", wrap=True)
        self.save_button = button("Save drafts", lambda: self.model.save(self.note.text().strip()), main=True)
        self.progress = ProgressBar()
        self._build()
        self.first_focus = self.table
        self.model.changed.connect(self._show)
        self.model.preview_changed.connect(self._show_preview)
        self.model.running_changed.connect(self._show_running)
        self.model.progressed.connect(self.progress.step)
        self._show()
        self._show_preview()

    def _made_table(self) -> QTableView:
        result = QTableView()
        result.setModel(self.rows)
        result.setAccessibleName("Templates and their settings")
        result.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        result.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        result.setShowGrid(False)
        result.setWordWrap(False)
        result.verticalHeader().hide()
        result.setTabKeyNavigation(False)
        result.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        header = result.horizontalHeader()
        header.setSectionsClickable(True)
        header.setSortIndicatorShown(True)
        header.setStretchLastSection(True)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        header.sectionClicked.connect(self.model.sort)
        header.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        header.customContextMenuRequested.connect(self._column_menu)
        result.selectionModel().selectionChanged.connect(self._chosen)
        result.activated.connect(lambda index: self.desk.open_stored(self.model.ids[index.row()]))
        sized(result.verticalHeader()).setDefaultSectionSize(26)
        tinted(result)
        return result

    def _build(self) -> None:
        back = button("Back to the shelf", self.desk.shelf.back, tip="Esc")
        self.column.setAccessibleName("Add a column")
        sized(self.column).setMinimumWidth(220)
        self.column.activated.connect(lambda index: self.model.add_column(self.column.itemData(index) or ""))
        views = button("Tables", lambda: menu_under(views, self.model.views()), tip="tables kept by a name")
        head = page_head(self.title, self.sum, self.column, views, back)
        for box, name in ((self.setting, "The setting that is changed"), (self.value, "What it is changed to")):
            box.setEditable(True)
            box.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
            box.setAccessibleName(name)
            completer = box.completer()
            assert completer is not None
            completer.setFilterMode(Qt.MatchFlag.MatchContains)
            completer.setCompletionMode(QCompleter.CompletionMode.PopupCompletion)
        self.setting.currentTextChanged.connect(self._setting_chosen)
        self.look_button = button("Look what it does", self._look)
        value = self.value.lineEdit()
        assert value is not None
        value.returnPressed.connect(self._look)
        self.note.setAccessibleName("What has changed")
        self.note.setPlaceholderText("what has changed, for the history")
        change = QHBoxLayout()
        sized(change).setContentsMargins(16, 6, 16, 4)
        sized(change).setSpacing(7)
        change.addWidget(label("Change in all of these", "head"))
        change.addWidget(self.setting, 3)
        change.addWidget(label("to", "dust"))
        change.addWidget(self.value, 2)
        change.addWidget(self.look_button)
        saving = QHBoxLayout()
        sized(saving).setContentsMargins(16, 4, 16, 8)
        sized(saving).setSpacing(7)
        saving.addWidget(self.saving_words, 1)
        saving.addWidget(self.progress, 2)
        saving.addWidget(self.note, 2)
        saving.addWidget(self.save_button)
        below = QWidget()
        column = QVBoxLayout(below)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(change)
        column.addWidget(self.preview, 1)
        column.addLayout(saving)
        split = QSplitter(Qt.Orientation.Vertical)
        split.setObjectName("library-many")
        split.addWidget(self.table)
        split.addWidget(below)
        split.setChildrenCollapsible(False)
        split.setSizes([theme.px(420), theme.px(300)])
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addLayout(head)
        outer.addWidget(split, 1)

    # -- showing ---------------------------------------------------------------------------------------------

    def _show(self) -> None:
        model = self.model
        self.title.setText(model.title_words())
        self.sum.setText(
            "Of each the revision that jobs start from. Ctrl and Shift choose several; a search on the shelves narrows."
        )
        shape = len(model.columns), tuple(model.ids)
        if (
            shape != self.property("shape")
            or model.order != self.property("order")
            or model.rising != self.property("rising")
        ):
            self.setProperty("shape", shape)
            self.setProperty("order", model.order)
            self.setProperty("rising", model.rising)
            self.rows.anew()
            for column in range(len(model.columns) + 1):
                self.table.setColumnWidth(column, theme.px(230 if column in (0, 1) else 190))
            order = Qt.SortOrder.AscendingOrder if model.rising else Qt.SortOrder.DescendingOrder
            self.table.horizontalHeader().setSortIndicator(model.order, order)
            self.column.clear()
            self.column.addItem("Add a column", "")
            for place in model.places():
                self.column.addItem(f"{label_in_all(place)} ({place})", place)
        labels = [offer.label for offer in model.offers]
        if labels != [self.setting.itemText(n) for n in range(self.setting.count())]:
            typed = self.setting.currentText()
            self.setting.blockSignals(True)
            self.setting.clear()
            self.setting.addItems(labels)
            self.setting.setCurrentText(typed if typed in labels else "")
            self.setting.blockSignals(False)
        for item in (self.setting, self.value, self.look_button):
            item.setEnabled(bool(model.chosen))

    def _show_preview(self) -> None:
        model = self.model
        rows = model.preview[:_MOST_SHOWN]
        self.preview.setRowCount(len(rows))
        for number, row in enumerate(rows):
            what = row.refused or ("\n".join(row.effects) if row.template is not None else "it is so already")
            texts = row.name, row.before, row.after, what or "nothing else changes"
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                refused = column == 3 and bool(row.refused)
                tint(item, "oxide" if refused else "dust" if row.template is None else "", bold=column == 2)
                self.preview.setItem(number, column, item)
        fit_rows(self.preview)
        more = len(model.preview) - len(rows)
        nothing = (
            "Choose templates above, a setting and what it is changed to. Nothing is saved before you have looked."
        )
        words = model.preview_words() + (f"; {more} more than are shown" if more > 0 else "")
        self.saving_words.setText(words or nothing)
        count = len(model.changing())
        self.save_button.setText(f"Save {counted(count, 'draft')}" if count else "Save drafts")
        self._show_running()

    def _show_running(self) -> None:
        running = self.model.running
        if running and not self.progress.isVisible():
            self.progress.begin("looking at each", self.model.cancel)
        self.progress.setVisible(running)
        self.note.setVisible(not running)
        self.save_button.setEnabled(bool(self.model.changing()) and not running)

    # -- what is done --------------------------------------------------------------------------------------------

    def _chosen(self, _on: QItemSelection, _off: QItemSelection) -> None:
        rows = sorted(index.row() for index in self.table.selectionModel().selectedRows())
        self.model.choose([self.model.ids[row] for row in rows if row < len(self.model.ids)])

    def _setting_chosen(self, text: str) -> None:
        offer = next((offer for offer in self.model.offers if offer.label == text), None)
        self.value.clear()
        if offer is not None:
            self.value.addItems(list(offer.choices))
            self.value.setCurrentText("")

    def _look(self) -> None:
        offer = next((offer for offer in self.model.offers if offer.label == self.setting.currentText()), None)
        if offer is None:
            self.desk.say("Choose which setting is to be changed.", refusal=True)
            return
        self.model.look(offer.place, self.value.currentText().strip())

    def _column_menu(self, point: QPoint) -> None:
        column = self.table.horizontalHeader().logicalIndexAt(point)
        if column > 0:
            menu = QMenu(self)
            menu.addAction("Leave this column out", partial(self.model.remove_column, self.model.columns[column - 1]))
            menu.exec(self.table.horizontalHeader().mapToGlobal(point))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.desk.shelf.back()
            return
        super().keyPressEvent(event)

"""Tables whose texts wrap, and lists of what was said."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QModelIndex, Qt, QTimer
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QListWidget,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QTableWidget,
)

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.models.table_rows import COLOUR
from idle_quarry.app.widgets.basic.tinted import tinted


class ColourDelegate(QStyledItemDelegate):
    """Writes cells in the colour that they say they have, and some columns in figures of one width."""

    def __init__(self, parent: QTableView, figures: Sequence[int] = ()) -> None:
        super().__init__(parent)
        self._figures = frozenset(figures)

    def initStyleOption(self, option: QStyleOptionViewItem, index: QModelIndex) -> None:  # type: ignore[override]
        super().initStyleOption(option, index)
        colour = index.data(COLOUR)
        if colour:
            option.palette.setColor(option.palette.ColorRole.Text, theme.colour(colour))
        if index.column() in self._figures:
            option.font = theme.font(12, mono=True)


def words_list() -> QListWidget:
    """Return a list of what was said and done: whole sentences, wrapped, nothing to choose."""
    result = QListWidget()
    result.setWordWrap(True)
    result.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    result.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
    result.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
    result.setProperty("told", "true")
    tinted(result)
    return result


def rows_of_one_height(table: QTableView, name: str, widths: Sequence[int], height: int) -> None:
    """Have a table show whole rows of a height to choose from, no grid, heads at the left.

    The last column takes what is left.
    """
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.verticalHeader().hide()
    sized(table.verticalHeader()).setDefaultSectionSize(height)
    table.setShowGrid(False)
    table.setWordWrap(False)
    table.setTabKeyNavigation(False)
    table.setAccessibleName(name)
    head = table.horizontalHeader()
    head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    head.setStretchLastSection(True)
    head.setHighlightSections(False)
    for column, width in enumerate(widths):
        sized(table).setColumnWidth(column, width)


def wrapped_table(name: str, columns: dict[str, int]) -> QTableWidget:
    """Return a table whose texts wrap; `columns` are the heads and their widths, 0 for those that share the rest."""
    result = QTableWidget(0, len(columns))
    result.setHorizontalHeaderLabels(list(columns))
    result.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    result.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    result.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
    result.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
    result.setShowGrid(False)
    result.setWordWrap(True)
    result.setAccessibleName(name)
    result.verticalHeader().hide()
    header = result.horizontalHeader()
    header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    for column, width in enumerate(columns.values()):
        sized(result).setColumnWidth(column, width)
        if not width:
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
    fit = QTimer(result, singleShot=True, interval=0)  # once for all columns that a new width moved
    fit.timeout.connect(lambda: fit_rows(result))
    header.sectionResized.connect(lambda *_: fit.start())
    theme.changed.connect(fit.start)
    tinted(result)
    return result


def fit_rows(table: QTableWidget, least: int = 0) -> None:
    """Make the rows of a table as high as their texts, with air around them, and no lower than their widgets.

    `least` is a height at 100 % of text size; it is kept for the next time.
    """
    if least:
        table.setProperty("least", least)
    table.resizeRowsToContents()
    for row in range(table.rowCount()):
        widgets = [table.cellWidget(row, column) for column in range(table.columnCount())]
        high = max((widget.sizeHint().height() for widget in widgets if widget is not None), default=0)
        table.setRowHeight(row, max(table.rowHeight(row) + theme.px(10), high, theme.px(table.property("least") or 0)))

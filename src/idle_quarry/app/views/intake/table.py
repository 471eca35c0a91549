"""The table of clips: rows that are sorted, filtered and chosen."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemView, QTableView

from idle_quarry.app.models.intake.intake import Intake
from idle_quarry.app.models.intake.rows import ROW
from idle_quarry.app.views.intake.row_delegate import RowDelegate
from idle_quarry.app.widgets.basic.tables import rows_of_one_height

_WIDTHS = (212, 136, 200, 168, 144)


class ClipTable(QTableView):
    """Shows the clips of the model, and says which is chosen."""

    def __init__(self, model: Intake) -> None:
        super().__init__()
        self._intake = model
        self.setModel(model.filtered)
        self.setItemDelegate(RowDelegate(model.rows, self))
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        rows_of_one_height(self, "Clips", _WIDTHS, 42)
        self.setSortingEnabled(True)
        self.sortByColumn(0, Qt.SortOrder.AscendingOrder)
        self.selectionModel().currentRowChanged.connect(lambda *_: self._chosen())

    def _chosen(self) -> None:
        index = self.currentIndex()
        if index.isValid():
            self._intake.choose(index.data(ROW).path)

    def show_chosen(self) -> None:
        """Choose the row of the clip that is looked at, where it is shown."""
        path, index = self._intake.chosen, self.currentIndex()
        if path is None or (index.isValid() and index.data(ROW).path == path):
            return
        for row in range(self._intake.filtered.rowCount()):
            if self._intake.filtered.index(row, 0).data(ROW).path == path:
                self.selectRow(row)
                return

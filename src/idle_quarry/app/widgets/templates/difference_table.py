"""What differs between two templates, setting by setting: both values, and what the difference does by itself."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHeaderView, QTableWidgetItem, QVBoxLayout, QWidget

from idle_quarry.app.widgets.basic.tables import fit_rows, wrapped_table
from idle_quarry.app.widgets.basic.tinted import tint
from idle_quarry.path.changes.effects import DifferenceRow

_PLACE = Qt.ItemDataRole.UserRole
#: Sentences of an effect shown in a row; the rest are counted.
_MOST_SAID = 3


class DifferenceTable(QWidget):
    """A row a setting. `picked` says the place of the row chosen."""

    picked = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        columns = {"Setting": 190, "Before": 150, "After": 150, "Effect of this change alone": 0}
        self.table = wrapped_table("Differences", columns)
        self.table.currentItemChanged.connect(self._picked)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(self.table)
        self.setFocusProxy(self.table)

    def show_differences(self, rows: list[DifferenceRow], a: str, b: str, *, effects: bool = True) -> None:
        """Show differences under the names of the two, with what each does alone or without."""
        table = self.table
        table.blockSignals(True)
        table.setHorizontalHeaderLabels(["Setting", a, b, "Effect of this change alone" if effects else ""])
        for column in (1, 3):
            table.setColumnHidden(column, not effects)
        modes = QHeaderView.ResizeMode
        table.horizontalHeader().setSectionResizeMode(2, modes.Interactive if effects else modes.Stretch)
        table.setRowCount(len(rows))
        for number, row in enumerate(rows):
            for column, text in enumerate((row.label, row.a, row.b, effect_words(row) if effects else "")):
                item = QTableWidgetItem(text)
                item.setData(_PLACE, row.change.place)
                if column == 0:
                    tint(item, "", bold=True)
                elif column == 1:
                    tint(item, "dust")
                elif column == 3 and row.effect is not None:
                    tint(item, _gravity(row))
                table.setItem(number, column, item)
        table.blockSignals(False)
        fit_rows(table)

    def _picked(self, item: QTableWidgetItem | None) -> None:
        if item is not None:
            self.picked.emit(item.data(_PLACE))


def effect_words(row: DifferenceRow) -> str:
    """Return what a difference does, in a few sentences."""
    if row.effect is None:
        return "cannot be changed alone: it goes with the others"
    texts = row.effect.sentences()
    texts += [row.effect.data_words] if row.effect.data_words else []
    if not texts:
        return "no link and no finding changes"
    more = [f"and {len(texts) - _MOST_SAID} more"] if len(texts) > _MOST_SAID else []
    return "\n".join([*texts[:_MOST_SAID], *more])


def _gravity(row: DifferenceRow) -> str:
    effect = row.effect
    assert effect is not None
    if any(finding.severity == "stop" for finding in effect.gained) or any(
        link.after == "broken" for link in effect.links
    ):
        return "oxide"
    if any(finding.severity == "caution" for finding in effect.gained) or any(
        link.after == "lossy" for link in effect.links
    ):
        return "ochre"
    return "dust" if effect.nothing else "chalk"

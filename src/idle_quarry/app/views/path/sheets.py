"""The sheets of the Path view: tabs, a heading with what can be done, and the settings or the structure."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from idle_quarry.app.appearance.roles import on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.desk import Desk
from idle_quarry.app.models.path.path import SHEETS
from idle_quarry.app.views.path.structure import StructureSheet
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.tabs import Tabs
from idle_quarry.app.widgets.templates.sheet import Sheet

_STATION = "Chosen station"


class Sheets(QWidget):
    """Shows the sheet that the model names, and forwards what is typed."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.model = desk.path
        on(self, "ground")
        self.setProperty("ground", "ground")
        self.tabs = Tabs([_STATION, *SHEETS.values()], "Sheet: {}")
        self.tabs.chosen.connect(self._tab_chosen)
        self.title, self.note = label(role="head"), label(role="dust")
        self.prove_button = button(
            "Test on pictures",
            self.model.prove,
            quiet=True,
            tip="see this link's conversion on real pictures, method beside method",
        )
        self.add_button = button("", self.model.stations.add, quiet=True)
        self.remove_button = button("Remove", self.model.stations.remove, quiet=True)
        self.sheet, self.structure = Sheet(self.model.type), StructureSheet(self.model.structure)
        self._stack = QStackedWidget()
        self._stack.addWidget(self.sheet)
        self._stack.addWidget(self.structure)
        row = QHBoxLayout()
        sized(row).setContentsMargins(9, 4, 8, 0)
        row.addWidget(self.tabs)
        row.addStretch(1)
        head = QHBoxLayout()
        sized(head).setContentsMargins(16, 6, 10, 2)
        head.addWidget(self.title)
        head.addStretch(1)
        for item in (self.note, self.prove_button, self.add_button, self.remove_button):
            head.addWidget(item)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(row)
        column.addLayout(head)
        column.addWidget(self._stack, 1)
        self.sheet.put_back.connect(self.model.put_back)
        self.model.changed.connect(self._show)
        self.model.sheet_changed.connect(self._show)
        self.model.focus_wanted.connect(self.sheet.focus)
        self._show()

    def _tab_chosen(self, name: str) -> None:
        ids = {words: ident for ident, words in SHEETS.items()}
        self.model.choose(ids.get(name, self.model.station))

    def _show(self) -> None:
        model = self.model
        if model.document is None:
            return
        self.tabs.show_on(SHEETS.get(model.sheet, _STATION))
        self.title.setText(model.sheet_name())
        self.note.setText("† locked once a job has a timeline" if model.sheet == "working" else "")
        self.prove_button.setVisible(model.has_something_to_prove())
        self.remove_button.setVisible(model.stations.removable)
        self.add_button.setText(model.stations.add_words())
        self.add_button.setAccessibleName(model.stations.add_words())
        self.add_button.setVisible(bool(model.stations.add_words()))
        if model.sheet == "structure":
            self._stack.setCurrentWidget(self.structure)
        else:
            self._stack.setCurrentWidget(self.sheet)
            self.sheet.show_settings(model.settings(), model.before())

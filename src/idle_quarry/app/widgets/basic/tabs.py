"""A row of quiet buttons of which one is on: the pages of a view, the kinds of evidence."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QWidget

from idle_quarry.app.appearance.sizes import sized


class Tabs(QWidget):
    """`chosen` says which was pressed."""

    chosen = Signal(str)

    def __init__(self, names: Sequence[str], called: str = "{}", *, tips: dict[str, str] | None = None) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        sized(row).setSpacing(2)
        self._group = QButtonGroup(self)
        self.buttons: dict[str, QPushButton] = {}
        for name in names:
            button = QPushButton(name)
            button.setCheckable(True)
            button.setProperty("quiet", "true")
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.setAccessibleName(called.format(name))
            button.setToolTip((tips or {}).get(name, ""))
            button.clicked.connect(lambda _on=False, name=name: self.chosen.emit(name))
            self._group.addButton(button)
            row.addWidget(button)
            self.buttons[name] = button
        if names:
            self.show_on(names[0])

    def show_on(self, name: str) -> None:
        """Show which is on; none where the name is none of them."""
        self._group.setExclusive(False)
        for item, button in self.buttons.items():
            button.setChecked(item == name)
        self._group.setExclusive(True)

    @property
    def on(self) -> str:
        """Which is on, "" for none."""
        return next((name for name, button in self.buttons.items() if button.isChecked()), "")

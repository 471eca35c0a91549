"""The head of the window: the views, the search, and who works where."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QWidget

from idle_quarry.app.appearance.roles import on, restyle
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.preferences import initials_of
from idle_quarry.app.shell.palette import FIND
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.tabs import Tabs

if TYPE_CHECKING:
    from idle_quarry.app.desk import Desk

#: Below this width a person is named by initials.
_NARROW = 1000


class Header(QWidget):
    """`view_wanted`: a view was chosen."""

    view_wanted = Signal(str)

    def __init__(
        self, desk: Desk, views: Sequence[str], open_find: Callable[[], None], open_guide: Callable[[], None]
    ) -> None:
        super().__init__()
        self._desk = desk
        on(self, "bench")
        row = QHBoxLayout(self)
        sized(row).setContentsMargins(8, 5, 16, 3)
        sized(row).setSpacing(2)
        self.tabs = Tabs(views, "{} view")
        self.tabs.chosen.connect(self.view_wanted)
        self.search_button = button(f"{FIND}          Ctrl+F", open_find)
        sized(self.search_button).setMinimumWidth(360)
        self.search_button.setProperty("field", "true")
        self.search_button.setAccessibleName("Find")
        self.standing = button("", lambda: self.view_wanted.emit("Profile"), quiet=True)
        row.addWidget(self.tabs)
        row.addStretch(1)
        row.addWidget(self.search_button)
        row.addStretch(1)
        row.addWidget(self.standing)
        row.addWidget(button("?", open_guide, quiet=True, tip="the guide to what is shown (F1)"))
        for changed in (desk.server.changed, desk.shelves_changed, desk.profile.changed, theme.changed):
            changed.connect(self._show_standing)
        self._show_standing()

    def _show_standing(self) -> None:
        """Show who works in which library, and whether its server is there."""
        server, person = self._desk.server, self._desk.library.person
        if self.window().width() < theme.px(_NARROW):
            person = self._desk.preferences.initials or initials_of(person)
        self.standing.setText(f"{person} · {server.place_words()}")
        self.standing.setAccessibleName(self.standing.text())
        self.standing.setToolTip("\n".join([*server.waiting_lines(), "profile: name, looks, keys, places"]))
        self.standing.setProperty("warning", "true" if server.away else "false")
        restyle(self.standing)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._show_standing()

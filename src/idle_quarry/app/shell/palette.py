"""What acts on the window: its commands with their keys, the palette and the search, and the menu that Alt shows."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QAction, QKeyEvent, QKeySequence
from PySide6.QtWidgets import QMainWindow, QMenu, QMenuBar

from idle_quarry.app.command import Command, conflicts
from idle_quarry.app.views.registry import VIEWS
from idle_quarry.app.widgets.basic.finder import Finder, FinderItem

if TYPE_CHECKING:
    from idle_quarry.app.desk import Desk

FIND = "Find a template, station, clip or setting"


class Palette:
    """Makes a window's actions of its commands, and offers them: all of them, or what is searched among what there
    is.
    """

    def __init__(self, desk: Desk, window: QMainWindow, finder: Finder, commands: list[Command]) -> None:
        self.desk, self.finder, self.commands = desk, finder, commands
        self.actions: dict[str, QAction] = {}
        for command in commands:
            action = self.actions[command.name] = QAction(command.name.replace("&", "&&"), window)
            action.triggered.connect(partial(command.carry_out, desk.say))
            window.addAction(action)
        self.menu = AltMenu(window, commands, self.actions)
        desk.profile.commands = commands
        desk.profile.keys_changed.connect(self.take_keys)
        self.take_keys()

    def take_keys(self) -> None:
        """Give the actions their keys; a key that two commands have does nothing until they differ."""
        keys = {name: now for name, (_, now) in self.desk.profile.keys().items()}
        shared = conflicts(keys)
        for name, now in keys.items():
            self.actions[name].setShortcut(QKeySequence("" if name in shared else now))

    def open_commands(self) -> None:
        """Offer every command, those that can be done now first, and every setting of the open template."""
        keys = self.desk.profile.keys()
        entries = [
            FinderItem(
                "command",
                command.name,
                keys[command.name][1],
                partial(command.carry_out, self.desk.say),
                why_not=command.why_not(),
            )
            for command in self.commands
        ]
        entries.sort(key=lambda entry: bool(entry.why_not))
        path = next(view for view in VIEWS if view.name == "Path")
        settings = [entry for entry in path.finds(self.desk) if entry.kind == "setting"]
        self.finder.open(entries + settings, "Do something, or go to a setting")

    def open_find(self) -> None:
        """Search what the views offer; what was opened lately comes first."""
        entries = [entry for view in VIEWS for entry in view.finds(self.desk)]
        lately = self.desk.preferences.recent
        order = {name: number for number, name in enumerate(lately)}
        entries.sort(key=lambda entry: order.get(f"{entry.kind} {entry.text}", len(lately)))
        self.finder.open(entries, FIND)


class AltMenu(QObject):
    """A menu bar that is there from a tap of Alt until something is chosen, or it is left."""

    def __init__(self, window: QMainWindow, commands: list[Command], actions: dict[str, QAction]) -> None:
        super().__init__(window)
        self.bar = QMenuBar()
        self.bar.setNativeMenuBar(False)
        self.bar.setAccessibleName("Menu")
        self._tapped = False
        menus: dict[str, QMenu] = {}
        for command in commands:
            if command.menu not in menus:
                menus[command.menu] = self.bar.addMenu(command.menu)
                menus[command.menu].aboutToShow.connect(partial(self._dim, menus[command.menu], commands, actions))
            menus[command.menu].addAction(actions[command.name])
        self.bar.hide()
        self.bar.installEventFilter(self)
        window.setMenuBar(self.bar)

    @staticmethod
    def _dim(menu: QMenu, commands: list[Command], actions: dict[str, QAction]) -> None:
        """Say by the look of each what cannot be done now, and why where the pointer rests; choosing it says so too."""
        menu.setToolTipsVisible(True)
        for command in commands:
            if actions[command.name] in menu.actions():
                actions[command.name].setToolTip(command.why_not())

    def heard(self, event: QKeyEvent) -> None:
        """Take a key that nobody else took: Alt pressed and let go with nothing between shows the menu, or hides it."""
        if event.type() == QEvent.Type.KeyPress:
            self._tapped = event.key() == Qt.Key.Key_Alt and not event.isAutoRepeat()
        elif event.key() == Qt.Key.Key_Alt and self._tapped:
            self._tapped = False
            self.show(not self.bar.isVisible())

    def show(self, shown: bool) -> None:
        """Show the bar with its first menu chosen, or hide it."""
        self.bar.setVisible(shown)
        if shown:
            self.bar.setFocus(Qt.FocusReason.MenuBarFocusReason)
            self.bar.setActiveAction(self.bar.actions()[0])

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Hide the bar when it is left: by Escape, by Alt, or for something else in the window."""
        left = event.type() == QEvent.Type.FocusOut and self.bar.activeAction() is None
        if left or (isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Escape):
            self.bar.hide()
        return super().eventFilter(watched, event)

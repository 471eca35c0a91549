"""The structure sheet: timelines, tracks and folders beside one another, each edited in place."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QIcon, QPixmap
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QMenu,
    QSplitter,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.models.path.folders_and_tracks import ROLES, TRACK_COLOURS, Structure, Tree
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.edit_tree import ID, EditTree
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.menus import menu_of
from idle_quarry.path.template_parts import Folder
from idle_quarry.path.voice import voice_words


class StructureSheet(QWidget):
    """The three editors side by side."""

    def __init__(self, model: Structure) -> None:
        super().__init__()
        self.timelines, self.tracks, self.folders = TimelinesEditor(model), TracksEditor(model), FoldersEditor(model)
        split = QSplitter(Qt.Orientation.Horizontal)
        split.setObjectName("path-structure")
        for item in (self.timelines, self.tracks, self.folders):
            split.addWidget(item)
        split.setSizes([theme.px(330), theme.px(520), theme.px(400)])
        split.setChildrenCollapsible(False)
        hint = label("Drag to move, F2 to rename, Alt+Up and Alt+Down to reorder, Delete to remove.", "dust", wrap=True)
        column = QVBoxLayout(self)
        sized(column).setContentsMargins(12, 2, 10, 6)
        column.addWidget(split, 1)
        column.addWidget(hint)

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(300), theme.px(120))  # the sheets beside this one are narrower than three editors


class _Editor(QWidget):
    """A heading with what can be done, and a tree below it."""

    def __init__(self, name: str, tree: EditTree, *acts: tuple[str, Callable[[], object]]) -> None:
        super().__init__()
        self.tree = tree
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(label(name, "head"))
        row.addStretch(1)
        for text, act in acts:
            result = button(text, act, quiet=True)
            result.setAccessibleName(f"{name}: {text}")
            row.addWidget(result)
        self.column = QVBoxLayout(self)
        sized(self.column).setContentsMargins(4, 2, 4, 0)
        sized(self.column).setSpacing(3)
        self.column.addLayout(row)
        self.column.addWidget(tree, 1)


class TimelinesEditor(_Editor):
    """Timelines with their canvases."""

    def __init__(self, model: Structure) -> None:
        tree = EditTree("Timelines", ("Timeline", "Canvas"))
        super().__init__("Timelines", tree, ("+ timeline", model.add_timeline), ("Remove", model.remove_timeline))
        self.model = model
        tree.currentItemChanged.connect(lambda item, _old: model.choose_timeline(item.data(0, ID)) if item else None)
        tree.typed.connect(self._typed)
        tree.moved.connect(lambda: model.order_timelines(tree.order()))
        tree.removed.connect(model.remove_timeline)
        model.timelines_changed.connect(self.fill)
        self.fill()

    def fill(self) -> None:
        """Show the timelines as they are."""
        self.tree.begin()
        for ident, name, canvas in self.model.timelines():
            item = self.tree.add(ident, (name, canvas))
            if ident == self.model.timeline:
                self.tree.setCurrentItem(item)
        self.tree.resizeColumnToContents(1)
        self.tree.end()

    def _typed(self, item: QTreeWidgetItem, column: int) -> None:
        change = self.model.set_canvas if column else self.model.rename_timeline
        change(item.data(0, ID), item.text(column))


class TracksEditor(_Editor):
    """The tracks of the chosen timeline: what each carries, its channels, its colour."""

    def __init__(self, model: Structure) -> None:
        tree = EditTree("Tracks", ("Track", "Carries", "Channels", "Voice chain"))
        super().__init__(
            "Tracks",
            tree,
            ("+ picture", lambda: model.add_track("video")),
            ("+ sound", lambda: model.add_track("audio")),
            ("Colour", self._ask_colour),
            ("Remove", self._remove),
        )
        self.model = model
        sized(tree).setColumnWidth(1, 120)
        tree.typed.connect(self._typed)
        tree.moved.connect(lambda: model.order_tracks(tree.order()))
        tree.removed.connect(self._remove)
        tree.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        tree.customContextMenuRequested.connect(lambda point: self.colours().exec(tree.mapToGlobal(point)))
        model.tracks_changed.connect(self.fill)
        theme.changed.connect(self.fill)
        self.fill()

    def fill(self) -> None:
        """Show the tracks as they are."""
        chosen = self.tree.begin()
        for track in self.model.tracks():
            channels = str(track.channels) if track.kind == "audio" else ""
            item = self.tree.add(track.id, (track.name, "", channels, voice_words(track.voice)))
            item.setIcon(0, swatch(track.colour))
            item.setToolTip(3, "as in high-pass 80 Hz; compressor −18 dB 3:1 10 ms 120 ms; limiter −1 dB")
            roles = QComboBox()
            roles.addItems(list(ROLES[track.kind]))
            roles.setCurrentText(track.role)
            roles.setAccessibleName(f"Role of {track.name}")
            roles.textActivated.connect(lambda role, ident=track.id: self.model.set_track(ident, "role", role))
            self.tree.setItemWidget(item, 1, roles)
            if track.id == chosen:
                self.tree.setCurrentItem(item)
        self.tree.resizeColumnToContents(2)
        self.tree.end()

    def _typed(self, item: QTreeWidgetItem, column: int) -> None:
        if column == 0:
            self.model.set_track(item.data(0, ID), "name", item.text(0).strip())
        elif column == 2:
            self.model.set_channels(item.data(0, ID), item.text(2))
        elif column == 3:
            self.model.set_voice(item.data(0, ID), item.text(3))

    def _remove(self) -> None:
        ident = self.tree.current_id()
        if ident is not None:
            self.model.remove_track(ident)

    def _ask_colour(self) -> None:
        item = self.tree.currentItem()
        if item is None:
            self.model.door.say("Choose a track first, then its colour.", refusal=True)
            return
        self.colours().exec(self.tree.viewport().mapToGlobal(self.tree.visualItemRect(item).bottomLeft()))

    def colours(self) -> QMenu:
        """Return the menu of colours for the chosen track."""
        ident = self.tree.current_id()

        def take(colour: str) -> None:
            if ident is not None:
                self.model.set_track(ident, "colour", colour)

        menu = menu_of(self, [(name, lambda colour=colour: take(colour)) for name, colour in TRACK_COLOURS.items()])  # type: ignore[misc]
        for action, colour in zip(menu.actions(), TRACK_COLOURS.values(), strict=True):
            action.setIcon(swatch(colour))
        return menu


class FoldersEditor(_Editor):
    """The folders of a job, as a tree."""

    def __init__(self, model: Structure) -> None:
        tree = EditTree("Folders")
        super().__init__("Folders", tree, ("+ folder", self._add), ("Remove", self._remove))
        self.model = model
        self.numbers = QCheckBox("Number them")
        self.numbers.toggled.connect(model.number_folders)
        self.column.insertWidget(1, self.numbers)
        tree.typed.connect(self._typed)
        tree.moved.connect(lambda: model.order_folders(self._tree(tree.invisibleRootItem())))
        tree.removed.connect(self._remove)
        model.folders_changed.connect(self.fill)
        self.fill()

    def fill(self) -> None:
        """Show the folders as they are."""
        template = self.model.template
        if template is None:
            return
        chosen = self.tree.begin()

        def add(above: QTreeWidgetItem, folders: tuple[Folder, ...]) -> None:
            for index, folder in enumerate(folders):
                item = self.tree.add(folder.id, (self.model.folder_name(folder, index),), above, holds=True)
                add(item, folder.children)
                if folder.id == chosen:
                    self.tree.setCurrentItem(item)

        add(self.tree.invisibleRootItem(), template.folders)
        self.tree.expandAll()
        self.tree.end()
        self.numbers.blockSignals(True)
        self.numbers.setChecked(template.numbered_folders)
        self.numbers.blockSignals(False)

    def _tree(self, above: QTreeWidgetItem) -> Tree:
        children = [above.child(i) for i in range(above.childCount())]
        return [(child.data(0, ID), self._tree(child)) for child in children if child is not None]

    def _path(self, item: QTreeWidgetItem | None) -> list[str]:
        """Return the ids that lead to a row, from the top."""
        path: list[str] = []
        while item is not None:
            path.insert(0, item.data(0, ID))
            item = item.parent()
        return path

    def _typed(self, item: QTreeWidgetItem, _column: int) -> None:
        above = item.parent() or self.tree.invisibleRootItem()
        self.model.rename_folder(self._path(item), item.text(0), above.indexOfChild(item))

    def _add(self) -> None:
        self.model.add_folder(self._path(self.tree.currentItem()))

    def _remove(self) -> None:
        self.model.remove_folder(self._path(self.tree.currentItem()))


def swatch(colour: str) -> QIcon:
    """Return a colour as it is seen in the brightness in use."""
    pixmap = QPixmap(14, 14)
    pixmap.fill(theme.seen(colour))
    return QIcon(pixmap)

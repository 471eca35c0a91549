"""The structure sheet: folders as a tree, timelines and tracks as lists; dragged, renamed, coloured in place."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QAction, QColor, QDropEvent, QIcon, QKeyEvent, QPixmap
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QMenu,
    QScrollArea,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.sizes import sized
from idle_quarry.app.theme import theme
from idle_quarry.app.widgets.basics import button, label
from idle_quarry.path.edits import Edit
from idle_quarry.path.template import Folder, Template, Timeline, Track, all_folders, numbered, slug

_ID = Qt.ItemDataRole.UserRole
TRACK_COLOURS = {
    "Sage": "#8fb59b", "Ochre": "#dba445", "Slate": "#7f9fbf", "Heather": "#a58fb5", "Clay": "#c0836b", "Grey": "#8a8a8a",
}  # fmt: skip
ROLES = {"video": ("picture", "graphics", "subtitles"), "audio": ("dialogue", "effects", "ambience", "music", "mix")}


class _Tree(QTreeWidget):
    """A tree whose items move by drag, by Alt with the arrow keys, and go by Delete."""

    moved = Signal()
    removed = Signal()

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setDefaultDropAction(Qt.DropAction.MoveAction)
        self.setEditTriggers(QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setSizeAdjustPolicy(QAbstractItemView.SizeAdjustPolicy.AdjustToContents)
        theme.changed.connect(self.fit)

    def dropEvent(self, event: QDropEvent) -> None:
        super().dropEvent(event)
        QTimer.singleShot(0, self.moved.emit)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        alt = event.modifiers() & Qt.KeyboardModifier.AltModifier
        if event.key() == Qt.Key.Key_Delete:
            self.removed.emit()
        elif alt and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._shift(-1 if event.key() == Qt.Key.Key_Up else 1)
        else:
            super().keyPressEvent(event)

    def _shift(self, by: int) -> None:
        item = self.currentItem()
        if item is None:
            return
        parent = item.parent() or self.invisibleRootItem()
        index = parent.indexOfChild(item)
        if 0 <= index + by < parent.childCount():
            parent.takeChild(index)
            parent.insertChild(index + by, item)
            self.setCurrentItem(item)
            self.moved.emit()

    def order(self) -> list[str]:
        """Return the ids of the rows from top to bottom."""
        items = (self.topLevelItem(i) for i in range(self.topLevelItemCount()))
        return [item.data(0, _ID) for item in items if item is not None]

    def fit(self) -> None:
        """Be as tall as the rows need."""
        rows = 0

        def count(item: QTreeWidgetItem) -> None:
            nonlocal rows
            for i in range(item.childCount()):
                rows += 1
                count(item.child(i))  # type: ignore[arg-type]

        count(self.invisibleRootItem())
        header = 0 if self.isHeaderHidden() else self.header().sizeHint().height()
        row = self.sizeHintForRow(0) if rows else theme.px(24)
        self.setFixedHeight(rows * row + header + 6)


class Structure(QScrollArea):
    """Edits folders and timelines. `edited` carries a description and the edits; nothing is changed here."""

    edited = Signal(str, list)

    def __init__(self) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        body = QWidget()
        self.setWidget(body)
        column = QVBoxLayout(body)
        sized(column).setContentsMargins(16, 4, 10, 10)
        sized(column).setSpacing(4)
        self._template: Template | None = None
        self._timeline = ""
        self._filling = False

        column.addLayout(self._head("Timelines", ("+ timeline", self._add_timeline), ("Remove", self._remove_timeline)))
        self.timelines = _Tree("Timelines")
        self.timelines.setRootIsDecorated(False)
        self.timelines.setHeaderLabels(["Timeline", "Canvas"])
        column.addWidget(self.timelines)
        column.addLayout(
            self._head(
                "Tracks",
                ("+ picture", lambda: self._add_track("video")),
                ("+ sound", lambda: self._add_track("audio")),
                ("Colour", self._choose_colour),
                ("Remove", self._remove_track),
            )
        )
        self.tracks = _Tree("Tracks")
        self.tracks.setRootIsDecorated(False)
        self.tracks.setHeaderLabels(["Track", "Carries", "Channels"])
        column.addWidget(self.tracks)
        column.addLayout(self._head("Folders", ("+ folder", self._add_folder), ("Remove", self._remove_folder)))
        self.numbers = QCheckBox("Number them")
        self.numbers.toggled.connect(self._numbering)
        column.addWidget(self.numbers)
        self.folders = _Tree("Folders")
        self.folders.setHeaderHidden(True)
        column.addWidget(self.folders)
        hint = "Drag to move, F2 to rename, Alt+Up and Alt+Down to reorder, Delete to remove."
        column.addWidget(label(hint, "dust", wrap=True))
        column.addStretch(1)
        for tree in (self.timelines, self.tracks):
            tree.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
            tree.header().setStretchLastSection(False)
        self.timelines.currentItemChanged.connect(self._timeline_chosen)
        self.timelines.itemChanged.connect(self._timeline_edited)
        self.timelines.moved.connect(self._timelines_moved)
        self.timelines.removed.connect(self._remove_timeline)
        self.tracks.itemChanged.connect(self._track_edited)
        self.tracks.moved.connect(self._tracks_moved)
        self.tracks.removed.connect(self._remove_track)
        self.tracks.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.tracks.customContextMenuRequested.connect(
            lambda point: self._colour_menu().exec(self.tracks.mapToGlobal(point))
        )
        self.folders.itemChanged.connect(self._folder_renamed)
        self.folders.moved.connect(self._folders_moved)
        self.folders.removed.connect(self._remove_folder)

    def _head(self, text: str, *actions: tuple[str, Callable[[], object]]) -> QHBoxLayout:
        row = QHBoxLayout()
        sized(row).setContentsMargins(0, 6, 0, 0)
        row.addWidget(label(text, "head"))
        row.addStretch(1)
        for name, act in actions:
            made = button(name, act, quiet=True)
            made.setAccessibleName(f"{text}: {name}")
            row.addWidget(made)
        return row

    # -- showing ---------------------------------------------------------------------------------------

    def show_template(self, template: Template) -> None:
        """Fill the lists from a template; what was chosen stays chosen."""
        old = self._template
        self._template = template
        self._filling = True
        try:
            ids = [t.id for t in template.timelines]
            if self._timeline not in ids:
                self._timeline = ids[0] if ids else ""
            if old is None or old.timelines != template.timelines or old.working != template.working:
                self._fill_timelines(template)
                self._fill_tracks(template)
            if old is None or old.folders != template.folders or old.numbered_folders != template.numbered_folders:
                self._fill_folders(template)
            self.numbers.setChecked(template.numbered_folders)
        finally:
            self._filling = False

    def _fill_timelines(self, template: Template) -> None:
        self.timelines.clear()
        for timeline in template.timelines:
            canvas = template.canvas(timeline)
            text = f"{canvas.width} × {canvas.height}" if timeline.width else "as working"
            item = QTreeWidgetItem([timeline.name, text])
            item.setData(0, _ID, timeline.id)
            item.setFlags(
                Qt.ItemFlag.ItemIsEnabled
                | Qt.ItemFlag.ItemIsSelectable
                | Qt.ItemFlag.ItemIsEditable
                | Qt.ItemFlag.ItemIsDragEnabled
            )
            self.timelines.addTopLevelItem(item)
            if timeline.id == self._timeline:
                self.timelines.setCurrentItem(item)
        self.timelines.resizeColumnToContents(1)
        self.timelines.fit()

    def _fill_tracks(self, template: Template) -> None:
        chosen = self.tracks.currentItem()
        chosen_id = chosen.data(0, _ID) if chosen else None
        self.tracks.clear()
        timeline = self._current(template)
        for track in timeline.tracks if timeline else ():
            item = QTreeWidgetItem([track.name, "", str(track.channels) if track.kind == "audio" else ""])
            item.setData(0, _ID, track.id)
            item.setIcon(0, _swatch(track.colour))
            flags = (
                Qt.ItemFlag.ItemIsEnabled
                | Qt.ItemFlag.ItemIsSelectable
                | Qt.ItemFlag.ItemIsEditable
                | Qt.ItemFlag.ItemIsDragEnabled
            )
            item.setFlags(flags)
            self.tracks.addTopLevelItem(item)
            roles = QComboBox()
            roles.addItems(list(ROLES[track.kind]))
            roles.setCurrentText(track.role)
            roles.setAccessibleName(f"Role of {track.name}")
            roles.textActivated.connect(lambda role, ident=track.id: self._track_set(ident, "role", role))
            self.tracks.setItemWidget(item, 1, roles)
            if track.id == chosen_id:
                self.tracks.setCurrentItem(item)
        sized(self.tracks).setColumnWidth(1, 110)
        self.tracks.resizeColumnToContents(2)
        self.tracks.fit()

    def _fill_folders(self, template: Template) -> None:
        chosen = self.folders.currentItem()
        chosen_id = chosen.data(0, _ID) if chosen else None
        self.folders.clear()

        def add(above: QTreeWidgetItem, folders: tuple[Folder, ...]) -> None:
            for index, folder in enumerate(folders):
                item = QTreeWidgetItem([numbered(folder.name, index, template.numbered_folders)])
                item.setData(0, _ID, folder.id)
                item.setFlags(
                    item.flags()
                    | Qt.ItemFlag.ItemIsEditable
                    | Qt.ItemFlag.ItemIsDragEnabled
                    | Qt.ItemFlag.ItemIsDropEnabled
                )
                above.addChild(item)
                add(item, folder.children)
                if folder.id == chosen_id:
                    self.folders.setCurrentItem(item)

        add(self.folders.invisibleRootItem(), template.folders)
        self.folders.expandAll()
        self.folders.fit()

    def _current(self, template: Template | None = None) -> Timeline | None:
        template = template or self._template
        return next((t for t in template.timelines if t.id == self._timeline), None) if template else None

    # -- timelines -------------------------------------------------------------------------------------

    def _timeline_chosen(self, item: QTreeWidgetItem | None) -> None:
        if item is None or self._filling or self._template is None:
            return
        self._timeline = item.data(0, _ID)
        self._filling = True
        self._fill_tracks(self._template)
        self._filling = False

    def _timeline_edited(self, item: QTreeWidgetItem, column: int) -> None:
        if self._filling or self._template is None:
            return
        ident, text = item.data(0, _ID), item.text(column).strip()
        if column == 0:
            self.edited.emit("Rename timeline", [Edit(f"timelines.{ident}.name", text)])
            return
        timeline = next(t for t in self._template.timelines if t.id == ident)
        sides = [int(part) for part in text.replace("x", "×").split("×") if part.strip().isdigit()]
        update: dict[str, int | None] = (
            {"width": sides[0], "height": sides[1]} if len(sides) == 2 else {"width": None, "height": None}
        )
        if len(sides) != 2 and text.lower() not in ("", "as working"):
            self.edited.emit("not a canvas: type width × height, or as working", [])
            self._refill()
            return
        self.edited.emit("Change canvas", [Edit(f"timelines.{ident}", {**timeline.model_dump(), **update})])

    def _numbering(self, on: bool) -> None:
        if not self._filling:
            self.edited.emit("Number folders", [Edit("numbered_folders", on)])

    def _refill(self) -> None:
        template, self._template = self._template, None
        if template is not None:
            self.show_template(template)

    def _timelines_moved(self) -> None:
        if self._template is None:
            return
        order = self.timelines.order()
        by_id = {t.id: t for t in self._template.timelines}
        self.edited.emit("Reorder timelines", [Edit("timelines", tuple(by_id[i] for i in order if i in by_id))])
        self._refill()

    def _add_timeline(self) -> None:
        if self._template is None:
            return
        taken = {t.id for t in self._template.timelines}
        ident = slug("timeline", taken)
        tracks = self._template.timelines[0].tracks if self._template.timelines else ()
        names = {t.name for t in self._template.timelines}
        name = next(n for n in ("Programme", *(f"Timeline {i}" for i in range(2, 200))) if n not in names)
        self._timeline = ident
        self.edited.emit("Add timeline", [Edit(f"timelines.{ident}", Timeline(id=ident, name=name, tracks=tracks))])

    def _remove_timeline(self) -> None:
        if self._timeline:
            self.edited.emit("Remove timeline", [Edit(f"timelines.{self._timeline}", None)])

    # -- tracks ----------------------------------------------------------------------------------------

    def _track_set(self, ident: str, name: str, value: object) -> None:
        if not self._filling:
            self.edited.emit(
                f"Change track's {name}", [Edit(f"timelines.{self._timeline}.tracks.{ident}.{name}", value)]
            )

    def _track_edited(self, item: QTreeWidgetItem, column: int) -> None:
        if self._filling:
            return
        text = item.text(column).strip()
        if column == 0:
            self._track_set(item.data(0, _ID), "name", text)
        elif column == 2 and text.isdigit():
            self._track_set(item.data(0, _ID), "channels", int(text))
        else:
            self._refill()

    def _tracks_moved(self) -> None:
        timeline = self._current()
        if timeline is None:
            return
        by_id = {t.id: t for t in timeline.tracks}
        order = self.tracks.order()
        tracks = tuple(by_id[i] for i in order if i in by_id)
        self.edited.emit("Reorder tracks", [Edit(f"timelines.{timeline.id}.tracks", tracks)])
        self._refill()

    def _add_track(self, kind: str) -> None:
        timeline = self._current()
        if timeline is None:
            self.edited.emit("there is no timeline to add a track to", [])
            return
        ident = slug("v1" if kind == "video" else "a1", {t.id for t in timeline.tracks})
        role = ROLES[kind][0]
        names = {t.name for t in timeline.tracks}
        name = next(
            n for n in (role.capitalize(), *(f"{role.capitalize()} {i}" for i in range(2, 200))) if n not in names
        )
        new = Track(id=ident, name=name, kind=kind, role=role, colour="#8fb59b" if kind == "audio" else "#8a8a8a")  # type: ignore[arg-type]
        self.edited.emit("Add track", [Edit(f"timelines.{timeline.id}.tracks.{ident}", new)])

    def _remove_track(self) -> None:
        item = self.tracks.currentItem()
        if item is not None:
            self.edited.emit("Remove track", [Edit(f"timelines.{self._timeline}.tracks.{item.data(0, _ID)}", None)])

    def _choose_colour(self) -> None:
        item = self.tracks.currentItem()
        if item is None:
            self.edited.emit("choose a track first, then its colour", [])
            return
        rect = self.tracks.visualItemRect(item)
        self._colour_menu().exec(self.tracks.viewport().mapToGlobal(rect.bottomLeft()))

    def _colour_menu(self) -> QMenu:
        menu = QMenu(self)
        item = self.tracks.currentItem()
        for name, colour in TRACK_COLOURS.items():
            action = QAction(_swatch(colour), name, menu)
            if item is not None:
                ident = item.data(0, _ID)
                action.triggered.connect(
                    lambda _on, colour=colour, ident=ident: self._track_set(ident, "colour", colour)
                )
            menu.addAction(action)
        return menu

    # -- folders ---------------------------------------------------------------------------------------

    def _tree(self) -> tuple[Folder, ...]:
        assert self._template is not None
        names = {f.id: f.name for f in all_folders(self._template.folders)}

        def below(item: QTreeWidgetItem) -> tuple[Folder, ...]:
            made = []
            for i in range(item.childCount()):
                child = item.child(i)
                assert child is not None
                ident = child.data(0, _ID)
                made.append(Folder(id=ident, name=names[ident], children=below(child)))
            return tuple(made)

        return below(self.folders.invisibleRootItem())

    def _folders_moved(self) -> None:
        if self._template is not None:
            self.edited.emit("Move folder", [Edit("folders", self._tree())])
            self._refill()

    def _place(self, item: QTreeWidgetItem) -> str:
        parts = [item.data(0, _ID)]
        above = item.parent()
        while above is not None:
            parts = [above.data(0, _ID), "children", *parts]
            above = above.parent()
        return ".".join(["folders", *parts])

    def _folder_renamed(self, item: QTreeWidgetItem) -> None:
        if self._filling or self._template is None:
            return
        text = item.text(0).strip()
        above = item.parent() or self.folders.invisibleRootItem()
        number = f"{above.indexOfChild(item) + 1:02d} "
        if self._template.numbered_folders and text.startswith(number):
            text = text[len(number) :]
        self.edited.emit("Rename folder", [Edit(f"{self._place(item)}.name", text)])
        self._refill()

    def _add_folder(self) -> None:
        if self._template is None:
            return
        ident = slug("folder", {f.id for f in all_folders(self._template.folders)})
        item = self.folders.currentItem()
        place = f"{self._place(item)}.children.{ident}" if item is not None else f"folders.{ident}"
        self.edited.emit("Add folder", [Edit(place, Folder(id=ident, name=f"New {ident}"))])

    def _remove_folder(self) -> None:
        item = self.folders.currentItem()
        if item is not None:
            self.edited.emit("Remove folder", [Edit(self._place(item), None)])


def _swatch(colour: str) -> QIcon:
    pixmap = QPixmap(14, 14)
    pixmap.fill(QColor(colour))
    return QIcon(pixmap)

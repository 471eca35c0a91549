"""The window: the views, the commands and their keys, the search, and what is said at the foot.

It can stand before there is a desk, showing how the shelf looked last (`last_look`): whatever takes long to load is
imported by `furnish`, which gives it the desk. Keys that are pressed meanwhile are heard then.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QByteArray, QSize, Qt
from PySide6.QtGui import QCloseEvent, QCursor, QKeyEvent, QPixmap
from PySide6.QtWidgets import (
    QApplication,
    QLabel,
    QMainWindow,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.sizes import dress, sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.icons import icon
from idle_quarry.app.preferences import Preferences
from idle_quarry.app.widgets.basic.file_drop import FileDrop
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.say_bar import SayBar
from idle_quarry.app.widgets.basic.unkept_bar import UnkeptBar, may_lose

if TYPE_CHECKING:
    from idle_quarry.app.desk import Desk
    from idle_quarry.app.widgets.basic.finder import Finder

#: Views that show what is open: not the first thing to be seen at a start.
_LATER = ("Path", "Proof", "Line-up", "Profile", "Guide")
#: Views that work on pictures and sound.
_ON_PICTURES = ("Intake", "Proof", "Line-up", "Jobs")


class MainWindow(QMainWindow):
    """The whole window. Views are made when they are first shown, and stay."""

    desk: Desk
    finder: Finder

    def __init__(self, desk: Desk | None = None) -> None:
        super().__init__()
        self.setWindowTitle("Idle Quarry")
        self.setWindowIcon(icon())
        self.resize(1280, 800)
        self.setMinimumSize(900, 560)
        self._open_views: dict[str, QWidget] = {}
        self._stack = QStackedWidget()
        self.say_bar = SayBar()
        self.look: QPixmap | None = None  #: how the next start will look, once the window was closed
        if desk is not None:
            self.restore_geometry(desk.preferences)
            self.furnish(desk)

    def restore_geometry(self, preferences: Preferences) -> None:
        """Take the place that the window had last."""
        if preferences.geometry:
            self.restoreGeometry(QByteArray(preferences.geometry_bytes()))

    def show_look(self, look: QPixmap | None) -> None:
        """Show how the window looked last, until `furnish` makes it true.

        Without a look, that the shelf is being read.
        """
        picture = QLabel("Reading the shelf …")
        picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        if look is not None:
            picture.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
            picture.setPixmap(look)
        self.setCentralWidget(picture)

    def furnish(self, desk: Desk) -> None:
        """Give the window its desk, and show the view that was in front last."""
        from idle_quarry.app.shell.commands import commands_of
        from idle_quarry.app.shell.header import Header
        from idle_quarry.app.shell.palette import Palette
        from idle_quarry.app.views.registry import VIEWS
        from idle_quarry.app.widgets.basic.finder import Finder

        self.desk, self._views = desk, VIEWS
        self._said_of = ""  #: the key of the template that what is offered in the bar is of
        FileDrop(self, lambda paths: paths, lambda paths, _event: self.take_files(list(paths)))
        self._body = body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.preparing = label("", "dust")
        sized(self.preparing).setContentsMargins(16, 4, 16, 4)
        self.header = Header(desk, [view.name for view in VIEWS if view.tab], self.open_find, self.open_guide)
        self.header.view_wanted.connect(self.show_view)
        self.unkept = UnkeptBar(desk.documents.keeping)
        column.addWidget(self.header)
        column.addWidget(self.preparing)
        column.addWidget(self._stack, 1)
        column.addWidget(self.unkept)
        column.addWidget(self.say_bar)
        self.finder = Finder(body)
        commands = commands_of(desk, self, [view.name for view in VIEWS if view.tab])
        self.acting = Palette(desk, self, self.finder, commands)
        desk.message.connect(self._show_message)
        desk.lending.at_hand_of = lambda: QCursor.pos().toTuple()
        desk.view_wanted.connect(self.show_view)
        desk.documents.opened.connect(self._document_opened)
        desk.documents.edited.connect(self._title)
        desk.compiler.changed.connect(self._show_preparing)
        theme.changed.connect(self._dressed)
        last_view = desk.preferences.view
        known = [view.name for view in VIEWS if view.name not in _LATER]
        self.show_view(last_view if last_view in known else known[0])
        self.setCentralWidget(body)

    def _dressed(self) -> None:
        """Lengths stated at 100 % are taken anew; everything painted asks the theme itself."""
        dress(self)

    @property
    def is_furnished(self) -> bool:
        """Whether the window has its desk."""
        return "desk" in vars(self)

    # -- views -------------------------------------------------------------------------------------------------

    def view(self, name: str) -> QWidget:
        """Return a view, made at its first use."""
        if name not in self._open_views:
            row = next(view for view in self._views if view.name == name)
            self._open_views[name] = row.make(self.desk)
            self._stack.addWidget(self._open_views[name])
            self._take_layout(self._open_views[name])
            page_made = getattr(self._open_views[name], "page_made", None)
            if page_made is not None:
                page_made.connect(self._take_layout)
        return self._open_views[name]

    def show_view(self, name: str) -> None:
        """Bring a view to the front."""
        view = self.view(name)
        self._stack.setCurrentWidget(view)
        self.header.tabs.show_on(name)
        self._show_preparing()
        first = getattr(view, "first_focus", None)
        if first is not None and not view.isAncestorOf(QApplication.focusWidget() or self):
            first.setFocus()

    def _show_preparing(self) -> None:
        """Say on the views that work on pictures that they may have to wait, while loops are being compiled."""
        words = self.desk.compiler.words
        self.preparing.setText(words)
        self.preparing.setVisible(bool(words) and self.shown in _ON_PICTURES)

    def open_guide(self) -> None:
        """Show the guide at what is in front."""
        self._show_guide("Guide")

    def open_about(self) -> None:
        """Say what this program is."""
        self._show_guide("About")

    def _show_guide(self, tab: str) -> None:
        guide = self.desk.guide
        if self.shown != "Guide":
            guide.came_from = self.shown
            guide.open_at(self._guide_section())
        self.show_view("Guide")
        guide.tab_wanted.emit(tab)

    def _guide_section(self) -> str:
        """Return the section of the guide for the page in front, else for its view."""
        pages = self._open_views[self.shown].findChildren(QWidget)
        own = [page.guide_section for page in pages if hasattr(page, "guide_section") and page.isVisible()]
        return own[0] if own else next(view.guide for view in self._views if view.name == self.shown)

    @property
    def shown(self) -> str:
        """The name of the view in front."""
        return next(name for name, view in self._open_views.items() if view is self._stack.currentWidget())

    def first_start(self) -> None:
        """Begin with the standard set, where nobody has put anything on a shelf yet."""
        from idle_quarry.library import Search

        library = self.desk.library
        if not library.at_hand and not library.count() and not library.count(Search(aside=True)):
            self.show_view("Library")
            self.desk.shelf.show_standard_set()

    def show_first_steps(self) -> None:
        """Offer the beginning of the guide to whoever has opened nothing yet."""
        self.desk.say("New here? The guide begins with four things to try.", action=("Show them", self._first_steps))

    def _first_steps(self) -> None:
        self.open_guide()
        self.desk.guide.open_at("Four things to try")

    def _show_message(self, text: str, refusal: bool, action: tuple[str, Callable[[], object]] | None) -> None:
        document = self.desk.document
        self._said_of = document.key if action is not None and document is not None else ""
        self.say_bar.say(text, refusal=refusal, action=action)

    def _document_opened(self) -> None:
        document = self.desk.document
        if document is not None and document.base is not None:
            self.desk.preferences.remember(f"template {document.base.name}")
        if self._said_of and (document is None or self._said_of != document.key):
            self.say_bar.hide()  # what it offers is of another template than the one in sight
        self._title()

    def _title(self) -> None:
        document = self.desk.document
        self.setWindowTitle(f"{document.template.name} · Idle Quarry" if document else "Idle Quarry")

    # -- commands and the search ---------------------------------------------------------------------------------

    def all_commands(self) -> None:
        """Open the palette."""
        self.acting.open_commands()

    def open_find(self) -> None:
        """Open the search."""
        self.acting.open_find()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        self.acting.menu.heard(event)
        super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        self.acting.menu.heard(event)
        super().keyReleaseEvent(event)

    def ask_print(self) -> None:
        """Put the view in front on paper."""
        from idle_quarry.app.shell.print_shown import ask_print

        what = f"{self.windowTitle().removesuffix('Idle Quarry').strip(' ·')} {self.shown}".strip()
        ask_print(self.view(self.shown), what, self.desk)

    # -- drops and the end -----------------------------------------------------------------------------------------

    def take_files(self, paths: list[Path]) -> None:
        """Take dropped files, each by the view that takes its kind."""
        for view in self._views:
            mine = [path for path in paths if view.takes(path)]
            if mine:
                self.show_view(view.name)
                view.take(self.desk, mine)

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.is_furnished:
            super().closeEvent(event)
            return
        unkept = self.desk.documents.keep_all()
        if unkept and not may_lose(unkept, self):
            event.ignore()
            return
        preferences = self.desk.preferences
        preferences.geometry = bytes(self.saveGeometry().toBase64().data()).decode()
        for split in self.findChildren(QSplitter):
            if split.objectName():
                preferences.layout[split.objectName()] = bytes(split.saveState().toBase64().data()).decode()
        chosen = self.desk.shelf.chosen.summary
        preferences.template = chosen.id if chosen is not None else ""
        preferences.view = self.shown if self.shown not in _LATER else self._views[0].name
        preferences.save()
        self.look = self._look()
        super().closeEvent(event)

    def _look(self) -> QPixmap | None:
        """Return how the next start will look; None where that is not the shelf as it is now."""
        if self.desk.preferences.view != "Library" or self.desk.shelf.page or not self.desk.shelf.sought.everything:
            return None
        self.say_bar.hide()
        self.show_view("Library")
        return self._body.grab()

    def _take_layout(self, view: QWidget) -> None:
        for split in view.findChildren(QSplitter):
            layout = self.desk.preferences.layout_bytes(split.objectName()) if split.objectName() else b""
            if layout:
                split.restoreState(QByteArray(layout))

    def sizeHint(self) -> QSize:
        return QSize(1280, 800)

"""The window: the views, the commands and their keys, the search, and what is said at the foot."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QByteArray, QSize, Qt
from PySide6.QtGui import (
    QAction,
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QIcon,
    QKeySequence,
    QPainter,
    QPixmap,
    QResizeEvent,
)
from PySide6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QHBoxLayout,
    QMainWindow,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.commands import Command, conflicts
from idle_quarry.app.desk import Desk
from idle_quarry.app.finder import Entry, Finder
from idle_quarry.app.roles import on
from idle_quarry.app.sizes import dress, sized
from idle_quarry.app.theme import BRIGHTNESSES, TEXT_SIZES, theme
from idle_quarry.app.views.library import LibraryView
from idle_quarry.app.views.path import PathView
from idle_quarry.app.widgets.basics import SayBar, button, restyle
from idle_quarry.errors import QuarryError
from idle_quarry.library import Search
from idle_quarry.media.names import MEDIA_SUFFIXES
from idle_quarry.path.evaluation import Finding
from idle_quarry.path.registry import territories
from idle_quarry.path.settings import settings_of
from idle_quarry.signal.words import format_words

#: Templates the search at the top looks through by their first letters; the Library's own search knows them all.
MOST_FOUND = 2000
VIEWS = ("Library", "Path", "Intake", "Proof", "Jobs")


class MainWindow(QMainWindow):
    """The whole window. Views are made when they are first shown."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setWindowTitle("Idle Quarry")
        self.setWindowIcon(icon())
        self.resize(1280, 800)
        self.setMinimumSize(900, 560)
        self.setAcceptDrops(True)
        self._made: dict[str, QWidget] = {}
        self._stack = QStackedWidget()
        self.say_bar = SayBar()
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._header())
        column.addWidget(self._stack, 1)
        column.addWidget(self.say_bar)
        self.setCentralWidget(body)
        self.finder = Finder(body)
        self.commands = self._commands()
        self._actions: dict[str, QAction] = {}
        for command in self.commands:
            action = self._actions[command.name] = QAction(command.name, self)
            action.triggered.connect(lambda _on, act=command.act: act())
            self.addAction(action)
        self._take_keys()
        desk.said.connect(self._said)
        desk.view_wanted.connect(self.show_view)
        desk.job_wanted.connect(self._job_wanted)
        desk.proof_wanted.connect(self._proof_wanted)
        desk.cure_wanted.connect(self._cure_wanted)
        desk.merge_wanted.connect(self._merge_wanted)
        desk.opened.connect(self._title)
        desk.line_changed.connect(self._show_standing)
        desk.shelves_changed.connect(self._show_standing)
        theme.changed.connect(self._dressed)
        if desk.preferences.geometry:
            self.restoreGeometry(QByteArray(desk.preferences.geometry_bytes()))
        kept = desk.preferences.view
        self.show_view(kept if kept in VIEWS and kept not in ("Path", "Proof") else "Library")

    def _header(self) -> QWidget:
        made = QWidget()
        on(made, "bench")
        row = QHBoxLayout(made)
        sized(row).setContentsMargins(8, 5, 16, 3)
        sized(row).setSpacing(2)
        group = QButtonGroup(made)
        self.tabs: dict[str, QPushButton] = {}
        for name in VIEWS:
            tab = QPushButton(name)
            tab.setCheckable(True)
            tab.setProperty("quiet", "true")
            tab.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            tab.setAccessibleName(f"{name} view")
            tab.clicked.connect(lambda _on, name=name: self.show_view(name))
            group.addButton(tab)
            row.addWidget(tab)
            self.tabs[name] = tab
        row.addStretch(1)
        self.search_button = button("Find a template, station, clip or setting          Ctrl+F", self.open_find)
        sized(self.search_button).setMinimumWidth(360)
        self.search_button.setProperty("field", "true")
        self.search_button.setAccessibleName("Find")
        row.addWidget(self.search_button)
        row.addStretch(1)
        self.standing = button("", self.show_profile, quiet=True, tip="profile: name, looks, keys, places")
        row.addWidget(self.standing)
        self._show_standing()
        return made

    def _who(self) -> str:
        """Return the name of who works here, or their initials where there is little room."""
        from idle_quarry.app.preferences import initials_of

        name = self.desk.library.person
        return name if self.width() >= theme.px(1000) else self.desk.preferences.initials or initials_of(name)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._show_standing()

    def _show_standing(self) -> None:
        """Show who works in which library, and whether its server is there."""
        library = self.desk.library
        if not library.at_hand:
            place = library.place
            name = place.parent.name if place.stem == "library" else place.stem
            self.standing.setText(f"{self._who()} · {name}")
            return
        url, away = library.url, library.away  # type: ignore[attr-defined]
        unsent = self.desk.unsent()
        waiting = len(unsent)
        text = f"{self._who()} · {url.database}"
        if away:
            text += " · away from the server" + (f", {waiting} waiting" if waiting else "")
        self.standing.setText(text)
        lines = [f"waits for the server: {each.words}" for each in unsent[:12]]
        self.standing.setToolTip("\n".join([library.subject, *lines, "profile: name, looks, keys, places"]))
        self.standing.setProperty("warning", "true" if away else "false")
        restyle(self.standing)

    # -- views -----------------------------------------------------------------------------------------

    def view(self, name: str) -> QWidget:
        """Return a view, made at its first use."""
        if name not in self._made:
            self._made[name] = self._make(name)
            self._stack.addWidget(self._made[name])
            self._take_layout(self._made[name])
        return self._made[name]

    def _make(self, name: str) -> QWidget:
        if name == "Library":
            library = LibraryView(self.desk)
            library.clips_wanted.connect(self._clips_wanted)
            return library
        if name == "Path":
            path = PathView(self.desk)
            path.clips_dropped.connect(self._clips_on_strip)
            return path
        # these read NumPy, FFmpeg's libraries and OpenTimelineIO: not before they are looked at
        if name == "Intake":
            from idle_quarry.app.views.intake import IntakeView

            return IntakeView(self.desk)
        if name == "Proof":
            from idle_quarry.app.views.proof import ProofView

            return ProofView(self.desk)
        from idle_quarry.app.views.jobs import JobsView

        return JobsView(self.desk)

    def show_view(self, name: str) -> None:
        """Bring a view to the front."""
        view = self.view(name)
        self._stack.setCurrentWidget(view)
        self.tabs[name].setChecked(True)
        first = getattr(view, "first_focus", None)
        if first is not None and not view.isAncestorOf(QApplication.focusWidget() or self):
            first.setFocus()

    @property
    def path(self) -> PathView:
        view = self.view("Path")
        assert isinstance(view, PathView)
        return view

    @property
    def library(self) -> LibraryView:
        view = self.view("Library")
        assert isinstance(view, LibraryView)
        return view

    def _said(self, text: str, refusal: bool, action: tuple[str, Callable[[], object]] | None) -> None:
        self.say_bar.say(text, refusal=refusal, action=action)

    def _title(self) -> None:
        document = self.desk.document
        self.setWindowTitle(f"{document.template.name} · Idle Quarry" if document else "Idle Quarry")

    def _job_wanted(self, stored: object) -> None:
        if "Jobs" not in self._made:
            from idle_quarry.app.views.jobs import JobsView

            view = self.view("Jobs")
            assert isinstance(view, JobsView)
            view.prepare(stored)  # type: ignore[arg-type]
        self.show_view("Jobs")

    def _merge_wanted(self, template_id: str, a: int, b: int) -> None:
        self.show_view("Library")
        self.library.choose(template_id)
        self.library.merge(a, b)

    def _clips_wanted(self) -> None:
        self.show_view("Intake")
        self.desk.say("Open or drop clips here, choose one, and start a template from it.")

    # -- keys and the profile --------------------------------------------------------------------------

    def keys(self) -> dict[str, tuple[str, str]]:
        """Return the keys of the commands by name: the program's own, and what this person has."""
        chosen = self.desk.preferences.shortcuts
        return {each.name: (each.key, chosen.get(each.name, each.key)) for each in self.commands}

    def _take_keys(self) -> None:
        keys = {name: now for name, (_, now) in self.keys().items()}
        shared = conflicts(keys)  # a key that two commands have does nothing until they differ
        for name, now in keys.items():
            self._actions[name].setShortcut(QKeySequence("" if name in shared else now))

    def show_profile(self) -> None:
        """Show who works here, and what they have chosen."""
        from idle_quarry.app.views.profile import ProfilePage

        page = self._made.get("Profile")
        if page is None:
            page = ProfilePage(self.desk, self.keys)
            page.dressed.connect(self.dress)
            page.keys_changed.connect(self._take_keys)
            page.switched.connect(self._switched)
            page.closed.connect(lambda: self.show_view("Library"))
            self._made["Profile"] = page
            self._stack.addWidget(page)
        assert isinstance(page, ProfilePage)
        page.fill()
        self._stack.setCurrentWidget(page)
        group = next(iter(self.tabs.values())).group()
        group.setExclusive(False)  # none of the views is shown
        for tab in self.tabs.values():
            tab.setChecked(False)
        group.setExclusive(True)
        page.first_focus.setFocus()

    def _switched(self) -> None:
        """Another person sits down: their looks, their keys."""
        preferences = self.desk.preferences
        self.dress(preferences.brightness, preferences.text_percent)
        self._take_keys()
        page = self._made.get("Profile")
        if page is not None:
            page.fill()  # type: ignore[attr-defined]

    # -- commands --------------------------------------------------------------------------------------

    def _commands(self) -> list[Command]:
        made = [
            Command(f"Show {name}", f"Ctrl+{number}", partial(self.show_view, name))
            for number, name in enumerate(VIEWS, 1)
        ]
        made += [
            Command("Find a template, station, clip or setting", "Ctrl+F", self.open_find),
            Command("All commands and settings", "Ctrl+K", self.all_commands),
            Command("Undo", "Ctrl+Z", lambda: self.path.undo()),
            Command("Redo", "Ctrl+Shift+Z", lambda: self.path.redo()),
            Command("Save revision", "Ctrl+S", self._save),
            Command("Start a job from the open template", "Ctrl+J", lambda: self.path._start_job()),
            Command("Add a source", "", lambda: self.path.add_source()),
            Command("Add a delivery", "", lambda: self.path.add_delivery()),
            Command("Open the chosen template", "", lambda: self.library.open_chosen()),
            Command("Duplicate the chosen template", "", lambda: self.library.duplicate()),
            Command("Rename the chosen template", "", lambda: self.library.rename()),
            Command("Export the chosen template", "", lambda: self.library.files.export_asked()),
            Command("Import templates, a bundle or a carried shelf", "", lambda: self.library.import_asked()),
            Command("Export the templates shown", "", lambda: self.library.files.export_shown_asked()),
            Command("The standard set of a house", "", lambda: self._starter()),
            Command("Print the house book", "", lambda: self.library.files.book_asked()),
            Command("Compare the chosen template with another", "", lambda: self.library.compare_with()),
            Command("Put the chosen template aside", "", lambda: self.library.put_aside()),
            Command("Proof: pictures of the worst link", "", partial(self._proof, "Pictures")),
            Command("Proof: codecs on this machine", "", partial(self._proof, "Codecs")),
            Command("Proof: disks of the places", "", partial(self._proof, "Disks")),
            Command("Brighter or darker window", "Ctrl+B", self.next_brightness),
            Command("Larger text", "Ctrl++", lambda: self.text_size(1)),
            Command("Smaller text", "Ctrl+-", lambda: self.text_size(-1)),
            Command("House rule: how many people an approval takes", "", lambda: self._rule()),
            Command("Profile: name, looks, keys, places", "", self.show_profile),
            Command("Close the window", "Ctrl+Q", self.close),
        ]
        for name in BRIGHTNESSES:
            made.append(Command(f"Brightness: {name}", "", partial(self._brightness, name)))
        return made

    def _rule(self) -> None:
        self.show_view("Library")
        self.library.ask_rule()

    def _starter(self) -> None:
        self.show_view("Library")
        self.library.show_starter()

    def first_start(self) -> None:
        """Begin with the starter set, where nobody has put anything on a shelf yet."""
        library = self.desk.library
        if not library.at_hand and not library.count() and not library.count(Search(aside=True)):
            self._starter()

    def _cure_wanted(self, finding: Finding) -> None:
        self.path.cure(finding)

    def _proof_wanted(self, station: str, clip: Path | None) -> None:
        self.show_view("Proof")
        self.view("Proof").prove(station, clip)  # type: ignore[attr-defined]

    def _proof(self, page: str) -> None:
        self.show_view("Proof")
        self.view("Proof").show_page(page)  # type: ignore[attr-defined]

    def _save(self) -> None:
        if self.desk.document is None or not self.desk.document.dirty:
            self.desk.say("Nothing has changed since the last revision.")
            return
        self.show_view("Path")
        self.path.ask_save()

    def all_commands(self) -> None:
        """Open the palette: every command, and every setting of the open template."""
        keys = self.keys()
        entries = [Entry("command", c.name, keys[c.name][1], c.act) for c in self.commands]
        self.finder.open(entries + self._setting_entries(), "Do something, or go to a setting")

    def open_find(self) -> None:
        """Search templates, stations, clips and settings."""
        entries: list[Entry] = []
        try:
            for each in self.desk.library.page(Search(), 0, MOST_FOUND):
                entries.append(
                    Entry(
                        "template",
                        each.name,
                        f"{each.working} · {each.shelf}",
                        partial(self.desk.open_stored, each.id),
                        called(each.territory),
                    )
                )
        except QuarryError as error:
            self.desk.refuse(error)
        if self.desk.document is not None:
            for station in self.desk.document.evaluation.stations:
                entries.append(
                    Entry(
                        "station",
                        station.name,
                        f"{station.kind} · {format_words(station.format)}",
                        partial(self._go, station.id),
                    )
                )
        if "Intake" in self._made:
            for row in self._made["Intake"].model.rows:  # type: ignore[attr-defined]
                entries.append(Entry("clip", row.path.name, "clip", lambda: self.show_view("Intake")))
        self.finder.open(entries + self._setting_entries(), "Find a template, station, clip or setting")

    def _setting_entries(self) -> list[Entry]:
        document = self.desk.document
        if document is None:
            return []
        names = {station.id: station.name for station in document.evaluation.stations}
        return [
            Entry(
                "setting",
                f"{names.get(s.sheet, s.sheet.capitalize())}: {s.label}",
                s.text,
                partial(self._go_setting, s),
                f"{s.follows} {s.explained}",
            )
            for s in settings_of(document.template)
        ]

    def _go(self, station: str) -> None:
        self.show_view("Path")
        self.path.choose(station)

    def _go_setting(self, setting: object) -> None:
        self.show_view("Path")
        self.path.show_setting(setting)  # type: ignore[arg-type]

    # -- how it looks ----------------------------------------------------------------------------------

    def _brightness(self, name: str) -> None:
        self.dress(name, theme.percent)

    def next_brightness(self) -> None:
        """Take the next of the three brightnesses."""
        index = BRIGHTNESSES.index(theme.scheme.name)
        self.dress(BRIGHTNESSES[(index + 1) % len(BRIGHTNESSES)], theme.percent)

    def text_size(self, step: int) -> None:
        """Take the next larger or smaller text."""
        index = max(0, min(len(TEXT_SIZES) - 1, TEXT_SIZES.index(theme.percent) + step))
        self.dress(theme.scheme.name, TEXT_SIZES[index])

    def dress(self, brightness: str, percent: int) -> None:
        """Take a brightness and a text size, in place."""
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        self.desk.preferences.brightness, self.desk.preferences.text_percent = brightness, percent
        theme.apply(app, brightness, percent)

    def _dressed(self) -> None:
        """Lengths stated at 100 % are taken anew; everything painted asks the theme itself."""
        dress(self)
        self._show_standing()

    # -- drops and the end -----------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        self.take_files(paths)

    def take_files(self, paths: list[Path]) -> None:
        """Take dropped files: template files are imported, clips and folders looked at."""
        templates = [path for path in paths if path.suffix.lower() in (".json", ".zip")]
        media = [path for path in paths if path not in templates]
        for path in templates[:1]:
            self.show_view("Library")
            self.library.import_from(path)
        if media:
            self.show_view("Intake")
            self.view("Intake").look_at(media)  # type: ignore[attr-defined]

    def _clips_on_strip(self, names: list[str]) -> None:
        """Clips dropped on the strip become sources of the open template."""
        from idle_quarry.path.edits import Edit
        from idle_quarry.path.shares import with_another
        from idle_quarry.path.template import Source, slug

        paths = [Path(name) for name in names]
        if any(path.suffix.lower() not in MEDIA_SUFFIXES for path in paths):
            self.take_files(paths)
            return

        def done(clip: object) -> None:
            document = self.desk.document
            fmt, path = clip.format, clip.path  # type: ignore[attr-defined]
            if document is None or fmt is None:
                self.desk.say(f"{path.name} has no signal format to be a source of.", refusal=True)
                return
            sources = document.template.sources
            ident = slug(path.stem, {s.id for s in sources})
            *shares, own = with_another([s.share for s in sources])
            others = [Edit(f"sources.{s.id}.share", share) for s, share in zip(sources, shares, strict=True)]
            source = Source(id=ident, name=path.stem[:120], format=fmt, share=own)
            try:
                document.apply("Add source from clip", Edit(f"sources.{ident}", source), *others)
            except QuarryError as error:
                self.desk.refuse(error)
            else:
                self.path.choose(f"source:{ident}")

        for path in paths:
            self.desk.workers.start(partial(_look, path), done, self.desk.refuse)

    def closeEvent(self, event: QCloseEvent) -> None:
        self.desk.preferences.view = next((name for name, tab in self.tabs.items() if tab.isChecked()), "Library")
        self.desk.preferences.geometry = bytes(self.saveGeometry().toBase64().data()).decode()
        self._keep_layout()
        self.desk.preferences.save()
        super().closeEvent(event)

    def _keep_layout(self) -> None:
        for split in self.findChildren(QSplitter):
            if split.objectName():
                self.desk.preferences.layout[split.objectName()] = bytes(split.saveState().toBase64().data()).decode()

    def _take_layout(self, view: QWidget) -> None:
        for split in view.findChildren(QSplitter):
            kept = self.desk.preferences.layout_bytes(split.objectName()) if split.objectName() else b""
            if kept:
                split.restoreState(QByteArray(kept))

    def sizeHint(self) -> QSize:
        return QSize(1280, 800)


def _look(path: Path, _ticket: object) -> object:
    from idle_quarry.media.looking import look

    return look(path)


def called(territory: str) -> str:
    """Return a territory with what people call it, to be found by."""
    found = territories().get(territory)
    return f"{territory} {found.called}" if found else territory


def icon() -> QIcon:
    """Return the program's icon."""
    from importlib.resources import files

    data = files("idle_quarry.app").joinpath("icons/idle-quarry.svg").read_bytes()
    pixmap = QPixmap()
    if not pixmap.loadFromData(data, "SVG"):  # Qt without its SVG part: the window's own frame, drawn
        pixmap = QPixmap(64, 64)
        pixmap.fill(theme.colour("ground"))
        painter = QPainter(pixmap)
        painter.setPen(theme.colour("lichen"))
        painter.drawRect(10, 22, 26, 20)
        painter.end()
    return QIcon(pixmap)

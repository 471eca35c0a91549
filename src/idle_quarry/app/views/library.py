"""The Library view: the shelves on the left, the chosen template on the right, and the pages that take the whole view."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListView,
    QMenu,
    QPushButton,
    QSizePolicy,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.desk import Desk
from idle_quarry.app.sizes import sized
from idle_quarry.app.theme import theme
from idle_quarry.app.views.deciding import ask_act
from idle_quarry.app.views.handing_over import HandingOver
from idle_quarry.app.views.shelf_list import SUMMARY, ShelfDelegate, ShelfModel
from idle_quarry.app.views.template_page import TemplatePage
from idle_quarry.app.widgets.basics import AskBar, button, label
from idle_quarry.errors import QuarryError
from idle_quarry.library import Search, Stored, Summary, typed_words
from idle_quarry.path.edits import Edit, edited
from idle_quarry.path.registry import deliveries, territories
from idle_quarry.path.starting import from_delivery
from idle_quarry.signal.words import format_words

#: What the shelf box offers, and the search each stands for.
_SHELVES: dict[str, dict[str, object]] = {
    "Both shelves": {},
    "House shelf": {"shelf": "house"},
    "In review": {"shelf": "house", "state": "in review"},
    "Own shelf": {"shelf": "own"},
    "Put aside": {"aside": True},
}
_FILES = "Templates and bundles (*.json *.zip)"


class LibraryView(QWidget):
    """Find, look at, open, compare, review, copy and hand over templates."""

    clips_wanted = Signal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.model = ShelfModel(desk.library)
        self.search = QLineEdit()
        self.search.setClearButtonEnabled(True)
        self.search.setAccessibleName("Search templates")
        self.shelf, self.territory, self.lines = QComboBox(), QComboBox(), QComboBox()
        for box, name in ((self.shelf, "Shelf"), (self.territory, "Territory"), (self.lines, "Raster")):
            box.setAccessibleName(name)
        self.shelf.addItems(list(_SHELVES))
        self.territory.addItem("Any territory", None)
        for each in territories().values():
            self.territory.addItem(f"{each.id} ({each.called})" if each.called else each.id, each.id)
        self.list = QListView()
        self.list.setModel(self.model)
        self._delegate = ShelfDelegate(desk)
        self.list.setItemDelegate(self._delegate)
        self._delegate.worked_out.connect(self.list.viewport().update)
        self.list.setUniformItemSizes(True)
        self.list.setLayoutMode(QListView.LayoutMode.Batched)  # ten thousand rows are not laid out at each keystroke
        self.list.setAccessibleName("Templates")
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._nothing = label("", "dust", wrap=True)
        self._nothing.setAlignment(Qt.AlignmentFlag.AlignCenter)
        sized(self._nothing).setContentsMargins(16, 12, 16, 10)
        self.ask = AskBar()
        self.page = TemplatePage(desk)
        self._pages: dict[type[QWidget], QWidget] = {}
        self.files = HandingOver(self, desk, self._chosen_stored, self._wanted)
        self._build()
        self.first_focus = self.list
        self.search.textChanged.connect(self._find)
        for box in (self.shelf, self.territory, self.lines):
            box.activated.connect(self._find)
        self.list.selectionModel().currentChanged.connect(
            lambda index, _old: self._show(index.data(SUMMARY) if index.isValid() else None)
        )
        self.list.activated.connect(lambda index: self.open_chosen())
        page = self.page
        page.open_wanted.connect(self.open_chosen)
        page.job_wanted.connect(self._start_job)
        page.more_wanted.connect(self._more_menu)
        page.compare_wanted.connect(self.compare)
        page.merge_wanted.connect(self.merge)
        page.act_wanted.connect(self._ask_act)
        page.findings.cured.connect(self._cure)
        desk.shelves_changed.connect(self.reload)
        self.reload()

    @property
    def core(self) -> QWidget:
        return self.page.core

    def _build(self) -> None:
        self.new_button = button("New", self._new_menu, main=True)
        self.import_button = button("Import", self.import_asked)
        tools = QHBoxLayout()
        sized(tools).setSpacing(7)
        tools.addWidget(self.search, 1)
        tools.addWidget(self.import_button)
        tools.addWidget(self.new_button)
        sized(tools).setContentsMargins(12, 10, 12, 0)
        filters = QHBoxLayout()
        sized(filters).setSpacing(7)
        sized(filters).setContentsMargins(12, 6, 12, 8)
        for box in (self.shelf, self.territory, self.lines):
            filters.addWidget(box)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
            box.setSizePolicy(QSizePolicy.Policy.Minimum, QSizePolicy.Policy.Fixed)
        filters.addStretch(1)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(tools)
        column.addLayout(filters)
        column.addWidget(self._nothing)
        self.first_step = button("The standard set of a house", self.show_starter, main=True)
        column.addWidget(self.first_step, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addWidget(self.list, 1)
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.setObjectName("library")
        self.split.addWidget(left)
        self.split.addWidget(self.page)
        self.split.setSizes([theme.px(600), theme.px(680)])
        self.split.setChildrenCollapsible(False)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.split)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(self.ask)
        outer.addWidget(self.pages, 1)

    # -- showing ---------------------------------------------------------------------------------------

    def reload(self) -> None:
        """Read the shelves again; what was chosen stays chosen."""
        kept = self.lines.currentData()
        try:
            present = self.desk.library.lines_present()
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self.lines.clear()
        self.lines.addItem("Any raster", None)
        for lines in present:
            self.lines.addItem(f"{lines} lines", lines)
        self.lines.setCurrentIndex(max(0, self.lines.findData(kept)))
        self._find()

    def _wanted(self) -> Search:
        return Search(
            words=typed_words(self.search.text()), territory=self.territory.currentData(),
            lines=self.lines.currentData(), **_SHELVES[self.shelf.currentText()],  # type: ignore[arg-type]
        )  # fmt: skip

    def _find(self) -> None:
        chosen = self.chosen()
        try:
            self.model.find(self._wanted())
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self._choose_row(self.model.row_of(chosen.id) if chosen else None)

    def _choose_row(self, row: int | None) -> None:
        shown = self.model.shown
        wanted = self._wanted()
        self._nothing.setVisible(shown == 0)
        self.first_step.setVisible(shown == 0 and wanted == Search())
        many = f"{shown} template{'s' if shown != 1 else ''}"
        self.search.setPlaceholderText(f"Search {many} by name, note, format, delivery")
        self.list.setAccessibleDescription(many)
        if wanted == Search():
            self._nothing.setText(
                "No templates yet. Begin with the standard set of a house, press New for a single one, or drop clips here."
            )
        elif wanted.aside:
            self._nothing.setText("Nothing was put aside.")
        else:
            self._nothing.setText(
                "No template has all of that. Clear the search, or choose any shelf, territory and raster."
            )
        if shown:
            self.list.setCurrentIndex(self.model.index(row or 0))
        else:
            self._show(None)

    def chosen(self) -> Summary | None:
        """Return the template chosen in the list, or None."""
        return self.page.summary

    def _chosen_stored(self) -> Stored | None:
        """Return the chosen revision with its body. Raises `LibraryError`."""
        summary = self.chosen()
        return None if summary is None else self.desk.library.stored(summary.id, self.page.core.selected)

    def choose(self, template_id: str) -> None:
        """Choose a template in the list, clearing the search where it hides it."""
        if self.model.row_of(template_id) is None:
            self.search.clear()
            for box in (self.shelf, self.territory, self.lines):
                box.setCurrentIndex(0)
            self._find()
        self._choose_row(self.model.row_of(template_id))

    def _show(self, summary: Summary | None) -> None:
        self.page.show_summary(summary)

    # -- pages that take the whole view ------------------------------------------------------------------

    def _page(self, kind: type[QWidget]) -> QWidget:
        if kind not in self._pages:
            made = kind(self.desk)  # type: ignore[arg-type]
            made.closed.connect(self.close_page)  # type: ignore[attr-defined]
            self._pages[kind] = made
            self.pages.addWidget(made)
        return self._pages[kind]

    def _bring(self, page: QWidget) -> None:
        self.pages.setCurrentWidget(page)
        page.first_focus.setFocus()  # type: ignore[attr-defined]

    def close_page(self) -> None:
        """Go back to the shelves."""
        self.pages.setCurrentWidget(self.split)
        self.list.setFocus()

    def compare(self, a: int, b: int) -> None:
        """Show two revisions of the chosen template beside one another."""
        summary = self.chosen()
        if summary is not None:
            self._compare_stored(
                lambda: (self.desk.library.stored(summary.id, a), self.desk.library.stored(summary.id, b))
            )

    def _compare_stored(self, read: Callable[[], tuple[Stored, Stored]]) -> None:
        from idle_quarry.app.views.review import ReviewPage

        try:
            a, b = read()
        except QuarryError as error:
            self.desk.refuse(error)
            return
        page = self._page(ReviewPage)
        assert isinstance(page, ReviewPage)
        page.show_pair(a, b)
        self._bring(page)

    def compare_with(self) -> None:
        """Ask for another template, and show the two beside one another."""
        summary = self.chosen()
        if summary is None:
            return

        def accept(name: str) -> str | None:
            try:
                other = self.desk.library.find(name)
                pair = self.desk.library.stored(other.id), self.desk.library.stored(summary.id, self.page.core.selected)
            except QuarryError as error:
                return str(error)
            self._compare_stored(lambda: pair)
            return None

        names = [each.name for each in self.desk.library.page(limit=400)]
        self.ask.ask_text(f"Compare {summary.name} with:", "", "Compare", accept, offers=names)

    def merge(self, a: int, b: int) -> None:
        """Show two drafts of the chosen template, to be made one."""
        summary = self.chosen()
        if summary is None:
            return
        from idle_quarry.app.views.merge import MergePage

        page = self._page(MergePage)
        assert isinstance(page, MergePage)
        library = self.desk.library
        try:
            base = library.common_base(summary.id, a, b)
            page.show_drafts(*(library.stored(summary.id, number) for number in (base, a, b)))
        except QuarryError as error:
            self.desk.refuse(error)
            return
        if not page.property("connected"):
            page.setProperty("connected", True)
            page.merged.connect(self._merged)
        self._bring(page)

    def show_starter(self) -> None:
        """Show the panel that puts the standard templates of a house on its shelf."""
        from idle_quarry.app.views.starter import StarterPage

        page = self._page(StarterPage)
        assert isinstance(page, StarterPage)
        if not page.property("connected"):
            page.setProperty("connected", True)
            page.made.connect(self.close_page)
        page._list()
        self._bring(page)

    def _merged(self, template_id: str) -> None:
        self.close_page()
        self.choose(template_id)

    # -- doing -----------------------------------------------------------------------------------------

    def open_chosen(self) -> None:
        """Open the chosen template, at a revision where one was picked."""
        summary = self.chosen()
        if summary is not None:
            self.desk.open_stored(summary.id, self.page.core.selected if self.page.picked else None)

    def _cure(self, finding: object) -> None:
        """Open the chosen template and carry out a finding's remedy there: a draft, undoable."""
        self.open_chosen()
        self.desk.cure_wanted.emit(finding)

    def _start_job(self) -> None:
        summary = self.chosen()
        if summary is None:
            return
        number = self.page.core.selected if self.page.picked else summary.for_jobs
        try:
            self.desk.job_wanted.emit(self.desk.library.stored(summary.id, number))
        except QuarryError as error:
            self.desk.refuse(error)

    def _ask_act(self, act: str, number: int) -> None:
        summary, revision = self.chosen(), self.page.revision()
        if summary is not None and revision is not None and revision.number == number:
            ask_act(self.desk, self.ask, summary.name, revision, act, lambda: None)

    def ask_rule(self) -> None:
        """Ask how many people an approval takes in this house."""
        try:
            alone = self.desk.library.one_person()
        except QuarryError as error:
            self.desk.refuse(error)
            return

        def take(on: bool) -> None:
            try:
                self.desk.library.set_one_person(on)
            except QuarryError as error:
                self.desk.refuse(error)
                return
            self.desk.shelves_changed.emit()
            self.desk.say("One person may approve alone." if on else "Another person than the author approves.")

        now = "one person may approve alone" if alone else "another person than the author approves"
        two, one = {"Another than the author": lambda: take(False)}, {"One person alone": lambda: take(True)}
        answers = {**(one | two if alone else two | one), "Leave it": lambda: None}
        self.ask.ask_choice(f"Who approves a revision in this house? Now {now}.", answers)

    def _new_menu(self) -> None:
        menu = QMenu(self)
        for each in deliveries().values():
            action = menu.addAction(f"From delivery: {each.name}  ·  {format_words(each.signal)}")
            action.triggered.connect(lambda _on, ident=each.id: self._begin_from(ident))
        menu.addSeparator()
        if self.chosen() is not None:
            menu.addAction("From the chosen template").triggered.connect(self.duplicate)
        menu.addAction("From clips…").triggered.connect(self.clips_wanted.emit)
        menu.addAction("The standard set of a house…").triggered.connect(self.show_starter)
        menu.exec(self.new_button.mapToGlobal(self.new_button.rect().bottomLeft()))

    def _more_menu(self, under: QPushButton) -> None:
        summary = self.chosen()
        if summary is None:
            return
        menu = QMenu(self)
        for text, act in self.more(summary):
            if act is None:
                menu.addSeparator()
            else:
                menu.addAction(text).triggered.connect(act)
        menu.exec(under.mapToGlobal(under.rect().bottomLeft()))

    def more(self, summary: Summary) -> list[tuple[str, Callable[[], object] | None]]:
        """Return what else can be done with a template, by name; None stands for a line between."""
        if summary.aside:
            return [("Put it back on its shelf", self.bring_back), ("Export…", self.files.export_asked)]
        house, own = self.desk.library.defaults()
        found: list[tuple[str, Callable[[], object] | None]] = [
            ("Compare with another template…", self.compare_with),
            ("Copy to own shelf", self.duplicate),
        ]
        if summary.shelf == "own":
            found.append(("Copy to the house shelf as a draft", self.hand_over))
        found += [
            ("Rename", self.rename),
            ("", None),
            ("Export…", self.files.export_asked),
            ("Add to a carried shelf…", self.files.carry_asked),
            ("", None),
            ("No longer my default for new jobs" if own == summary.id else "My default for new jobs",
             lambda: self.toggle_default(own=True)),
        ]  # fmt: skip
        if summary.shelf == "house":
            text = (
                "No longer the house's default for new jobs"
                if house == summary.id
                else "The house's default for new jobs"
            )
            found.append((text, self.toggle_default))
        return [*found, ("", None), ("Put aside", self.put_aside)]

    def _begin_from(self, standard: str) -> None:
        """Open a new template for a standard delivery, its renders in what the house uses already."""
        try:
            used = self.desk.library.codecs_in_use()
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self.desk.open_new(from_delivery(standard, used=used))

    def duplicate(self) -> None:
        """Put a copy of the chosen revision on the own shelf."""
        self._copy("own")

    def hand_over(self) -> None:
        """Put a copy of the chosen revision on the house shelf, as a draft."""
        self._copy("house")

    def _copy(self, shelf: str) -> None:
        summary = self.chosen()
        if summary is None:
            return
        library = self.desk.library
        try:
            stored = library.stored(summary.id, self.page.core.selected)
            wanted = f"{summary.name} copy"[:110] if shelf == summary.shelf else stored.template.name
            name = library.free_name(wanted, shelf)
            note = f"copied from {summary.name}, revision {stored.revision.number}"
            saved = library.save_new(edited(stored.template, Edit("name", name)), shelf, note)
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self.desk.shelves_changed.emit()
        self.choose(saved.template_id)

    def rename(self) -> None:
        """Ask for another name; it is saved as a revision, since a revision never changes."""
        summary = self.chosen()
        if summary is None:
            return

        def accept(name: str) -> str | None:
            try:
                stored = self.desk.library.stored(summary.id)
                if name == stored.template.name:
                    return None
                renamed = edited(stored.template, Edit("name", name))
                self.desk.library.save_revision(
                    summary.id, renamed, f"renamed from {stored.name}", parent=stored.revision.number
                )
            except QuarryError as error:
                return str(error)
            self.desk.forget_held(summary.id)
            self.desk.shelves_changed.emit()
            if summary.approved is not None:
                self.desk.say(f"It is called {name} when this draft is approved.")
            return None

        self.ask.ask_text("New name:", summary.name, "Rename", accept)

    def put_aside(self) -> None:
        """Take the chosen template off its shelf; it can be put back."""
        summary = self.chosen()
        if summary is None:
            return
        try:
            self.desk.library.put_aside(summary.id)
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self.desk.shelves_changed.emit()
        self.desk.say(f"{summary.name} was put aside.", action=("Undo", lambda: self._bring_back(summary.id)))

    def bring_back(self) -> None:
        """Put the chosen template, which was put aside, on its shelf again."""
        summary = self.chosen()
        if summary is not None:
            self._bring_back(summary.id)

    def _bring_back(self, template_id: str) -> None:
        try:
            self.desk.library.bring_back(template_id)
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self.desk.shelves_changed.emit()
        self.choose(template_id)

    def toggle_default(self, *, own: bool = False) -> None:
        """Make the chosen template the one new jobs start from, in the house or for this person, or no longer."""
        summary = self.chosen()
        if summary is None:
            return
        try:
            kept = self.desk.library.defaults()[1 if own else 0]
            self.desk.library.set_default(None if kept == summary.id else summary.id, own=own)
        except QuarryError as error:
            self.desk.refuse(error)
        self.desk.shelves_changed.emit()

    # -- files -----------------------------------------------------------------------------------------

    def import_asked(self) -> None:
        """Ask for a file, and show what it offers."""
        name, _kind = QFileDialog.getOpenFileName(self, "Import templates", str(self.files.folder()), _FILES)
        if name:
            self.import_from(Path(name))

    def import_from(self, path: Path) -> None:
        """Show what a template file, a bundle or a carried shelf offers; nothing is taken before it is decided."""
        from idle_quarry.app.views.taking import TakingPage

        page = self._page(TakingPage)
        assert isinstance(page, TakingPage)
        if not page.property("connected"):
            page.setProperty("connected", True)
            page.taken.connect(self._merged)
        page.open(path, lambda: self._bring(page))

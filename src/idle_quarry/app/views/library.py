"""The Library view: templates of both shelves on the left, the chosen one's path and revisions on the right."""

from __future__ import annotations

import itertools
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListView,
    QMenu,
    QScrollArea,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.desk import Desk
from idle_quarry.app.theme import theme
from idle_quarry.app.views.shelf_list import SUMMARY, ShelfDelegate, ShelfModel
from idle_quarry.app.widgets.basics import AskBar, button, label
from idle_quarry.app.widgets.core import Core
from idle_quarry.app.widgets.findings import Findings
from idle_quarry.app.widgets.strip import Strip
from idle_quarry.errors import NameTaken, QuarryError
from idle_quarry.library import Summary
from idle_quarry.library.exchange import export_file, import_file
from idle_quarry.path.edits import Edit, differences, edited
from idle_quarry.path.names import cleaned_name
from idle_quarry.path.registry import deliveries, territories
from idle_quarry.path.starting import from_delivery
from idle_quarry.path.template import Template
from idle_quarry.signal.words import format_words


class LibraryView(QWidget):
    """Find, look at, open, copy and hand over templates."""

    clips_wanted = Signal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.model = ShelfModel()
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search name, note, format, delivery")
        self.search.setClearButtonEnabled(True)
        self.search.setAccessibleName("Search templates")
        self.territory, self.lines = QComboBox(), QComboBox()
        self.territory.setAccessibleName("Territory")
        self.lines.setAccessibleName("Raster")
        self.territory.addItem("Any territory", None)
        for ident in territories():
            self.territory.addItem(ident, ident)
        self.list = QListView()
        self.list.setModel(self.model)
        self._delegate = ShelfDelegate(desk)
        self.list.setItemDelegate(self._delegate)
        self.list.setUniformItemSizes(True)
        self.list.setAccessibleName("Templates")
        self._nothing = label("", "dust", wrap=True)
        self._nothing.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.ask = AskBar()
        self._build_right()
        self._build()
        self.first_focus = self.list
        self.search.textChanged.connect(self._find)
        self.territory.activated.connect(self._find)
        self.lines.activated.connect(self._find)
        self.list.selectionModel().currentChanged.connect(
            lambda index, _old: self._show(index.data(SUMMARY) if index.isValid() else None)
        )
        self.list.activated.connect(lambda index: self.open_chosen())
        desk.shelves_changed.connect(self.reload)
        self.reload()

    def _build(self) -> None:
        new = button("New", self._new_menu, main=True)
        self.new_button = new
        tools = QHBoxLayout()
        tools.setSpacing(theme.px(7))
        tools.addWidget(self.search, 1)
        tools.addWidget(self.territory)
        tools.addWidget(self.lines)
        tools.addWidget(new)
        tools.addWidget(button("Import", self.import_asked))
        tools.setContentsMargins(theme.px(12), theme.px(10), theme.px(12), theme.px(8))
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(tools)
        column.addWidget(self._nothing)
        column.addWidget(self.list, 1)
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.addWidget(left)
        self.split.addWidget(self._right)
        self.split.setSizes([theme.px(640), theme.px(640)])
        self.split.setChildrenCollapsible(False)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(self.ask)
        outer.addWidget(self.split, 1)

    def _build_right(self) -> None:
        self._right = QWidget()
        self._right.setProperty("role", "bench")
        self._right.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._name, self._about, self._note = label(role="title"), label(role="dust"), label(wrap=True)
        self.open_button = button("Open", self.open_chosen, main=True, tip="Enter")
        self.job_button = button("Start a job", self._start_job)
        self.more_button = button("More", self._more_menu)
        head = QHBoxLayout()
        head.setSpacing(theme.px(7))
        head.addWidget(self._name, 1)
        head.addWidget(self.more_button)
        head.addWidget(self.job_button)
        head.addWidget(self.open_button)
        self.strip = Strip(editable=False)
        self.strip.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.core = Core()
        self.core.chosen.connect(self._show_revision)
        self.findings = Findings()
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.core)
        lower = QSplitter(Qt.Orientation.Vertical)
        revisions = QWidget()
        inner = QVBoxLayout(revisions)
        inner.setContentsMargins(theme.px(16), theme.px(6), theme.px(8), 0)
        inner.addWidget(label("Revisions", "head"))
        inner.addWidget(scroll, 1)
        lower.addWidget(revisions)
        lower.addWidget(self.findings)
        lower.setSizes([theme.px(190), theme.px(230)])
        column = QVBoxLayout(self._right)
        column.setContentsMargins(0, theme.px(10), 0, 0)
        column.setSpacing(theme.px(4))
        top = QVBoxLayout()
        top.setContentsMargins(theme.px(16), 0, theme.px(12), theme.px(4))
        top.setSpacing(theme.px(3))
        top.addLayout(head)
        top.addWidget(self._about)
        top.addWidget(self._note)
        column.addLayout(top)
        column.addWidget(self.strip)
        column.addWidget(lower, 1)

    # -- showing ---------------------------------------------------------------------------------------

    def reload(self) -> None:
        """Read both shelves again; what was chosen stays chosen."""
        chosen = self.chosen()
        try:
            self.model.take(self.desk.library.summaries())
        except QuarryError as error:
            self.desk.refuse(error)
            return
        kept = self.lines.currentData()
        self.lines.clear()
        self.lines.addItem("Any raster", None)
        for lines in self.model.lines_present():
            self.lines.addItem(f"{lines} lines", lines)
        self.lines.setCurrentIndex(max(0, self.lines.findData(kept)))
        self._choose_row(self.model.row_of(chosen.id) if chosen else None)

    def _find(self) -> None:
        chosen = self.chosen()
        self.model.find(self.search.text(), self.territory.currentData(), self.lines.currentData())
        self._choose_row(self.model.row_of(chosen.id) if chosen else None)

    def _choose_row(self, row: int | None) -> None:
        shown = len(self.model.shown)
        self._nothing.setVisible(shown == 0)
        if self.model.count == 0:
            self._nothing.setText("No templates yet. Press New to begin from a standard delivery, or drop clips here.")
        else:
            self._nothing.setText("No template has all of that. Clear the search, or choose any territory and raster.")
        if shown:
            self.list.setCurrentIndex(self.model.index(row or 0))
        else:
            self._show(None)

    def chosen(self) -> Summary | None:
        """Return the template chosen in the list, or None."""
        index = self.list.currentIndex()
        return index.data(SUMMARY) if index.isValid() and index.row() < len(self.model.shown) else None

    def choose(self, template_id: str) -> None:
        """Choose a template in the list, clearing the search where it hides it."""
        if self.model.row_of(template_id) is None:
            self.search.clear()
            self.territory.setCurrentIndex(0)
            self.lines.setCurrentIndex(0)
            self._find()
        self._choose_row(self.model.row_of(template_id))

    def _show(self, summary: Summary | None) -> None:
        self._right.setEnabled(summary is not None)
        if summary is None:
            self._name.setText("")
            self._about.setText("")
            self._note.setText("")
            self.strip.show_evaluation(None)
            self.core.show_revisions([])
            return
        try:
            revisions = self.desk.library.revisions(summary.id)
            bodies = [self.desk._stored(summary.id, r.number, r.hash).template for r in revisions]
        except QuarryError as error:
            self.desk.refuse(error)
            return
        changed = [len(differences(old, new)) for new, old in itertools.pairwise(bodies)] + [0]
        self._name.setText(summary.name)
        self.core.show_revisions(list(zip(revisions, changed, strict=True)))
        self._show_revision(revisions[0].number)

    def _show_revision(self, number: int) -> None:
        summary = self.chosen()
        if summary is None:
            return
        revision = next(r for r in self.desk.library.revisions(summary.id) if r.number == number)
        evaluation = self.desk.evaluation(summary.id, number, revision.hash)
        shelf = "House" if summary.shelf == "house" else "Own"
        self._about.setText(
            f"{shelf} shelf · revision {number} by {revision.author}, {revision.time[:10]} · worst link {evaluation.worst_grade}"
        )
        self._note.setText(evaluation.template.note)
        self.strip.show_evaluation(evaluation, "")
        self.findings.show_evaluation(evaluation)

    # -- doing -----------------------------------------------------------------------------------------

    def open_chosen(self) -> None:
        """Open the chosen template at the chosen revision."""
        summary = self.chosen()
        if summary is not None:
            number = self.core.selected
            self.desk.open_stored(summary.id, number if number != summary.latest.number else None)

    def _start_job(self) -> None:
        summary = self.chosen()
        if summary is not None:
            try:
                self.desk.job_wanted.emit(self.desk.library.stored(summary.id, self.core.selected))
            except QuarryError as error:
                self.desk.refuse(error)

    def _new_menu(self) -> None:
        menu = QMenu(self)
        for each in deliveries().values():
            action = menu.addAction(f"From delivery: {each.name}  ·  {format_words(each.signal)}")
            action.triggered.connect(lambda _on, ident=each.id: self.desk.open_new(from_delivery(ident)))
        menu.addSeparator()
        if self.chosen() is not None:
            menu.addAction("From the chosen template").triggered.connect(self.duplicate)
        menu.addAction("From clips…").triggered.connect(self.clips_wanted.emit)
        menu.exec(self.new_button.mapToGlobal(self.new_button.rect().bottomLeft()))

    def _more_menu(self) -> None:
        summary = self.chosen()
        if summary is None:
            return
        menu = QMenu(self)
        menu.addAction("Duplicate to own shelf").triggered.connect(self.duplicate)
        menu.addAction("Rename").triggered.connect(self.rename)
        menu.addAction("Export…").triggered.connect(self.export_asked)
        text = "No longer the default for new jobs" if summary.default else "Default for new jobs"
        menu.addAction(text).triggered.connect(self.toggle_default)
        menu.exec(self.more_button.mapToGlobal(self.more_button.rect().bottomLeft()))

    def duplicate(self) -> None:
        """Put a copy of the chosen template on the own shelf."""
        summary = self.chosen()
        if summary is None:
            return
        library = self.desk.library
        try:
            stored = library.stored(summary.id, self.core.selected)
            name = library.free_name(f"{summary.name} copy"[:110], "own")
            note = f"copied from {summary.name}, revision {stored.revision.number}"
            saved = library.save_new(edited(stored.template, Edit("name", name)), "own", note)
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
                self.desk.library.save_revision(
                    summary.id, edited(stored.template, Edit("name", name)), f"renamed from {stored.name}"
                )
            except QuarryError as error:
                return str(error)
            self.desk.forget_held(summary.id)
            self.desk.shelves_changed.emit()
            return None

        self.ask.ask_text("New name:", summary.name, "Rename", accept)

    def toggle_default(self) -> None:
        """Make the chosen template the one new jobs start from, or no longer."""
        summary = self.chosen()
        if summary is None:
            return
        try:
            self.desk.library.set_default(None if summary.default else summary.id)
        except QuarryError as error:
            self.desk.refuse(error)
        self.desk.shelves_changed.emit()

    def export_asked(self) -> None:
        """Ask where to, and write the chosen revision as a file."""
        summary = self.chosen()
        if summary is None:
            return
        start = Path(self.desk.preferences.export_folder or Path.home()) / f"{cleaned_name(summary.name)}.json"
        name, _kind = QFileDialog.getSaveFileName(self, "Export template", str(start), "Template (*.json)")
        if name:
            self.export_to(Path(name))

    def export_to(self, path: Path) -> None:
        """Write the chosen revision to `path`."""
        summary = self.chosen()
        if summary is None:
            return
        try:
            stored = self.desk.library.stored(summary.id, self.core.selected)
            revision = stored.revision
            origin = {
                "name": stored.name,
                "revision": revision.number,
                "author": revision.author,
                "time": revision.time,
            }
            export_file(stored.template, path, origin)
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self.desk.preferences.export_folder = str(path.parent)
        self.desk.say(f"{stored.name}, revision {revision.number}, exported to {path.name}.")

    def import_asked(self) -> None:
        """Ask for files and import them."""
        names, _kind = QFileDialog.getOpenFileNames(
            self, "Import templates", self.desk.preferences.export_folder, "Template (*.json)"
        )
        for name in names:
            self.import_from(Path(name))

    def import_from(self, path: Path) -> None:
        """Import a template file; where the own shelf has the name, ask what is meant."""
        try:
            found = import_file(path)
        except QuarryError as error:
            self.desk.refuse(error)
            return
        if found.genuine is False:
            self.desk.say(
                f"{path.name}: its hash does not hold; it was changed since it was exported. Not imported.",
                refusal=True,
            )
            return
        self._put_imported(found.template, path.name)

    def _put_imported(self, template: Template, file_name: str) -> None:
        library, note = self.desk.library, f"imported from {file_name}"
        try:
            saved = library.save_new(template, "own", note)
        except NameTaken:
            taken = next(s for s in library.summaries() if s.shelf == "own" and s.name.lower() == template.name.lower())
            self.ask.ask_choice(
                f"Your shelf has a template called {template.name} already.",
                {
                    "Keep both": lambda: self._keep_both(template, note),
                    f"Add as revision {taken.latest.number + 1}": lambda: self._add_revision(taken, template, note),
                    "Leave it": lambda: None,
                },
            )
            return
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self._imported(saved.template_id, template.name)

    def _keep_both(self, template: Template, note: str) -> None:
        try:
            name = self.desk.library.free_name(template.name, "own")
            saved = self.desk.library.save_new(edited(template, Edit("name", name)), "own", note)
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self._imported(saved.template_id, name)

    def _add_revision(self, taken: Summary, template: Template, note: str) -> None:
        try:
            self.desk.library.save_revision(taken.id, template, note)
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self.desk.forget_held(taken.id)
        self._imported(taken.id, template.name)

    def _imported(self, template_id: str, name: str) -> None:
        self.desk.shelves_changed.emit()
        self.choose(template_id)
        self.desk.say(f"{name} imported to your own shelf.")

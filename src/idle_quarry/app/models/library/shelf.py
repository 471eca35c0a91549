"""The shelves: what is searched, which template is chosen, what can be done with it."""

from __future__ import annotations

import contextlib
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.destinations import CureFinding, ReviewPair, ShowEntry, ShowShelfPage, StartJob
from idle_quarry.app.models.library.chosen_template import ChosenTemplate
from idle_quarry.app.models.library.files_out import FilesOut
from idle_quarry.app.models.library.house_rules import HouseRules
from idle_quarry.app.models.library.rows import ShelfPaths, ShelfRows
from idle_quarry.app.models.library.search_text import SearchText
from idle_quarry.app.models.library.settings_read import SettingsRead
from idle_quarry.app.questions import Answered, Question
from idle_quarry.counting import counted
from idle_quarry.errors import QuarryError
from idle_quarry.library import Search, StoredTemplate
from idle_quarry.path.beginning.beginnings import from_delivery, monitor_for, work_places
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.entries import Monitor
from idle_quarry.path.evaluation import Finding
from idle_quarry.path.registry import territories

if TYPE_CHECKING:
    from idle_quarry.app.door import Door

#: The pages that take the whole view, by the name of their model on the desk; "" is the shelves themselves.
PAGES = ("", "review", "merge", "importing", "standard_set", "many")


class Shelf(QObject):
    """`listed`: the list is another; `page_wanted`: a page is to be shown; `asked`: a question is to be put."""

    listed = Signal()
    page_wanted = Signal(str)
    asked = Signal(object)
    #: A file is to be chosen, to be imported.
    import_asked = Signal()

    def __init__(self, door: Door) -> None:
        super().__init__()
        self.door = door
        self.rows = ShelfRows(door.library)
        self.paths = ShelfPaths(door)
        self.chosen = ChosenTemplate(door)
        self.files = FilesOut(door, self.chosen.stored, self.wanted)
        self.rules = HouseRules(door, self.asked.emit)
        self.sought = SearchText()
        self.lines_present: list[int] = []
        self.page = ""
        self.settings = SettingsRead(door)
        self.settings.read.connect(self._settings_read)
        door.shelves_changed.connect(self.reload)
        self.reload()

    # -- finding -----------------------------------------------------------------------------------------

    def wanted(self) -> Search:
        """Return what the library is asked for."""
        return self.sought.search()

    def reload(self) -> None:
        """Read the shelves again; what was chosen stays chosen."""
        self.lines_present = self.door.read(lambda library: library.lines_present()) or self.lines_present
        if self.sought.lines not in self.lines_present:
            self.sought.lines = None
        self.find()

    def look_for(
        self, *, typed: str | None = None, shelf: str | None = None, territory: str | None = "", lines: int | None = 0
    ) -> None:
        """Search otherwise: what is not said stays ("" and 0 are none said, None is any)."""
        sought = self.sought
        if typed is not None:
            sought.type(typed)
        sought.shelf = sought.shelf if shelf is None else shelf
        sought.territory = sought.territory if territory == "" else territory
        sought.lines = sought.lines if lines == 0 else lines
        self.find()

    def find(self) -> None:
        """Find what is searched for; the chosen template stays, where it is still there."""
        ident = self.chosen.summary.id if self.chosen.summary else self.door.preferences.template
        try:
            self.rows.find(self.wanted(), self._holding)
        except QuarryError as error:
            self.door.refuse(error)
            return
        row = self.rows.row_of(ident)
        self.choose_row(row if row is not None else 0)
        self.listed.emit()

    def _holding(self, ids: list[str]) -> list[str]:
        """Return those of which the conditions hold; none yet while the settings are read."""
        if not self.sought.conditions:
            return ids
        self.settings.want()
        return self.settings.columns.find(self.sought.conditions, ids) if self.settings.ready else []

    def _settings_read(self) -> None:
        if self.sought.conditions:
            self.find()

    def choose_row(self, row: int) -> None:
        """Choose a row of the list."""
        self.chosen.show_summary(self.rows.at(row) if row < self.rows.shown else None)

    def choose(self, template_id: str) -> None:
        """Choose a template, clearing the search where it hides it."""
        if self.rows.row_of(template_id) is None:
            self.sought = SearchText()
            self.rows.find(self.wanted())
        self.choose_row(self.rows.row_of(template_id) or 0)
        self.listed.emit()

    @property
    def nothing_at_all(self) -> bool:
        """Whether the shelves are bare: nothing is hidden by a search."""
        return self.rows.shown == 0 and self.sought.everything

    def counted_words(self) -> str:
        """Return how many templates are shown."""
        return counted(self.rows.shown, "template")

    def nothing_words(self) -> str:
        """Return why no template is shown, and what to do."""
        return self.sought.nothing_words(reading=not self.settings.ready)

    # -- pages ---------------------------------------------------------------------------------------------

    def show_page(self, page: str) -> None:
        """Show a page over the shelves, or the shelves ("")."""
        self.page = page
        self.page_wanted.emit(page)

    def back(self) -> None:
        """Go back to the shelves."""
        self.show_page("")

    def compare(self, a: int, b: int) -> None:
        """Show two revisions of the chosen template beside one another."""
        summary = self.chosen.summary
        if summary is not None:
            pair = self.door.read(lambda library: (library.stored(summary.id, a), library.stored(summary.id, b)))
            self._compare(pair)

    def _compare(self, pair: tuple[StoredTemplate, StoredTemplate] | None) -> None:
        if pair is not None:
            self.door.go(ReviewPair(*pair))

    def compare_with(self) -> None:
        """Ask for another template, and show the two beside one another."""
        summary, number = self.chosen.summary, self.chosen.number
        if summary is None:
            return

        def accept(name: str, answered: Answered) -> None:
            library = self.door.library
            try:
                pair = library.stored(library.find(name).id), library.stored(summary.id, number)
            except QuarryError as error:
                answered(str(error))
                return
            answered(None)
            self._compare(pair)

        names = self.door.read(lambda library: [summary.name for summary in library.page(limit=400)]) or []
        self.asked.emit(Question(f"Compare {summary.name} with:", "Compare", accept, offers=tuple(names)))

    def look_at(self, template_id: str) -> None:
        """Choose a template, where another is chosen."""
        if self.chosen.summary is None or self.chosen.summary.id != template_id:
            self.choose(template_id)

    def show_standard_set(self) -> None:
        """Show the panel that puts the standard templates of a house on its shelf."""
        self.door.go(ShowShelfPage("standard_set"))

    # -- doing -----------------------------------------------------------------------------------------------

    def show_table(self) -> None:
        """Show the templates that are found as a table of their settings."""
        self.door.go(ShowShelfPage("many"))

    def show_equipment(self, ident: str = "") -> None:
        """Show equipment and specs, and of them one entry."""
        self.door.go(ShowEntry(ident))

    def open_chosen(self) -> None:
        """Open the chosen template, at a revision where one was picked."""
        summary = self.chosen.summary
        if summary is not None:
            self.door.open_stored(summary.id, self.chosen.number if self.chosen.picked else None)

    def cure(self, finding: Finding) -> None:
        """Open the chosen template and carry out a finding's remedy there: a draft, undoable."""
        self.open_chosen()
        self.door.go(CureFinding(finding))

    def start_job(self) -> None:
        """Show the page that starts a job from the chosen template."""
        summary = self.chosen.summary
        if summary is None:
            return
        number = self.chosen.number if self.chosen.picked else summary.for_jobs
        stored = self.door.read(lambda library: library.stored(summary.id, number))
        if stored is not None:
            self.door.go(StartJob(stored))

    def act(self, act: str, number: int) -> None:
        """Ask for what goes with an act on a revision of the chosen template, and carry it out."""
        from idle_quarry.app.models.library.deciding import deciding

        summary, revision = self.chosen.summary, self.chosen.revision
        if summary is not None and revision is not None and revision.number == number:
            deciding(self.door, self.asked.emit, summary.name, revision, act)

    def begin_from(self, standard: str) -> None:
        """Open a new template for a standard delivery: its renders in what the house uses already, its monitor one
        of the house's own or none, its work where this person keeps work.
        """
        used = self.door.read(lambda library: library.codecs_in_use())
        if used is None:
            return
        template = from_delivery(standard, used=used)
        own = [entry for entry in self.door.house.value.entries if isinstance(entry, Monitor)]
        template = edited(template, Edit("monitor", monitor_for(template.working.format, own)))
        if work := self.door.preferences.work_folder:
            with contextlib.suppress(QuarryError):  # one that no disk can have any more is typed anew
                template = template.model_copy(update={"places": work_places(work)})
        self.door.open_new(template)

    def begin_from_clips(self) -> None:
        """Show Intake, where templates begin from clips."""
        self.door.view_wanted.emit("Intake")
        self.door.say("Open or drop clips here, choose one, and start a template from it.")

    def duplicate(self) -> None:
        """Put a copy of the chosen revision on the own shelf."""
        self._copy("own")

    def hand_over(self) -> None:
        """Put a copy of the chosen revision on the house shelf, as a draft."""
        self._copy("house")

    def _copy(self, shelf: str) -> None:
        summary = self.chosen.summary
        if summary is not None:
            # the list is read again first, and then has it
            self.door.acts.copy(summary, self.chosen.number, shelf, self._choose_soon)

    def _choose_soon(self, revision: object) -> None:
        self.choose(revision.template_id)  # type: ignore[attr-defined]

    def rename(self) -> None:
        """Ask for another name; it is saved as a revision, since a revision never changes."""
        summary = self.chosen.summary
        if summary is None:
            return

        def accept(name: str, answered: Answered) -> None:
            self.door.acts.rename(summary, name, answered)

        self.asked.emit(Question("New name:", "Rename", accept, summary.name))

    def put_aside(self) -> None:
        """Take the chosen template off its shelf; it can be put back."""
        if self.chosen.summary is not None:
            self.door.acts.put_aside(self.chosen.summary)

    def bring_back(self) -> None:
        """Put the chosen template, which was put aside, on its shelf again."""
        summary = self.chosen.summary
        if summary is not None:
            self.door.acts.bring_back(summary.id, lambda: self.choose(summary.id))

    def toggle_default(self, *, own: bool = False) -> None:
        """Make the chosen template the one new jobs start from, in the house or for this person, or no longer."""
        if self.chosen.summary is not None:
            self.door.acts.toggle_default(self.chosen.summary.id, own=own)


def territory_words() -> dict[str, str]:
    """Return the territories with what people call them, by their ids."""
    return {
        territory.id: f"{territory.id} ({territory.called})" if territory.called else territory.id
        for territory in territories().values()
    }

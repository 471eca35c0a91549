"""Many templates as a table of their settings, and one setting changed in all of those that are chosen."""

from __future__ import annotations

import json
import threading
from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.background.workers import Cancelled, Ticket
from idle_quarry.app.models.library.many_columns import COLUMNS, MOST_COLUMNS, SettingOffer, natural
from idle_quarry.app.questions import Answered, Question
from idle_quarry.counting import counted
from idle_quarry.errors import QuarryError
from idle_quarry.library.bulk_changes import PlannedRevision, planned, saved
from idle_quarry.library.files.importing import ImportedTemplate
from idle_quarry.path.settings import label_in_all, settings_of, sheet_name

if TYPE_CHECKING:
    from idle_quarry.app.door import Door
    from idle_quarry.app.models.library.shelf import Shelf


class ManyTemplates(QObject):
    """`changed`: rows, columns or order; `preview_changed`; `running_changed`; `progressed`: how far saving is."""

    changed = Signal()
    preview_changed = Signal()
    running_changed = Signal()
    progressed = Signal(str, float, object)

    def __init__(self, door: Door, shelf: Shelf) -> None:
        super().__init__()
        self.door, self._shelf = door, shelf
        self.settings = shelf.settings
        self.columns = [name for name in door.preferences.table if name] or list(COLUMNS)
        self.order, self.rising = 0, True  #: the column sorted by, 0 is the name
        self.ids: list[str] = []
        self.chosen: list[str] = []
        self.offers: list[SettingOffer] = []
        self.preview: list[PlannedRevision] = []
        self._ticket: Ticket | None = None
        self._saving = False
        self._stop = threading.Event()  #: no more is to be saved
        self.settings.read.connect(self.show)
        shelf.listed.connect(self.show)

    # -- the table ---------------------------------------------------------------------------------------------

    def show(self) -> None:
        """Show the templates that the shelves show now."""
        self.settings.want()
        self.ids = list(self._shelf.rows.ids) if self.settings.ready else []
        self._sort()
        self.changed.emit()

    def text(self, ident: str, column: int) -> str:
        """Return a cell: the template's name, or what it has at the column's place."""
        return self.settings.columns.texts(ident, "name" if column == 0 else self.columns[column - 1])

    def heads(self) -> list[str]:
        """Return the heads of the columns."""
        return ["Template", *(label_in_all(place) for place in self.columns)]

    def sort(self, column: int) -> None:
        """Sort by a column; once more turns it round."""
        self.order, self.rising = column, not self.rising if column == self.order else True
        self._sort()
        self.changed.emit()

    def _sort(self) -> None:
        place = "name" if self.order == 0 else self.columns[self.order - 1]
        texts = self.settings.columns.texts
        self.ids.sort(key=lambda ident: natural(texts(ident, place)), reverse=not self.rising)

    def places(self) -> list[str]:
        """Return the places that can become columns."""
        return [place for place in self.settings.columns.places() if place not in self.columns and place != "name"]

    def add_column(self, place: str) -> None:
        """Show one more setting."""
        if place not in self.columns and len(self.columns) < MOST_COLUMNS:
            self._take_columns([*self.columns, place])

    def remove_column(self, place: str) -> None:
        """Show a setting no longer; one stays."""
        if len(self.columns) > 1:
            self._take_columns([column for column in self.columns if column != place])

    def _take_columns(self, places: list[str]) -> None:
        self.columns, self.order, self.rising = places, 0, True
        self.door.preferences.table = list(places)
        self._sort()
        self.changed.emit()

    # -- views kept by a name ------------------------------------------------------------------------------------

    def views(self) -> list[tuple[str, Callable[[], object] | None]]:
        """Return what can be done with views that are kept: each shown, this one kept, one let go."""
        tables = self.door.preferences.tables
        results: list[tuple[str, Callable[[], object] | None]] = [
            (name, partial(self.show_view, name)) for name in tables
        ]
        results += [("", None)] if tables else []
        results.append(("Keep this table by a name…", self._ask_name))
        results += [(f"Forget {name}", partial(self._forget_view, name)) for name in tables]
        return results

    def _ask_name(self) -> None:
        self._shelf.asked.emit(
            Question("What is this table called?", "Keep it", self.keep_view, self._shelf.sought.typed)
        )

    def keep_view(self, name: str, answered: Answered = lambda _why: None) -> None:
        """Keep what is searched and the columns by a name."""
        name = name.strip()
        if not name or len(name) > 60:
            answered("A name has a letter at least and sixty at the most.")
            return
        self.door.preferences.tables[name] = json.dumps({"typed": self._shelf.sought.typed, "columns": self.columns})
        answered(None)

    def show_view(self, name: str) -> None:
        """Show a table that was kept: search what it searched, with its columns.

        What is no column any more is left out.
        """
        try:
            data = json.loads(self.door.preferences.tables[name])
            typed, columns = str(data["typed"]), [str(column) for column in data["columns"]]
        except (KeyError, TypeError, ValueError):
            self._forget_view(name)
            self.door.say(f"The table {name} cannot be read and is forgotten.", refusal=True)
            return
        self._take_columns(columns[:MOST_COLUMNS] or list(COLUMNS))
        self._shelf.look_for(typed=typed)

    def _forget_view(self, name: str) -> None:
        self.door.preferences.tables.pop(name, None)

    def title_words(self) -> str:
        """Return how many templates there are in the table."""
        if not self.settings.ready:
            return "Reading the settings of all templates …"
        count, chosen = len(self.ids), len(self.chosen)
        return counted(count, "template") + (f", {chosen} chosen" if chosen else "")

    # -- one setting in all of these ------------------------------------------------------------------------------

    def choose(self, idents: list[str]) -> None:
        """Choose rows; the settings of the first are what can be changed."""
        if self._saving:
            return
        self.chosen = idents
        self._forget()
        first = self.door.read(lambda library: library.summary(idents[0])) if idents else None
        stored = self.door.read(lambda library: library.stored(first.id, first.for_jobs)) if first is not None else None
        self.offers = []
        if stored is not None:
            for setting in settings_of(stored.template, self.door.house.value):
                if setting.place != "name":
                    sheet = sheet_name(stored.template, setting.sheet)
                    words = (
                        f"{setting.label if sheet == setting.label else f'{sheet} · {setting.label}'} ({setting.place})"
                    )
                    self.offers.append(SettingOffer(setting.place, words, setting.choices, setting.free))
        self.changed.emit()

    def _forget(self) -> None:
        if self._ticket is not None and not self._saving:
            self._ticket.cancel()
            self._ticket = None
            self.running_changed.emit()
        self.preview = []
        self.preview_changed.emit()

    @property
    def running(self) -> bool:
        return self._ticket is not None

    def look(self, place: str, text: str) -> None:
        """Work out what a change would do to each chosen template, off the interface thread.

        Each is shown as it comes.
        """
        self._forget()
        summaries = {
            summary.id: summary for summary in self.door.read(lambda library: library.these(self.chosen)) or []
        }
        wanted = [(ident, summaries[ident].for_jobs) for ident in self.chosen if ident in summaries]
        library = self.door.library

        def work(ticket: Ticket) -> None:
            for number, change in enumerate(planned(library, wanted, place, text)):
                ticket.give(change)
                ticket.progress("looking at each", (number + 1) / max(1, len(wanted)))

        self._ticket = self.door.workers.start(work, self._looked, self._failed, self._progressed, self._came)
        self.running_changed.emit()

    def _came(self, change: PlannedRevision) -> None:
        self.preview.append(change)
        if len(self.preview) < 20 or len(self.preview) % 20 == 0:
            self.preview_changed.emit()

    def _progressed(self, what: str, share: float) -> None:
        self.progressed.emit(what, share, None)

    def _looked(self, _none: None) -> None:
        self._ticket = None
        self.running_changed.emit()
        self.preview_changed.emit()

    def _failed(self, error: QuarryError) -> None:
        self._ticket = None
        self.running_changed.emit()
        if not isinstance(error, Cancelled):
            self.door.refuse(error)

    def cancel(self) -> None:
        """Stop what is under way; what was saved stays saved."""
        self._stop.set()
        if self._ticket is not None and not self._saving:
            self._ticket.cancel()

    def changing(self) -> list[PlannedRevision]:
        """Return the changes that something is to be saved of."""
        return [plan for plan in self.preview if plan.template is not None]

    def preview_words(self) -> str:
        """Return what the change comes to."""
        if not self.preview:
            return ""
        parts = [(len(self.changing()), "to be changed")]
        parts.append(
            (sum(plan.template is None and not plan.refused for plan in self.preview), "as it would be already")
        )
        parts.append((sum(bool(plan.refused) for plan in self.preview), "cannot be changed"))
        return ", ".join(f"{count} {words}" for count, words in parts if count)

    def save(self, note: str) -> None:
        """Save a draft of each changed template; all of it is undone in one step."""
        changes, library, door = self.changing(), self.door.library, self.door
        if not changes or self.running:
            return
        self._stop.clear()
        self._saving = True
        text = note or f"{counted(len(changes), 'template')} changed together"

        def work(ticket: Ticket) -> tuple[list[ImportedTemplate], list[str]]:
            def go_on(count: int) -> bool:
                ticket.progress(f"saving {count + 1} of {len(changes)}", count / len(changes))
                return not self._stop.is_set()

            return saved(library, changes, text, go_on)

        self._ticket = self.door.workers.start(work, self._saved, self._not_saved, self._progressed)
        door.begin_writing()
        self.running_changed.emit()

    def _not_saved(self, error: QuarryError) -> None:
        self._saving = False
        self.door.end_writing()
        self._failed(error)

    def _saved(self, results: tuple[list[ImportedTemplate], list[str]]) -> None:
        templates, refused = results
        self._ticket, self._saving = None, False
        self.door.end_writing()
        for template in templates:
            self.door.documents.let_go(template.template_id)
        more = f" {len(refused)} were refused: {refused[0]}" if refused else ""
        text = f"{len(templates)} drafts saved." + more
        self.door.shelves_changed.emit()
        self.preview = []
        self.running_changed.emit()
        self.preview_changed.emit()
        undo = ("Undo all", lambda: self.door.acts.take_back(templates)) if templates else None
        self.door.say(text, refusal=not templates, action=undo)

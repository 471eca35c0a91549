"""Equipment and specs: what ships and the house's own entries, the one that is looked at, and how it is changed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.models.equipment.beginnings import EntryBeginnings
from idle_quarry.app.models.equipment.words import SHELVES, EquipmentWords
from idle_quarry.app.questions import Answered, Choice, Question
from idle_quarry.counting import counted
from idle_quarry.errors import QuarryError
from idle_quarry.library import Revision, StoredEntry
from idle_quarry.library.house_entries import (
    BUILT_IN,
    ListedEntry,
    listed,
    used_by,
)
from idle_quarry.path.entries import KINDS, Entry
from idle_quarry.path.settings.entries import entry_settings, with_entry_setting
from idle_quarry.path.settings.setting import Setting

if TYPE_CHECKING:
    from idle_quarry.app.door import Door

ALL = "All kinds"
_SHELF_OF = {"Ships with the program": BUILT_IN, "House shelf": "house", "Own shelf": "own"}


@dataclass(frozen=True)
class EntryActs:
    """What may be done with the entry that is looked at."""

    edit: bool = False
    save: bool = False
    propose: bool = False
    approve: bool = False
    withdraw: bool = False
    aside: bool = False
    back: bool = False


class Equipment(QObject):
    """`listed`: other entries are shown.

    `changed`: another is looked at, or it was edited; `asked`: a question in place.
    """

    listed = Signal()
    changed = Signal()
    asked = Signal(object)

    def __init__(self, door: Door) -> None:
        super().__init__()
        self.door = door
        self.kind, self.shelf, self.typed = ALL, SHELVES[0], ""
        self.rows: list[ListedEntry] = []
        self._every: list[ListedEntry] = []
        self.uses: dict[str, list[str]] | None = None  #: the templates that name each; None while they are read
        self.ident = ""  #: of the entry that is looked at
        self.entry: Entry | None = None  #: as it is edited
        self.stored: StoredEntry | None = None  #: its newest revision; none of what ships
        self.revisions: list[Revision] = []
        self.history: list[str] = []
        self.begin = EntryBeginnings(self)
        self.words = EquipmentWords(self)
        self._keeping = door.documents.keeping
        self._drafts = door.documents.drafts
        #: Edits that are no revision yet, by uid; a crash loses none.
        self._unsaved = {entry.uid: entry for entry in self._drafts.entries()}
        door.shelves_changed.connect(self.reload)
        self.reload()

    # -- the list ----------------------------------------------------------------------------------------------

    def reload(self) -> None:
        """Read the shelves again; what is looked at stays."""
        if self._drafts is not self.door.documents.drafts:  # somebody else sits here now
            self._drafts = self.door.documents.drafts
            self._unsaved = {entry.uid: entry for entry in self._drafts.entries()}
        aside = self.shelf == SHELVES[-1]
        self._every = self.door.read(lambda library: listed(library, aside=aside, uses={})) or []
        self._count_uses()
        self._narrow()
        self._look_at(self.ident)

    def _count_uses(self) -> None:
        library = self.door.library

        def done(uses: dict[str, list[str]]) -> None:
            self.uses = uses
            self.changed.emit()

        self.door.workers.start(lambda _ticket: used_by(library), done, self.door.refuse)

    def look_for(self, *, kind: str | None = None, shelf: str | None = None, typed: str | None = None) -> None:
        """Show other entries: of a kind, of a shelf, with every word that is typed."""
        anew = shelf is not None and (shelf == SHELVES[-1]) != (self.shelf == SHELVES[-1])
        self.kind = self.kind if kind is None else kind
        self.shelf = self.shelf if shelf is None else shelf
        self.typed = self.typed if typed is None else typed
        if anew:
            self.reload()
        else:
            self._narrow()

    def _narrow(self) -> None:
        words = self.typed.lower().split()
        wanted = _SHELF_OF.get(self.shelf)
        self.rows = [
            entry
            for entry in self._every
            if (self.kind == ALL or KINDS[entry.entry.entry].many == self.kind)
            and (wanted is None or entry.shelf == wanted)
            and all(
                word in f"{entry.entry.name} {entry.words} {entry.entry.source} {entry.shelf}".lower() for word in words
            )
        ]
        self.listed.emit()

    # -- the entry that is looked at -----------------------------------------------------------------------------

    def choose(self, ident: str) -> None:
        """Look at an entry; edits that were not saved stay with the one that is left."""
        if ident != self.ident:
            self._look_at(ident)

    def _look_at(self, ident: str) -> None:
        entry = next((row for row in self._every if row.ident == ident), None) or next(iter(self.rows), None)
        if entry is None:
            self.ident, self.entry, self.stored, self.revisions, self.history = "", None, None, [], []
            self.changed.emit()
            return
        self.ident = entry.ident
        self.entry, self.stored, self.revisions, self.history = entry.entry, None, [], []
        if entry.revision is not None:
            self.stored = self.door.read(lambda library: library.entry(entry.ident))
            self.revisions = self.door.read(lambda library: library.revisions(entry.ident)) or []
            remarks = self.door.read(lambda library: library.remarks(entry.ident)) or []
            self.history = self.words.history(remarks)
            if self.stored is not None:
                self.entry = self._unsaved.get(entry.ident, self.stored.entry)
        self.changed.emit()

    def is_unsaved(self, ident: str) -> bool:
        """Return whether an entry has edits that are no revision yet."""
        return ident in self._unsaved

    @property
    def row(self) -> ListedEntry | None:
        return next((entry for entry in self._every if entry.ident == self.ident), None)

    @property
    def dirty(self) -> bool:
        return self.stored is not None and self.entry != self.stored.entry

    def settings(self) -> list[Setting]:
        """Return the sheet of the entry."""
        return entry_settings(self.entry, self.door.house.value) if self.entry is not None and self.entry.uid else []

    def acts(self) -> EntryActs:
        """Return what may be done now."""
        row, stored = self.row, self.stored
        if row is None or stored is None:
            return EntryActs()
        state = stored.revision.state
        mine = stored.revision.author == self.door.library.person
        alone = bool(self.door.read(lambda library: library.one_person()))
        if row.aside:
            return EntryActs(back=True)
        house = row.shelf == "house" and not self.dirty
        return EntryActs(
            edit=True,
            save=self.dirty,
            propose=house and state == "draft" and not alone,
            approve=house and ((state == "in review" and (alone or not mine)) or (state == "draft" and alone)),
            withdraw=not self.dirty and state in ("draft", "in review"),
            aside=True,
        )

    # -- in words ------------------------------------------------------------------------------------------------

    # -- changing it -----------------------------------------------------------------------------------------------

    def type(self, setting: Setting, text: str) -> QuarryError | None:
        """Put typed text into a setting; return why it is refused, None where it is taken."""
        if self.entry is None or self.stored is None:
            return None
        try:
            self._edited(with_entry_setting(self.entry, setting, text))
        except QuarryError as error:
            return error
        return None

    def _edited(self, entry: Entry) -> None:
        assert self.stored is not None
        self.entry = entry
        if entry == self.stored.entry:
            self._forget(self.ident)
        else:
            self._unsaved[self.ident] = entry
            self._keeping.keep_entry(entry)
        self.listed.emit()
        self.changed.emit()

    def _forget(self, uid: str) -> None:
        self._unsaved.pop(uid, None)
        self._keeping.drop_entry(uid)

    def put_back(self, place: str) -> None:
        """Put one setting back to what is stored."""
        if self.entry is None or self.stored is None:
            return
        now = {setting.place: setting for setting in self.settings()}
        was = {
            entry_setting.place: entry_setting
            for entry_setting in entry_settings(self.stored.entry, self.door.house.value)
        }
        try:
            self._edited(with_entry_setting(self.entry, now[place], was[place].text if place in was else ""))
        except QuarryError as error:
            self.door.refuse(error)

    def discard(self) -> None:
        """Put everything back to what is stored."""
        if self.stored is not None and self.dirty:
            entry = self.entry
            assert entry is not None
            self._edited(self.stored.entry)
            self.door.say("Changes dropped.", action=("Undo", lambda: self._edited(entry)))

    def show_saved(self, uid: str) -> None:
        if self.shelf not in (SHELVES[0], "House shelf", "Own shelf"):
            self.shelf = SHELVES[0]
        self._forget(uid)
        self.reload()
        self._look_at(uid)
        self.listed.emit()

    def ask_save(self) -> None:
        """Ask what has changed, and save a revision."""
        if self.dirty:
            self.asked.emit(Question("What has changed?", "Save draft", self._save))

    def _save(self, note: str, answered: Answered) -> None:
        entry, row = self.entry, self.row
        assert entry is not None and row is not None
        self.door.acts.house.save(
            entry, row.shelf, note.strip(), lambda _revision: self.show_saved(entry.uid), answered
        )

    def act(self, act: str) -> None:
        """Send the newest revision to review, approve or withdraw it."""
        if self.stored is None:
            return
        revision, name = self.stored.revision, self.stored.name
        if act == "withdraw":
            acts: dict[str, Callable[[], object]] = {"Withdraw": partial(self._act, act)}
            self.asked.emit(
                Choice(f"Withdraw revision {revision.number} of {name}? What names it keeps its copy.", acts)
            )
        else:
            self._act(act)

    def _act(self, act: str) -> None:
        assert self.stored is not None
        self.door.acts.review(self.stored.name, self.stored.revision, act, "", done=self.reload)

    def put_aside(self) -> None:
        """Take the entry off its shelf; templates that name it keep their copies."""
        if self.stored is not None:
            uid, name = self.ident, self.stored.name
            names = (self.uses or {}).get(uid, [])
            more = f" {counted(len(names), 'template')} that name it keep their copies." if names else ""
            self.door.acts.house.put_aside(uid, f"{name} was put aside.{more}")

    def bring_back(self) -> None:
        """Put the entry on its shelf again."""
        if self.stored is not None:
            self.door.acts.bring_back(self.ident)

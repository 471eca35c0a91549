"""How entries begin and leave: new ones, copies, what a screen says of itself, files."""

from __future__ import annotations

import uuid
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.questions import Answered, Choice, Question
from idle_quarry.errors import QuarryError
from idle_quarry.library import Revision
from idle_quarry.library.house_entries import checked, export_entry, import_entry, origin_note, own_copy
from idle_quarry.path.entries import KINDS, Entry
from idle_quarry.path.entries.edid import monitor_data, read_edid
from idle_quarry.path.names import cleaned_name
from idle_quarry.path.settings.entries import blank

if TYPE_CHECKING:
    from idle_quarry.app.models.equipment.equipment import Equipment


class EntryBeginnings(QObject):
    """`place_asked`: a file is wanted (what for, the name proposed, what takes it, whether it is to be written)."""

    place_asked = Signal(str, str, object, bool)

    def __init__(self, equipment: Equipment) -> None:
        super().__init__()
        self._of = equipment
        self.door = equipment.door

    def ask_new(self, kind: str) -> None:
        """Ask for the name of a new entry."""
        one = KINDS[kind].one
        self._of.asked.emit(
            Question(
                f"What is the new {one.lower()} called?",
                "Put on the house shelf",
                partial(self._begin, kind, "house"),
                f"New {one.lower()}",
                otherwise=("Keep on my shelf", partial(self._begin, kind, "own")),
            )
        )

    def _begin(self, kind: str, shelf: str, name: str, answered: Answered) -> None:
        try:
            entry = blank(kind, str(uuid.uuid4()), name.strip())
        except ValueError:
            answered("A name has one letter at least and a hundred at the most.")
            return
        self._save_new(entry, shelf, "new", answered)

    def ask_copy(self) -> None:
        """Ask for the name of a copy of the entry that is looked at."""
        if self._of.entry is not None:
            what = f"What is the copy of {self._of.entry.name} called?"
            self._of.asked.emit(
                Question(
                    what,
                    "Put on the house shelf",
                    partial(self._copy, "house"),
                    self._of.entry.name,
                    otherwise=("Keep on my shelf", partial(self._copy, "own")),
                )
            )

    def _copy(self, shelf: str, name: str, answered: Answered) -> None:
        assert self._of.entry is not None
        try:
            entry = own_copy(self._of.entry, name.strip())
        except QuarryError as error:
            answered(str(error))
            return
        self._save_new(entry, shelf, f"copied from {self._of.entry.name}", answered)

    def _save_new(self, entry: Entry, shelf: str, note: str, answered: Answered) -> None:
        self._of.ident = entry.uid
        self.door.acts.house.save(entry, shelf, note, lambda _revision: self._of.show_saved(entry.uid), answered)

    def ask_screen(self, path: Path | None = None) -> None:
        """Make a monitor of what a screen says of itself: one of this machine's own, or from a file that is asked
        for.
        """
        if path is None:
            self.place_asked.emit("Read a screen's description (EDID)", "", self.ask_screen, False)
            return
        try:
            data = monitor_data(read_edid(path.read_bytes()), str(uuid.uuid4()))
        except (QuarryError, OSError) as error:
            self.door.say(f"{path.name}: {error.strerror if isinstance(error, OSError) else error}", refusal=True)
            return

        def begin(shelf: str, name: str, answered: Answered) -> None:
            try:
                entry = checked({**data, "name": name.strip()})
            except QuarryError as error:
                answered(str(error))
                return
            self._save_new(entry, shelf, f"read from {path.name}", answered)

        self._of.asked.emit(
            Question(
                "What is this screen called?",
                "Put on the house shelf",
                partial(begin, "house"),
                str(data["name"]),
                otherwise=("Keep on my shelf", partial(begin, "own")),
            )
        )

    # -- files ---------------------------------------------------------------------------------------------------------

    def ask_export(self) -> None:
        """Ask where to, and write the entry's file."""
        if self._of.entry is not None:
            self.place_asked.emit("Export entry", f"{cleaned_name(self._of.entry.name)}.json", self.export_to, True)

    def export_to(self, path: Path) -> None:
        """Write the entry that is looked at as it is stored."""
        row = self._of.row
        if row is None:
            return
        try:
            export_entry(row, path)
        except QuarryError as error:
            self.door.refuse(error)
        else:
            self.door.say(f"{row.entry.name} exported to {path.name}.")

    def ask_import(self) -> None:
        """Ask for an entry's file."""
        self.place_asked.emit("Import an entry", "", self.import_from, False)

    def import_from(self, path: Path) -> None:
        """Put the entry of a file on the own shelf, or add it as a revision of the one that is there."""
        try:
            entry, genuine = import_entry(path)
        except QuarryError as error:
            self.door.refuse(error)
            return
        take = partial(self._import, entry, path)
        if genuine is False:
            self._of.asked.emit(Choice(f"{path.name} was changed since it was exported.", {"Import it as it is": take}))
        else:
            take()

    def _import(self, entry: Entry, path: Path) -> None:
        def done(revision: Revision) -> None:
            self.door.say(f"{entry.name} is here as revision {revision.number}, a draft.")
            self._of.show_saved(entry.uid)

        self.door.acts.house.save(entry, "own", origin_note(path), done, None)

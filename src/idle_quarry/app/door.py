"""What models reach the program by: what is open, what the house has, what can be done, and where else something
leads.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache
from pathlib import Path

from PySide6.QtCore import Signal

from idle_quarry.app.acts.library_acts import LibraryActs
from idle_quarry.app.context import AppContext
from idle_quarry.app.destinations import Destination
from idle_quarry.app.documents.document import Document
from idle_quarry.app.documents.documents import Documents
from idle_quarry.app.house_model import HouseModel
from idle_quarry.app.lending_model import LendingModel
from idle_quarry.app.preferences import Preferences
from idle_quarry.app.server_link import ServerLink
from idle_quarry.errors import QuarryError
from idle_quarry.library import FileLibrary, Revision, StoredTemplate
from idle_quarry.path.changes.edits import Edit
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.evaluation import Evaluation
from idle_quarry.path.house_entries import HouseEntries
from idle_quarry.path.template import Template


class Door(AppContext):
    """All that a model is given. It knows no model; `going` carries where else in the window something leads."""

    going = Signal(object)

    def __init__(self, library: FileLibrary, preferences: Preferences) -> None:
        super().__init__(library, preferences)
        self.house = HouseModel(self)
        self.documents = Documents(self, self.house)
        self.server = ServerLink(self, self.documents)
        self.lending = LendingModel(self)
        self.acts = LibraryActs(self, self.documents)
        self.intake_clips: tuple[Path, ...] = ()  #: what Intake shows now
        self._stored: Callable[[str, int, str], StoredTemplate] = lru_cache(maxsize=256)(
            lambda template_id, number, _hash: self.library.stored(template_id, number)
        )
        self._evaluated: Callable[[str, int, str, HouseEntries], Evaluation] = lru_cache(maxsize=512)(
            lambda template_id, number, hash_, house: evaluate(
                self._stored(template_id, number, hash_).template, house=house
            )
        )

    def go(self, destination: Destination) -> None:
        """Show what lies elsewhere in the window."""
        self.going.emit(destination)

    def edit(self, text: str, *edits: Edit, words: str = "") -> bool:
        """Edit the open template as one step that can be undone; a refusal is said, and nothing has changed then."""
        document = self.document
        if document is None:
            return False
        try:
            document.apply(text, *edits)
        except QuarryError as error:
            self.refuse(error)
            return False
        if words:
            self.say(words, action=("Undo", document.undo_stack.undo))
        return True

    def undo(self) -> None:
        if self.document is not None:
            self.document.undo_stack.undo()

    def redo(self) -> None:
        if self.document is not None:
            self.document.undo_stack.redo()

    @property
    def document(self) -> Document | None:
        return self.documents.front

    def open_stored(self, template_id: str, number: int | None = None) -> None:
        """Open a template; unsaved work on it is taken up where it was left."""
        self.documents.open_stored(template_id, number)

    def open_new(self, template: Template) -> None:
        """Open a template that no shelf has yet."""
        self.documents.open_new(template)

    def stored(self, revision: Revision) -> StoredTemplate:
        """Return a revision with its body; a revision never changes, so each is read once."""
        return replace(self._stored(revision.template_id, revision.number, revision.hash), revision=revision)

    def evaluation(self, template_id: str, number: int, hash_: str) -> Evaluation:
        """Return a stored revision's evaluation.

        Revisions never change, so each is made once for what the house has now.
        """
        return self._evaluated(template_id, number, hash_, self.house.value)

    def change_person(self, name: str) -> None:
        """Let another person work here."""
        self.library.call_me(name)
        self.documents.change_person(self.library.person)
        self.shelves_changed.emit()

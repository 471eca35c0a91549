"""What a person does to the house's own entries; as all acts, carried out, refused in a sentence, undone where it can be."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from idle_quarry.app.questions import Answered
from idle_quarry.library import Revision
from idle_quarry.library.house_entries import put
from idle_quarry.path.entries import Entry

if TYPE_CHECKING:
    from idle_quarry.app.acts.library_acts import LibraryActs


class HouseActs:
    """Saves entries and puts them aside."""

    def __init__(self, acts: LibraryActs) -> None:
        self._acts = acts

    def save(
        self, entry: Entry, shelf: str, note: str, done: Callable[[Revision], object], answered: Answered | None
    ) -> None:
        """Save an entry: as a draft of the one that is there, else as a new one on a shelf."""
        self._acts.do(lambda library: put(library, entry, shelf, note), done, answered)

    def put_aside(self, uid: str, said: str) -> None:
        """Take an entry off its shelf; it can be put back, and templates keep their copies."""
        back = ("Undo", lambda: self._acts.bring_back(uid))
        self._acts.do(lambda library: library.put_aside(uid), lambda _none: self._acts.say(said, back))

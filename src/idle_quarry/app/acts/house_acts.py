"""What a person does to the house's own entries.

As all acts, carried out, refused in a sentence, undone where it can be.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol, TypeVar

from idle_quarry.app.questions import Answered
from idle_quarry.library import FileLibrary, Revision
from idle_quarry.library.house_entries import put
from idle_quarry.path.entries import Entry

T = TypeVar("T")


class Doing(Protocol):
    """Writes to the library as `LibraryActs.do` does."""

    def __call__(
        self, work: Callable[[FileLibrary], T], done: Callable[[T], object], answered: Answered | None = None, /
    ) -> None: ...


class HouseActs:
    """Saves entries and puts them aside."""

    def __init__(self, do: Doing, say: Callable[[str, tuple[str, Callable[[], object]]], object]) -> None:
        self._do, self._say = do, say

    def save(
        self, entry: Entry, shelf: str, note: str, done: Callable[[Revision], object], answered: Answered | None
    ) -> None:
        """Save an entry: as a draft of the one that is there, else as a new one on a shelf."""
        self._do(lambda library: put(library, entry, shelf, note), done, answered)

    def put_aside(self, uid: str, text: str) -> None:
        """Take an entry off its shelf; it can be put back, and templates keep their copies."""
        back = ("Undo", lambda: self._do(lambda library: library.bring_back(uid), lambda _none: None))
        self._do(lambda library: library.put_aside(uid), lambda _none: self._say(text, back))

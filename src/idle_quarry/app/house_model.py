"""What the house has now of its own entries, kept at hand: templates are judged by it, and settings offer it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.errors import LibraryError
from idle_quarry.library import Search
from idle_quarry.library.house_entries import sixty_in
from idle_quarry.path.entries import Entry
from idle_quarry.path.house_entries import NO_HOUSE, HouseEntries
from idle_quarry.path.registry import take_in

if TYPE_CHECKING:
    from idle_quarry.app.context import AppContext

_MOST = 5000


class HouseModel(QObject):
    """`changed`: the house has something else now."""

    changed = Signal()

    def __init__(self, context: AppContext) -> None:
        super().__init__()
        self._context = context
        self._read: dict[tuple[str, int], Entry | None] = {}  #: a revision never changes
        self._value: HouseEntries | None = None
        context.shelves_changed.connect(self.look)

    @property
    def value(self) -> HouseEntries:
        """What the house has now; read when it is first asked for, which a start does not wait for."""
        if self._value is None:
            self._value = NO_HOUSE
            self.look()
        return self._value

    def look(self) -> None:
        """Read what is new since it was last read; nothing where nobody has asked yet."""
        if self._value is None:
            return
        library = self._context.library
        try:
            there = [
                summary for summary in library.page(Search(kind=""), limit=_MOST) if summary.latest.state != "withdrawn"
            ]
            sixty = sixty_in(library)
        except LibraryError as error:
            self._context.refuse(error)
            return
        wanted = [(summary.id, summary.for_jobs) for summary in there]
        for key in wanted:
            if key not in self._read:
                self._read[key] = self._entry(*key)
        entries = tuple(entry for key in wanted if (entry := self._read[key]) is not None)
        if [entry.id for entry in entries] != [entry.id for entry in self._value.entries]:
            self._value = HouseEntries(entries, sixty)
            self.changed.emit()
        elif sixty != self._value.sixty:
            self._value = HouseEntries(entries, sixty)

    def _entry(self, ident: str, number: int) -> Entry | None:
        try:
            entry = self._context.library.entry(ident, number).entry
            take_in(entry)
        except (LibraryError, ValueError):
            return None  # damaged, or it varies a codec that a later program knows: the list says so
        return entry

"""The list of templates as rows: their ids, the pages that are looked at, and their paths, worked out a moment
later.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from time import perf_counter
from typing import TYPE_CHECKING

from PySide6.QtCore import QAbstractListModel, QModelIndex, QObject, QPersistentModelIndex, Qt, QTimer, Signal

from idle_quarry.errors import QuarryError
from idle_quarry.library import Library, Revision, Search, Summary
from idle_quarry.path.evaluation import Evaluation

if TYPE_CHECKING:
    from idle_quarry.app.door import Door

Index = QModelIndex | QPersistentModelIndex
SUMMARY = Qt.ItemDataRole.UserRole
#: Templates read at once, and such pages kept: what is kept grows with what is looked at.
_PAGE, _PAGES = 32, 24
#: How long paths are worked out at a stretch, in seconds: typing never waits for more.
_STRETCH_S = 0.012


class ShelfRows(QAbstractListModel):
    """The templates that match what was typed and filtered."""

    def __init__(self, library: Library) -> None:
        super().__init__()
        self._library = library
        self._ids: list[str] = []
        self._pages: OrderedDict[int, dict[str, Summary]] = OrderedDict()

    def find(self, search: Search, also: Callable[[list[str]], list[str]] = lambda ids: ids) -> None:
        """Show the templates that match, as far as `also` lets them. Raises `LibraryError`."""
        ids = also(self._library.identities(search))
        self.beginResetModel()
        self._ids = ids
        self._pages.clear()
        self.endResetModel()

    @property
    def shown(self) -> int:
        """How many match."""
        return len(self._ids)

    @property
    def ids(self) -> tuple[str, ...]:
        return tuple(self._ids)

    def row_of(self, template_id: str) -> int | None:
        return self._ids.index(template_id) if template_id in self._ids else None

    def at(self, row: int) -> Summary | None:
        """Return the template of a row, or None where the library changed under it."""
        number = row // _PAGE
        if number not in self._pages:
            try:
                page = self._library.these(self._ids[number * _PAGE : (number + 1) * _PAGE])
                self._pages[number] = {summary.id: summary for summary in page}
            except QuarryError:
                return None
            while len(self._pages) > _PAGES:
                self._pages.popitem(last=False)
        self._pages.move_to_end(number)
        return self._pages[number].get(self._ids[row])

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008  (Qt's own signature)
        return 0 if parent.isValid() else len(self._ids)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role not in (SUMMARY, Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return None
        summary = self.at(index.row())
        if role == SUMMARY or summary is None:
            return summary
        out = ", ".join(summary.deliveries) or "nothing yet"
        return f"{summary.name}, {summary.shelf} shelf, {summary.latest.state}, {summary.working}, delivers {out}"


class ShelfPaths(QObject):
    """The evaluations of the rows in sight.

    One that was not worked out yet is left out at first, and comes a moment later.
    """

    worked_out = Signal()

    def __init__(self, door: Door) -> None:
        super().__init__()
        self._door = door
        self._known: OrderedDict[str, Evaluation | None] = OrderedDict()
        self._wanted: OrderedDict[str, Revision] = OrderedDict()
        self._next = QTimer(self, singleShot=True, interval=0)
        self._next.timeout.connect(self._work_out)

    def of(self, revision: Revision) -> tuple[bool, Evaluation | None]:
        """Return whether a revision's path is known, and the path; None where it cannot be read."""
        if revision.hash in self._known:
            self._known.move_to_end(revision.hash)
            return True, self._known[revision.hash]
        self._wanted[revision.hash] = revision
        self._wanted.move_to_end(revision.hash, last=False)  # what was painted last is looked at now
        while len(self._wanted) > 2 * _PAGE:
            self._wanted.popitem()
        self._next.start()
        return False, None

    def _work_out(self) -> None:
        end = perf_counter() + _STRETCH_S
        while self._wanted and perf_counter() < end:
            key, revision = self._wanted.popitem(last=False)
            try:
                self._known[key] = self._door.evaluation(revision.template_id, revision.number, revision.hash)
            except QuarryError:
                self._known[key] = None
        while len(self._known) > _PAGE * _PAGES:
            self._known.popitem(last=False)
        self.worked_out.emit()
        if self._wanted:
            self._next.start()


def standing_words(summary: Summary) -> str:
    """Return where a template stands: "house, approved 3, draft 4 by Odo"."""
    latest = summary.latest
    if summary.shelf == "own":
        return "own"
    words = ["house"]
    if summary.approved is not None:
        words.append(f"approved {summary.approved}")
    if summary.approved != latest.number:
        words.append(f"{latest.state} {latest.number} by {latest.author}")
    if summary.drafts > 1:
        words.append(f"{summary.drafts} drafts")
    return ", ".join(words)

"""The settings of a library's templates as columns, so that thousands can be searched, sorted and shown by any of
them.
"""

from __future__ import annotations

import json
import threading
from collections.abc import Collection, Iterable, Sequence
from typing import Any

import sqlalchemy as sa

from idle_quarry.library.reading import EVERYTHING, LibraryReader
from idle_quarry.library.schema import heads, revisions
from idle_quarry.path.changes.conditions import Condition, Found, flat, value_text

#: Bodies read from the database at once.
_AT_ONCE = 400


class SettingIndex:
    """Follows a library: of each template the revision that jobs start from, the approved one or else the newest.

    `follow` reads what is new and may be called from any thread, one at a time; the rest answers from what was read.
    """

    def __init__(self, library: LibraryReader) -> None:
        self._library = library
        self._turn = threading.Lock()
        self._rows: dict[str, tuple[str, dict[str, tuple[Found, ...]]]] = {}
        self._places: dict[str, str] = {}
        self._same: dict[Any, Any] = {}
        self.followed = False  #: whether it was ever read

    def follow(self) -> None:
        """Read the templates that are new or were changed. Raises `LibraryError`."""
        number = sa.func.coalesce(heads.c.approved, heads.c.latest)
        of_head = (revisions.c.template_id == heads.c.template_id) & (revisions.c.number == number)
        matching = self._library._matching(EVERYTHING)
        query = sa.select(heads.c.template_id, revisions.c.hash).join(revisions, of_head).where(matching)
        with self._turn:
            with self._library.transaction() as connection:
                there = {row[0]: row[1] for row in connection.execute(query)}
            new = [ident for ident, hash_ in there.items() if self._rows.get(ident, ("",))[0] != hash_]
            for first in range(0, len(new), _AT_ONCE):
                some = sa.select(heads.c.template_id, revisions.c.hash, revisions.c.body).join(revisions, of_head)
                some = some.where(heads.c.template_id.in_(new[first : first + _AT_ONCE]))
                with self._library.transaction() as connection:
                    rows = connection.execute(some).all()
                for ident, hash_, body in rows:
                    self._rows[ident] = hash_, self._columns(body)
            for ident in self._rows.keys() - there.keys():
                del self._rows[ident]
            self.followed = True

    def _columns(self, body: str) -> dict[str, tuple[Found, ...]]:
        """Return a body's settings by place; equal ones are one object, since a house's templates are much alike."""
        try:
            data = json.loads(body)
        except (ValueError, RecursionError):
            return {}
        results: dict[str, list[Found]] = {}
        for place, pair in flat(data):
            results.setdefault(self._places.setdefault(place, place), []).append(pair)
        same = self._same
        return {place: same.setdefault((type(item[0][1]), *item), tuple(item)) for place, item in results.items()}

    def find(self, wanted: Sequence[Condition], among: Collection[str] | None = None) -> list[str]:
        """Return the ids of the templates of which all conditions hold, in the order of `among` where that is given."""
        results: Iterable[str] = self._rows if among is None else (ident for ident in among if ident in self._rows)
        known: list[dict[int, bool]] = [{} for _ in wanted]
        return [ident for ident in results if all(map(self._holds, wanted, known, [ident] * len(known)))]

    def _holds(self, condition: Condition, known: dict[int, bool], ident: str) -> bool:
        values = self._rows[ident][1].get(condition.place, ())
        key = id(values)  # equal values are one object
        if key not in known:
            known[key] = condition.holds(values)
        return known[key]

    def texts(self, ident: str, place: str) -> str:
        """Return what a template has at a place, as a person reads it; several separated by commas, each once."""
        values = self._rows[ident][1].get(place, ()) if ident in self._rows else ()
        return ", ".join(dict.fromkeys(value_text(place, value) for _, value in values))

    def places(self) -> list[str]:
        """Return the places that any template has."""
        return sorted(self._places)

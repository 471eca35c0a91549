"""What is new on the server, brought into the copy at hand."""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa

from idle_quarry.library.file_library import FileLibrary
from idle_quarry.library.records import readable
from idle_quarry.library.schema import handovers, jobs, reviews, revisions, settings, templates
from idle_quarry.library.server.opening import ServerLibrary
from idle_quarry.library.server.outbox import Outbox, WaitingAct


class Following:
    """Fetches rows that a copy at hand lacks; drafts that wait there make room for the server's numbers."""

    def __init__(self, library: FileLibrary, outbox: Outbox) -> None:
        self._library, self._outbox = library, outbox

    def follow(self, server: ServerLibrary, template_ids: set[str] | None = None, *, small: bool = True) -> None:
        """Fetch what is new, of some templates or of all; `small`: settings, jobs and hand-overs too."""
        newest = sa.select(revisions.c.template_id, sa.func.max(revisions.c.number)).group_by(revisions.c.template_id)
        value = sa.select(reviews.c.template_id, sa.func.max(reviews.c.n)).group_by(reviews.c.template_id)
        shelf = sa.select(templates)
        if template_ids is not None:
            newest = newest.where(revisions.c.template_id.in_(template_ids))
            value = value.where(reviews.c.template_id.in_(template_ids))
            shelf = shelf.where(templates.c.id.in_(template_ids))
        with server.transaction() as there:
            rows = {row["id"]: dict(row) for row in there.execute(shelf).mappings()}
            last = {row[0]: row[1] for row in there.execute(newest)}
            last_said = {row[0]: row[1] for row in there.execute(value)}
            house = [dict(row) for row in there.execute(sa.select(settings)).mappings()] if small else []
            started = [dict(row) for row in there.execute(sa.select(jobs)).mappings()] if small else []
            handed = [dict(row) for row in there.execute(sa.select(handovers)).mappings()] if small else []
        waiting = self._outbox.waiting()
        mine = {(act.template_id, act.number) for act in waiting if act.saves}
        with self._library.transaction() as here:
            known = {row["id"]: dict(row) for row in here.execute(shelf).mappings()}
            have = {row[0]: row[1] for row in here.execute(newest)} if not mine else self._have(here, mine)
            have_said = {row[0]: row[1] for row in here.execute(value)}
        for ident, row in rows.items():
            new = last.get(ident, 0) > have.get(ident, 0)
            if new or last_said.get(ident, 0) > have_said.get(ident, 0) or known.get(ident) != row:
                self._fetch(server, row, have.get(ident, 0), have_said.get(ident, 0), waiting)
        if not small:
            return
        with self._library.transaction(write=True) as here:
            self._replace(here, settings, house, settings.c.key)
            unsent = {act.body["ident"] for act in waiting if act.act == "job"}
            self._replace(here, jobs, started, jobs.c.id, keep=unsent)
            there_already = set(here.execute(sa.select(handovers.c.id)).scalars())
            for row in handed:
                if row["id"] not in there_already:
                    here.execute(handovers.insert().values(**row))

    def _have(self, here: sa.Connection, provisional: set[tuple[str, int]]) -> dict[str, int]:
        """Return the newest number of each template that the server gave."""
        results: dict[str, int] = {}
        for ident, number in here.execute(sa.select(revisions.c.template_id, revisions.c.number)):
            if (ident, number) not in provisional:
                results[ident] = max(results.get(ident, 0), number)
        return results

    def _replace(
        self,
        here: sa.Connection,
        table: sa.Table,
        rows: list[dict[str, Any]],
        key: sa.Column[Any],
        keep: set[str] | frozenset[str] = frozenset(),
    ) -> None:
        """Make a small table what it is on the server; rows of `keep` are not there yet and stay."""
        here.execute(table.delete().where(key.not_in(keep)) if keep else table.delete())
        if rows:
            here.execute(table.insert(), [row for row in rows if row[key.name] not in keep])

    def _fetch(
        self, server: ServerLibrary, row: dict[str, Any], have: int, have_said: int, waiting: list[WaitingAct]
    ) -> None:
        """Fetch a template's row, its new revisions with their bodies, and what was said of them."""
        ident = row["id"]
        of_template = revisions.c.template_id == ident
        with server.transaction() as there:
            wanted = sa.select(revisions).where(of_template & (revisions.c.number > have))
            fresh = [dict(mapping) for mapping in there.execute(wanted.order_by(revisions.c.number)).mappings()]
            wanted_said = sa.select(reviews).where((reviews.c.template_id == ident) & (reviews.c.n > have_said))
            data = [dict(row) for row in there.execute(wanted_said.order_by(reviews.c.n)).mappings()]
        top = max([have, *(data["number"] for data in fresh)])
        with self._library.transaction(write=True) as here:
            mine = [act for act in waiting if act.act == "save revision" and act.template_id == ident]
            self._make_room(here, mine, top)
            same = (templates.c.shelf == row["shelf"]) & (templates.c.owner == row["owner"])
            self.give_way(here, same & (templates.c.name_key == row["name_key"]) & (templates.c.id != ident))
            changed = here.execute(templates.update().where(templates.c.id == ident).values(**row))
            if not changed.rowcount:
                here.execute(templates.insert().values(**row))
            for item in fresh:
                here.execute(revisions.insert().values(**{**item, "summary": readable(item["summary"])}))
            for remark in data:
                here.execute(reviews.insert().values(**remark))

    def _make_room(self, here: sa.Connection, mine: list[WaitingAct], top: int) -> None:
        """Move the drafts that still wait above the numbers the server has given, and what was made of them along."""
        idents = [act.body["ident"] for act in mine]
        for offset, one in enumerate(reversed(mine)):  # the highest first: none lands on another
            number = top + len(mine) - offset
            if number > one.number:
                of_template = revisions.c.template_id == one.template_id
                moved = revisions.update().where(of_template & (revisions.c.number == one.number))
                here.execute(moved.values(number=number))
                made_of_it = of_template & (revisions.c.parent == one.number) & revisions.c.ident.in_(idents)
                here.execute(revisions.update().where(made_of_it).values(parent=number))
                self._outbox.renumbered(here, one, number)

    def give_way(self, here: sa.Connection, which: sa.ColumnElement[bool]) -> None:
        """Let go of a name on a shelf: the server says whose it is."""
        here.execute(templates.update().where(which).values(name_key=templates.c.id))

"""What a library is asked: pages of its shelves, revisions, remarks, defaults and rules, jobs."""

from __future__ import annotations

import contextlib
import json
from collections import Counter
from collections.abc import Iterator, Sequence

import sqlalchemy as sa

from idle_quarry.errors import LibraryError
from idle_quarry.library.engines import DatabaseStore
from idle_quarry.library.held_values import TEMPLATE, Held, name_key
from idle_quarry.library.records import (
    HandoverRecord,
    JobRecord,
    Remark,
    Revision,
    Search,
    StoredEntry,
    StoredTemplate,
    Summary,
)
from idle_quarry.library.reviewing import RULE
from idle_quarry.library.rows import revision_of, summary_of, value_of
from idle_quarry.library.schema import handovers, heads, jobs, reviews, revisions, settings, standing, templates
from idle_quarry.path.entries import Entry
from idle_quarry.path.registry import territories
from idle_quarry.path.template import Template

DEFAULT = "default_template"
EVERYTHING = Search()
#: Templates that are enough to say what a house does.
_MOST_ASKED = 100

_REVISION = [
    *(c for c in revisions.c if c.name not in ("body", "summary", "state", "ident")),
    standing.c.state,
]
#: Bodies that are read in one query.
_READ_AT_ONCE = 100
_OF_STANDING = (standing.c.template_id == revisions.c.template_id) & (standing.c.number == revisions.c.number)
_BODIES = (
    sa.select(templates.c.name, templates.c.shelf, revisions.c.body, *_REVISION)
    .select_from(templates.join(heads).join(revisions, revisions.c.template_id == templates.c.id))
    .join(standing, _OF_STANDING)
)


def _having(word: str) -> sa.ColumnElement[bool]:
    """Return the condition that a template has a word: in its text, its state, its people, or as a territory is
    called.
    """
    called = [t.id for t in territories().values() if t.called.lower() == word]
    wrote = sa.exists().where(
        (revisions.c.template_id == heads.c.template_id) & (revisions.c.number == heads.c.latest),
        sa.func.lower(revisions.c.author).contains(word, autoescape=True),
    )
    approved = sa.exists().where(
        (reviews.c.template_id == heads.c.template_id) & (reviews.c.number == heads.c.approved),
        (reviews.c.act == "approve") & sa.func.lower(reviews.c.person).contains(word, autoescape=True),
    )
    places = [
        heads.c.text.contains(word, autoescape=True),
        heads.c.state.contains(word, autoescape=True),
        wrote,
        approved,
    ]
    return sa.or_(*places, heads.c.territory.in_(called)) if called else sa.or_(*places)


class LibraryReader(DatabaseStore):
    """A library as it is read. Every call is one short transaction; plain values come out."""

    # -- shelves ---------------------------------------------------------------------------------------

    def _matching(self, search: Search) -> sa.ColumnElement[bool]:
        results: list[sa.ColumnElement[bool]] = [
            (heads.c.shelf == "house") | (heads.c.owner == self.person),
            heads.c.aside.is_not(None) if search.aside else heads.c.aside.is_(None),
            heads.c.kind == search.kind if search.kind else heads.c.kind != TEMPLATE,
        ]
        for column, wanted in (
            (heads.c.territory, search.territory),
            (heads.c.lines, search.lines),
            (heads.c.shelf, search.shelf),
            (heads.c.state, search.state),
        ):
            if wanted is not None:
                results.append(column == wanted)
        return sa.and_(*results, *(_having(word) for word in search.words))

    def count(self, search: Search = EVERYTHING) -> int:
        """Return how many templates match."""
        with self.transaction() as connection:
            query = sa.select(sa.func.count()).select_from(heads).where(self._matching(search))
            return int(connection.execute(query).scalar_one())

    def identities(self, search: Search = EVERYTHING, offset: int = 0, limit: int | None = None) -> list[str]:
        """Return the ids of the templates that match, by name, those withdrawn last, from `offset` on and `limit`
        at the most.
        """
        query = sa.select(heads.c.template_id).where(self._matching(search))
        query = query.order_by(heads.c.state == "withdrawn", heads.c.name_key, heads.c.template_id)
        query = query.offset(offset).limit(limit)
        with self.transaction() as connection:
            return list(connection.execute(query).scalars().all())

    def page(self, search: Search = EVERYTHING, offset: int = 0, limit: int = 100) -> list[Summary]:
        """Return the templates that match, by name, from `offset` on and `limit` at the most."""
        return self.these(self.identities(search, offset, limit))

    def these(self, template_ids: Sequence[str]) -> list[Summary]:
        """Return the templates of some ids, by name; those that are gone are left out."""
        return self._summaries(templates.c.id.in_(template_ids)) if template_ids else []

    def _summaries(self, which: sa.ColumnElement[bool]) -> list[Summary]:
        query = (
            sa.select(
                templates.c.id,
                templates.c.name,
                templates.c.shelf,
                templates.c.owner,
                templates.c.aside,
                templates.c.kind,
                heads.c.approved,
                heads.c.drafts,
                heads.c.territory,
                heads.c.working,
                heads.c.lines,
                heads.c.deliveries,
                *_REVISION,
            )
            .select_from(
                templates.join(heads)
                .join(
                    revisions, (revisions.c.template_id == heads.c.template_id) & (revisions.c.number == heads.c.latest)
                )
                .join(standing, _OF_STANDING)
            )
            .where(which)
            .order_by(heads.c.state == "withdrawn", templates.c.name_key, templates.c.id)
        )
        with self.transaction() as connection:
            default = self._default(connection)
            rows = connection.execute(query).mappings().all()
        return [summary_of(row, row["id"] == default) for row in rows]

    def summaries(self) -> list[Summary]:
        """Return every template of the house shelf and of this person's own, by name."""
        return self._summaries(self._matching(EVERYTHING))

    def summary(self, template_id: str) -> Summary:
        """Return one template. Raises `LibraryError` where there is none of that id."""
        summaries = self._summaries(templates.c.id == template_id)
        if not summaries:
            raise LibraryError("the template is no longer in the library", subject=self.subject)
        return summaries[0]

    def named(self, name: str, shelf: str, kind: str = TEMPLATE) -> Summary | None:
        """Return the template, or the entry of a kind, of that name on a shelf, or None; capitals do not matter."""
        which = self._matching(Search(shelf=shelf, kind=kind)) & (heads.c.name_key == name_key(kind, name))
        return next(iter(self._summaries(which)), None)

    def find(self, name: str) -> Summary:
        """Return the template called `name`, or "house/name" or "own/name".

        Raises `LibraryError` where none or two are called so.
        """
        shelf, _, rest = name.partition("/")
        shelves = (shelf,) if rest and shelf in ("house", "own") else ("house", "own")
        summaries = [summary for one in shelves if (summary := self.named(rest if len(shelves) == 1 else name, one))]
        if len(summaries) > 1:
            raise LibraryError(
                "both shelves have a template of this name", subject=name, remedy=f"say house/{name} or own/{name}"
            )
        if not summaries:
            raise LibraryError("no template of this name", subject=name, remedy="'template list' shows what there is")
        return summaries[0]

    def free_name(self, name: str, shelf: str, kind: str = TEMPLATE) -> str:
        """Return `name`, or `name 2`, `name 3`… where the shelf has it."""
        text, count = name, 2
        while self.named(text, shelf, kind) is not None:
            text, count = f"{name[:90]} {count}", count + 1
        return text

    def lines_present(self) -> list[int]:
        """Return the numbers of lines of the working pictures that there are."""
        query = sa.select(heads.c.lines).where(self._matching(EVERYTHING)).distinct()
        with self.transaction() as connection:
            return sorted(connection.execute(query).scalars())

    def codecs_in_use(self) -> list[str]:
        """Return the codecs in which the house's approved templates keep renders, by id, the most used first."""
        query = (
            sa.select(revisions.c.body)
            .join(heads, (heads.c.template_id == revisions.c.template_id) & (heads.c.approved == revisions.c.number))
            .where((heads.c.shelf == "house") & heads.c.aside.is_(None) & (heads.c.kind == TEMPLATE))
            .limit(_MOST_ASKED)
        )
        with self.transaction() as connection:
            bodies = connection.execute(query).scalars().all()
        used: Counter[str] = Counter()
        for body in bodies:
            with contextlib.suppress(ValueError, KeyError, TypeError):
                used[str(json.loads(body)["intermediate"]["codec"])] += 1
        return [ident for ident, _ in used.most_common()]

    # -- revisions -------------------------------------------------------------------------------------

    def revisions(self, template_id: str) -> list[Revision]:
        """Return a template's revisions, newest first, without their bodies."""
        query = (
            sa.select(*_REVISION)
            .join(standing, _OF_STANDING)
            .where(revisions.c.template_id == template_id)
            .order_by(revisions.c.number.desc())
        )
        with self.transaction() as connection:
            return [revision_of(row) for row in connection.execute(query).mappings()]

    def stored(self, template_id: str, number: int | None = None) -> StoredTemplate:
        """Return a template's revision with its body, the newest that was not withdrawn where no number is given.

        Raises `LibraryError` where it is not there, is damaged, or does not match its hash.
        """
        name, shelf, revision, template = self._held(template_id, number)
        if not isinstance(template, Template):
            raise LibraryError("is no template", subject=name)
        return StoredTemplate(name, shelf, revision, template)

    def entry(self, entry_id: str, number: int | None = None) -> StoredEntry:
        """Return a revision of one of the house's own entries with what it says.

        Raises `LibraryError`, as `stored` does.
        """
        name, shelf, revision, entry = self._held(entry_id, number)
        if not isinstance(entry, Entry):
            raise LibraryError("is a template, no entry of the house", subject=name)
        return StoredEntry(name, shelf, revision, entry)

    def entries_for_use(self) -> list[StoredEntry]:
        """Return what is taken of each of the house's own entries by whoever takes one now, by kind and name.

        That is the approved revision, else the newest; what cannot be read, or was withdrawn, is left out.
        """
        stored_entries = []
        for summary in self._summaries(self._matching(Search(kind=""))):
            with contextlib.suppress(LibraryError):
                if summary.latest.state != "withdrawn":
                    stored_entries.append(self.entry(summary.id, summary.for_jobs))
        return sorted(stored_entries, key=lambda stored_entry: (stored_entry.entry.entry, stored_entry.name.lower()))

    def stored_each(self, wanted: Sequence[tuple[str, int]]) -> Iterator[tuple[str, StoredTemplate | LibraryError]]:
        """Yield revisions of templates by id and number, many read at once, each with its template's id.

        One that is not there, or is damaged, comes as the error that says so.
        """
        for first in range(0, len(wanted), _READ_AT_ONCE):
            some = wanted[first : first + _READ_AT_ONCE]
            which = sa.tuple_(revisions.c.template_id, revisions.c.number).in_(some)
            with self.transaction() as connection:
                rows = {row["template_id"]: row for row in connection.execute(_BODIES.where(which)).mappings()}
            for ident, number in some:
                try:
                    if ident not in rows:
                        raise LibraryError("no such revision", subject=f"revision {number}")
                    name, shelf, revision, value = value_of(rows[ident])
                    if not isinstance(value, Template):
                        raise LibraryError("is no template", subject=name)
                    yield ident, StoredTemplate(name, shelf, revision, value)
                except LibraryError as error:
                    yield ident, error

    def _held(self, template_id: str, number: int | None) -> tuple[str, str, Revision, Held]:
        query = _BODIES.where(templates.c.id == template_id)
        query = query.where(revisions.c.number == (heads.c.latest if number is None else number))
        with self.transaction() as connection:
            row = connection.execute(query).mappings().one_or_none()
        if row is None:
            raise LibraryError("no such revision", subject=f"revision {number}" if number else "the template")
        return value_of(row)

    def number_of(self, ident: str) -> int | None:
        """Return the number of the revision that a save with this id made, or None where there is none."""
        with self.transaction() as connection:
            return connection.execute(sa.select(revisions.c.number).where(revisions.c.ident == ident)).scalar()

    def remarks(self, template_id: str) -> list[Remark]:
        """Return what was said and done about a template's revisions, the newest first."""
        query = sa.select(*(c for c in reviews.c if c.name != "ident")).where(reviews.c.template_id == template_id)
        with self.transaction() as connection:
            return [Remark(**row) for row in connection.execute(query.order_by(reviews.c.n.desc())).mappings()]

    def open_drafts(self, template_id: str) -> list[Revision]:
        """Return the drafts and proposals that nothing later was made of, newest first: two are to be merged."""
        every = self.revisions(template_id)
        used = {number for revision in every for number in (revision.parent, revision.merged)}
        return [
            revision for revision in every if revision.state in ("draft", "in review") and revision.number not in used
        ]

    def common_base(self, template_id: str, a: int, b: int) -> int:
        """Return the newest revision that both `a` and `b` were made of; the first one where they share none."""
        parents = {revision.number: (revision.parent, revision.merged) for revision in self.revisions(template_id)}

        def made_of(number: int) -> set[int]:
            results, open_ = set(), [number]
            while open_:
                here = open_.pop()
                if here not in results:
                    results.add(here)
                    open_ += [number for number in parents.get(here, ()) if number is not None]
            return results

        return max((made_of(a) & made_of(b)) - {a, b}, default=min(parents))

    # -- settings of the house and of a person -----------------------------------------------------------

    def _setting(self, connection: sa.Connection, key: str) -> str | None:
        value = connection.execute(sa.select(settings.c.value).where(settings.c.key == key)).scalar()
        return str(value) if value else None

    def _default(self, connection: sa.Connection) -> str | None:
        own = self._setting(connection, f"{DEFAULT}/{self.person}")
        return own or self._setting(connection, DEFAULT)

    def default_id(self) -> str | None:
        """Return the id of the template new jobs start from: this person's own default, else the house's, or None."""
        with self.transaction() as connection:
            return self._default(connection)

    def defaults(self) -> tuple[str | None, str | None]:
        """Return the ids of the house's default template and of this person's own."""
        with self.transaction() as connection:
            return self._setting(connection, DEFAULT), self._setting(connection, f"{DEFAULT}/{self.person}")

    def one_person(self) -> bool:
        """Return whether the house lets an author approve alone."""
        with self.transaction() as connection:
            return self._setting(connection, RULE) == "one person"

    # -- jobs ------------------------------------------------------------------------------------------

    def jobs(self) -> list[JobRecord]:
        """Return the jobs started from this library, newest first."""
        with self.transaction() as connection:
            rows = connection.execute(sa.select(jobs).order_by(jobs.c.time.desc(), jobs.c.title)).mappings().all()
        return [JobRecord(**row) for row in rows]

    def jobs_from(self, template_id: str) -> list[JobRecord]:
        """Return the jobs started from a template, newest first."""
        return [job for job in self.jobs() if job.template_id == template_id]

    def handovers_from(self, template_id: str) -> list[HandoverRecord]:
        """Return what was handed over from a template, newest first.

        Of a file that was verified again, what came of it last.
        """
        query = sa.select(handovers).where(handovers.c.template_id == template_id)
        with self.transaction() as connection:
            rows = connection.execute(query.order_by(handovers.c.time.desc(), handovers.c.file)).mappings().all()
        results: dict[tuple[str, str, int], HandoverRecord] = {}
        for row in rows:
            results.setdefault((row["sha256"], row["delivery"], row["revision"]), HandoverRecord(**row))
        return list(results.values())

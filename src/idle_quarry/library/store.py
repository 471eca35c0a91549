"""The library: templates on two shelves, revisions that never change, reviews of them, defaults, jobs."""

from __future__ import annotations

import json
import uuid
from collections.abc import Callable, Sequence
from pathlib import Path

import sqlalchemy as sa
from sqlalchemy.exc import IntegrityError

from idle_quarry.errors import LibraryError, NameTaken, QuarryError
from idle_quarry.library.held_values import (
    TEMPLATE,
    Held,
    count_changed,
    described,
    held_canonical,
    held_from_data,
    held_hash,
    kind_of,
    name_key,
)
from idle_quarry.library.reading import DEFAULT, LibraryReader
from idle_quarry.library.records import HandoverRecord, JobRecord, Remark, Revision, StoredTemplate
from idle_quarry.library.reviewing import COMMENT, RULE, resulting_state
from idle_quarry.library.said import answered, now, sayable
from idle_quarry.library.schema import handovers, heads, jobs, reviews, revisions, settings, standing, templates
from idle_quarry.path.entries import Entry

#: `held.name_key`, by the database.
_NAME_KEY = sa.func.substr(
    sa.case((templates.c.kind == TEMPLATE, ""), else_=templates.c.kind + "/") + sa.func.lower(templates.c.name), 1, 120
)
#: Something else to be done in the transaction of a save, told what was saved.
Also = Callable[[sa.Connection, Revision], None]


class Library(LibraryReader):
    """A library that `person` works in. Every call is one short transaction; values go in and come out.

    Raises `LibraryError` when the database is no library, is damaged, is from a newer version, or cannot be written.
    `author` and `time` are said only where a library is filled from another.
    """

    # -- templates and revisions -----------------------------------------------------------------------

    def save_new(
        self,
        value: Held,
        shelf: str,
        note: str,
        *,
        author: str | None = None,
        time: str | None = None,
        ident: str | None = None,
        also: Also | None = None,
    ) -> Revision:
        """Put a template, or an entry of the house, on a shelf as revision 1, a draft.

        `ident`, where the caller made one, is the template's id: a save sent twice is saved once. An entry's is its
        uid. Raises `NameTaken` where the shelf has the name.
        """
        if isinstance(value, Entry):
            ident = value.uid
        template_id = ident or str(uuid.uuid4())
        moment = time or now()
        kind, row = kind_of(value), _row_of(value)
        owner = "" if shelf == "house" else author or self.person
        try:
            with self.transaction(write=True, of=template_id) as connection:
                if ident is not None and (there := self._saved(connection, ident)) is not None:
                    return there
                connection.execute(
                    templates.insert().values(
                        id=template_id,
                        name=value.name,
                        name_key=name_key(kind, value.name),
                        shelf=shelf,
                        owner=owner,
                        created=moment,
                        kind=kind,
                    )
                )
                revision = Revision(
                    template_id, 1, author or self.person, moment, sayable(note), "draft", row["hash"], changed=0
                )
                return self._insert(connection, revision, row, template_id, also)
        except IntegrityError as error:
            what = "a template" if kind == TEMPLATE else "an entry"
            raise NameTaken(
                f"the {shelf} shelf has {what} of this name", subject=value.name, remedy="choose another name"
            ) from error

    def save_revision(
        self,
        template_id: str,
        value: Held,
        note: str,
        *,
        parent: int | None = None,
        merged: int | None = None,
        author: str | None = None,
        time: str | None = None,
        ident: str | None = None,
        also: Also | None = None,
    ) -> Revision:
        """Add a draft, made of revision `parent` (the newest, where none is said) and of `merged`.

        The shelf's name follows, except where something is approved: then it follows the approval. Raises `NameTaken`,
        `LibraryError`. A save with the `ident` of one that is there already gives that one.
        """
        if isinstance(value, Entry) and value.uid != template_id:
            raise LibraryError("these are two different entries", subject=value.name, remedy="save it as a new one")
        base = parent or self._now_latest(template_id, value.name)
        changed = self._changed(template_id, base, value)
        row = _row_of(value)  # all that takes time is done before others have to wait
        try:
            with self.transaction(write=True, of=template_id) as connection:
                if ident is not None and (there := self._saved(connection, ident)) is not None:
                    return there
                newest = sa.select(revisions.c.number).where(revisions.c.template_id == template_id)
                last = connection.execute(newest.order_by(revisions.c.number.desc()).limit(1)).scalar()
                if last is None:
                    raise LibraryError("the template is no longer in the library", subject=value.name)
                if self._approved(connection, template_id) is None:
                    self._rename(connection, template_id, value.name)
                revision = Revision(
                    template_id=template_id,
                    number=last + 1,
                    author=author or self.person,
                    time=time or now(),
                    note=sayable(note),
                    state="draft",
                    hash=row["hash"],
                    parent=base,
                    merged=merged,
                    changed=changed,
                )
                return self._insert(connection, revision, row, ident or str(uuid.uuid4()), also)
        except IntegrityError as error:
            raise NameTaken("the shelf has a template of this name", subject=value.name) from error

    def _insert(
        self, connection: sa.Connection, revision: Revision, row: dict[str, str], ident: str, also: Also | None
    ) -> Revision:
        connection.execute(revisions.insert().values(**{**row, **vars(revision)}, ident=ident))
        if also is not None:
            also(connection, revision)
        return revision

    def _saved(self, connection: sa.Connection, ident: str) -> Revision | None:
        names = [revisions.c[name] for name in Revision.__dataclass_fields__]
        row = connection.execute(sa.select(*names).where(revisions.c.ident == ident)).mappings().one_or_none()
        return Revision(**row) if row else None

    def _changed(self, template_id: str, base: int, value: Held) -> int | None:
        """Return how many settings differ from a revision; None where that one cannot be read."""
        key = (revisions.c.template_id == template_id) & (revisions.c.number == base)
        with self.transaction() as connection:
            body = connection.execute(sa.select(revisions.c.body).where(key)).scalar()
        try:
            return count_changed(held_from_data(json.loads(body or "")), value)
        except (ValueError, QuarryError):
            return None

    def _now_latest(self, template_id: str, name: str) -> int:
        with self.transaction() as connection:
            result = connection.execute(sa.select(heads.c.latest).where(heads.c.template_id == template_id)).scalar()
        if result is None:
            raise LibraryError("the template is no longer in the library", subject=name)
        return int(result)

    def _approved(self, connection: sa.Connection, template_id: str) -> int | None:
        return connection.execute(sa.select(heads.c.approved).where(heads.c.template_id == template_id)).scalar()

    def _rename(self, connection: sa.Connection, template_id: str, name: str) -> None:
        kind = connection.execute(sa.select(templates.c.kind).where(templates.c.id == template_id)).scalar()
        connection.execute(
            templates.update()
            .where((templates.c.id == template_id) & (templates.c.name != name))
            .values(name=name, name_key=name_key(str(kind), name))
        )

    def put_aside(self, template_id: str) -> None:
        """Take a template off its shelf; nothing of it is lost, and `bring_back` puts it there again."""
        with self.transaction(write=True, of=template_id) as connection:
            key = templates.c.id + "/" + templates.c.name_key  # its name is free for another
            done = connection.execute(
                templates.update()
                .where((templates.c.id == template_id) & templates.c.aside.is_(None))
                .values(aside=now(), name_key=sa.func.substr(key, 1, 120))
            )
            if not done.rowcount:  # a server's row rules do not refuse an update, they find no row
                raise LibraryError("cannot be put aside by this person, or is already", subject="the template")

    def bring_back(self, template_id: str) -> None:
        """Put a template that was put aside on its shelf again. Raises `NameTaken` where its name is in use by now."""
        try:
            with self.transaction(write=True, of=template_id) as connection:
                connection.execute(
                    templates.update().where(templates.c.id == template_id).values(aside=None, name_key=_NAME_KEY)
                )
        except IntegrityError as error:
            raise NameTaken("its name is in use on the shelf by now", remedy="rename that one first") from error

    # -- reviews ---------------------------------------------------------------------------------------

    def review(
        self,
        template_id: str,
        number: int,
        act: str,
        note: str = "",
        *,
        person: str | None = None,
        time: str | None = None,
        ident: str | None = None,
        answers: Sequence[str] = (),
    ) -> Remark:
        """Do something with a revision: propose, approve, send back, withdraw, bring back.

        An approval answers each stop of the revision, in the order of its findings; the answers are kept with the note.
        Raises `LibraryError` where the act does not go with the state or with who asks, `StopsUnanswered` where an
        answer lacks, and `NameTaken` where an approval brings a name that the shelf has.
        """
        who = person or self.person
        try:
            with self.transaction(write=True, of=template_id) as connection:
                query = (
                    sa.select(templates.c.name, revisions.c.author, standing.c.state, revisions.c.body)
                    .select_from(revisions.join(templates, templates.c.id == revisions.c.template_id))
                    .join(standing, (standing.c.template_id == template_id) & (standing.c.number == number))
                    .where((revisions.c.template_id == template_id) & (revisions.c.number == number))
                )
                row = connection.execute(query).one_or_none()
                if row is None:
                    raise LibraryError("no such revision", subject=f"revision {number}")
                one_person = self._setting(connection, RULE) == "one person"
                subject = f"{row.name}, revision {number}"
                authors = self._authors(connection, template_id, number)
                state = resulting_state(act, row.state, authors, who, one_person=one_person, subject=subject)
                if state == "approved":
                    note = answered(note, row.body, answers, subject)
                    self._rename(connection, template_id, str(json.loads(row.body)["name"]))
                return self._remark(
                    connection,
                    Remark(
                        template_id=template_id,
                        n=0,
                        number=number,
                        act=act,
                        state=state,
                        place="",
                        person=who,
                        time=time or now(),
                        note=sayable(note),
                    ),
                    ident,
                )
        except IntegrityError as error:
            raise NameTaken("the shelf has a template of this name", remedy="rename one of them first") from error

    def authors(self, template_id: str, number: int) -> frozenset[str]:
        """Return all who wrote what is not approved of a revision: authorship follows what it was made of."""
        with self.transaction() as connection:
            return self._authors(connection, template_id, number)

    def _authors(self, connection: sa.Connection, template_id: str, number: int) -> frozenset[str]:
        columns = (revisions.c.number, revisions.c.author, revisions.c.parent, revisions.c.merged)
        query = sa.select(*columns).where((revisions.c.template_id == template_id) & (revisions.c.number <= number))
        rows = {row.number: row for row in connection.execute(query)}
        was = sa.select(reviews.c.number).where((reviews.c.template_id == template_id) & (reviews.c.act == "approve"))
        approved = set(connection.execute(was).scalars())
        results, open_ = set(), [number]
        while open_:
            row = rows.pop(open_.pop(), None)
            if row is not None:
                results.add(row.author)
                open_ += [n for n in (row.parent, row.merged) if n is not None and n not in approved]
        return frozenset(results)

    def comment(
        self,
        template_id: str,
        number: int,
        place: str,
        text: str,
        *,
        person: str | None = None,
        time: str | None = None,
        ident: str | None = None,
    ) -> Remark:
        """Say something about a place of a revision: a station, a link, a setting, or the whole ("")."""
        if not text.strip():
            raise LibraryError("a comment says something", remedy="type it first")
        remark = Remark(
            template_id=template_id,
            n=0,
            number=number,
            act=COMMENT,
            state="",
            place=place[:160],
            person=person or self.person,
            time=time or now(),
            note=sayable(text).strip(),
        )
        with self.transaction(write=True, of=template_id) as connection:
            return self._remark(connection, remark, ident)

    def _remark(self, connection: sa.Connection, remark: Remark, ident: str | None) -> Remark:
        names = [reviews.c[name] for name in Remark.__dataclass_fields__]
        if ident is not None:
            row = connection.execute(sa.select(*names).where(reviews.c.ident == ident)).mappings().one_or_none()
            if row is not None:
                return Remark(**row)
        last = sa.select(sa.func.max(reviews.c.n)).where(reviews.c.template_id == remark.template_id)
        n = (connection.execute(last).scalar() or 0) + 1
        values = {**vars(remark), "n": n}
        connection.execute(reviews.insert().values(**values, ident=ident or str(uuid.uuid4())))
        return Remark(**values)

    # -- the house's settings --------------------------------------------------------------------------

    def set_default(self, template_id: str | None, *, own: bool = False) -> None:
        """Make a template the one new jobs start from, in the house or for this person; None for no default."""
        self._put(f"{DEFAULT}/{self.person}" if own else DEFAULT, template_id)

    def set_one_person(self, on: bool) -> None:
        """Let an author approve alone, or ask for another person."""
        self._put(RULE, "one person" if on else None)

    def _put(self, key: str, value: str | None) -> None:
        try:
            with self.transaction(write=True) as connection:
                connection.execute(settings.delete().where(settings.c.key == key))
                if value is not None:
                    connection.execute(settings.insert().values(key=key, value=value))
        except IntegrityError as error:  # on a server, where readers choose their defaults, nobody holds these rows
            raise LibraryError("somebody set it in the same moment", subject=key, remedy="set it again") from error

    # -- jobs ------------------------------------------------------------------------------------------

    def record_job(
        self,
        title: str,
        folder: Path,
        stored: StoredTemplate,
        author: str | None = None,
        ident: str | None = None,
        also: Callable[[sa.Connection, JobRecord], None] | None = None,
    ) -> JobRecord:
        """Note that a job was started from a revision."""
        record = JobRecord(
            id=ident or str(uuid.uuid4()),
            title=title,
            folder=str(folder),
            template_id=stored.revision.template_id,
            template_name=stored.name,
            revision=stored.revision.number,
            hash=stored.revision.hash,
            author=author or self.person,
            time=now(),
        )
        with self.transaction(write=True) as connection:
            if connection.execute(sa.select(jobs.c.id).where(jobs.c.id == record.id)).scalar() is None:
                connection.execute(jobs.insert().values(**vars(record)))
                if also is not None:
                    also(connection, record)
        return record

    def record_handover(
        self, record: HandoverRecord, also: Callable[[sa.Connection], None] = lambda _connection: None
    ) -> None:
        """Note what was handed over and verified; what is noted already stays as it is."""
        with self.transaction(write=True) as connection:
            if connection.execute(sa.select(handovers.c.id).where(handovers.c.id == record.id)).scalar() is None:
                connection.execute(handovers.insert().values(**vars(record)))
                also(connection)

    def move_job(self, job_id: str, stored: StoredTemplate) -> None:
        """Note that a job stands on another revision now."""
        with self.transaction(write=True) as connection:
            values = {"revision": stored.revision.number, "hash": stored.revision.hash, "template_name": stored.name}
            connection.execute(jobs.update().where(jobs.c.id == job_id).values(**values))


def _row_of(value: Held) -> dict[str, str]:
    """Return what a revision's row keeps of its template or entry."""
    # as it is hashed: a server checks the one by the other
    return {"body": held_canonical(value), "hash": held_hash(value), "summary": described(value).to_text()}

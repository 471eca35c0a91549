"""The library: templates on two shelves, their revisions, the default, and the jobs started from them."""

from __future__ import annotations

import json
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import sqlalchemy as sa
from pydantic import ValidationError
from sqlalchemy import event
from sqlalchemy.exc import DatabaseError, IntegrityError, SQLAlchemyError
from sqlalchemy.pool import NullPool

from idle_quarry.errors import LibraryError, NameTaken
from idle_quarry.library.exchange import template_from_data
from idle_quarry.library.records import Described, JobRecord, Revision, Stored, Summary
from idle_quarry.library.schema import HEAD, jobs, revisions, settings, templates
from idle_quarry.path.template import Template, content_hash
from idle_quarry.proof.disks import volume_of

_DEFAULT = "default_template"


def now() -> str:
    """Return the present time as ISO 8601 in UTC, to the second."""
    return datetime.now(UTC).isoformat(timespec="seconds")


class Library:
    """A library in a file, used by `person`. Every call is one short transaction; values come out.

    Raises `LibraryError` when the file is no library, is damaged, is from a newer version, or cannot be
    written.
    """

    def __init__(self, place: Path, person: str) -> None:
        self.place = place
        self.person = person
        self._engine = _engine(place)
        self._writer = self._engine.execution_options(begin="BEGIN IMMEDIATE")
        try:
            self._prepare()
        except BaseException:
            self.close()
            raise

    def close(self) -> None:
        """Let go of the file."""
        self._engine.dispose()

    def _prepare(self) -> None:
        new = not self.place.exists() or self.place.stat().st_size == 0
        with self._transaction(write=new) as connection:
            if not new:
                names = set(sa.inspect(connection).get_table_names())
                if not {"template", "revision", "alembic_version"} <= names:
                    raise LibraryError(
                        "a database, but not a template library", subject=str(self.place), remedy="choose another file"
                    )
                version = connection.execute(sa.text("SELECT version_num FROM alembic_version")).scalar_one_or_none()
                if version == HEAD:
                    return
                if version is None or str(version) > HEAD:
                    raise LibraryError(
                        "the library was made by a newer version of this program",
                        subject=str(self.place),
                        remedy="update Idle Quarry; nothing was changed",
                    )
            _migrate(connection)

    @contextmanager
    def _transaction(self, *, write: bool = False) -> Iterator[sa.Connection]:
        """Yield a connection inside one transaction; a writing one waits for other writers before it reads."""
        try:
            with (self._writer if write else self._engine).begin() as connection:
                yield connection
        except IntegrityError:
            raise
        except DatabaseError as error:
            raise self._translated(error) from error
        except (SQLAlchemyError, OSError) as error:
            raise LibraryError("the library could not be used", subject=str(self.place)) from error

    def _translated(self, error: DatabaseError) -> LibraryError:
        said = str(error.orig).lower()
        place = str(self.place)
        if "not a database" in said:
            return LibraryError("not a template library", subject=place, remedy="choose another file")
        if "malformed" in said or "corrupt" in said:
            return LibraryError("the library is damaged", subject=place, remedy="put back a copy of it")
        if "locked" in said or "busy" in said:
            return LibraryError("another program holds the library", subject=place, remedy="close it and try again")
        if "readonly" in said or "read-only" in said:
            return LibraryError("the library may not be written", subject=place, remedy="check the file's rights")
        if "full" in said:
            return LibraryError("the disk is full", subject=place, remedy="make room and save again")
        if "unable to open" in said:
            return LibraryError("the library cannot be opened", subject=place, remedy="check the folder and its rights")
        return LibraryError(f"the library refused ({error.orig})", subject=place)

    # -- reading ---------------------------------------------------------------------------------------

    def summaries(self) -> list[Summary]:
        """Return every template of the house shelf and of this person's own, by name."""
        newest = (
            sa.select(revisions.c.template_id, sa.func.max(revisions.c.number).label("number"))
            .group_by(revisions.c.template_id)
            .subquery()
        )
        query = (
            sa.select(templates, *(c for c in revisions.c if c.name != "body"))
            .join(newest, newest.c.template_id == templates.c.id)
            .join(
                revisions,
                (revisions.c.template_id == newest.c.template_id) & (revisions.c.number == newest.c.number),
            )
            .where((templates.c.shelf == "house") | (templates.c.owner == self.person))
            .order_by(templates.c.name_key)
        )
        default = self.default_id()
        with self._transaction() as connection:
            rows = connection.execute(query).mappings().all()
        return [_summary(row, row["id"] == default) for row in rows]

    def revisions(self, template_id: str) -> list[Revision]:
        """Return a template's revisions, newest first, without their bodies."""
        query = (
            sa.select(*(c for c in revisions.c if c.name not in ("body", "summary")))
            .where(revisions.c.template_id == template_id)
            .order_by(revisions.c.number.desc())
        )
        with self._transaction() as connection:
            return [_revision(row) for row in connection.execute(query).mappings()]

    def stored(self, template_id: str, number: int | None = None) -> Stored:
        """Return a revision with its body, the newest where no number is given. Raises `LibraryError`."""
        query = sa.select(templates.c.name, templates.c.shelf, revisions).join(
            revisions, revisions.c.template_id == templates.c.id
        )
        query = query.where(templates.c.id == template_id).order_by(revisions.c.number.desc()).limit(1)
        if number is not None:
            query = query.where(revisions.c.number == number)
        with self._transaction() as connection:
            row = connection.execute(query).mappings().one_or_none()
        if row is None:
            raise LibraryError("no such revision", subject=f"revision {number}" if number else "the template")
        try:
            template = template_from_data(json.loads(row["body"]))
        except (ValueError, ValidationError) as error:
            raise LibraryError("the stored revision is damaged", subject=f"{row['name']} {row['number']}") from error
        if content_hash(template) != row["hash"]:
            raise LibraryError(
                "the stored revision does not match its hash: it was changed from outside",
                subject=f"{row['name']}, revision {row['number']}",
                remedy="put back a copy of the library",
            )
        return Stored(row["name"], row["shelf"], _revision(row), template)

    def find(self, name: str) -> Summary:
        """Return the template called `name`, or "house/name" or "own/name".

        Raises `LibraryError` where none or two are called so.
        """
        shelf, _, rest = name.partition("/")
        wanted = rest if rest and shelf in ("house", "own") else name
        found = [
            each
            for each in self.summaries()
            if each.name.lower() == wanted.lower() and (wanted == name or each.shelf == shelf)
        ]
        if len(found) > 1:
            raise LibraryError(
                "both shelves have a template of this name", subject=name, remedy=f"say house/{name} or own/{name}"
            )
        if not found:
            raise LibraryError("no template of this name", subject=name, remedy="'template list' shows what there is")
        return found[0]

    def default_id(self) -> str | None:
        """Return the id of the template that new jobs start from, or None."""
        with self._transaction() as connection:
            value = connection.execute(sa.select(settings.c.value).where(settings.c.key == _DEFAULT)).scalar()
        return str(value) if value else None

    # -- writing ---------------------------------------------------------------------------------------

    def save_new(
        self,
        template: Template,
        shelf: str,
        note: str,
        *,
        state: str = "draft",
        author: str | None = None,
        time: str | None = None,
    ) -> Revision:
        """Put a template on a shelf as revision 1. Raises `NameTaken` where the shelf has the name."""
        ident = str(uuid.uuid4())
        moment = time or now()
        owner = "" if shelf == "house" else author or self.person
        try:
            with self._transaction(write=True) as connection:
                connection.execute(
                    templates.insert().values(
                        id=ident,
                        name=template.name,
                        name_key=template.name.lower(),
                        shelf=shelf,
                        owner=owner,
                        created=moment,
                    )
                )
                return self._insert_revision(connection, ident, 1, template, note, state, author, moment)
        except IntegrityError as error:
            raise NameTaken(
                f"the {shelf} shelf has a template of this name", subject=template.name, remedy="choose another name"
            ) from error

    def save_revision(
        self,
        template_id: str,
        template: Template,
        note: str,
        *,
        state: str = "draft",
        author: str | None = None,
        time: str | None = None,
    ) -> Revision:
        """Add the next revision of a template; its name follows. Raises `NameTaken`, `LibraryError`."""
        try:
            with self._transaction(write=True) as connection:
                last = connection.execute(
                    sa.select(sa.func.max(revisions.c.number)).where(revisions.c.template_id == template_id)
                ).scalar()
                if last is None:
                    raise LibraryError("the template is no longer in the library", subject=template.name)
                connection.execute(
                    templates.update()
                    .where(templates.c.id == template_id)
                    .values(name=template.name, name_key=template.name.lower())
                )
                return self._insert_revision(
                    connection, template_id, last + 1, template, note, state, author, time or now()
                )
        except IntegrityError as error:
            raise NameTaken("the shelf has a template of this name", subject=template.name) from error

    def _insert_revision(
        self,
        connection: sa.Connection,
        template_id: str,
        number: int,
        template: Template,
        note: str,
        state: str,
        author: str | None,
        time: str,
    ) -> Revision:
        body = json.dumps(template.model_dump(mode="json"), ensure_ascii=False)
        revision = Revision(template_id, number, author or self.person, time, note, state, content_hash(template))
        connection.execute(
            revisions.insert().values(
                template_id=template_id, number=number, author=revision.author, time=time, note=note, state=state,
                hash=revision.hash, body=body, summary=Described.of(template).to_text(),
            )
        )  # fmt: skip
        return revision

    def free_name(self, name: str, shelf: str) -> str:
        """Return `name`, or `name 2`, `name 3`… where the shelf has it."""
        taken = {each.name.lower() for each in self.summaries() if each.shelf == shelf}
        made, count = name, 2
        while made.lower() in taken:
            made, count = f"{name} {count}", count + 1
        return made

    def set_default(self, template_id: str | None) -> None:
        """Make a template the one new jobs start from; None for no default."""
        with self._transaction(write=True) as connection:
            connection.execute(settings.delete().where(settings.c.key == _DEFAULT))
            if template_id is not None:
                connection.execute(settings.insert().values(key=_DEFAULT, value=template_id))

    # -- jobs ------------------------------------------------------------------------------------------

    def record_job(self, title: str, folder: Path, stored: Stored, author: str | None = None) -> JobRecord:
        """Note that a job was started from a revision."""
        record = JobRecord(
            str(uuid.uuid4()), title, str(folder), stored.revision.template_id, stored.name,
            stored.revision.number, stored.revision.hash, author or self.person, now(),
        )  # fmt: skip
        with self._transaction(write=True) as connection:
            connection.execute(jobs.insert().values(**vars(record)))
        return record

    def jobs(self) -> list[JobRecord]:
        """Return the jobs started from this library, newest first."""
        with self._transaction() as connection:
            rows = connection.execute(sa.select(jobs).order_by(jobs.c.time.desc(), jobs.c.title)).mappings().all()
        return [JobRecord(**row) for row in rows]


def _engine(place: Path) -> sa.Engine:
    engine = sa.create_engine(sa.URL.create("sqlite", database=str(place)), poolclass=NullPool)

    @event.listens_for(engine, "connect")
    def _settings(connection: Any, _record: Any) -> None:
        cursor = connection.cursor()
        connection.isolation_level = None  # transactions begin below, not behind the back of the first statement
        cursor.execute("PRAGMA busy_timeout = 8000")
        cursor.execute("PRAGMA foreign_keys = ON")
        cursor.close()

    @event.listens_for(engine, "begin")
    def _begin(connection: sa.Connection) -> None:
        connection.exec_driver_sql(str(connection.get_execution_options().get("begin", "BEGIN")))

    return engine


def _migrate(connection: sa.Connection) -> None:
    from alembic import command  # costs a tenth of a second, and is needed once in a library's life
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", "idle_quarry.library:migrations")
    config.attributes["connection"] = connection
    command.upgrade(config, HEAD)


def _revision(row: Any) -> Revision:
    return Revision(
        row["template_id"], row["number"], row["author"], row["time"], row["note"], row["state"], row["hash"]
    )


def _summary(row: Any, default: bool) -> Summary:
    described = Described.from_text(row["summary"])
    return Summary(
        id=row["id"], name=row["name"], shelf=row["shelf"], owner=row["owner"], latest=_revision(row),
        territory=described.territory, working=described.working, lines=described.lines,
        deliveries=described.deliveries, text=described.text, default=default,
    )  # fmt: skip


def open_library(place: Path, person: str) -> Library:
    """Return the library in the file `place`, made where it does not exist. Raises `LibraryError`."""
    if place.is_dir():
        raise LibraryError("a folder, not a library", subject=str(place), remedy="give the library's file")
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise LibraryError("its folder cannot be made", subject=str(place), remedy="choose another place") from error
    # SQLite's locks are not to be trusted between machines: two of them writing would spoil the file for good
    if volume_of(place.parent).kind == "network":
        raise LibraryError(
            "lies on a network share, where a library cannot be kept whole", subject=str(place),
            remedy="keep it on a disk of this machine, and carry templates as files",
        )  # fmt: skip
    return Library(place, person)

"""The database under a library: opened safely, in short transactions, its refusals put into sentences."""

from __future__ import annotations

import contextlib
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import sqlalchemy as sa
from sqlalchemy import event
from sqlalchemy.exc import DatabaseError, IntegrityError, OperationalError, SQLAlchemyError
from sqlalchemy.pool import NullPool

from idle_quarry.errors import Away, LibraryError
from idle_quarry.library.schema import HEAD

#: Words in what SQLite and PostgreSQL say, what that means, and what to do.
_MEANINGS = (
    (("not a database",), "not a template library", "choose another file"),
    (("malformed", "corrupt", "disk i/o"), "the library is damaged", "put back a copy of it, or rescue what is sound"),
    (("lock timeout", "statement timeout"), "somebody else holds it on the server", "try again in a moment"),
    (("locked", "busy"), "another program holds the library", "close it and try again"),
    (("readonly", "read-only"), "the library may not be written", "check the file's rights"),
    (("disk is full", "no space"), "the disk is full", "make room and save again"),
    (("unable to open",), "the library cannot be opened", "check the folder and its rights"),
    (("permission denied", "row-level security"), "the server does not allow this person that", "ask whoever keeps it"),
)


class DatabaseStore:
    """A database with the tables of a library; `person` works in it, `subject` is what errors are about."""

    def __init__(self, engine: sa.Engine, person: str, subject: str) -> None:
        self.person = person
        self.subject = subject
        self._engine = engine
        self.on_server = engine.dialect.name == "postgresql"
        self._writer = engine if self.on_server else engine.execution_options(begin="BEGIN IMMEDIATE")

    def close(self) -> None:
        """Let go of the database."""
        self._engine.dispose()

    @contextmanager
    def transaction(self, *, write: bool = False, of: str = "") -> Iterator[sa.Connection]:
        """Yield a connection inside one transaction.

        A writing one waits for other writers: of the whole file, or, on a server, of the template `of`, whose row only
        they can hold. Raises `LibraryError`, and `Away` where a server does not answer; `IntegrityError` is the
        caller's to read.
        """
        try:
            with (self._writer if write else self._engine).begin() as connection:
                if write and of and self.on_server:
                    connection.execute(sa.text("SELECT public.quarry_hold(:of)"), {"of": of})
                yield connection
        except IntegrityError:
            raise
        except DatabaseError as error:
            raise self._translated(error) from error
        except (SQLAlchemyError, OSError) as error:
            raise LibraryError("the library could not be used", subject=self.subject) from error

    def _translated(self, error: DatabaseError) -> LibraryError:
        text = str(error.orig).strip()
        if self.on_server and (error.connection_invalidated or _unreachable(error)):
            return Away("the server does not answer", subject=self.subject)
        denied = getattr(error.orig, "sqlstate", None) == "42501"
        for words, meaning, remedy in _MEANINGS:
            if any(word in text.lower() for word in words) or (denied and "permission denied" in words):
                return LibraryError(meaning, subject=self.subject, remedy=remedy)
        first = text.splitlines()[0] if text else type(error.orig).__name__
        return LibraryError(f"the library refused ({first})", subject=self.subject)


def _unreachable(error: DatabaseError) -> bool:
    state = getattr(error.orig, "sqlstate", None)
    # no SQLSTATE: the line broke before the server could say anything; 57P0x: it is being shut down or starts up
    return isinstance(error, OperationalError) and (state is None or state.startswith(("57P0", "08")))


def sqlite_engine(place: Path) -> sa.Engine:
    """Return an engine on a library file: write-ahead log, waiting for other writers, references held."""
    engine = sa.create_engine(sa.URL.create("sqlite", database=str(place)), poolclass=NullPool)

    @event.listens_for(engine, "connect")
    def _settings(connection: Any, _record: Any) -> None:
        cursor = connection.cursor()
        connection.isolation_level = None  # transactions begin below, not behind the back of the first statement
        cursor.execute("PRAGMA busy_timeout = 20000")  # SQLite's queue is not fair: the last of many waits longest
        cursor.execute("PRAGMA foreign_keys = ON")
        cursor.execute("PRAGMA synchronous = FULL")  # an acknowledged save outlives the power
        cursor.close()

    @event.listens_for(engine, "begin")
    def _begin(connection: sa.Connection) -> None:
        connection.exec_driver_sql(str(connection.get_execution_options().get("begin", "BEGIN")))

    return engine


def with_log(store: DatabaseStore) -> None:
    """Have a library file keep a write-ahead log: readers and a writer do not wait for one another.

    A file system that cannot (no shared memory), a file that may not be written or that somebody else works in just now
    leaves it as it is; the library is as safe, only slower.
    """
    with contextlib.suppress(sqlite3.Error), store._engine.connect() as connection:
        raw = connection.connection.driver_connection
        assert raw is not None
        if raw.execute("PRAGMA journal_mode").fetchone()[0] != "wal":
            raw.execute("PRAGMA busy_timeout = 200")
            raw.execute("PRAGMA journal_mode = WAL").fetchone()


def migrated(connection: sa.Connection) -> None:
    """Bring the tables of a database to the newest migration."""
    from alembic import command  # costs a tenth of a second, and is needed once in a library's life
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", "idle_quarry.library:migrations")
    config.attributes["connection"] = connection
    command.upgrade(config, HEAD)


def version_of(connection: sa.Connection, subject: str) -> str | None:
    """Return the migration a database stands at, None for an empty one.

    Raises `LibraryError` where it is none of ours.
    """
    names = set(sa.inspect(connection).get_table_names())
    if not names:
        return None
    if not {"template", "revision", "alembic_version"} <= names:
        raise LibraryError("a database, but not a template library", subject=subject, remedy="choose another")
    version = connection.execute(sa.text("SELECT version_num FROM alembic_version")).scalar_one_or_none()
    if version is None or str(version) > HEAD:
        raise LibraryError(
            "the library was made by a newer version of this program",
            subject=subject,
            remedy="update Idle Quarry; nothing was changed",
        )
    return str(version)

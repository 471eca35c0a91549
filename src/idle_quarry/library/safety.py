"""Keeping a library safe: is it whole, a copy of it while others work, and putting a copy back."""

from __future__ import annotations

import contextlib
import json
import os
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass
from pathlib import Path

from pydantic import ValidationError

from idle_quarry.errors import LibraryError, QuarryError
from idle_quarry.library.held_values import held_from_data, held_hash
from idle_quarry.library.reading import LibraryReader
from idle_quarry.library.records import Search
from idle_quarry.library.schema import HEAD
from idle_quarry.recovery import RecoveryNote

#: Problems of the file itself that are told at the most: a torn file has thousands.
_MOST_TOLD = 20


@dataclass(frozen=True)
class LibraryFault:
    """One thing that is wrong: with which revision ("Name, revision 3"), or with the file, and what."""

    where: str
    what: str


@dataclass(frozen=True)
class LibraryCheck:
    """What a check found: how much there is, and what is wrong with it; nothing where `troubles` is empty."""

    place: Path | str
    templates: int
    revisions: int
    sound: int
    troubles: tuple[LibraryFault, ...]

    @property
    def whole(self) -> bool:
        return not self.troubles


@contextmanager
def _read(place: Path) -> Iterator[sqlite3.Connection]:
    """Yield a connection that only reads. Raises `LibraryError` where the file is none of ours."""
    if not place.is_file():
        raise LibraryError("there is no such library", subject=str(place))
    try:
        with closing(sqlite3.connect(f"{place.absolute().as_uri()}?mode=ro", uri=True, timeout=8)) as connection:
            names = {row[0] for row in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
            if not {"template", "revision", "alembic_version"} <= names:
                raise LibraryError("not a template library", subject=str(place), remedy="choose another file")
            version = connection.execute("SELECT version_num FROM alembic_version").fetchone()
            if version is None or str(version[0]) > HEAD:
                raise LibraryError(
                    "the library was made by a newer version of this program",
                    subject=str(place),
                    remedy="update Idle Quarry; nothing was changed",
                )
            yield connection
    except sqlite3.DatabaseError as error:
        raise LibraryError(
            f"the library cannot be read ({error})",
            subject=str(place),
            remedy="put back a copy of it, or 'library rescue FILE'",
        ) from error


def check(place: Path) -> LibraryCheck:
    """Return whether a library is whole: its file, its references, and every revision against its hash.

    Good revisions of a damaged library are counted as sound. Raises `LibraryError` where nothing of it can be read.
    """
    with _read(place) as connection:
        troubles = list(_file_troubles(connection))
        count = _counted(connection, "template", troubles)
        total = _counted(connection, "revision", troubles)
        sound = 0
        for where, wrong in _revision_troubles(connection):
            if wrong:
                troubles.append(LibraryFault(where, wrong))
            else:
                sound += 1
    return LibraryCheck(place, count, total, sound, tuple(troubles))


def torn(place: Path) -> str:
    """Return what is wrong with a library's file, or nothing: a quicker look than `check`, which reads every
    revision.
    """
    try:
        with _read(place) as connection:
            data = connection.execute("PRAGMA quick_check(1)").fetchone()[0]
    except LibraryError as error:
        return str(error)
    return "" if data == "ok" else " ".join(str(data).split())


def check_revisions(library: LibraryReader) -> LibraryCheck:
    """Return whether every revision a person sees in a library matches its hash.

    The database looks after its own file.
    """
    troubles: list[LibraryFault] = []
    sound = total = count = 0
    for aside in (False, True):
        for ident in library.identities(Search(aside=aside)):
            count += 1
            for revision in library.revisions(ident):
                total += 1
                try:
                    library.stored(ident, revision.number)
                    sound += 1
                except LibraryError as error:
                    troubles.append(LibraryFault(error.subject, error.what))
    return LibraryCheck(library.subject, count, total, sound, tuple(troubles))


def _file_troubles(connection: sqlite3.Connection) -> Iterator[LibraryFault]:
    try:
        for (data,) in connection.execute(f"PRAGMA integrity_check({_MOST_TOLD})"):
            if data != "ok":
                yield LibraryFault("the file", " ".join(str(data).split()))
        for table, row, parent, _ in connection.execute("PRAGMA foreign_key_check"):
            yield LibraryFault("the file", f"row {row} of {table} belongs to no {parent}")
    except sqlite3.DatabaseError as error:
        yield LibraryFault("the file", f"is damaged ({error})")


def _counted(connection: sqlite3.Connection, table: str, troubles: list[LibraryFault]) -> int:
    try:
        return int(connection.execute(f"SELECT count(*) FROM {table}").fetchone()[0])
    except sqlite3.DatabaseError as error:
        troubles.append(LibraryFault("the file", f"its {table}s cannot be counted ({error})"))
        return 0


def _revision_troubles(connection: sqlite3.Connection) -> Iterator[tuple[str, str]]:
    """Yield each revision's name and what is wrong with it, or nothing.

    Each is read by itself, by its key: one that lies in a torn page takes none of the others with it.
    """
    try:
        keys = connection.execute("SELECT template_id, number FROM revision ORDER BY template_id, number").fetchall()
    except sqlite3.DatabaseError as error:
        yield "the file", f"its list of revisions cannot be read ({error})"
        return
    for ident, number in keys:
        name = ident
        try:
            named = connection.execute("SELECT name FROM template WHERE id = ?", (ident,)).fetchone()
            name = named[0] if named else ident
            key = "SELECT body, hash FROM revision WHERE template_id = ? AND number = ?"
            body, digest = connection.execute(key, (ident, number)).fetchone()
        except (sqlite3.DatabaseError, TypeError):
            yield f"{name}, revision {number}", "lies in a damaged part of the file"
            continue
        yield f"{name}, revision {number}", _revision_trouble(body, digest)


def _revision_trouble(body: object, digest: object) -> str:
    """Return what is wrong with a stored revision, or nothing."""
    try:
        value = held_from_data(json.loads(str(body)))
    except (ValueError, ValidationError, QuarryError, RecursionError):
        return "cannot be read as a template"
    return "" if held_hash(value) == digest else "does not match its hash: it was changed from outside"


def backup(place: Path, target: Path) -> LibraryCheck:
    """Write a copy of a library, whole or not at all, while others work in it; return what was found in the copy.

    Raises `LibraryError` where the library is damaged (the copy would be too; nothing is written), the target is there
    already, or it cannot be written.
    """
    if target.exists():
        raise LibraryError("is there already", subject=str(target), remedy="name a new file")
    with _read(place) as source, _beside(target) as part:
        try:
            with closing(sqlite3.connect(part)) as copy:
                source.backup(copy)
                copy.execute("PRAGMA journal_mode = DELETE")
        except sqlite3.DatabaseError as error:
            raise LibraryError(f"the copy could not be written ({error})", subject=str(target)) from error
        result = check(part)
        if not result.whole:
            first = result.troubles[0]
            raise LibraryError(
                f"the library is damaged, and so would the copy be: {first.where} {first.what}",
                subject=str(place),
                remedy="look at 'library check'",
            )
    return LibraryCheck(target, result.templates, result.revisions, result.sound, ())


@contextmanager
def _beside(target: Path) -> Iterator[Path]:
    """Yield a file beside `target` that takes its place when all went well, and is gone when not."""
    note = RecoveryNote("backup", target)
    part = note.part
    try:
        os.close(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600))
        yield part
        with part.open("rb+") as file:
            os.fsync(file.fileno())
        part.replace(target)
    except OSError as error:
        raise LibraryError(f"cannot be written ({error.strerror})", subject=str(target)) from error
    finally:
        with contextlib.suppress(OSError):
            part.unlink()
        note.forget()


def restore(copy: Path, place: Path) -> tuple[LibraryCheck, Path | None]:
    """Put a copy in a library's place; return what it holds, and where the library that was there is kept now.

    The copy is checked first; what was there is renamed, never removed. Raises `LibraryError` where the copy is damaged
    or none, or somebody is working in the library.
    """
    result = check(copy)
    if not result.whole:
        first = result.troubles[0]
        raise LibraryError(f"the copy is damaged: {first.where} {first.what}", subject=str(copy), remedy="use another")
    path = None
    with _beside(place) as part, _read(copy) as source:
        with closing(sqlite3.connect(part)) as connection:
            source.backup(connection)
        if place.exists():
            _unused(place)
            path = _free(place)
            place.rename(path)
            for log in ("-wal", "-shm"):  # a log that was not written back belongs to what it was written for
                beside = place.with_name(place.name + log)
                if beside.exists():
                    beside.rename(path.with_name(path.name + log))
    return LibraryCheck(place, result.templates, result.revisions, result.sound, ()), path


def _unused(place: Path) -> None:
    """Raise `LibraryError` where another program is writing in a library; a damaged one nobody can be using."""
    try:
        with closing(sqlite3.connect(place, timeout=0.2)) as connection:
            connection.execute("BEGIN EXCLUSIVE")
            connection.rollback()
    except sqlite3.OperationalError as error:
        if "locked" in str(error):
            raise LibraryError(
                "another program is writing in it", subject=str(place), remedy="close it and try again"
            ) from error
    except sqlite3.DatabaseError:
        return


def _free(place: Path) -> Path:
    """Return a name beside a library that nothing has: "library before restore.db", "… 2.db"."""
    stem, number = f"{place.stem} before restore", 1
    while True:
        name = f"{stem}{'' if number == 1 else f' {number}'}{place.suffix}"
        if not (place.parent / name).exists():
            return place.parent / name
        number += 1

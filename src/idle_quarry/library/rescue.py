"""What can still be read of a damaged library, put into a new one: every revision that matches its hash."""

from __future__ import annotations

import json
import sqlite3
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import sqlalchemy as sa
from pydantic import ValidationError

from idle_quarry.errors import LibraryError, QuarryError
from idle_quarry.library.file_library import open_library
from idle_quarry.library.held_values import TEMPLATE, held_from_data, held_hash, name_key
from idle_quarry.library.said import now
from idle_quarry.library.schema import handovers, jobs, reviews, revisions, settings, templates

#: Rows in a row that are not there, after which no more are looked for.
_GAP = 2000


@dataclass(frozen=True)
class RescueReport:
    """What was put into the new library, and what of the old one is lost as far as that can be known."""

    place: Path
    templates: int
    revisions: int
    lost: int


def rescued(damaged: Path, target: Path, person: str) -> RescueReport:
    """Make a library of what is sound in a damaged one. The damaged one is only read.

    Rows are read one by one, by their number in the file: neither a torn page nor a torn index takes the others along.
    Raises `LibraryError` where the target is there already or nothing can be read.
    """
    if target.exists():
        raise LibraryError("is there already", subject=str(target), remedy="name a new file")
    results: dict[str, list[dict[str, Any]]] = {}
    lost = 0
    try:
        with closing(sqlite3.connect(f"{damaged.absolute().as_uri()}?mode=ro", uri=True)) as connection:
            connection.row_factory = sqlite3.Row
            there = {row[0] for row in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
            for table in (templates, revisions, reviews, settings, jobs, handovers):
                rows, torn = _read(connection, table.name) if table.name in there else ([], 0)
                results[table.name] = rows
                lost += torn if table is revisions else 0
    except sqlite3.DatabaseError as error:
        raise LibraryError(f"nothing can be read of it ({error})", subject=str(damaged)) from error
    sound = [row for row in results["revision"] if _sound(row)]
    lost += len(results["revision"]) - len(sound)
    if not sound:
        raise LibraryError("no revision of it is sound", subject=str(damaged), remedy="put back a copy of it")
    known = {row["id"]: row for row in results["template"]}
    for row in sound:
        known.setdefault(row["template_id"], _made_up(row, person))
    sound_keys = {(row["template_id"], row["number"]) for row in sound}
    wanted = {row["template_id"] for row in sound}
    library = open_library(target, person)
    try:
        with library.transaction(write=True) as connection_new:
            _put(connection_new, templates, [row for ident, row in known.items() if ident in wanted])
            _put(connection_new, revisions, sound)
            texts = [row for row in results["review"] if (row["template_id"], row["number"]) in sound_keys]
            _put(connection_new, reviews, texts)
            _put(connection_new, settings, results["setting"])
            _put(connection_new, jobs, results["job"])
            _put(connection_new, handovers, results["handover"])
    except BaseException:
        library.close()
        target.unlink(missing_ok=True)
        raise
    library.close()
    return RescueReport(target, len(wanted), len(sound), lost)


def _put(connection: sa.Connection, table: sa.Table, rows: list[dict[str, Any]]) -> None:
    names = {column.name for column in table.columns}
    for row in rows:
        connection.execute(table.insert(), {key: value for key, value in row.items() if key in names})


def _read(connection: sqlite3.Connection, table: str) -> tuple[list[dict[str, Any]], int]:
    """Return the rows of a table that can be read, and how many cannot."""
    rows: list[dict[str, Any]] = []
    torn = since = number = 0
    lost_since = 0
    while since <= _GAP:
        number += 1
        try:
            row = connection.execute(f"SELECT * FROM {table} WHERE rowid = ?", (number,)).fetchone()
        except sqlite3.DatabaseError:
            since, lost_since = since + 1, lost_since + 1
            continue
        if row is None:
            since += 1
            continue
        rows.append(dict(row))
        # what could not be read before a row that can was one too; behind the last it may be a page asked for in vain
        torn, lost_since, since = torn + lost_since, 0, 0
    return rows, torn


def _sound(row: dict[str, Any]) -> bool:
    try:
        return bool(held_hash(held_from_data(json.loads(str(row["body"])))) == row["hash"])
    except (ValueError, ValidationError, QuarryError, RecursionError):
        return False


def _made_up(row: dict[str, Any], person: str) -> dict[str, Any]:
    """Return a template's own row anew, where that one is torn: on the own shelf of whoever rescues."""
    body = json.loads(row["body"])
    kind = str(body.get("entry", TEMPLATE))
    name = f"{body['name'][:70]} (rescued {row['template_id'][:8]})"
    return {
        "id": row["template_id"],
        "name": name,
        "name_key": name_key(kind, name),
        "kind": kind,
        "shelf": "own",
        "owner": person,
        "created": now(),
        "aside": None,
    }

"""A whole library into another place: file to server, server to file, with every revision, review, hash and date."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import sqlalchemy as sa
from sqlalchemy.exc import IntegrityError

from idle_quarry.errors import LibraryError
from idle_quarry.library.engines import DatabaseStore
from idle_quarry.library.held_values import described, held_canonical, held_from_data, held_hash
from idle_quarry.library.schema import handovers, jobs, reviews, revisions, settings, templates

#: In this order each row finds what it belongs to.
TABLES = (templates, revisions, reviews, settings, jobs, handovers)
_AT_ONCE = 200


@dataclass(frozen=True)
class CopiedRows:
    """How many rows of each table were carried."""

    templates: int
    revisions: int
    reviews: int
    settings: int
    jobs: int
    handovers: int


def carried(source: DatabaseStore, target: DatabaseStore) -> CopiedRows:
    """Copy everything `source` shows into the empty library `target`: all or nothing.

    Raises `LibraryError` where the target is not empty or does not let this person fill it in others' names.
    """
    counts = []
    try:
        with source.transaction() as reading, target.transaction(write=True) as writing:
            if writing.execute(sa.select(sa.func.count()).select_from(templates)).scalar_one():
                raise LibraryError(
                    "there are templates in it already",
                    subject=target.subject,
                    remedy="carry a library to an empty one",
                )
            for table in TABLES:
                count = 0
                for rows in _rows(reading, table):
                    if table is revisions:
                        rows = [_as_hashed(row, source.subject) for row in rows]
                    writing.execute(table.insert(), rows)
                    count += len(rows)
                counts.append(count)
    except IntegrityError as error:
        raise LibraryError(f"the rows do not fit together ({error.orig})", subject=source.subject) from error
    return CopiedRows(*counts)


def _as_hashed(row: dict[str, Any], subject: str) -> dict[str, Any]:
    """Return a revision's row with its body as it is hashed, which a server checks. Raises `LibraryError`."""
    try:
        value = held_from_data(json.loads(row["body"]))
    except (ValueError, LibraryError) as error:
        raise LibraryError(
            f"revision {row['number']} of {row['template_id']} is damaged",
            subject=subject,
            remedy="carry what 'library rescue' makes of it",
        ) from error
    if held_hash(value) != row["hash"]:
        raise LibraryError(
            f"revision {row['number']} of {value.name} does not match its hash",
            subject=subject,
            remedy="carry what 'library rescue' makes of it",
        )
    return {**row, "body": held_canonical(value), "summary": described(value).to_text()}


def _rows(connection: sa.Connection, table: sa.Table) -> Iterator[list[dict[str, Any]]]:
    """Yield the rows of a table, a few at a time: a library is larger than what one wants to hold."""
    query = sa.select(table).order_by(*table.primary_key.columns)
    for part in connection.execution_options(yield_per=_AT_ONCE).execute(query).mappings().partitions(_AT_ONCE):
        yield [dict(row) for row in part]

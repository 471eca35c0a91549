"""Rows of the library's tables as values."""

from __future__ import annotations

import json
from typing import Any

from pydantic import ValidationError

from idle_quarry.errors import LibraryError
from idle_quarry.library.held_values import Held, held_from_data, held_hash
from idle_quarry.library.records import (
    Revision,
    Summary,
)


def value_of(row: Any) -> tuple[str, str, Revision, Held]:
    """Return a row with its body as what it is.

    Raises `LibraryError` where it is damaged or does not match its hash.
    """
    try:
        value = held_from_data(json.loads(row["body"]))
    except (ValueError, ValidationError) as error:
        raise LibraryError("the stored revision is damaged", subject=f"{row['name']} {row['number']}") from error
    if held_hash(value) != row["hash"]:
        raise LibraryError(
            "the stored revision does not match its hash: it was changed from outside",
            subject=f"{row['name']}, revision {row['number']}",
            remedy="put back a copy of the library",
        )
    return row["name"], row["shelf"], revision_of(row), value


def revision_of(row: Any) -> Revision:
    """Return a revision's row as a value."""
    return Revision(**{name: row[name] for name in Revision.__dataclass_fields__})


def summary_of(row: Any, default: bool) -> Summary:
    """Return a template's row as a value; `default` says whether jobs start from it by default."""
    names = ("id", "name", "shelf", "owner", "kind", "approved", "drafts", "territory", "working", "lines")
    deliveries, damaged = names_in(row["deliveries"])
    return Summary(
        **{name: row[name] for name in names},
        latest=revision_of(row),
        default=default,
        deliveries=deliveries,
        aside=row["aside"] is not None,
        damaged=damaged,
    )


def names_in(text: str) -> tuple[tuple[str, ...], bool]:
    """Return the names in a list as it is stored, and whether it is none: one bad row must not take the others
    along.
    """
    try:
        names = json.loads(text)
    except (ValueError, TypeError, RecursionError):
        return (), True
    if not isinstance(names, list) or not all(isinstance(name, str) for name in names):
        return (), True
    return tuple(names), False

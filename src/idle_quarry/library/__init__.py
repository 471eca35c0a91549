"""Templates kept: shelves, revisions, reviews, exchange files."""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

from idle_quarry.library.records import (
    HandoverRecord,
    JobRecord,
    Remark,
    Revision,
    Search,
    StoredEntry,
    StoredTemplate,
    Summary,
    typed_words,
)

if TYPE_CHECKING:
    from idle_quarry.library.store import FileLibrary, Library, open_library

__all__ = [
    "FileLibrary",
    "HandoverRecord",
    "JobRecord",
    "Library",
    "Remark",
    "Revision",
    "Search",
    "StoredEntry",
    "StoredTemplate",
    "Summary",
    "open_library",
    "typed_words",
]

_OF_STORE = ("FileLibrary", "Library", "open_library")


def __getattr__(name: str) -> Any:
    """Read SQLAlchemy (a quarter of a second) when something of the store is first asked for."""
    if name in _OF_STORE:
        return getattr(import_module("idle_quarry.library.store"), name)
    raise AttributeError(name)

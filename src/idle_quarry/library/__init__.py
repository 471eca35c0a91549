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
    from idle_quarry.library.file_library import FileLibrary, open_library
    from idle_quarry.library.store import Library

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
        home = "store" if name == "Library" else "file_library"
        return getattr(import_module(f"idle_quarry.library.{home}"), name)
    raise AttributeError(name)

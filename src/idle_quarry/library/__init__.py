"""Templates kept: shelves, revisions, reviews, exchange files."""

from idle_quarry.library.records import (
    HandoverRecord,
    JobRecord,
    Remark,
    Revision,
    Search,
    Stored,
    StoredEntry,
    Summary,
    typed_words,
)
from idle_quarry.library.store import FileLibrary, Library, open_library

__all__ = [
    "FileLibrary",
    "HandoverRecord",
    "JobRecord",
    "Library",
    "Remark",
    "Revision",
    "Search",
    "Stored",
    "StoredEntry",
    "Summary",
    "open_library",
    "typed_words",
]

"""Templates kept: shelves, revisions, exchange files."""

from idle_quarry.library.records import JobRecord, Revision, Stored, Summary
from idle_quarry.library.store import Library, open_library

__all__ = ["JobRecord", "Library", "Revision", "Stored", "Summary", "open_library"]

"""Where the open template stands, in words."""

from __future__ import annotations

from typing import TYPE_CHECKING

from idle_quarry.app.documents.document import Document
from idle_quarry.signal.words import format_words

if TYPE_CHECKING:
    pass


def standing(document: Document) -> str:
    """Return where the open template stands: its shelf, its revision, and what an edit of it is."""
    if document.base is None:
        return "not saved yet"
    revision = document.base.revision
    if document.base.shelf == "own":
        return f"Own shelf · revision {revision.number}"
    if document.dirty:
        return f"House shelf · a draft, begun from revision {revision.number} ({revision.state})"
    state_words = {
        "approved": "approved, read-only: an edit begins a draft",
        "in review": "in review: an edit begins a draft beside it",
        "withdrawn": "withdrawn",
    }
    state = state_words.get(revision.state, revision.state)
    return f"House shelf · revision {revision.number} by {revision.author}, {state}"


def was(value: object) -> str:
    """Return what a value was, in words."""
    text = format_words(value) if hasattr(value, "encoding") else str(value)  # type: ignore[arg-type]
    return f" (was {text})" if isinstance(value, str | int | float | bool) and len(text) < 40 else ""

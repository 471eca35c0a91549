"""What a library holds: templates, and a house's own entries; how each is kept, known again, compared and described."""

from __future__ import annotations

from typing import Any

from idle_quarry.library.files.exchange import template_from_data
from idle_quarry.library.records import RevisionFacts
from idle_quarry.path.changes.edits import Edit, differences, edited
from idle_quarry.path.entries import Entry, canonical_entry, entry_from_data, entry_hash, facts_of, stored_entry
from idle_quarry.path.entries.words import words_of
from idle_quarry.path.template import Template, canonical, content_hash

Held = Template | Entry
TEMPLATE = "template"


def kind_of(value: Held) -> str:
    """Return what something is: a template, or a kind of entry."""
    return value.entry if isinstance(value, Entry) else TEMPLATE


def name_key(kind: str, name: str) -> str:
    """Return by what a name is found on a shelf: one name may be a template's and a monitor's."""
    return name.lower() if kind == TEMPLATE else f"{kind}/{name.lower()}"[:120]


def held_canonical(value: Held) -> str:
    """Return the text of which the hash is made, as it is stored."""
    return canonical_entry(value) if isinstance(value, Entry) else canonical(value)


def held_hash(value: Held) -> str:
    """Return the SHA-256 (64 hex digits) of what is stored."""
    return entry_hash(value) if isinstance(value, Entry) else content_hash(value)


def held_from_data(data: Any) -> Held:
    """Return the template or entry kept as plain values. Raises `ExchangeError` and pydantic's `ValidationError`."""
    if isinstance(data, dict) and "entry" in data:
        return entry_from_data(data)
    return template_from_data(data)


def count_changed(before: Held, after: Held) -> int:
    """Return in how many settings two states of one thing differ."""
    if isinstance(before, Template) and isinstance(after, Template):
        return len(differences(before, after))
    if isinstance(before, Entry) and isinstance(after, Entry):
        a, b = facts_of(before), facts_of(after)
        return sum(a.get(place) != b.get(place) for place in {*a, *b})
    return 0


def described(value: Held) -> RevisionFacts:
    """Return what is kept beside a revision for lists."""
    if isinstance(value, Template):
        return RevisionFacts.of(value)
    words = words_of(value)
    return RevisionFacts("", words[:120], 0, (), f"{value.name} {value.source} {value.entry} {words}".lower())


def renamed(value: Held, name: str) -> Held:
    """Return the same under another name."""
    if isinstance(value, Template):
        return edited(value, Edit("name", name))
    return entry_from_data({**stored_entry(value), "name": name[:100]})

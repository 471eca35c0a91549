"""An entry: one thing that a house knows (a monitor, a spec, a codec, a layout), as an immutable value.

What ships with the program has a plain `id` and no `uid`. A house's own has a `uid`, which stays the same through its
revisions and wherever it is carried, and an `id` that follows from its content: whoever holds the id holds that very
content, so that a path planned for it can be kept by its id, and a template that names it means the same for ever.
"""

from __future__ import annotations

import hashlib
import json
import re
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, StringConstraints, model_validator

from idle_quarry.path.texts import Name, Text

#: The newest number of an entry's stored form; what is not said is as the program has it by default.
FORMAT_NUMBER = 1
_KEY = re.compile(r"^[a-z0-9][a-z0-9.-]{0,39}$")
_HASHED = 12


class EntryPart(BaseModel):
    """A part of an entry."""

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)  # most are never looked at in a session


class Entry(EntryPart):
    """What all entries have: which kind, what it is called, and where its figures come from."""

    entry: str
    id: str = ""
    uid: Annotated[str, StringConstraints(pattern=r"^([0-9A-Za-z][0-9A-Za-z-]{7,35})?$")] = ""
    name: Annotated[Name, StringConstraints(max_length=100)]
    source: Text = ""

    @model_validator(mode="after")
    def _known_by(self) -> Entry:
        if self.uid:
            slug = re.sub(r"[^a-z0-9]+", "-", self.name.lower()).strip("-")[: 39 - _HASHED].strip("-")
            self.__dict__["id"] = f"{slug or self.entry}-{entry_hash(self)[:_HASHED]}"
        elif not _KEY.match(self.id):
            raise ValueError("an entry has an id, or the uid of a house's own")
        return self


def stored_entry(entry: Entry) -> dict[str, Any]:
    """Return an entry as it is kept: its kind, name and uid, and what differs from what is usual."""
    data = entry.model_dump(mode="json", exclude_defaults=True, exclude={"id", "entry"})
    return {"entry": entry.entry, "format_number": FORMAT_NUMBER, **data}


def canonical_entry(entry: Entry) -> str:
    """Return an entry's canonical JSON: sorted keys, no spaces."""
    return json.dumps(stored_entry(entry), sort_keys=True, separators=(",", ":"), ensure_ascii=False)


def entry_hash(entry: Entry) -> str:
    """Return the SHA-256 (64 hex digits) of an entry's canonical JSON in UTF-8."""
    return hashlib.sha256(canonical_entry(entry).encode()).hexdigest()

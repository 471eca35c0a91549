"""Unsaved work: kept beside the library after each edit, so that a crash loses nothing."""

from __future__ import annotations

import contextlib
import hashlib
import json
from dataclasses import dataclass
from pathlib import Path

from pydantic import ValidationError

from idle_quarry.errors import QuarryError
from idle_quarry.files import written_whole
from idle_quarry.library.files.exchange import template_from_data
from idle_quarry.library.house_entries import checked
from idle_quarry.path.entries import Entry, canonical_entry
from idle_quarry.path.template import Template
from idle_quarry.places import data_folder


@dataclass(frozen=True)
class Draft:
    """An edited template that is no revision yet; `template_id` and `revision` say what it began from."""

    key: str
    template: Template
    template_id: str | None
    revision: int | None


class Drafts:
    """The drafts of one library and person."""

    def __init__(self, library: Path, person: str) -> None:
        name = hashlib.sha256(f"{library.resolve()}\n{person}".encode()).hexdigest()[:16]
        self._folder = data_folder() / "drafts" / name

    def keep(self, draft: Draft) -> None:
        """Write a draft, whole or not at all. Raises `OSError`."""
        self._folder.mkdir(parents=True, exist_ok=True)
        data = {
            "key": draft.key,
            "template_id": draft.template_id,
            "revision": draft.revision,
            "template": draft.template.model_dump(mode="json"),
        }
        written_whole(self._folder / f"{draft.key}.json", json.dumps(data).encode())

    def keep_entry(self, entry: Entry) -> None:
        """Write an edited entry of the house that is no revision yet. Raises `OSError`."""
        (self._folder / "entries").mkdir(parents=True, exist_ok=True)
        written_whole(self._folder / "entries" / f"{entry.uid}.json", canonical_entry(entry).encode())

    def drop_entry(self, uid: str) -> None:
        """Forget an edited entry."""
        with contextlib.suppress(OSError):
            (self._folder / "entries" / f"{uid}.json").unlink(missing_ok=True)

    def entries(self) -> list[Entry]:
        """Return the edited entries kept; what cannot be read is left where it lies."""
        entries = []
        for path in sorted((self._folder / "entries").glob("*.json")):
            with contextlib.suppress(OSError, ValueError, QuarryError):
                entries.append(checked(json.loads(path.read_text(encoding="utf-8"))))
        return entries

    def drop(self, key: str) -> None:
        """Forget a draft."""
        with contextlib.suppress(OSError):
            (self._folder / f"{key}.json").unlink(missing_ok=True)

    def all(self) -> list[Draft]:
        """Return the drafts kept, the newest first; what cannot be read is left where it lies."""
        if not self._folder.is_dir():
            return []
        drafts = []
        for path in sorted(self._folder.glob("*.json"), key=lambda p: p.stat().st_mtime, reverse=True):
            try:
                data = json.loads(path.read_text(encoding="utf-8"))
                template = template_from_data(data["template"])
                drafts.append(Draft(str(data["key"]), template, data["template_id"], data["revision"]))
            except (OSError, ValueError, KeyError, TypeError, ValidationError, QuarryError):
                continue
        return drafts

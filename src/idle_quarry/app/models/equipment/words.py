"""What Equipment says of the entry that is looked at, and of those it lists."""

from __future__ import annotations

from typing import TYPE_CHECKING

from idle_quarry.app.models.equipment.codec_words import codec_words
from idle_quarry.errors import QuarryError
from idle_quarry.library import Remark
from idle_quarry.library.house_entries import (
    BUILT_IN,
    ListedEntry,
    own_copy,
)
from idle_quarry.library.reviewing import ACTS
from idle_quarry.path.entries import KINDS, Codec, Entry
from idle_quarry.path.findings.house import changes_in_words
from idle_quarry.path.settings.entries import entry_settings

if TYPE_CHECKING:
    from idle_quarry.app.models.equipment.equipment import Equipment

SHELVES = ("All shelves", "Ships with the program", "House shelf", "Own shelf", "Put aside")
#: Revisions of an entry whose changes are told one by one.
_MOST_COMPARED = 20
_SHELF_WORDS = {BUILT_IN: "ships with the program", "house": "house shelf", "own": "own shelf"}


class EquipmentWords:
    """Sentences and labels; each is made of what Equipment knows now."""

    def __init__(self, equipment: Equipment) -> None:
        self._equipment, self._door = equipment, equipment.door

    def nothing_words(self) -> str:
        """Return what is said where nothing is shown."""
        if self._equipment.rows:
            return ""
        if self._equipment.typed:
            return "No entry has these words. Clear the search to see all."
        if self._equipment.shelf in ("House shelf", "Own shelf"):
            return "Nothing of the house's own yet. Copy what ships and change it, or begin a new one."
        return "Nothing was put aside." if self._equipment.shelf == SHELVES[-1] else "No entry of this kind."

    def history(self, remarks: list[Remark]) -> list[str]:
        """Return what was done with the entry, newest first; of each revision what it changed."""
        lines: list[tuple[str, str]] = []
        for remark in remarks:
            did = f"{ACTS[remark.act].participle}: revision" if remark.act in ACTS else "about revision"
            note = f"\n{remark.note}" if remark.note else ""
            lines.append((remark.time, f"{remark.person}, {remark.time[:10]}: {did} {remark.number}{note}"))
        bodies = {
            revision.number: self._body(revision.number) for revision in self._equipment.revisions[:_MOST_COMPARED]
        }
        for revision in self._equipment.revisions:
            note = f"\n{revision.note}" if revision.note else ""
            before, now = bodies.get(revision.parent or 0), bodies.get(revision.number)
            changed = f", {revision.changed} changed" if revision.changed else ""
            if before is not None and now is not None:
                changed = f": {changes_in_words(before, now)}"
            lines.append(
                (revision.time, f"{revision.author}, {revision.time[:10]}: revision {revision.number}{changed}{note}")
            )
        return [text for _, text in sorted(lines, key=lambda pair: pair[0], reverse=True)]

    def _body(self, number: int) -> Entry | None:
        try:
            return self._door.library.entry(self._equipment.ident, number).entry
        except QuarryError:
            return None

    def rows(self) -> list[tuple[str, str]]:
        """Return what an entry that ships says, as labels and texts."""
        if self._equipment.entry is None:
            return []
        if isinstance(self._equipment.entry, Codec):
            return codec_words(self._equipment.entry)
        as_own = own_copy(self._equipment.entry)
        return [
            (entry_setting.label, entry_setting.text) for entry_setting in entry_settings(as_own) if entry_setting.text
        ]

    def before(self) -> dict[tuple[str, str], str]:
        """Return the texts of the sheet as they are stored, by place and label."""
        if self._equipment.stored is None or not self._equipment.dirty:
            return {}
        return {
            (entry_setting.place, entry_setting.label): entry_setting.text
            for entry_setting in entry_settings(self._equipment.stored.entry, self._door.house.value)
        }

    def about_words(self) -> str:
        """Return where it stands: its kind, its shelf, its revision."""
        row = self._equipment.row
        if row is None or self._equipment.entry is None:
            return ""
        kind = KINDS[self._equipment.entry.entry].one
        if self._equipment.stored is None:
            kind = "Codec" if self._equipment.entry.entry == "codec" else kind
            return f"{kind} · ships with the program, read-only: copy it to change it"
        revision = self._equipment.stored.revision
        text = f"{kind} · {_SHELF_WORDS[row.shelf]} · revision {revision.number} by {revision.author}, {revision.state}"
        if row.aside:
            text += ", put aside"
        return text + (" · changed, not saved" if self._equipment.dirty else "")

    def use_words(self) -> str:
        """Return which templates name it."""
        if self._equipment.uses is None or self._equipment.entry is None:
            return ""
        names = self._equipment.uses.get(self._equipment.ident, [])
        if not names:
            return "No template names it."
        more = f" and {len(names) - 4} more" if len(names) > 4 else ""
        return f"Named by {', '.join(names[:4])}{more}."

    def shelf_words(self, entry: ListedEntry) -> str:
        """Return what stands beside an entry in the list."""
        if entry.revision is None:
            return ""
        return f"{entry.shelf} · {entry.state} {entry.revision}" + (
            " · unsaved" if self._equipment.is_unsaved(entry.ident) else ""
        )

"""What a house has now, as a value: the entries that whoever chooses takes, each known by its id."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from idle_quarry.path.entries import CodecVariant, DeliverySpec, Entry
from idle_quarry.path.registry import codecs, known
from idle_quarry.path.template import Template
from idle_quarry.signal.words import Sixty


@dataclass(frozen=True, eq=False)
class HouseEntries:
    """The house's own entries, newest that are in use. Two are the same only where they are one."""

    entries: tuple[Entry, ...] = ()
    sixty: Sixty = Sixty.ASKED  #: what a bare 60 means here

    def now(self, uid: str) -> Entry | None:
        """Return what the house has now of the entry with a uid; None where it has it no longer."""
        return next((entry for entry in self.entries if entry.uid == uid), None)

    def of(self, kind: str) -> list[Entry]:
        """Return the house's own entries of a kind; of a codec's variant the codec it is."""
        return [as_known(entry) for entry in self.entries if entry.entry == kind]

    def specs(self) -> list[DeliverySpec]:
        """Return the house's own delivery specs."""
        return [entry for entry in self.entries if isinstance(entry, DeliverySpec)]


NO_HOUSE = HouseEntries()


def as_known(entry: Entry) -> Entry:
    """Return an entry as templates name it: of a codec's variant the codec."""
    return codecs()[entry.id] if isinstance(entry, CodecVariant) else entry


def choices_of(kind: str, template: Template, house: HouseEntries) -> dict[str, Entry]:
    """Return what can be chosen of a kind, by name: what ships, what the house has, and what the template carries.

    Of two that are called the same each says which it is.
    """
    results: dict[str, Entry] = {}
    shipped: Iterable[Entry] = known(kind).values()
    carried = [as_known(entry) for entry in template.house if entry.entry == kind]
    for entries, text in ((shipped, ""), (house.of(kind), "the house's"), (carried, "as the template has it")):
        for entry in entries:
            if any(entry.id == there.id for there in results.values()):
                continue
            name = entry.name if entry.name not in results else f"{entry.name} ({text})"
            results[name] = entry
    return results


def name_of(ident: str, choices: dict[str, Entry]) -> str:
    """Return by which name an entry is chosen; its id where it is none of them."""
    return next((name for name, entry in choices.items() if entry.id == ident), ident)

"""What a house knows of its own: seven kinds of entries, each an immutable value that can be kept, compared and
carried.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Annotated, Any

from pydantic import BaseModel, Field, TypeAdapter

from idle_quarry.path.entries.codec import Codec, CodecVariant
from idle_quarry.path.entries.delivery import DeliverySpec
from idle_quarry.path.entries.entry import Entry, EntryPart, canonical_entry, entry_hash, stored_entry
from idle_quarry.path.entries.kept_format import KeptFormat
from idle_quarry.path.entries.monitor import Door, Monitor
from idle_quarry.path.entries.naming import NamingRule
from idle_quarry.path.entries.programme import ProgrammeLayout
from idle_quarry.path.entries.sound import SoundLayout
from idle_quarry.path.entries.typed import said_member

__all__ = [
    "KINDS",
    "AnyEntry",
    "Codec",
    "CodecVariant",
    "DeliverySpec",
    "Door",
    "Entry",
    "KeptFormat",
    "Kind",
    "Monitor",
    "NamingRule",
    "ProgrammeLayout",
    "SoundLayout",
    "canonical_entry",
    "entry_from_data",
    "entry_hash",
    "facts_of",
    "stored_entry",
    "without_number",
]

AnyEntry = Annotated[
    Monitor | DeliverySpec | CodecVariant | KeptFormat | SoundLayout | ProgrammeLayout | NamingRule,
    Field(discriminator="entry"),
]


@lru_cache(maxsize=1)
def _adapter() -> TypeAdapter[Any]:
    return TypeAdapter(AnyEntry)


@dataclass(frozen=True)
class Kind:
    """A kind of entry: its word, what one and many are called, and its class as a house keeps it."""

    word: str
    one: str
    many: str
    cls: type[Entry]


KINDS: dict[str, Kind] = {
    kind.word: kind
    for kind in (
        Kind("monitor", "Monitor", "Monitors", Monitor),
        Kind("delivery", "Delivery spec", "Delivery specs", DeliverySpec),
        Kind("codec", "Codec variant", "Codecs", CodecVariant),
        Kind("format", "Format", "Formats", KeptFormat),
        Kind("sound", "Sound layout", "Sound layouts", SoundLayout),
        Kind("programme", "Programme layout", "Programme layouts", ProgrammeLayout),
        Kind("naming", "Naming rule", "Naming rules", NamingRule),
    )
}


def without_number(data: Any) -> Any:
    """Return an entry's plain values without the number of their form, which is no part of the entry."""
    return {key: value for key, value in data.items() if key != "format_number"} if isinstance(data, dict) else data


def entry_from_data(data: Any) -> Entry:
    """Return the entry kept as plain values.

    Raises pydantic's `ValidationError` (a `ValueError`) for what does not fit.
    """
    entry: Entry = _adapter().validate_python(without_number(data))
    if not entry.uid:
        raise ValueError("an entry of a house has a uid")
    return entry


def facts_of(entry: Entry) -> dict[str, Any]:
    """Return what an entry says, flat, by place: members of lists as they are typed, by their number."""

    def walk(value: Any, place: str) -> Iterator[tuple[str, Any]]:
        if isinstance(value, BaseModel):
            for name in type(value).model_fields:
                if place or name not in ("id", "uid", "entry"):
                    yield from walk(getattr(value, name), f"{place}.{name}" if place else name)
        elif isinstance(value, tuple) and any(isinstance(part, EntryPart) for part in value):
            yield from ((f"{place}.{number}", said_member(part)) for number, part in enumerate(value, 1))
        else:
            yield place, list(value) if isinstance(value, tuple) else value

    return dict(walk(entry, ""))

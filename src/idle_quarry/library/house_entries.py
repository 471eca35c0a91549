"""A house's own entries as they are listed, used, copied and carried: beside what ships, in one list."""

from __future__ import annotations

import json
import uuid
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import sqlalchemy as sa
from pydantic import ValidationError

from idle_quarry.errors import ExchangeError, LibraryError, NotUnderstood
from idle_quarry.library.files.exchange import json_of, write_file
from idle_quarry.library.reading import EVERYTHING, LibraryReader
from idle_quarry.library.records import Revision, Search, StoredEntry
from idle_quarry.library.schema import heads, revisions
from idle_quarry.library.store import Library
from idle_quarry.path.changes.edits import validation_sentence
from idle_quarry.path.entries import KINDS, Codec, Entry, entry_from_data, entry_hash, stored_entry
from idle_quarry.path.entries.words import words_of
from idle_quarry.path.house_entries import HouseEntries
from idle_quarry.path.registry import known, take_in
from idle_quarry.signal.words import Sixty

KIND = "idle-quarry entry"
BUILT_IN = "built-in"
#: No entry comes near this.
_MOST_BYTES = 1_000_000


@dataclass(frozen=True)
class ListedEntry:
    """An entry in the list: what ships has no revision and no state; `uses` are the templates that name it."""

    entry: Entry
    shelf: str
    revision: int | None = None
    state: str | None = None
    drafts: int = 0
    uses: tuple[str, ...] = ()
    aside: bool = False

    @property
    def ident(self) -> str:
        """What it is called by on the command line: the id of what ships, the uid of a house's own."""
        return self.entry.uid or self.entry.id

    @property
    def words(self) -> str:
        return words_of(self.entry)


def house_of(library: LibraryReader) -> HouseEntries:
    """Return what the house has of its own. Raises `LibraryError`."""
    return HouseEntries(tuple(stored.entry for stored in in_use(library).values()), sixty_in(library))


def sixty_in(library: LibraryReader) -> Sixty:
    """Return what a bare 60 means in a house: 59.94 where it has templates of 59.94 Hz countries and none of 50 Hz."""
    fifty, pulled = (library.count(Search(shelf="house", territory=hertz)) for hertz in ("50 Hz", Sixty.PULLED.value))
    return Sixty.PULLED if pulled and not fifty else Sixty.ASKED


def listed(
    library: LibraryReader, kind: str | None = None, *, aside: bool = False, uses: dict[str, list[str]] | None = None
) -> list[ListedEntry]:
    """Return every entry, those that ship first in each kind, then the house's and one's own, each with who uses it.

    `uses` is what `used_by` gives, where that is known already.

    Raises `LibraryError`; `NotUnderstood` for a kind that there is not.
    """
    if kind is not None and kind not in KINDS:
        raise NotUnderstood("no kind of entry", subject=kind, remedy="say " + ", ".join(KINDS))
    uses = used_by(library) if uses is None else uses
    entries = []
    for word in [kind] if kind else KINDS:
        if not aside:
            entries += [ListedEntry(e, BUILT_IN, uses=tuple(uses.get(e.id, ()))) for e in known(word).values()]
        entries += list(_own(library, word, uses, aside))
    return entries


def _own(library: LibraryReader, kind: str, uses: dict[str, list[str]], aside: bool) -> Iterator[ListedEntry]:
    for summary in library.page(Search(kind=kind, aside=aside), limit=5000):
        try:
            stored = library.entry(summary.id)
        except LibraryError:
            continue  # `library check` says what is wrong with it
        yield ListedEntry(
            stored.entry,
            summary.shelf,
            stored.revision.number,
            summary.latest.state,
            summary.drafts,
            tuple(uses.get(summary.id, ())),
            aside,
        )


def used_by(library: LibraryReader) -> dict[str, list[str]]:
    """Return the names of the templates that name an entry, by its id or uid: of each the revision that jobs start
    from.
    """
    number = sa.func.coalesce(heads.c.approved, heads.c.latest)
    of_head = (revisions.c.template_id == heads.c.template_id) & (revisions.c.number == number)
    query = sa.select(heads.c.name_key, revisions.c.body).join(revisions, of_head).where(library._matching(EVERYTHING))
    results: dict[str, list[str]] = {}
    with library.transaction() as connection:
        rows = connection.execute(query.order_by(heads.c.name_key)).all()
    for _, body in rows:
        try:
            data = json.loads(body)
            for ident in dict.fromkeys(_named_in(data)):
                results.setdefault(ident, []).append(str(data["name"]))
        except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
            continue
    return results


def _named_in(data: dict[str, Any]) -> Iterator[str]:
    """Yield the ids of shipped entries, and the uids of a house's own, that a template's stored form names."""
    yield data["intermediate"]["codec"]
    yield data["sound"]["layout"]
    if data.get("proxy"):
        yield data["proxy"]["codec"]
    if data.get("monitor"):
        yield data["monitor"]["monitor"]
    for delivery in data["deliveries"]:
        yield from (
            delivery["codec"],
            delivery["layout"],
            delivery.get("standard") or "",
            delivery.get("programme") or "",
        )
    for item in data.get("house", ()):
        yield item["uid"]


def entry_named(library: LibraryReader, ident: str) -> ListedEntry:
    """Return the entry of an id, a uid or a name. Raises `NotUnderstood` where none or several are called so."""
    every = [*listed(library), *listed(library, aside=True)]
    by_id = [entry for entry in every if ident in (entry.ident, entry.entry.id)]
    by_name = [entry for entry in every if entry.entry.name.lower() == ident.lower()]
    hits = by_id or [entry for entry in by_name if entry.shelf != BUILT_IN] or by_name
    if not hits:
        raise NotUnderstood("no such entry", subject=ident, remedy="'house list' shows what there is")
    if len(hits) > 1:
        kinds = ", ".join(f"{hit.entry.entry} {hit.ident}" for hit in hits)
        raise NotUnderstood("several are called so", subject=ident, remedy=f"say which by its id: {kinds}")
    return hits[0]


def own_copy(entry: Entry, name: str | None = None) -> Entry:
    """Return an entry of one's own that says the same as another: of a codec that ships, a variant that changes
    nothing yet.

    Raises `ExchangeError` for a name that cannot be.
    """
    uid = str(uuid.uuid4())
    if isinstance(entry, Codec):
        return checked({"entry": "codec", "uid": uid, "name": name or entry.name, "base": entry.id})
    return checked({**stored_entry(entry), "uid": uid, "name": name or entry.name})


def checked(data: Any) -> Entry:
    """Return the entry kept as plain values, with all it stands on. Raises `ExchangeError`."""
    try:
        entry = entry_from_data(data)
        take_in(entry)
    except ValidationError as error:
        raise ExchangeError(f"it cannot be so: {validation_sentence(error)}") from error
    except (ValueError, RecursionError) as error:
        raise ExchangeError(f"it cannot be so: {error}") from error
    return entry


# -- files --------------------------------------------------------------------------------------------------


def export_entry(item: ListedEntry, path: Path) -> None:
    """Write an entry's file, whole or not at all; what ships is written as a copy of one's own.

    Raises `ExchangeError`.
    """
    entry = item.entry if item.entry.uid else own_copy(item.entry)
    origin = {"shelf": item.shelf, "revision": item.revision}
    data = {"kind": KIND, "origin": origin, "hash": entry_hash(entry), "entry": stored_entry(entry)}
    write_file(path, (json.dumps(data, indent=2, ensure_ascii=False) + "\n").encode())


def import_entry(path: Path) -> tuple[Entry, bool | None]:
    """Return the entry in a file, and whether its hash holds (None where it has none). Raises `ExchangeError`."""
    data = json_of(path, "entry", _MOST_BYTES)
    try:
        if not isinstance(data, dict) or data.get("kind") != KIND:
            raise ExchangeError("not an entry's file", remedy="give one that 'house export' wrote")
        entry = checked(data.get("entry"))
    except ExchangeError as error:
        raise ExchangeError(error.what, subject=str(path), remedy=error.remedy) from error
    claimed = data.get("hash")
    return entry, None if claimed is None else claimed == entry_hash(entry)


def put(library: Library, entry: Entry, shelf: str, note: str) -> Revision:
    """Save an entry: a new revision where the library has it already, put aside or not, else as a new one on a shelf.

    Raises `LibraryError`; `NameTaken` where another is called so.
    """
    there = library.these([entry.uid])
    if not there:
        return library.save_new(entry, shelf, note)
    if there[0].aside:
        library.bring_back(entry.uid)
    newest = library.entry(entry.uid)
    if newest.entry == entry:
        return newest.revision
    return library.save_revision(entry.uid, entry, note)


def origin_note(path: Path) -> str:
    """Return the note of a revision that was taken from a file."""
    return f"taken from {path.name}"[:400]


def in_use(library: LibraryReader) -> dict[str, StoredEntry]:
    """Return what a house has now, by uid, each known by its id from here on. Raises `LibraryError`."""
    results = {}
    for stored in library.entries_for_use():
        try:
            take_in(stored.entry)
        except ValueError:
            continue  # it varies a codec that a later program knows
        results[stored.entry.uid] = stored
    return results


def schema_of(kind: str) -> dict[str, Any]:
    """Return the JSON Schema (draft 2020-12) of an entry's file of a kind."""
    body = KINDS[kind].cls.model_json_schema(mode="validation")
    definitions = body.pop("$defs", {})
    properties = {key: value for key, value in body["properties"].items() if key != "id"}
    body["properties"] = {**properties, "entry": {"const": kind}, "format_number": {"const": 1}}
    body["required"] = sorted({*body.get("required", ()), "entry", "uid", "name"})
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"Idle Quarry entry file: {KINDS[kind].one.lower()}",
        "type": "object",
        "required": ["kind", "entry"],
        "properties": {
            "kind": {"const": KIND},
            "origin": {"type": "object", "description": "Shelf and revision where it was exported"},
            "hash": {"type": "string", "pattern": "^[0-9a-f]{64}$", "description": "SHA-256 of the canonical entry"},
            "entry": body,
        },
        "$defs": definitions,
    }

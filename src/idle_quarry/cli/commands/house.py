"""The house's own entries on the command line: listed beside what ships, shown, checked, carried."""

from __future__ import annotations

from argparse import Namespace as Options
from pathlib import Path
from typing import Any

from idle_quarry.cli.command import argument, command
from idle_quarry.cli.opening import opened
from idle_quarry.cli.output import Output, table
from idle_quarry.errors import ExchangeError
from idle_quarry.library.house_entries import (
    ListedEntry,
    checked,
    entry_named,
    export_entry,
    import_entry,
    listed,
    origin_note,
    put,
)
from idle_quarry.path.entries import stored_entry
from idle_quarry.path.entries.words import words_of
from idle_quarry.path.settings.entries import entry_settings


@command(
    "house list",
    argument("kind", metavar="KIND", nargs="?", help="monitor, delivery, codec, format, sound, programme, naming"),
)
def house_list(options: Options, out: Output) -> int:
    """Every entry, what ships and the house's own."""
    with opened(options) as library:
        every = listed(library, options.kind)
    rows = [
        (e.entry.entry, e.ident, e.entry.name, _standing(e), f"used by {len(e.uses)}" if e.uses else "") for e in every
    ]
    out.show([_document(entry) for entry in every], table(rows) or ["no entry"])
    return 0


@command("house show", argument("id", metavar="ID", help="its id, or its name"))
def house_show(options: Options, out: Output) -> int:
    """One entry, with what it says."""
    with opened(options) as library:
        entry = entry_named(library, options.id)
    data = stored_entry(entry.entry) if entry.entry.uid else entry.entry.model_dump(mode="json", exclude_defaults=True)
    lines = [f"{entry.entry.name}: {_standing(entry)}", f"{entry.entry.entry} {entry.ident}", entry.words]
    lines += [f"used by {', '.join(entry.uses)}"] if entry.uses else []
    lines += table([(row.label, row.text, row.follows) for row in entry_settings(entry.entry) if row.text])
    out.show({**_document(entry), "says": data}, lines)
    return 0


@command("house validate", argument("file", metavar="FILE"))
def house_validate(options: Options, out: Output) -> int:
    """Whether a file is an entry's, whole and unaltered: 0, else an error (1 where its hash does not hold)."""
    entry, genuine = import_entry(Path(options.file))
    text = {True: "unchanged since export", False: "changed since export", None: "without a hash"}[genuine]
    document = {"kind": entry.entry, "name": entry.name, "id": entry.uid, "valid": True, "genuine": genuine}
    out.show(document, [f"{entry.name}: {entry.entry}, {words_of(entry)}; {text}"])
    return 1 if genuine is False else 0


@command(
    "house import",
    argument("file", metavar="FILE"),
    argument("--shelf", choices=("own", "house"), default="own"),
    argument("--changed", action="store_true", help="also where it was changed since it was exported"),
)
def house_import(options: Options, out: Output) -> int:
    """Put the entry of a file on a shelf: a new one, or a revision of the one that the library has."""
    path = Path(options.file)
    entry, genuine = import_entry(path)
    if genuine is False and not options.changed:
        raise ExchangeError(
            "changed since export", subject=str(path), remedy="say --changed where that was you, or export it again"
        )
    with opened(options) as library:
        revision = put(library, checked(stored_entry(entry)), options.shelf, origin_note(path))
    document = {
        "id": entry.uid,
        "kind": entry.entry,
        "name": entry.name,
        "revision": revision.number,
        "state": revision.state,
    }
    out.show(document, [f"{entry.name}: revision {revision.number}, {revision.state}"])
    return 0


@command("house export", argument("id", metavar="ID", help="its id, or its name"), argument("file", metavar="FILE"))
def house_export(options: Options, out: Output) -> int:
    """Write an entry's file; of what ships, a copy to be changed."""
    with opened(options) as library:
        entry = entry_named(library, options.id)
    export_entry(entry, Path(options.file))
    out.show({"file": options.file, **_document(entry)}, [f"{entry.entry.name} → {options.file}"])
    return 0


def _standing(entry: ListedEntry) -> str:
    if entry.revision is None:
        return entry.shelf
    return f"{entry.shelf}, revision {entry.revision}, {'put aside' if entry.aside else entry.state}"


def _document(entry: ListedEntry) -> dict[str, Any]:
    return {
        "id": entry.ident,
        "kind": entry.entry.entry,
        "name": entry.entry.name,
        "shelf": entry.shelf,
        "revision": entry.revision,
        "state": entry.state,
        "used_by": list(entry.uses),
    }

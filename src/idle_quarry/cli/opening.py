"""What commands open: the library that is named, a revision in it, and what the house has of its own."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

from idle_quarry.cli.output import complain
from idle_quarry.errors import NotUnderstood
from idle_quarry.places import DEMO, is_server, library_place, person
from idle_quarry.signal.spoken import SeveralReadings
from idle_quarry.signal.words import format_from_words, pulled_reading

if TYPE_CHECKING:  # a library is read by few commands, and its parts take longer to load than most of them to run
    from idle_quarry.library import Library, StoredTemplate
    from idle_quarry.path.house_entries import HouseEntries
    from idle_quarry.signal.formats import SignalFormat

Options = argparse.Namespace


@contextmanager
def opened(options: Options) -> Iterator[Library]:
    """Yield the library that the options name."""
    library = _open(options)
    try:
        yield library
    finally:
        library.close()


def _open(options: Options) -> Library:
    from idle_quarry.library import open_library

    if is_server(options.library):
        from idle_quarry.library.server import open_server

        return open_server(options.library)
    place = library_place(options.library)
    if options.library == DEMO:
        from idle_quarry.demo.lay_out import lay_out
        from idle_quarry.printing import write_pdf

        lay_out(write_pdf, complain)
    return open_library(place, person(options.library, options.person))


def house_of(options: Options) -> HouseEntries:
    """Return what the house has of its own, where there is a library; nothing where there is none yet."""
    from idle_quarry.path.house_entries import NO_HOUSE

    if not is_server(options.library) and not library_place(options.library).is_file():
        return NO_HOUSE
    from idle_quarry.library import house_entries

    with opened(options) as library:
        return house_entries.house_of(library)


def stored_of(library: Library, name: str) -> StoredTemplate:
    """Return the revision that "NAME", "shelf/NAME" or "NAME@3" names."""
    base, at, number = name.rpartition("@")
    if at and number.isascii() and number.isdigit():
        return library.stored(library.find(base).id, int(number))
    return library.stored(library.find(name).id)


def stored_for_job(library: Library, name: str) -> StoredTemplate:
    """Return the revision a job starts from: the one named, else what is approved, else the newest."""
    stored = stored_of(library, name)
    if "@" in name and name.endswith(f"@{stored.revision.number}"):
        return stored
    return library.stored(stored.revision.template_id, library.find(name).for_jobs)


def named_format(text: str, options: Options) -> SignalFormat:
    """Return the format that words say, or that the house keeps by a name. Raises `NotUnderstood`."""
    try:
        return format_from_words(text)
    except SeveralReadings:
        from idle_quarry.cli.output import complain

        fmt = format_from_words(text, house_of(options).sixty)  # raises it again where the house says nothing either
        complain(pulled_reading(text, fmt))
        return fmt
    except NotUnderstood:
        from idle_quarry.path.entries import KeptFormat

        wanted = text.strip().lower()
        for entry in house_of(options).entries:
            if isinstance(entry, KeptFormat) and entry.name.lower() == wanted:
                return entry.signal
        raise

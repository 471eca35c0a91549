"""10 000 templates of 20 revisions: a keystroke in the search (aim 50 ms), opening one (aim 100 ms), what memory
grows by.

Beside it, in the same run, a bare SQLAlchemy query of the same rows; and the same window on 100 templates.
"""

from __future__ import annotations

import gc
import os
import random
import sqlite3
import sys
import tempfile
import uuid
from functools import partial
from pathlib import Path
from time import perf_counter

from common import demo_window, machine, milliseconds, timed

_NOUNS = ["harbour", "orchard", "ferry", "kiln", "weir", "meadow", "signal", "siding", "lantern", "sluice"]
_TYPED = ("lantern", "hlg weir", "59.94", "scope 12", "zzz")


def filled(place: Path, count: int, each: int) -> None:
    """Make a library of `count` templates with `each` revisions, past the program for speed but through its
    triggers.
    """
    from idle_quarry.demo.templates import house_shelf
    from idle_quarry.library import open_library
    from idle_quarry.library.records import RevisionFacts
    from idle_quarry.path.changes.edits import Edit, edited
    from idle_quarry.path.template import content_hash

    open_library(place, "Runa").close()
    bases, chance = [history[-1].template for history in house_shelf()], random.Random(5)
    with sqlite3.connect(place) as raw:
        (trigger,) = raw.execute("SELECT sql FROM sqlite_master WHERE name = 'revision_heads'").fetchone()
        insert = (
            "INSERT INTO revision (template_id, number, author, time, note, state, hash, body, summary, parent) VALUES"
            " (?,?,?,?,?,?,?,?,?,?)"
        )
        newest = []
        raw.execute("DROP TRIGGER revision_heads")
        for number in range(count):
            name = f"{chance.choice(_NOUNS)} {chance.choice(_NOUNS)} {number}"
            template = edited(bases[number % len(bases)], Edit("name", name))
            ident, body = str(uuid.UUID(int=chance.getrandbits(128))), template.model_dump_json()
            when = "2026-11-25T10:00:00+00:00"
            raw.execute(
                "INSERT INTO template VALUES (?,?,?,'house','',?,NULL,'template')", (ident, name, name.lower(), when)
            )
            row = ("Runa", when, "a note", "draft", content_hash(template), body, RevisionFacts.of(template).to_text())
            raw.executemany(insert, [(ident, n, *row, n - 1 or None) for n in range(1, each)])
            newest.append((ident, each, *row, each - 1 or None))
        raw.execute(trigger)
        raw.executemany(insert, newest)


def resident_mb() -> float:
    """Return the memory of this process that is in the machine, MB."""
    gc.collect()
    fields = Path("/proc/self/statm").read_text().split()
    return int(fields[1]) * os.sysconf("SC_PAGE_SIZE") / 1e6


def looked_at(place: Path) -> None:
    """Type, scroll and open in a library, and print what it took."""
    import sqlalchemy as sa

    from idle_quarry.app.desk import Desk
    from idle_quarry.app.preferences import Preferences
    from idle_quarry.app.shell.window import MainWindow
    from idle_quarry.app.views.library.view import LibraryView
    from idle_quarry.library import open_library
    from idle_quarry.library.schema import heads, revisions, templates

    before = resident_mb()
    desk = Desk(open_library(place, "Runa"), Preferences())
    begun = perf_counter()
    window = MainWindow(desk)
    window.show()
    library = window.view("Library")
    assert isinstance(library, LibraryView)
    library.list.viewport().repaint()
    shown = perf_counter() - begun

    def keystroke(text: str) -> None:
        library.search.setText(text)
        library.list.viewport().repaint()

    taken = []
    for typed in _TYPED:
        for length in range(1, len(typed) + 1):
            taken += timed(partial(keystroke, typed[:length]), 1)
        library.search.setText("")
    print(f"  the shelf shown {shown * 1000:.0f} ms; a keystroke with repaint: {milliseconds(taken)} (aim 50 ms)")
    engine = sa.create_engine(f"sqlite:///{place}")

    def bare(text: str) -> None:
        result = sa.select(
            templates, revisions.c.number, revisions.c.author, revisions.c.time, revisions.c.note, revisions.c.hash
        )
        result = result.select_from(
            templates.join(heads).join(
                revisions, (revisions.c.template_id == heads.c.template_id) & (revisions.c.number == heads.c.latest)
            )
        )
        for word in text.split():
            result = result.where(heads.c.text.contains(word))
        with engine.connect() as connection:
            connection.execute(result.order_by(templates.c.name_key)).all()

    plain = [t for typed in _TYPED for n in range(1, len(typed) + 1) for t in timed(partial(bare, typed[:n]), 1)]
    print(f"  a bare SQLAlchemy query of the same rows: {milliseconds(plain)}")
    ids, chance = desk.library.identities(), random.Random(3)
    opened = [t for ident in chance.sample(ids, min(30, len(ids))) for t in timed(partial(desk.open_stored, ident), 1)]
    print(f"  opening one: {milliseconds(opened)} (aim 100 ms)")
    window.show_view("Library")
    for row in range(0, library.model.rows.shown, max(1, library.model.rows.shown // 60)):
        library.list.scrollTo(library.model.rows.index(row))
        library.list.viewport().repaint()
    print(f"  memory grown by {resident_mb() - before:.0f} MB, {len(ids)} templates")
    window.close()
    desk.close()


def main(count: int = 10_000, each: int = 20) -> None:
    print(f"a large library ({machine()})")
    with (
        demo_window(),
        tempfile.TemporaryDirectory() as folder,
    ):  # the demo's own window first: what a start costs is paid
        for number in (100, count):
            place = Path(folder) / f"{number}.db"
            begun = perf_counter()
            filled(place, number, each)
            print(
                f" {number} templates of {each} revisions, {place.stat().st_size / 1e6:.0f} MB, made in"
                f" {perf_counter() - begun:.0f} s"
            )
            looked_at(place)


if __name__ == "__main__":
    main(*map(int, sys.argv[1:]))

"""10 000 templates: found and sorted by a setting (aim 100 ms).

A change in 500 looked at (aim 2 s) and saved (aim 10 s).
"""

from __future__ import annotations

import tempfile
from functools import partial
from pathlib import Path
from time import perf_counter

from common import machine, milliseconds, offscreen, timed
from library_scale import filled

FOUND = (
    "working.bit_depth = 8",
    "delivers 1080i25",
    "monitor is bay two",
    "sound.line_up_dbfs < -18",
    "name ~ lantern",
)


def main() -> None:
    """Print each beside a bare query of the same rows by SQLite, which reads each body."""
    offscreen()
    import sqlite3

    from PySide6.QtWidgets import QApplication

    from idle_quarry.app.models.library.many_columns import natural
    from idle_quarry.library import open_library
    from idle_quarry.library.bulk_changes import planned, saved
    from idle_quarry.library.setting_index import SettingIndex
    from idle_quarry.path.changes.conditions import condition

    QApplication([])
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder) / "library.db"
        filled(place, 10_000, 2)
        library = open_library(place, "Runa")
        columns = SettingIndex(library)
        begun = perf_counter()
        columns.follow()
        print(f"10 000 templates by setting ({machine()})")
        print(f"  read once, off the interface thread: {perf_counter() - begun:.1f} s; looked at again: ", end="")
        print(milliseconds(timed(columns.follow, 5)))
        with sqlite3.connect(place) as raw:
            query = (
                "SELECT count(*) FROM revision r JOIN head h ON h.template_id = r.template_id AND h.latest = r.number"
                " WHERE json_extract(r.body, '$.working.format.bit_depth') = 8"
            )
            bare = min(timed(lambda: raw.execute(query).fetchone(), 3))
        for text in FOUND:
            taken = timed(partial(columns.find, [condition(text)]), 5)
            print(
                f"  {text}: {milliseconds(taken)}, {bare / min(taken):.0f} times as fast as SQLite reading the bodies"
            )
        ids = columns.find([])
        taken = timed(lambda: sorted(ids, key=lambda each: natural(columns.texts(each, "name"))), 5)
        print(f"  sorted by name: first {taken[0] * 1000:.0f} ms, then {milliseconds(taken[1:])}")
        chosen = ids[:500]
        begun = perf_counter()
        changes = list(planned(library, [(each, 2) for each in chosen], "sound.line_up_dbfs", "-16"))
        looked = perf_counter() - begun
        begun = perf_counter()
        done, refused = saved(library, changes, "louder", lambda _count: True)
        print(
            f"  a change in {len(chosen)}: looked at in {looked:.1f} s (aim 2), {len(done)} saved in"
            f" {perf_counter() - begun:.1f} s (aim 10), {len(refused)} refused"
        )
        library.close()


if __name__ == "__main__":
    main()

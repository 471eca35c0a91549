"""A library checked, copied and put back: damage found and said, good revisions counted, nothing lost on the way."""

from __future__ import annotations

import sqlite3
import threading
from pathlib import Path

import pytest
from tests.conftest import demo_template

from idle_quarry.errors import LibraryError
from idle_quarry.library import Library, open_library
from idle_quarry.library.safety import backup, check, restore
from idle_quarry.path.changes.edits import Edit, edited

HD = demo_template("House HD 50i")


def filled(place: Path, count: int = 6) -> Library:
    library = open_library(place, "Runa")
    first = library.save_new(HD, "house", "first")
    for number in range(count - 1):
        library.save_revision(
            first.template_id, edited(HD, Edit("sound.line_up_dbfs", -10.0 - number / 10)), f"{number}"
        )
    return library


def test_a_whole_library_is_said_to_be(tmp_path: Path) -> None:
    filled(tmp_path / "library.db").close()
    result = check(tmp_path / "library.db")
    assert result.whole and (result.templates, result.revisions, result.sound) == (1, 6, 6)
    for wrong, says in (
        ("missing.db", "no such library"),
        ("text.db", "cannot be read"),
        ("other.db", "not a template"),
    ):
        if wrong == "text.db":
            (tmp_path / wrong).write_text("words " * 500)
        if wrong == "other.db":
            with sqlite3.connect(tmp_path / wrong) as other:
                other.execute("CREATE TABLE t (x)")
        with pytest.raises(LibraryError, match=says):
            check(tmp_path / wrong)


def test_a_changed_revision_is_named_and_the_others_are_sound(tmp_path: Path) -> None:
    place = tmp_path / "library.db"
    filled(place).close()
    with sqlite3.connect(place) as raw:
        for (name,) in raw.execute("SELECT name FROM sqlite_master WHERE type = 'trigger'").fetchall():
            raw.execute(f'DROP TRIGGER "{name}"')
        raw.execute('UPDATE revision SET body = replace(body, \'"note":"\', \'"note":"x\') WHERE number = 3')
        raw.execute("UPDATE revision SET body = substr(body, 1, 100) WHERE number = 5")
    result = check(place)
    assert not result.whole and result.sound == 4
    assert [(trouble.where, trouble.what.split(":")[0]) for trouble in result.troubles] == [
        ("House HD 50i, revision 3", "does not match its hash"),
        ("House HD 50i, revision 5", "cannot be read as a template"),
    ]
    with pytest.raises(LibraryError, match="damaged"):
        backup(place, tmp_path / "copy.db")
    assert not (tmp_path / "copy.db").exists() and not list(tmp_path.glob(".*part"))
    with pytest.raises(LibraryError, match="the copy is damaged"):
        restore(place, tmp_path / "new.db")
    assert not (tmp_path / "new.db").exists()


def test_torn_pages_are_found_and_what_can_be_read_is_counted(tmp_path: Path) -> None:
    place = tmp_path / "library.db"
    filled(place, 40).close()
    data = bytearray(place.read_bytes())
    page = int.from_bytes(data[16:18], "big")
    middle = len(data) // page // 2 * page
    data[middle : middle + page] = b"\xa5" * page
    place.write_bytes(data)
    result = check(place)
    assert (
        not result.whole and 0 < result.sound < 40 and any(trouble.where == "the file" for trouble in result.troubles)
    )


def test_a_copy_is_made_while_another_saves_and_holds_a_whole_moment(tmp_path: Path) -> None:
    library = filled(tmp_path / "library.db", 3)
    ident = library.summaries()[0].id
    stop = threading.Event()

    def saving() -> None:
        other = open_library(tmp_path / "library.db", "Odo")
        number = 0
        while not stop.is_set():
            number += 1
            other.save_revision(ident, edited(HD, Edit("sound.line_up_dbfs", -20.0 - number / 100)), "again")
        other.close()

    writer = threading.Thread(target=saving)
    writer.start()
    try:
        copies = [backup(tmp_path / "library.db", tmp_path / f"copy {n}.db") for n in range(3)]
    finally:
        stop.set()
        writer.join()
    assert all(copy.whole and copy.sound == copy.revisions >= 3 for copy in copies)
    assert copies[0].revisions <= copies[-1].revisions <= len(library.revisions(ident))
    with pytest.raises(LibraryError, match="there already"):
        backup(tmp_path / "library.db", tmp_path / "copy 0.db")
    with pytest.raises(LibraryError, match="cannot be written"):
        backup(tmp_path / "library.db", tmp_path / "nowhere" / "copy.db")
    library.close()


def test_a_copy_is_put_back_and_what_was_there_is_kept(tmp_path: Path) -> None:
    place = tmp_path / "library.db"
    library = filled(place, 4)
    ident = library.summaries()[0].id
    hashes = [revision.hash for revision in library.revisions(ident)]
    backup(place, tmp_path / "friday.db")
    library.save_revision(ident, edited(HD, Edit("sound.line_up_dbfs", -40.0)), "spoilt")
    library.close()
    with sqlite3.connect(place) as busy:
        busy.execute("BEGIN IMMEDIATE")
        with pytest.raises(LibraryError, match="another program"):
            restore(tmp_path / "friday.db", place)
        busy.rollback()
    result, kept = restore(tmp_path / "friday.db", place)
    assert result.revisions == 4 and kept == tmp_path / "library before restore.db"
    again = open_library(place, "Runa")
    assert [item.hash for item in again.revisions(ident)] == hashes
    again.save_revision(ident, edited(HD, Edit("sound.line_up_dbfs", -12.0)), "goes on")
    again.close()
    assert check(kept).revisions == 5 and check(place).revisions == 5
    _, second = restore(tmp_path / "friday.db", place)
    assert second == tmp_path / "library before restore 2.db"
    fresh, none = restore(tmp_path / "friday.db", tmp_path / "other.db")
    assert none is None and fresh.whole


def test_a_library_on_a_network_share_is_refused(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    lines = f"36 35 98:0 / / rw - ext4 /dev/sda1 rw\n40 36 0:44 / {tmp_path} rw - cifs //server/work rw\n"
    real = Path.read_text
    monkeypatch.setattr(
        Path, "read_text", lambda self, *a, **k: lines if str(self) == "/proc/self/mountinfo" else real(self, *a, **k)
    )
    with pytest.raises(LibraryError, match="network share"):
        open_library(tmp_path / "library.db", "Runa")
    assert not (tmp_path / "library.db").exists()

"""What lies on the disk: who may read it, what a full disk, a strange locale or an odd name does, how much there
may be.
"""

from __future__ import annotations

import os
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from types import SimpleNamespace

import pytest
from pydantic import ValidationError

from idle_quarry.errors import LibraryError, NotPossible
from idle_quarry.files import FileFacts, is_folder, is_there, written_whole
from idle_quarry.library import file_library, open_library
from idle_quarry.library.files.exchange import template_from_data
from idle_quarry.library.safety import backup, restore
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.places import data_folder, memory_folder
from idle_quarry.proof.work_place import judged
from tests.conftest import demo_template

HD = demo_template("House HD 50i")


@pytest.fixture
def own(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    for name in ("DATA", "STATE", "CONFIG", "CACHE"):
        monkeypatch.setenv(f"XDG_{name}_HOME", str(tmp_path / name))
    return tmp_path


@pytest.fixture(params=[0o077, 0o022, 0o002], ids=oct)
def umask(request: pytest.FixtureRequest) -> Iterator[int]:
    before = os.umask(request.param)
    yield request.param
    os.umask(before)


def mode(path: Path) -> int:
    return path.stat().st_mode & 0o777


def test_a_houses_templates_are_their_users_alone_and_exports_as_the_user_says(own: Path, umask: int) -> None:
    place = data_folder() / "library.db"
    library = open_library(place, "Runa")
    library.save_new(HD, "house", "")
    library.close()
    backup(place, own / "copy.db")
    restore(own / "copy.db", own / "again.db")
    written_whole(own / "export.json", b"{}")
    assert [mode(path) for path in (place, own / "copy.db", own / "again.db")] == [0o600] * 3
    assert mode(own / "export.json") == 0o666 & ~umask
    assert mode(data_folder()) == mode(memory_folder()) == 0o700
    data_folder().chmod(0o755)  # as an older version made it
    assert mode(data_folder()) == 0o700


def test_a_full_disk_leaves_no_stub_of_a_library(own: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def fails(*_given: object) -> None:
        raise LibraryError("the library is damaged", subject="x")

    monkeypatch.setattr(file_library, "migrated", fails)
    free = SimpleNamespace(free=10**12, total=10**12)
    monkeypatch.setattr("shutil.disk_usage", lambda _path: free)
    with pytest.raises(LibraryError, match="damaged"):
        open_library(own / "a.db", "Runa")
    free.free = 100
    with pytest.raises(LibraryError, match="the disk is full"):
        open_library(own / "b.db", "Runa")
    assert not list(own.glob("b.db*"))


def test_packaged_data_is_read_in_any_locale() -> None:
    plain = {**os.environ, "LC_ALL": "C", "PYTHONUTF8": "0", "PYTHONCOERCECLOCALE": "0", "PYTHONIOENCODING": "utf-8"}
    done = subprocess.run(
        [sys.executable, "-m", "idle_quarry", "plan", "2160p50 hlg", "1080i25"],
        env=plain,
        capture_output=True,
        text=True,
        check=False,
        encoding="utf-8",
    )
    assert done.returncode == 0 and "cd/m²" in done.stdout, done.stderr


def test_names_no_file_system_holds_are_no_folders(tmp_path: Path) -> None:
    for name in ("x" * 300, "a\0b", "/".join(["deep"] * 2000)):
        assert not is_folder(tmp_path / name) and not is_there(tmp_path / name)
        assert judged(tmp_path / name, None, 0.0)[0].severity == "stop"
    assert is_folder(tmp_path) and is_there(tmp_path)


def test_what_cannot_be_written_down_is_refused_or_left_out(tmp_path: Path) -> None:
    for name in ("a\0b", "half \ud800"):
        with pytest.raises(NotPossible, match=r"none that can be written|valid string"):
            edited(HD, Edit("name", name))
    library = open_library(tmp_path / "l.db", "Runa")
    ident = library.save_new(HD, "house", "note \udfff\0").template_id
    library.comment(ident, 1, "", "half \ud800 a sign")
    library.review(ident, 1, "propose", "\udc00")
    assert [remark.note for remark in library.remarks(ident)] == ["?", "half ? a sign"]
    assert library.revisions(ident)[0].note == "note ?"
    library.close()


@pytest.mark.parametrize(
    ("key", "most"), [("sources", 60), ("deliveries", 60), ("timelines", 40), ("places", 40), ("folders", 1000)]
)
def test_a_template_has_so_many_of_each_at_the_most(key: str, most: int) -> None:
    data = HD.model_dump(mode="json")
    one = data[key][0] if key != "folders" else {"id": "f", "name": "F", "children": []}
    many = [{**one, "id": f"n{number}"} for number in range(most)]
    assert len(getattr(template_from_data({**data, key: many}), key)) == most
    with pytest.raises((ValidationError, LibraryError), match=f"{most} {key} at the most, not {most + 1}"):
        template_from_data({**data, key: [*many, {**one, "id": "more"}]})


def test_folders_go_so_deep() -> None:
    folder: dict[str, object] = {"id": "f0", "name": "F", "children": []}
    for number in range(1, 21):
        folder = {"id": f"f{number}", "name": "F", "children": [folder]}
    with pytest.raises((ValidationError, LibraryError), match="20 levels of folders at the most"):
        template_from_data({**HD.model_dump(mode="json"), "folders": [folder]})


def test_a_file_is_asked_again_only_where_it_changed_even_behind_its_time(tmp_path: Path) -> None:
    asked: list[bytes] = []

    def facts(path: Path) -> bytes:
        asked.append(path.read_bytes())
        return asked[-1]

    def slow_facts(path: Path) -> bytes:
        time.sleep(0.15)
        return facts(path)

    known, path = FileFacts(facts, most=2), tmp_path / "line-up.mxf"
    path.write_bytes(b"first")
    slow = FileFacts(slow_facts)
    assert slow(path) == slow(path) == b"first" and len(asked) == 2, "what changed just before it was read may change"
    assert known(path) == known(path) == b"first" and len(asked) == 3
    moved = path.rename(tmp_path / "moved.mxf")  # which the system marks
    assert known(moved) == b"first"
    before = moved.stat()
    moved.write_bytes(b"other")
    os.utime(moved, ns=(before.st_atime_ns, before.st_mtime_ns))  # as large and as old as it was
    assert known(moved) == b"other"
    time.sleep(0.15)
    moved.unlink()
    with pytest.raises(OSError, match="No such file"):
        known(moved)

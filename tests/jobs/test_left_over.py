"""What a killed program left is found, named, and cleared or taken up; what is at work or a user's own never is."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import pytest
from tests.conftest import demo_template

from idle_quarry import recovery
from idle_quarry.errors import QuarryError
from idle_quarry.jobs.check import check_job
from idle_quarry.jobs.left_over import is_whole, left_over, take_up, words_of
from idle_quarry.library import open_library

#: Starts a job, makes a copy or moves a job in a process that is killed at a named moment.
KILLED = """
import os, sys
from pathlib import Path
from idle_quarry.library import open_library
what, folder = sys.argv[1], Path(sys.argv[2])
library = open_library(folder / "library.db", "Runa")
stored = library.stored(library.summaries()[0].id)
end = lambda *_: os.kill(os.getpid(), 9)
write_pdf = lambda html, path: path.write_text(html)
from idle_quarry.jobs.start import start_job
if what == "line-up":
    start_job(stored, "Evening", folder, write_pdf, "Runa", lambda _w, share: end() if share > 0.5 else None)
elif what == "papers":
    start_job(stored, "Evening", folder, end, "Runa")
elif what == "listing":
    start_job(stored, "Evening", folder, write_pdf, "Runa")
    end()
elif what == "copy":
    from idle_quarry.library import safety
    safety.check = end
    safety.backup(folder / "library.db", folder / "copy.db")
"""


@pytest.fixture
def place(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    (tmp_path / "work").mkdir()
    library = open_library(tmp_path / "work" / "library.db", "Runa")
    library.save_new(demo_template("The Lamp Room"), "own", "first")
    library.close()
    return tmp_path / "work"


def killed(what: str, place: Path) -> None:
    done = subprocess.run([sys.executable, "-c", KILLED, what, str(place)], capture_output=True, timeout=120)
    assert done.returncode == -9, done.stderr.decode()[-2000:]


@pytest.mark.parametrize(
    ("what", "said"), [("line-up", "starting"), ("papers", "starting"), ("copy", "writing copy.db")]
)
def test_a_part_is_found_and_cleared_and_nothing_else(what: str, said: str, place: Path) -> None:
    killed(what, place)
    library = open_library(place / "library.db", "Runa")
    before = {path for path in place.iterdir() if not path.name.endswith(".part")}
    (one,) = left_over(library)
    assert words_of(one).startswith(said) and one.bytes > 1000 and not is_whole(one)
    if one.part.is_dir():  # somebody put a file of theirs into it
        (one.part / "notes.txt").write_text("mine")
        with pytest.raises(QuarryError, match=r"notes\.txt"):
            recovery.clear(one)
        (one.part / "notes.txt").unlink()
    recovery.clear(one)
    assert set(place.iterdir()) == before and left_over(library) == []


def test_a_whole_job_is_taken_up_once(place: Path) -> None:
    killed("listing", place)
    library = open_library(place / "library.db", "Odo")
    (one,) = left_over(library)
    assert is_whole(one) and not library.jobs()
    record = take_up(library, one)
    assert record.author == "Runa" and [job.folder for job in library.jobs()] == [str(place / "Evening")]
    assert not check_job(place / "Evening").drift and left_over(library) == []


def test_what_is_being_made_now_is_not_left_over(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    with recovery.noted("paper", tmp_path / "book.pdf") as part:
        part.write_text("half")
        result = subprocess.run(
            [sys.executable, "-c", "from idle_quarry import recovery; print(len(recovery.left()))"],
            capture_output=True,
            text=True,
            check=True,
            timeout=60,
        )
        assert result.stdout.strip() == "0"
    assert recovery.left() == []
    forged = tmp_path / "data" / "idle-quarry" / "begun" / "0123.json"  # a note may name only what carries its ident
    text = {"kind": "paper", "part": str(part), "target": "x", "time": "", "dirs": [], "files": []}
    forged.write_text(json.dumps(text))
    assert recovery.left() == []

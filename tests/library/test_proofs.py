"""The proofs in their short form; `benchmarks/library_proofs.py` has them whole.

And disks that fill, pages that tear.
"""

from __future__ import annotations

import random
import subprocess
import sys
from pathlib import Path

import pytest
from tests.conftest import demo_template
from tests.library.proofs import ROOT, killed, stopped, written
from tests.library.test_at_hand import own_server as own_server
from tests.library.test_at_hand import room
from tests.library.worker import HD, varied
from tests.postgres import PrivateServer

from idle_quarry.library import open_library
from idle_quarry.library.copying import carried
from idle_quarry.library.reading import LibraryReader
from idle_quarry.library.rescue import rescued
from idle_quarry.library.safety import check
from idle_quarry.library.server import open_server
from idle_quarry.path.changes.edits import Edit, edited


def test_kills_leave_a_sound_library_with_every_acknowledged_save(tmp_path: Path) -> None:
    outcome = killed(4, tmp_path, seed=7)
    assert outcome.good, outcome
    assert outcome.kills == 4 and outcome.acknowledged > 0


def test_writers_at_once_are_all_heard(tmp_path: Path, server: PrivateServer, house: str) -> None:
    library = open_library(tmp_path / "library.db", "Runa")
    library.save_new(HD, "house", "")
    outcome = written(str(library.place), ["Runa", "Odo"], 20, tmp_path, library)
    assert outcome.good and outcome.acknowledged == 20, outcome
    library.close()
    there = open_server(server.url("Runa", house))
    there.save_new(HD, "house", "")
    outcome = written(server.url("PERSON", house), ["Runa", "Odo"], 20, tmp_path, there)
    assert outcome.good and outcome.acknowledged == 20, outcome
    there.close()


def test_a_server_that_stops_in_mid_save_loses_and_doubles_nothing(
    own_server: tuple[PrivateServer, str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    server, house = own_server
    here = room(server, house, "Runa", tmp_path, monkeypatch)
    outcome = stopped(3, server, house, here, random.Random(3))
    assert outcome.good and outcome.acknowledged > 20, outcome
    here.close()


_FILLS = """
import resource, signal, sys
from pathlib import Path
from idle_quarry.errors import QuarryError
from idle_quarry.library import open_library
from idle_quarry.library.files.bundles import export_bundle
from idle_quarry.library.safety import backup
from idle_quarry.library.files.tables import write_table
from tests.library.worker import HD, varied
place, folder = Path(sys.argv[1]), Path(sys.argv[2])
library = open_library(place, "Runa")
ident = library.summaries()[0].id
stored = [library.stored(ident)] * 40
signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
resource.setrlimit(resource.RLIMIT_FSIZE, (int(sys.argv[3]), int(sys.argv[3])))
saved = 0
for act in ("save", "backup", "bundle", "table"):
    try:
        if act == "save":
            for number in range(400):
                library.save_revision(ident, varied(number), "")
                saved += 1
        elif act == "backup":
            backup(place, folder / "copy.db")
        elif act == "bundle":
            export_bundle(stored, folder / "all.zip")
        else:
            write_table(stored, folder / "all.csv")
        print(act, "done")
    except QuarryError as error:
        print(act, "said:", " ".join(str(error).split()))
print("saved", saved)
"""


def test_a_full_disk_is_said_and_leaves_nothing_half(tmp_path: Path) -> None:
    place = tmp_path / "library.db"
    library = open_library(place, "Runa")
    ident = library.save_new(HD, "house", "").template_id
    for number in range(20):
        library.save_revision(ident, varied(number), "")
    library.close()
    folder = tmp_path / "out"
    folder.mkdir()
    limit = 8192  # no file may grow beyond: the library's log, the copies and the files all meet it
    done = subprocess.run(
        [sys.executable, "-c", _FILLS, str(place), str(folder), str(limit)],
        capture_output=True,
        text=True,
        check=False,
        cwd=ROOT,
        env={"PYTHONPATH": f"{ROOT / 'src'}:{ROOT}", "HOME": str(tmp_path), "PATH": "/usr/bin:/bin"},
    )
    words = dict(line.split(" ", 1) for line in done.stdout.splitlines())
    assert done.returncode == 0, done.stderr
    assert {act for act, text in words.items() if text.startswith("said:")} >= {"save", "backup", "table"}, words
    assert all(word in words["save"] for word in ("library.db",)), words
    assert list(folder.iterdir()) == [folder / "all.zip"] or not list(folder.iterdir())
    result = check(place)
    assert result.whole and result.revisions == 21 + int(words["saved"])


def test_good_revisions_are_rescued_from_torn_pages(tmp_path: Path) -> None:
    place = tmp_path / "library.db"
    library = open_library(place, "Runa")
    for name in ("House HD 50i", "The Lamp Room", "Narrow Gauge"):
        ident = library.save_new(demo_template(name), "house", name).template_id
        for number in range(12):
            library.save_revision(ident, edited(demo_template(name), Edit("note", f"{number}")), "")
    library.comment(ident, 3, "", "a word")
    before = {(summary.id, r.number): r.hash for summary in library.summaries() for r in library.revisions(summary.id)}
    library.close()
    data = bytearray(place.read_bytes())
    page = int.from_bytes(data[16:18], "big")
    chance = random.Random(4)
    for number in chance.sample(range(4, len(data) // page), 5):
        data[number * page : (number + 1) * page] = bytes(chance.randrange(256) for _ in range(page))
    torn = tmp_path / "torn.db"
    torn.write_bytes(data)
    result = check(torn)
    assert not result.whole
    done = rescued(torn, tmp_path / "rescued.db", "Runa")
    assert check(done.place).whole and done.revisions >= result.sound > 10
    again = open_library(done.place, "Runa")
    after = {(item.id, r.number): r.hash for item in again.summaries() for r in again.revisions(item.id)}
    assert after.items() <= before.items() and len(after) == done.revisions
    assert 1 <= done.lost <= len(before) - len(after)
    again.close()
    assert torn.read_bytes() == bytes(data)


def _everything(library: LibraryReader) -> list[object]:
    result: list[object] = [library.defaults()]
    for summary in library.summaries():
        result += [summary, library.revisions(summary.id), library.remarks(summary.id)]
        result += [library.stored(summary.id, r.number).template for r in library.revisions(summary.id)]
    return [*result, library.jobs()]


def test_a_library_moves_to_a_server_and_back_with_every_hash_and_date(
    tmp_path: Path, server: PrivateServer, house: str
) -> None:
    from idle_quarry.demo.lay_out import fill

    first = open_library(tmp_path / "first.db", "Runa")
    fill(first)
    first.record_job("Evening", tmp_path, first.stored(first.summaries()[0].id))
    keeper = _keeper(server, house)
    counts = carried(first, keeper)
    assert counts.revisions > 15 and counts.jobs == 1
    runa = open_server(server.url("Runa", house))
    assert _everything(runa) == _everything(first)
    back = open_library(tmp_path / "back.db", "Runa")
    assert carried(keeper, back) == counts
    assert _everything(back) == _everything(first) and check(back.place).whole
    from idle_quarry.errors import LibraryError

    with pytest.raises(LibraryError, match="there are templates in it already"):
        carried(first, back)
    empty = open_library(tmp_path / "empty.db", "Runa")
    with pytest.raises(LibraryError, match=r"does not allow|already"):
        carried(first, runa)  # an editor may not write in others' names
    for item in (first, back, runa, keeper, empty):
        item.close()


def _keeper(server: PrivateServer, house: str) -> LibraryReader:
    """Return the library as whoever owns its tables sees it."""
    from idle_quarry.library.server.setup import set_up

    set_up(server.url("keeper", house), {"keeper": "approver"})
    return open_server(server.url("keeper", house))

"""Records of a job changed by several processes at once: every change is kept, of every record."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

from idle_quarry.errors import JobError
from idle_quarry.jobs.handover.record import MADE_FILE, _files_made, note_made
from idle_quarry.jobs.material import JobClip, changed_material, read_material

_ROOM = """
import sys
from pathlib import Path
from idle_quarry.jobs.handover.record import note_made
from idle_quarry.jobs.material import JobClip, changed_material
folder, room = Path(sys.argv[1]), sys.argv[2]
for number in range(25):
    note_made(folder, f"{room} {number}", {"timeline": room})
    changed_material(folder, lambda before: [*before, JobClip(Path(f"/m/{room} {number}.mov"), "x")])
"""


def test_what_two_rooms_note_at_once_is_all_kept(tmp_path: Path) -> None:
    rooms = [subprocess.Popen([sys.executable, "-c", _ROOM, str(tmp_path), room]) for room in ("Odo", "Wren")]
    assert [room.wait(60) for room in rooms] == [0, 0]
    assert len(_files_made(tmp_path)) == 50 and len(read_material(tmp_path)) == 50


def test_a_damaged_record_is_put_aside_and_never_written_over(tmp_path: Path) -> None:
    (tmp_path / MADE_FILE).write_text("{ cut")
    note_made(tmp_path, "a", {"timeline": "Programme"})
    assert _files_made(tmp_path) == {"a": {"timeline": "Programme"}}
    assert [path.read_text() for path in tmp_path.glob("*damaged*")] == ["{ cut"]
    with pytest.raises(JobError, match="its records cannot be changed"):
        changed_material(tmp_path / "nowhere", lambda before: [*before, JobClip(Path("/m/a.mov"), "x")])

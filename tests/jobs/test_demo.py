"""The demo's finished work: its one fault is what it is said to be (its whole is made and held to the guide in
`benchmarks/demo.py`).
"""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import numpy as np
from tests.jobs.test_renders import decoded

from idle_quarry.demo import finish
from idle_quarry.jobs.material import BroughtInFile
from idle_quarry.media.coding.writing import ClipWriter
from idle_quarry.media.looking import look
from idle_quarry.path.registry import codecs
from idle_quarry.signal.words import format_from_words


def test_a_part_that_is_turned_has_its_fields_the_wrong_way_round(tmp_path: Path) -> None:
    assert not finish.is_finished()
    fmt, path = format_from_words("576i25 16:9 8 bit"), tmp_path / "part.mov"
    with ClipWriter(path, codecs()["v210"], fmt) as writer:
        for number in range(30):
            woven = np.full((576, 720), 60, np.uint16)
            for later in (0, 1):
                at = 12 * number + 6 * later
                woven[later::2, at : at + 90] = 200
            writer.write((woven, *(np.full((576, 360), 128, np.uint16) for _ in "uv")))
        writer.finish()
    before = decoded(path)
    first = look(path)
    finish.turned(BroughtInFile(path, "", "", "v210"), fmt)
    after = decoded(path)
    assert all(np.array_equal(np.roll(a[0], 1, axis=0), b[0]) for a, b in zip(before, after, strict=True))
    second = look(path)
    assert first.format is not None and second.format is not None
    assert (first.format.field_order, second.format.field_order) == ("top", "bottom")


def test_two_demos_that_are_begun_at_once_both_come_up(tmp_path: Path) -> None:
    environment = {**os.environ, **{f"XDG_{name}_HOME": str(tmp_path / name) for name in ("DATA", "STATE", "CONFIG")}}
    code = "from idle_quarry.demo.lay_out import lay_out; lay_out(None)"
    processes = [
        subprocess.Popen([sys.executable, "-c", code], env=environment, stderr=subprocess.PIPE) for _ in range(2)
    ]
    assert [process.communicate(timeout=120)[1][-400:] for process in processes] == [b"", b""]
    assert [process.returncode for process in processes] == [0, 0]

"""Loops are compiled once, known by the content of their module, and waited for where another process is at them."""

from __future__ import annotations

import fcntl
import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

import pytest

from idle_quarry.compiling import ahead

MODULE = """
from idle_quarry.compiling.loop import loop

@loop(error_model="numpy")
def added(a, b):
    return a + {}
"""
ASKED = (
    "import sys; sys.path.insert(0, sys.argv[1]); import summing; print(summing.added(1, 2),"
    " sum(summing.added.stats.cache_hits.values()))"
)


@pytest.fixture
def place(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv(ahead.PLACE, str(tmp_path / "loops"))
    return tmp_path / "loops"


def asked(folder: Path) -> str:
    """What the loop in a folder gives, and how often its code was there already."""
    return subprocess.run(
        [sys.executable, "-c", ASKED, str(folder)], check=True, capture_output=True, text=True
    ).stdout.strip()


def test_code_is_kept_across_places_and_versions_that_do_not_change_it(place: Path, tmp_path: Path) -> None:
    one, other = tmp_path / "one", tmp_path / "other"
    one.mkdir()
    (one / "summing.py").write_text(MODULE.format("b"))
    assert asked(one) == "3 0"
    shutil.copytree(one, other, ignore=shutil.ignore_patterns("__pycache__"))
    assert asked(other) == "3 1", "the same module elsewhere, another time"
    (other / "summing.py").write_text(MODULE.format("2 * b"))
    assert asked(other) == "5 0", "another module"
    assert asked(one) == "3 1", "whose code did not take the first one's place"
    assert len([path for path in place.iterdir() if path.is_dir()]) == 2


def test_what_another_process_compiles_is_waited_for(place: Path, tmp_path: Path) -> None:
    (tmp_path / "summing.py").write_text(MODULE.format("b"))
    assert not ahead.is_done() and not ahead.is_under_way()
    place.mkdir()
    with ahead._file("lock", "rest").open("wb") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        assert ahead.is_under_way()
        with ahead.compiling("rest") as mine:
            assert not mine, "two never compile the same"
        waiting = subprocess.Popen([sys.executable, "-c", ASKED, str(tmp_path)], stdout=subprocess.PIPE, text=True)
        time.sleep(2.5)  # it has been at the loop for a while then, on any machine that runs these tests
        assert waiting.poll() is None
    out, _ = waiting.communicate(timeout=60)
    assert out.strip() == "3 0", "it goes on by itself where nobody is at it any more"
    for part in ahead.PARTS:
        ahead.mark(part)
    assert ahead.is_done() and ahead.begin() == []


def test_whoever_closes_waits_for_nothing(place: Path) -> None:
    place.mkdir()
    with ahead._file("lock", "motion").open("wb") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        assert ahead.wait_a_little()
        with ahead.closing(), pytest.raises(ahead.ProgramClosing):
            ahead.wait_a_little()
        assert ahead.wait_a_little()
    assert not ahead.wait_a_little()
    assert os.environ[ahead.PLACE] == str(place)


def test_the_compilers_code_goes_out_of_memory_and_comes_back() -> None:
    code = """
from idle_quarry.compiling import ahead

def resident():
    lines, held, ours = open("/proc/self/smaps").read().splitlines(), 0, False
    for line in lines:
        if "-" in line.split(" ")[0]:
            ours = "libllvmlite" in line and " r-xp " in line
        elif ours and line.startswith("Rss:"):
            held += int(line.split()[1])
    return held

def compiled():
    from numba import njit
    return njit(lambda a: a * 2)(21)

compiled(); before = resident(); ahead.let_go_of_compiler(); after = resident()
print(before > 4 * after, compiled())
"""
    ended = subprocess.run([sys.executable, "-c", code], check=True, capture_output=True, text=True)
    assert ended.stdout.split() == ["True", "42"]

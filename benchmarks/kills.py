"""Processes killed at random moments of editing, rendering, bringing in and converting: nothing lost, nothing half taken for whole.

`kills.py [MOMENTS]`: as many moments of each as said, a thousand without it. `tests/jobs/test_sealing.py` kills a hand-over before each
of its changes to the disk in turn, which is more than moments by chance.
"""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from common import ROOT, machine

sys.path.insert(0, str(ROOT))

from tests.conftest import shortened
from tests.jobs.test_material import killed_while_bringing_in
from tests.jobs.test_renders import killed_while_rendering
from tests.jobs.test_trial import killed_while_editing

from idle_quarry import begun
from idle_quarry.media.inspecting import inspect

CONVERTING = """
import sys
from pathlib import Path
from idle_quarry.media.coding.converting import Wanted, convert
from idle_quarry.media.inspecting import inspect
from idle_quarry.path.policies import DEFAULT_POLICY
from idle_quarry.path.registry import codecs
from idle_quarry.signal.words import format_from_words
clip, wanted = inspect(Path(sys.argv[1])), Wanted(format_from_words("360x288p25"), codecs()["rdd36-proxy"], DEFAULT_POLICY)
print("begun", flush=True)
for number in range(1000):
    convert(clip, wanted, Path(sys.argv[2]) / f"{number}.mov")
"""


def killed_while_converting(folder: Path, moments: int, seed: int = 5) -> int:
    """Kill a process that converts one clip after the other; return how many files were not whole, and parts that nobody finds."""
    chance, wrong = random.Random(seed), 0
    tape = shortened("lamp tape 014.mpg", folder, 0.5)
    out = folder / "out"
    out.mkdir()
    frames = 0
    for _ in range(moments):
        process = subprocess.Popen(
            [sys.executable, "-c", CONVERTING, str(tape), str(out)], stdout=subprocess.PIPE, text=True
        )
        assert process.stdout is not None and process.stdout.readline() == "begun\n"
        time.sleep(chance.random() * 1.5)
        process.send_signal(signal.SIGKILL)
        process.communicate()
        left = begun.left()
        wrong += len(set(out.glob(".*")) - {one.part for one in left})
        for one in left:
            begun.clear(one)
        for path in out.iterdir():
            count = inspect(path).declared.frames or 0
            frames = frames or count
            wrong += count != frames
            path.unlink()
    return wrong


def main() -> int:
    moments = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    print(f"killed at {moments} moments of each; {machine()}", flush=True)
    failed = 0
    for what, kill in (
        ("editing", killed_while_editing),
        ("rendering", lambda folder, count: killed_while_rendering(folder, count)[0]),
        ("bringing in", lambda folder, count: killed_while_bringing_in(folder / "job", count)),
        ("converting", killed_while_converting),
    ):
        with tempfile.TemporaryDirectory() as name:
            os.environ["XDG_STATE_HOME"] = str(Path(name) / "state")
            start = time.monotonic()
            wrong = kill(Path(name), moments)
            failed += wrong
            print(f"  {what}: {wrong} wrong, in {time.monotonic() - start:.0f} s", flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())

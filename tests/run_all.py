"""Runs the checks and the tests beside each other: `./quarry test` calls it.

Arguments go to pytest: tests that are named run at once, on one processor, without the checks.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

from idle_quarry.places import memory_folder

ROOT = Path(__file__).resolve().parent.parent
BIN = Path(sys.executable).parent
CHECKS = (
    ("ruff", [str(BIN / "ruff"), "check", "."]),
    ("formatting", [str(BIN / "ruff"), "format", "--check", "."]),
    ("import contracts", [str(BIN / "lint-imports"), "--no-logo"]),
    ("dead code", [str(BIN / "vulture")]),
    ("types", [str(BIN / "mypy"), "--cache-dir", str(memory_folder() / "mypy")]),  # every clone's: it goes by content
)


#: A disk in memory, where a system has one, and how much of it must be free: tests write some gigabytes and wait for
#: none.
MEMORY_DISK, LEAST_FREE = Path("/dev/shm"), 6 * 1024**3


def _write_to_memory() -> None:
    """Have the tests keep their files in memory where there is room."""
    if "TMPDIR" not in os.environ and MEMORY_DISK.is_dir() and shutil.disk_usage(MEMORY_DISK).free > LEAST_FREE:
        os.environ["TMPDIR"] = str(MEMORY_DISK)


class Checks(threading.Thread):
    """The linters, types and contracts, one after the other beside the tests; their caches are kept from run to run."""

    def __init__(self) -> None:
        super().__init__(name="checks")
        self.failed: list[str] = []

    def run(self) -> None:
        for name, command in CHECKS:
            begun = time.monotonic()
            with tempfile.TemporaryFile("w+", encoding="utf-8") as output:
                status = subprocess.run(command, check=False, stdout=output, stderr=subprocess.STDOUT).returncode
                output.seek(0)
                text = output.read().strip()
            verdict = "failed" if status else "passed"
            words = f"-- {name}: {verdict} in {time.monotonic() - begun:.0f} s"
            print(f"{words}\n{text}" if status else words, flush=True)
            if status:
                self.failed.append(name)


def main(arguments: list[str]) -> int:
    """Run what is wanted; return 0 only where all of it passes."""
    os.chdir(ROOT)
    _write_to_memory()
    pytest = [sys.executable, "-m", "pytest", *arguments]
    if arguments:
        return subprocess.run(pytest, check=False).returncode
    checks = Checks()
    checks.start()
    workers = str(len(os.sched_getaffinity(0)))
    status = subprocess.run([*pytest, "-n", workers, "--dist", "worksteal"], check=False).returncode
    checks.join()
    if checks.failed:
        print("failed: " + ", ".join(checks.failed))
    return status or (1 if checks.failed else 0)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))

"""Set-up in a fresh clone with an empty home: the first answer of `plan`, against fetching and unpacking the pinned
wheels at all.

The aim is 1.3 ×. The baseline is an environment without pip, `uv` taken through pip, and `uv` installing the pinned
wheels: what any launcher has to do. Both in turns, from empty caches.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path
from time import perf_counter

from common import ROOT, machine, ratios

TURNS = 3


def emptied(folder: str) -> dict[str, str]:
    """Return an environment whose home is an empty folder."""
    kept = {name: value for name, value in os.environ.items() if not name.startswith(("XDG_", "PYTHONPATH", "UV_"))}
    kept.pop("PYTHONDONTWRITEBYTECODE", None)
    return {**kept, "HOME": folder}


def fetched() -> float:
    """Return the seconds in which the pinned wheels are fetched and unpacked."""
    with tempfile.TemporaryDirectory() as folder:
        begun, venv = perf_counter(), Path(folder) / "venv"
        pinned = ["--require-hashes", "--no-deps", "-r"]
        for command in (
            ["python3", "-m", "venv", "--without-pip", str(venv)],
            [
                "python3",
                "-m",
                "pip",
                "install",
                "-qq",
                "--target",
                str(venv / "tools"),
                *pinned,
                str(ROOT / "requirements/tools.txt"),
            ],
            [
                str(venv / "tools/bin/uv"),
                "pip",
                "install",
                "-q",
                "--python",
                str(venv / "bin/python"),
                *pinned,
                str(ROOT / "requirements/run.txt"),
            ],
        ):
            subprocess.run(command, check=True, env={**emptied(folder), "UV_CACHE_DIR": f"{folder}/cache"})
        return perf_counter() - begun


def answered() -> float:
    """Return the seconds until `plan` answers in a fresh clone."""
    with tempfile.TemporaryDirectory() as folder:
        clone = Path(folder) / "clone"
        subprocess.run(["git", "clone", "-q", str(ROOT), str(clone)], check=True)
        begun = perf_counter()
        command = [str(clone / "quarry"), "plan", "1080i25", "1080p25"]
        subprocess.run(command, check=True, env=emptied(folder), stdout=subprocess.DEVNULL)
        seconds = perf_counter() - begun
        size = sum(path.lstat().st_size for path in (clone / ".venv").rglob("*") if not path.is_dir())
        print(f"  answered in {seconds:.1f} s, {size / 1e6:.0f} MB installed", file=sys.stderr)
        return seconds


def main() -> None:
    turns = [(answered(), fetched()) for _ in range(TURNS)]
    ours, bare = [a for a, _b in turns], [b for _a, b in turns]
    print(f"set-up ({machine()}): wheels fetched and unpacked {statistics.median(bare):.1f} s, ", end="")
    print(f"first answer {statistics.median(ours):.1f} s: {ratios(ours, bare)} (aim 1.3)")


if __name__ == "__main__":
    main()

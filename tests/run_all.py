"""Runs every check of the project: `./quarry test` calls it; further arguments go to pytest."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
BIN = Path(sys.executable).parent


def main(arguments: list[str]) -> int:
    """Run linters, types, contracts and tests; return 0 only where all pass."""
    os.chdir(ROOT)
    failed = []
    for name, command in (
        ("ruff", [str(BIN / "ruff"), "check", "."]),
        ("formatting", [str(BIN / "ruff"), "format", "--check", "."]),
        ("mypy", [str(BIN / "mypy")]),
        ("dead code", [str(BIN / "vulture")]),
        ("import contracts", [str(BIN / "lint-imports"), "--no-logo"]),
    ):
        print(f"-- {name}", flush=True)
        if subprocess.run(command, check=False).returncode:
            failed.append(name)
    print("-- tests", flush=True)
    if failed:
        print("failed before the tests: " + ", ".join(failed), flush=True)
    tests = _with_screen([sys.executable, "-m", "pytest", *arguments])
    if failed:
        print("failed: " + ", ".join(failed))
    return tests or (1 if failed else 0)


def _with_screen(command: list[str]) -> int:
    """Run a command on a virtual screen of its own."""
    environment = dict(os.environ)
    if shutil.which("Xvfb") is None:
        print("Xvfb is not installed: the window is drawn off screen")
        environment["QT_QPA_PLATFORM"] = "offscreen"
        return subprocess.run(command, env=environment, check=False).returncode
    read, write = os.pipe()
    with tempfile.TemporaryFile() as log:
        screen = subprocess.Popen(
            ["Xvfb", "-displayfd", str(write), "-screen", "0", "1600x1000x24", "-nolisten", "tcp"],
            pass_fds=[write],
            stderr=log,
        )
        os.close(write)
        try:
            display = os.read(read, 16).decode().strip()
            environment |= {"DISPLAY": f":{display}", "QT_QPA_PLATFORM": "xcb"}
            return subprocess.run(command, env=environment, check=False).returncode
        finally:
            screen.terminate()
            screen.wait()
            os.close(read)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))

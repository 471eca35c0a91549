"""Runs every benchmark, one after the other: `.venv/bin/python benchmarks/run_all.py`."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

HERE = Path(__file__).resolve().parent

if __name__ == "__main__":
    environment = {**os.environ, "PYTHONPATH": f"{HERE.parent / 'src'}:{HERE}"}
    environment.pop("PYTHONDONTWRITEBYTECODE", None)
    for script in sorted(HERE.glob("*.py")):
        if script.name not in ("common.py", "run_all.py"):
            subprocess.run([sys.executable, str(script)], check=False, env=environment)

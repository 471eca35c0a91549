"""Runs every benchmark, or those that are named, one after the other: `./quarry bench [NAME ...]`."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

HERE = Path(__file__).resolve().parent

if __name__ == "__main__":
    environment = {**os.environ, "PYTHONPATH": f"{HERE.parent / 'src'}:{HERE}:{HERE.parent}"}
    environment.pop("PYTHONDONTWRITEBYTECODE", None)
    for script in sorted(HERE.glob("*.py")):
        named = not sys.argv[1:] or script.stem in sys.argv[1:]
        if script.name not in ("common.py", "run_all.py") and named:
            subprocess.run([sys.executable, str(script)], check=False, env=environment)

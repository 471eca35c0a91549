"""Processor time of short commands, against importing what each needs (aim 2 ×), in turns."""

from __future__ import annotations

import os
import resource
import statistics
import subprocess
import sys
import tempfile

from common import ROOT, machine, ratios

TURNS = 9
PLAN = "import pydantic"
MODELS = "from pydantic import BaseModel\nclass A(BaseModel):\n    a: int\n"
LIBRARY = f"{MODELS}import sqlalchemy, sqlalchemy.dialects.sqlite"
TIMELINES = f"{MODELS}import opentimelineio, numpy, av"
COMMANDS = (
    (["plan", "1080i25", "1080p25"], PLAN),
    (["codecs", "--format", "1080i25"], LIBRARY),
    (["template", "list"], LIBRARY),
    (["template", "find", "working.bit_depth=10"], LIBRARY),
    (["template", "show", "House HD 50i"], LIBRARY),
    (["explain", "House HD 50i"], LIBRARY),
    (["job", "check", "{job}"], TIMELINES),
)


def main() -> None:
    with tempfile.TemporaryDirectory() as home:
        names = ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME")
        environment = {
            **os.environ,
            "PYTHONPATH": str(ROOT / "src"),
            "QT_QPA_PLATFORM": "offscreen",
            **dict.fromkeys(names, home),
        }
        environment.pop("PYTHONDONTWRITEBYTECODE", None)

        def seconds(*command: str) -> float:
            before = resource.getrusage(resource.RUSAGE_CHILDREN)
            subprocess.run(
                [sys.executable, *command],
                env=environment,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                check=False,
            )
            after = resource.getrusage(resource.RUSAGE_CHILDREN)
            return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime

        program = ("-m", "idle_quarry", "--library", "demo")
        seconds(*program, "template", "list")  # lays the demo out
        job = f"{home}/idle-quarry/demo/jobs/Open evening"
        print(f"processor time of commands ({machine()}):")
        for words, needed in COMMANDS:
            command = [word.format(job=job) for word in words]
            seconds(*program, *command)
            turns = [(seconds(*program, *command), seconds("-c", needed)) for _ in range(TURNS)]
            ours, bare = [a for a, _b in turns], [b for _a, b in turns]
            print(
                f"  {' '.join(words[:2]):<14} {statistics.median(ours) * 1000:5.0f} ms, "
                f"its imports {statistics.median(bare) * 1000:4.0f} ms: {ratios(ours, bare)}"
            )


if __name__ == "__main__":
    main()

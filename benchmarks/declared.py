"""Declared properties of 100 clips in one process, against starting ffprobe 100 times (aim: 5 × faster)."""

from __future__ import annotations

import shutil
import subprocess
import tempfile
from pathlib import Path

from common import machine, timed

from idle_quarry.demo import make_clips
from idle_quarry.media.inspecting import inspect


def main() -> None:
    if shutil.which("ffprobe") is None:
        print("declared properties: ffprobe is not installed, nothing to measure against")
        return
    clips = [p for p in sorted((Path(make_clips.__file__).parent / "clips").iterdir()) if p.is_file()]
    with tempfile.TemporaryDirectory() as folder:
        copies = [Path(folder) / f"{i:03d} {clips[i % len(clips)].name}" for i in range(100)]
        for i, copy in enumerate(copies):
            shutil.copyfile(clips[i % len(clips)], copy)

        def ffprobe() -> None:
            for copy in copies:
                command = ["ffprobe", "-v", "error", "-show_streams", "-show_format", "-of", "json", str(copy)]
                subprocess.run(command, check=True, capture_output=True)

        def ours() -> None:
            for copy in copies:
                inspect(copy)

        ours()
        theirs_s, ours_s = min(timed(ffprobe, 3)), min(timed(ours, 3))
    print(
        f"declared properties of 100 clips ({machine()}): ffprobe 100 times {theirs_s:.2f} s, here {ours_s:.2f} s:"
        f" {theirs_s / ours_s:.1f} × faster (aim 5)"
    )


if __name__ == "__main__":
    main()

"""What measuring costs: long clips against a full pass of FFmpeg's idet, many clips on one and two workers, memory.

Clips are written by Debian's FFmpeg into a temporary folder: 1080i25 MPEG-2 4:2:2 of 15, 60 and 240 s.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path
from time import perf_counter

from common import machine
from fields_against_idet import idet

from idle_quarry.demo import make_clips

CLIPS = Path(make_clips.__file__).parent / "clips"


def written(folder: Path, seconds: int) -> Path:
    """Return a 1080i25 clip of `seconds`: one of 15 s, joined to itself."""
    path = folder / f"{seconds}.mxf"
    if seconds > 15:
        part = written(folder, 15)
        listing = folder / "list.txt"
        listing.write_text(f"file '{part}'\n" * (seconds // 15))
        command = ["-f", "concat", "-safe", "0", "-i", str(listing), "-c", "copy", str(path)]
    elif path.exists():
        return path
    else:
        source = "testsrc2=s=1920x1080:r=50,scroll=horizontal=0.002"
        command = ["-f", "lavfi", "-i", source, "-t", str(seconds), "-vf", "tinterlace=interleave_top,setfield=tff"]
        command += ["-c:v", "mpeg2video", "-pix_fmt", "yuv422p", "-b:v", "50M", "-g", "12", "-flags", "+ildct+ilme"]
        command += ["-top", "1", str(path)]
    subprocess.run(["ffmpeg", "-v", "error", "-y", *command], check=True)
    return path


def forget() -> None:
    """Forget every clip, so that the next look measures."""
    shutil.rmtree(Path(os.environ["XDG_STATE_HOME"]), ignore_errors=True)


def long_clips(folder: Path) -> None:
    from idle_quarry.media.looking import look

    for seconds in (15, 60, 240):
        path = written(folder, seconds)
        forget()
        began = perf_counter()
        clip = look(path)
        ours = perf_counter() - began
        assert clip.measured is not None and clip.measured.fields is not None
        text = f"{clip.measured.fields.scan} from {clip.measured.frames_examined} frames"
        if seconds <= 60:
            began = perf_counter()
            verdict = idet(path)
            theirs = perf_counter() - began
            print(
                f"  {seconds:>4} s of 1080i25: {ours:.2f} s ({text}); idet over all of it {theirs:.2f} s ({verdict}):"
                f" {theirs / ours:.1f}× faster"
            )
        else:
            print(f"  {seconds:>4} s of 1080i25: {ours:.2f} s ({text})")


def many_clips(folder: Path) -> None:
    from idle_quarry.media.looking import look_at_all

    small = [
        CLIPS / name
        for name in ("lamp tape 014.mpg", "stone commentary.mov", "stone old reel.mpg", "train 07 recut.mpg")
    ]
    paths = []
    for n in range(200):  # the same pictures, but other contents, so that none is remembered
        path = folder / f"clip {n}{small[n % 4].suffix}"
        path.write_bytes(small[n % 4].read_bytes() + f"{n:08d}".encode())
        paths.append(path)
    taken = {}
    for workers in (1, 2):
        forget()
        began = perf_counter()
        count = sum(1 for _ in look_at_all(paths, workers=workers))
        taken[workers] = perf_counter() - began
        print(f"  {count} clips of 2 s on {workers} worker{'s' if workers > 1 else ''}: {taken[workers]:.1f} s")
    print(f"  two workers are {taken[1] / taken[2]:.2f}× as fast as one")
    began = perf_counter()
    count = sum(1 for _ in look_at_all(paths))
    print(f"  a second look at {count} clips: {perf_counter() - began:.2f} s (aim 0.5 s)")


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        os.environ["XDG_STATE_HOME"] = str(folder / "memory")
        print(f"measuring clips ({machine()})")
        long_clips(folder)
        many_clips(folder)
        code = (
            "import sys, resource\nfrom pathlib import Path\nfrom idle_quarry.media.looking import look\n"
            "for path in sys.argv[1:]: look(Path(path))\n"
            "print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss)"
        )
        forget()
        command = [sys.executable, "-c", code, str(CLIPS / "gauge A004.mp4"), str(folder / "60.mxf")]
        done = subprocess.run(command, capture_output=True, text=True, check=True)
        print(f"  peak memory of measuring UHD and 60 s of HD: {int(done.stdout) / 1024:.0f} MB (aim 600 MB)")


if __name__ == "__main__":
    main()

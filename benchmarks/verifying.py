"""A whole file verified against merely decoding it: time in the same run, memory at the most, and a second look.

`PYTHONPATH=src:. .venv/bin/python benchmarks/verifying.py [SECONDS]`
"""

from __future__ import annotations

import os
import resource
import subprocess
import sys
import tempfile
from pathlib import Path
from time import perf_counter

from common import machine
from tests.conftest import demo_template

from idle_quarry.jobs.handover.verify import verify

#: What is verified: name, FFmpeg's picture filters and encoder, the delivery's template and id.
CASES = (
    (
        "1080i25 AVC-Intra 100",
        "testsrc2=s=1920x1080:r=50:d={},interlace=scan=tff:lowpass=off,format=yuv422p10le",
        [
            "-c:v",
            "libx264",
            "-preset",
            "ultrafast",
            "-x264-params",
            "avcintra-class=100:tff=1",
            "-flags",
            "+ildct+ilme",
        ],
        ".mxf",
        "hd-50",
    ),
    (
        "576i25 MPEG-2 50 Mb/s",
        "testsrc2=s=720x576:r=50:d={},interlace=scan=tff:lowpass=off,format=yuv422p",
        ["-c:v", "mpeg2video", "-b:v", "50M", "-g", "1", "-flags", "+ildct+ilme"],
        ".mxf",
        "sd-50",
    ),
)


def main() -> int:
    seconds = int(sys.argv[1]) if len(sys.argv) > 1 else 30
    template = demo_template("The Lamp Room")
    print(f"{seconds} s of pictures and stereo; {machine()}")
    print(f"{'':26}{'FFmpeg decodes':>16}{'verified':>12}{'share of its speed':>20}{'real time':>11}{'again':>9}")
    slow = 0
    with tempfile.TemporaryDirectory() as place:
        os.environ["XDG_STATE_HOME"] = place
        for name, filters, options, suffix, ident in CASES:
            path = Path(place) / f"x{suffix}"
            source = [
                "-f",
                "lavfi",
                "-i",
                filters.format(seconds),
                "-f",
                "lavfi",
                "-i",
                f"anoisesrc=d={seconds}:a=0.06:r=48000",
            ]
            subprocess.run(
                [
                    "ffmpeg",
                    "-v",
                    "error",
                    "-y",
                    *source,
                    "-t",
                    str(seconds),
                    *options,
                    "-ac",
                    "2",
                    "-c:a",
                    "pcm_s24le",
                    "-timecode",
                    "10:00:00:00",
                    str(path),
                ],
                check=True,
            )
            delivery = next(item for item in template.deliveries if item.id == ident)
            verify(path.rename(path.with_name(f"warm{suffix}")), template, delivery, 1)  # loops are loaded once
            path = path.with_name(f"warm{suffix}").rename(path.with_name(f"again{suffix}"))
            os.utime(path)
            decoded = []
            for _ in range(2):
                begun = perf_counter()
                subprocess.run(["ffmpeg", "-v", "error", "-i", str(path), "-f", "null", "-"], check=True)
                decoded.append(perf_counter() - begun)
            begun = perf_counter()
            verify(path, template, delivery, 1)
            taken = perf_counter() - begun
            begun = perf_counter()
            verify(path, template, delivery, 1)
            again = perf_counter() - begun
            share = min(decoded) / taken
            slow += share < 0.5
            print(
                f"{name:26}{min(decoded):14.1f} s{taken:10.1f} s{share:20.2f}{seconds / taken:9.1f}"
                f" ×{1000 * again:6.0f} ms"
            )
    print(
        f"memory at the most: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e3:.0f} MB; aim 800 MB, and half"
        " of FFmpeg's speed"
    )
    return 1 if slow else 0


if __name__ == "__main__":
    sys.exit(main())

"""How time and memory of a link's conversion grow with the raster, from 576 to 4320 lines, each in a process of its
own.
"""

from __future__ import annotations

import resource
import subprocess
import sys
from dataclasses import replace
from time import perf_counter

import numpy as np
from common import machine

from idle_quarry.path.policies import Policy
from idle_quarry.picture.link import Conversion
from idle_quarry.signal import Raster, format_from_words

LINES = (576, 720, 1080, 2160, 4320)
#: What the issue of proof allows a conversion of 2160 lines.
MOST_MB = 1500


def one(lines: int) -> None:
    """Convert five pictures of HLG at so many lines to half of it in SDR, streamed.

    Print seconds a picture and peak MB.
    """
    source = replace(format_from_words("2160p50 hlg"), raster=Raster(lines * 16 // 9 // 2 * 2, lines))
    target = replace(format_from_words("1080p50"), raster=Raster(lines * 8 // 9 // 2 * 2, lines // 2))
    rng = np.random.default_rng(1)
    height, width = source.raster.height, source.raster.width

    def frame(_index: int) -> tuple[np.ndarray, ...]:
        chroma = [rng.random((height, width // 2), np.float32) - np.float32(0.5) for _ in range(2)]
        return rng.random((height, width), np.float32), *chroma

    conversion = Conversion(source, target, Policy())
    conversion.codes(0, frame)
    start = perf_counter()
    for index in range(1, 5):
        conversion.codes(index, frame)
    seconds = (perf_counter() - start) / 4
    print(seconds, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000)


def main() -> int:
    """Print the growth; exit 1 where 2160 lines take more than is allowed."""
    if len(sys.argv) > 1:
        one(int(sys.argv[1]))
        return 0
    print(f"HLG to SDR at half the size, pictures made up and converted one by one; {machine()}")
    result: dict[int, tuple[float, float]] = {}
    for lines in LINES:
        done = subprocess.run([sys.executable, __file__, str(lines)], capture_output=True, text=True, check=True)
        seconds, memory = (float(value) for value in done.stdout.split())
        result[lines] = seconds, memory
        pixels = (lines / LINES[0]) ** 2
        print(
            f"{lines:5} lines: {1000 * seconds:7.0f} ms a picture, {memory:6.0f} MB at most; pixels × {pixels:5.1f}, "
            f"time × {seconds / result[LINES[0]][0]:5.1f}, memory × {memory / result[LINES[0]][1]:4.1f}"
        )
    return 1 if result[2160][1] > MOST_MB else 0


if __name__ == "__main__":
    sys.exit(main())

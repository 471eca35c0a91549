"""Whole links against FFmpeg's own chain for the same work, codes in to codes out: time a frame, ratio, and PSNR to
float64.

Both run in this process on the same frames; FFmpeg's filters use as many threads as they like. The float64 reference is
the same conversion by plain NumPy and SciPy (`tests/reference_link.py`); FFmpeg's chain has other filters, and is told
beside it.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from time import perf_counter
from typing import Any

import numpy as np
from common import machine

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from tests.reference_link import reference_frame

from idle_quarry.media.coding.encode import Pixels
from idle_quarry.path.policies import DEFAULT_POLICY, Policy
from idle_quarry.picture.link import Conversion
from idle_quarry.picture.metrics import psnr_db
from idle_quarry.picture.patterns.charts import chart_frame
from idle_quarry.picture.planes import Planes, codes_of_planes, planes_of_codes
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.words import format_from_words

FRAMES, ROUNDS = 8, 12
#: Frames that come out of FFmpeg's two runs.
_COUNTS = (10, 70)


@dataclass(frozen=True)
class Row:
    """One link: formats in words, what of the policy is other than usual, FFmpeg's chain, and how far it may take."""

    name: str
    source: str
    target: str
    chain: str
    most_ms: float
    policy: dict[str, Any] = field(default_factory=dict)
    most_ratio: float | None = None


_WIDE = "scale=1440:1080:flags=lanczos:in_color_matrix=bt601:out_color_matrix=bt709,pad=1920:1080:240:0"
ROWS = (
    Row(
        "576i25 to 1080i25, adaptive",
        "576i25 4:3 8bit 4:2:0",
        "1080i25",
        f"bwdif=send_field,{_WIDE},format=yuv422p10le,tinterlace=interleave_top:flags=vlpf",
        40,
        most_ratio=2,
    ),
    Row(
        "576i25 to 1080i25, compensated",
        "576i25 4:3 8bit 4:2:0",
        "1080i25",
        f"bwdif=send_field,{_WIDE},format=yuv422p10le,tinterlace=interleave_top:flags=vlpf",
        160,
        {"scan": "compensated"},
    ),
    Row(
        "2160p50 HLG to 1080i25 SDR",
        "2160p50 hlg",
        "1080i25",
        "scale=1920:1080:flags=lanczos,tinterlace=interleave_top:flags=vlpf",
        110,
        most_ratio=3,
    ),
    Row("1080p50 to 1080i25", "1080p50", "1080i25", "tinterlace=interleave_top:flags=vlpf", 20),
    Row("1080i25 to 1080p25", "1080i25", "1080p25", "bwdif=send_frame", 20),
    Row(
        "1080i25 to 1080p50, compensated",
        "1080i25",
        "1080p50",
        "bwdif=send_field",
        0,
        {"scan": "compensated"},
        most_ratio=8,
    ),
    Row("2160p50 to 1080p50", "2160p50", "1080p50", "scale=1920:1080:flags=lanczos", 25),
    Row(
        "1080p25 to 8 bits 4:2:0, dithered",
        "1080p25",
        "1080p25 8bit 4:2:0",
        "scale=flags=bicubic:sws_dither=bayer,format=yuv420p",
        10,
        {"rounding": "dither"},
    ),
    Row(
        "25p to 59.94p, compensated, 1080",
        "1080p25",
        "1080p59.94",
        "minterpolate=fps=60000/1001:mi_mode=mci:mc_mode=aobmc:me_mode=bidir",
        0,
        {"retime": "compensated"},
    ),
)

_PIXELS = {(8, "4:2:0"): "yuv420p", (10, "4:2:2"): "yuv422p10le", (8, "4:2:2"): "yuv422p", (10, "4:2:0"): "yuv420p10le"}


def pixels(fmt: SignalFormat) -> Pixels:
    return Pixels(_PIXELS[fmt.encoding.bit_depth, fmt.encoding.sampling], fmt)


def chained(row: Row, source: SignalFormat, frames: list[Planes]) -> float:
    """Return the milliseconds that FFmpeg's chain takes for each frame it is given: of many frames less of few,
    without writing.
    """
    kind = np.uint8 if source.encoding.bit_depth == 8 else np.dtype("<u2")
    with tempfile.NamedTemporaryFile(suffix=".yuv") as raw:
        for frame in frames:
            for plane in frame:
                raw.write(np.ascontiguousarray(plane.astype(kind)).data)
        raw.flush()
        fields = "setfield=tff," if source.scan == "interlaced" else ""

        def run(count: int) -> float:
            command = [
                "ffmpeg",
                "-v",
                "error",
                "-nostdin",
                "-f",
                "rawvideo",
                "-pix_fmt",
                pixels(source).name,
                "-s",
                f"{source.raster.width}x{source.raster.height}",
                "-r",
                str(source.rate),
                "-stream_loop",
                "-1",
                "-i",
                raw.name,
                "-vf",
                fields + row.chain,
                "-frames:v",
                str(count),
                "-f",
                "null",
                "-",
            ]
            start = perf_counter()
            subprocess.run(command, check=True)
            return perf_counter() - start

        few, many = _COUNTS
        run(few)
        return 1000 * statistics.median((run(many) - run(few)) / (many - few) for _ in range(3))


def timed_frames(conversion: Conversion, frame: Callable[[int], Planes]) -> float:
    """Return the milliseconds that a frame takes, the median of some that follow one another."""
    conversion.codes(1, frame)
    taken = []
    for n in range(ROUNDS):
        start = perf_counter()
        conversion.codes(2 + n, frame)
        taken.append(perf_counter() - start)
    return 1000 * statistics.median(taken)


def by_itself(row: Row) -> None:
    """Convert a row's frames in this process, and print what a frame takes, ms, and the most memory it took for
    that, MB.
    """
    source, target = format_from_words(row.source), format_from_words(row.target)
    frames = [chart_frame("wedge", source, n) for n in range(2)]
    Path("/proc/self/clear_refs").write_text("5")  # what the frames took to be drawn is none of the link's
    took = timed_frames(
        Conversion(source, target, DEFAULT_POLICY.with_parts(**row.policy)), lambda index: frames[index % 2]
    )
    print(f"{took:.1f} {_peak():.0f}")


def _peak() -> float:
    """Return the most memory that this process held, MB; the kernel's other count is inherited from who started it."""
    status = Path("/proc/self/status").read_text()
    return int(status.split("VmHWM:")[1].split()[0]) / 1024


def on_cores(row: Row, cores: int) -> tuple[float, float]:
    """Return milliseconds a frame and megabytes of a row that is converted by itself on so many cores."""
    some = sorted(os.sched_getaffinity(0))[:cores]
    result = subprocess.run(
        [sys.executable, __file__, "--by-itself", row.name],
        check=True,
        capture_output=True,
        text=True,
        preexec_fn=lambda: os.sched_setaffinity(0, some),
    )
    took, memory = map(float, result.stdout.split())
    return took, memory


def measured(row: Row) -> tuple[float, float, float]:
    """Return milliseconds a frame of ours and of FFmpeg, and the PSNR of ours to float64, dB of luma."""
    source, target = format_from_words(row.source), format_from_words(row.target)
    policy: Policy = DEFAULT_POLICY.with_parts(**row.policy)
    codes = [codes_of_planes(chart_frame("wedge", source, n), source.encoding, "round") for n in range(FRAMES)]
    frames = [planes_of_codes(code, source.encoding) for code in codes]

    def frame(index: int) -> Planes:
        return frames[index % FRAMES]  # no picture is asked for twice, but by its neighbours

    taken = timed_frames(Conversion(source, target, policy), frame)
    exact = Conversion(source, target, policy).frame(3, frame)
    truth = reference_frame(source, target, policy, 3, frame)
    error = (
        min(psnr_db(np.asarray(a, np.float64), b) for a, b in zip(exact, truth, strict=True)) if truth else float("nan")
    )
    return taken, chained(row, source, codes), error


def _told(error: float) -> str:
    return f"{error:10.1f} dB" if error == error else f"{'':>10}  –"


def main() -> int:
    """Print the table; exit 1 where a frame is farther from float64 than 90 dB."""
    if sys.argv[1:2] == ["--by-itself"]:
        by_itself(next(row for row in ROWS if row.name == sys.argv[2]))
        return 0
    print(f"links, codes in to codes out, ms a frame; medians of {ROUNDS}; {machine()}")
    print(f"{'':36}{'ours':>9}{'FFmpeg':>9}{'ratio':>7}{'aim':>14}{'to float64':>13}")
    poor = 0
    for row in ROWS:
        if len(sys.argv) > 1 and not any(word in row.name for word in sys.argv[1:]):
            continue
        ours, theirs, error = measured(row)
        poor += error < 90
        aim = (f"≤ {row.most_ms:g} ms" if row.most_ms else "") + (f", {row.most_ratio:g}×" if row.most_ratio else "")
        print(f"{row.name:36}{ours:9.1f}{theirs:9.1f}{ours / theirs:7.2f}{aim:>14}{_told(error)}", flush=True)
    for row in (ROWS[0], ROWS[2]):
        (one, _), (two, memory) = on_cores(row, 1), on_cores(row, 2)
        print(
            f"{row.name}, a process of its own: {one:.1f} ms on one core, {two:.1f} on two ({one / two:.2f}×),"
            f" {memory:.0f} MB"
        )
    return 1 if poor else 0


if __name__ == "__main__":
    sys.exit(main())

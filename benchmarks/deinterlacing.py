"""Deinterlacing against FFmpeg's bwdif and w3fdif on moving scenes of known truth: PSNR of each scene, and time."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from time import perf_counter
from typing import Any

import av
import numpy as np
from av.error import FFmpegError
from av.video.frame import VideoFrame
from common import machine
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter, map_coordinates, rotate

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from tests.by_frames import moments_of

from idle_quarry.picture.fields import made_whole
from idle_quarry.picture.metrics import psnr_db

Picture = NDArray[np.floating[Any]]
HEIGHT, WIDTH, FRAMES = 288, 384, 8
METHODS = ("interpolate", "adaptive", "compensated")
FILTERS = {"bwdif": "mode=send_field:deint=all", "w3fdif": "filter=complex:deint=all"}


def scenes(seed: int) -> Iterator[tuple[str, list[Picture]]]:
    """Yield named scenes: whole pictures of every moment, 0…1, at twice the frame rate."""
    rng = np.random.default_rng(seed)
    soft = gaussian_filter(rng.standard_normal((900, 1400)), 1.6)
    soft = (0.5 + 0.13 * soft / soft.std()).clip(0.05, 0.95)
    fine = gaussian_filter(rng.standard_normal((900, 1400)), 0.9)
    fine = (0.5 + 0.13 * fine / fine.std()).clip(0.05, 0.95)
    text = np.kron((rng.random((225, 350)) > 0.6).astype(float), np.ones((4, 4)))
    text = gaussian_filter(text, 0.8) * 0.7 + 0.15

    def window(ground: NDArray[np.float64], y: float, x: float) -> NDArray[np.float64]:
        top, left = int(np.floor(y)), int(np.floor(x))
        part = ground[top : top + HEIGHT + 1, left : left + WIDTH + 1]
        across = part[:, :-1] * (1 - (x - left)) + part[:, 1:] * (x - left)
        return np.asarray(across[:-1] * (1 - (y - top)) + across[1:] * (y - top))

    def turned(t: int) -> NDArray[np.float64]:
        return np.asarray(rotate(soft[:560, :640], 0.7 * t, reshape=False, order=1)[136:424, 128:512])

    def nearer(t: int) -> NDArray[np.float64]:
        y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(float)
        scale = 1 / (1 + 0.008 * t)
        places = [200 + (y - HEIGHT / 2) * scale, 300 + (x - WIDTH / 2) * scale]
        return np.asarray(map_coordinates(soft, places, order=3))

    def thing(t: int) -> NDArray[np.float64]:
        picture = window(soft, 40, 40).copy()
        x = 30 + 6 * t
        picture[90:210, x : x + 110] = text[:120, :110]
        return picture

    count = 2 * FRAMES
    shakes = rng.normal(0, 1.2, (count, 2))
    makes: dict[str, Callable[[int], Any]] = {
        "still, fine": lambda t: window(fine, 50, 50),
        "slow pan": lambda t: window(soft, 50, 50 + 0.75 * t),
        "quick pan": lambda t: window(soft, 50, 50 + 7.3 * t),
        "quick pan, fine": lambda t: window(fine, 50, 50 + 7.3 * t),
        "tilt": lambda t: window(soft, 50 + 2.6 * t, 50),
        "crawl of text": lambda t: window(text, 50, 50 + 4 * t),
        "roll of text": lambda t: window(text, 50 + 2 * t, 50),
        "turning": turned,
        "zoom": nearer,
        "unsteady hand": lambda t: window(soft, 50 + shakes[t, 0], 50 + shakes[t, 1]),
        "thing over still": thing,
        "noise over pan": lambda t: window(soft, 50, 50 + 3.1 * t) + rng.normal(0, 0.015, (HEIGHT, WIDTH)),
    }
    for name, make in makes.items():
        yield name, [np.asarray(make(t), np.float32).clip(0, 1) for t in range(count)]


def filtered(frames: Sequence[Picture], name: str) -> list[Picture]:
    """Return what an FFmpeg filter makes of interlaced frames, upper field first, a picture a field."""
    graph = av.filter.Graph()
    source = graph.add(
        "buffer",
        f"video_size={WIDTH}x{HEIGHT}:pix_fmt=gray8:time_base=1/25:frame_rate=25/1:pixel_aspect=1/1",
    )
    fields, output, sink = graph.add("setfield", "tff"), graph.add(name, FILTERS[name]), graph.add("buffersink")
    source.link_to(fields)
    fields.link_to(output)
    output.link_to(sink)
    graph.configure()
    result: list[Picture] = []

    def drain() -> None:
        while True:
            try:
                pulled = sink.pull()
            except (BlockingIOError, EOFError, FFmpegError):
                return
            assert isinstance(pulled, VideoFrame)
            result.append(pulled.to_ndarray(format="gray").astype(np.float32) / 255)

    for number, frame in enumerate(frames):
        given = VideoFrame.from_ndarray(np.rint(frame * 255).astype(np.uint8), format="gray")
        given.pts, given.time_base = number, Fraction(1, 25)
        source.push(given)
        drain()
    source.push(None)
    drain()
    return result


def run(seed: int) -> dict[str, dict[str, float]]:
    """Return for each scene the PSNR of each method and filter, dB, over the moments all have."""
    result: dict[str, dict[str, float]] = {}
    seconds = dict.fromkeys((*METHODS, *FILTERS), 0.0)
    for name, truth in scenes(seed):
        frames = []
        for upper, lower in zip(truth[0::2], truth[1::2], strict=True):
            frame = upper.copy()
            frame[1::2] = lower[1::2]
            frames.append(np.rint(frame * 255).astype(np.float32) / 255)
        moments = [(field,) for field in moments_of(frames, "top")]
        judged = range(4, len(truth) - 4)
        inner = (slice(8, -8), slice(8, -8))
        row: dict[str, float] = {}
        for method in METHODS:
            start = perf_counter()
            output = {at: np.rint(made_whole(moments, at, "top", method)[0].clip(0, 1) * 255) / 255 for at in judged}
            seconds[method] += perf_counter() - start
            row[method] = float(np.mean([psnr_db(output[at][inner], truth[at][inner]) for at in judged]))
        for item in FILTERS:
            start = perf_counter()
            whole = filtered(frames, item)
            seconds[item] += (perf_counter() - start) * len(judged) / len(truth)
            row[item] = float(np.mean([psnr_db(whole[at][inner], truth[at][inner]) for at in judged]))
        result[name] = row
    result["seconds"] = seconds
    return result


def main() -> int:
    """Print a table; exit 1 where motion-compensated is behind the better filter in a scene."""
    print(f"deinterlacing, {WIDTH} × {HEIGHT}, 8 bits; {machine()}")
    result = run(int(sys.argv[1]) if len(sys.argv) > 1 else 4)
    seconds = result.pop("seconds")
    names = (*METHODS, *FILTERS)
    print(f"{'dB':20}" + "".join(f"{name:>14}" for name in names) + f"{'ahead by':>12}")
    behind = 0
    for scene, row in result.items():
        lead = row["compensated"] - max(row[item] for item in FILTERS)
        behind += lead < 0
        print(f"{scene:20}" + "".join(f"{row[name]:14.2f}" for name in names) + f"{lead:12.2f}")
    print(f"{'seconds':20}" + "".join(f"{seconds[name]:14.2f}" for name in names))
    print(f"behind the better filter in {behind} of {len(result)} scenes")
    return 1 if behind else 0


if __name__ == "__main__":
    sys.exit(main())

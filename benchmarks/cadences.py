"""Taking pulldown out of random cadences with breaks: every picture that both fields are left of must come back
exactly.
"""

from __future__ import annotations

import sys
from pathlib import Path
from time import perf_counter
from typing import Any

import numpy as np
from common import machine
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from tests.by_frames import without_pulldown

from idle_quarry.picture.fields import CADENCES

HEIGHT, WIDTH = 96, 128
Picture = NDArray[Any]


def material(rng: np.random.Generator, count: int) -> list[Picture]:
    """Return `count` pictures of a texture that moves at a speed of its own, 0…1."""
    ground = gaussian_filter(rng.standard_normal((HEIGHT + 80, WIDTH + 900)), rng.uniform(1.2, 3))
    ground = 0.5 + 0.16 * ground / ground.std()
    speed, tilt = rng.uniform(1.5, 7), rng.uniform(-1, 1)
    pictures = []
    for n in range(count):
        x, y = int(10 + speed * n), int(40 + np.clip(tilt * n, -35, 35))
        pictures.append(ground[y : y + HEIGHT, x : x + WIDTH].clip(0, 1))
    return pictures


def cadenced(rng: np.random.Generator, cadence: str, order: str) -> tuple[list[Picture], list[Picture]]:
    """Return frames of two to four shots cut together, each begun anywhere in its cadence, and the pictures they
    hold whole.
    """
    frames: list[Picture] = []
    whole: list[Picture] = []
    first = 0 if order == "top" else 1
    for _ in range(int(rng.integers(2, 5))):
        length = int(rng.integers(12, 30))
        pictures = material(rng, length + 12)
        fields: list[int] = []
        for number in range(len(pictures)):
            fields += [number] * CADENCES[cadence][number % len(CADENCES[cadence])]
        start = 2 * int(rng.integers(0, 5))
        shown = fields[start : start + 2 * length]
        halves: dict[int, set[int]] = {}
        for place, number in enumerate(shown):
            halves.setdefault(number, set()).add((first + place) % 2)
        for earlier, later in zip(shown[0::2], shown[1::2], strict=True):
            frame = pictures[later].copy()
            frame[first::2] = pictures[earlier][first::2]
            frames.append(frame)
        whole += [pictures[number] for number in sorted(halves) if len(halves[number]) == 2]
    return frames, whole


def trial(seed: int) -> bool:
    """Return whether the pictures of one random cadence come back exactly, each once and in order."""
    rng = np.random.default_rng(seed)
    cadence = str(rng.choice(["2:3", "2:3:3:2"]))
    order = str(rng.choice(["top", "bottom"]))
    frames, whole = cadenced(rng, cadence, order)
    result = without_pulldown(frames, cadence, order)
    # the frames come back in single precision
    return len(result) == len(whole) and all(
        np.array_equal(np.float32(a), np.float32(b)) for a, b in zip(result, whole, strict=True)
    )


def main() -> int:
    """Print how many of 100 came back exactly, or of as many as are asked for from a seed on.

    Exit 1 where one did not.
    """
    first, count = (int(value) for value in (sys.argv[1:3] if len(sys.argv) > 2 else ("0", "100")))
    start = perf_counter()
    wrong = [seed for seed in range(first, first + count) if not trial(seed)]
    print(f"cadences of 2:3 and 2:3:3:2 with one to three breaks; {machine()}")
    print(
        f"exact: {count - len(wrong)} of {count} in {perf_counter() - start:.1f} s"
        + (f"; not: {wrong}" if wrong else "")
    )
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())

"""The made-up shows' scenes as functions of time: exact motion, so that the truth of a clip is known."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.float32]
Scene = Callable[[float, int, int], Picture]


def _grid(width: int, height: int) -> tuple[Picture, Picture]:
    """Return x (−aspect…aspect) and y (−1…1, downwards) of each sample, as a row and a column."""
    x = np.linspace(-width / height, width / height, width, dtype=np.float32)[None, :]
    y = np.linspace(-1, 1, height, dtype=np.float32)[:, None]
    return x, y


def _paint(picture: Picture, mask: NDArray[np.bool_] | Picture, colour: tuple[float, float, float]) -> None:
    strength = np.asarray(mask, dtype=np.float32)[..., None]
    picture *= 1 - strength
    picture += strength * np.asarray(colour, dtype=np.float32)


def tide_gauge(t: float, width: int, height: int) -> Picture:
    """Return a striped staff in rising water, R′G′B′ (height, width, 3) in 0…1."""
    x, y = _grid(width, height)
    picture = np.empty((height, width, 3), np.float32)
    picture[...] = (0.62 - 0.15 * y)[..., None] * np.asarray((0.9, 0.97, 1.05), np.float32)
    staff = (np.abs(x) < 0.12) & (np.abs(y) < 0.9)
    _paint(picture, staff, (0.92, 0.9, 0.84))
    _paint(picture, staff & ((y * 10) % 1 < 0.5) & (x > 0), (0.72, 0.2, 0.12))
    level = 0.35 - 0.12 * t + 0.02 * np.sin(6 * x + 5 * t)
    _paint(picture, (y > level) * np.float32(0.82), (0.2, 0.34, 0.36))
    glint = (np.abs(((x * 3 + t * 0.9) % 1) - 0.5) < 0.02) & (y > level + 0.1)
    _paint(picture, glint * np.float32(0.5), (0.9, 0.95, 0.9))
    return np.clip(picture, 0, 1)


def lamp_sweep(t: float, width: int, height: int) -> Picture:
    """Return a lighthouse whose beam turns once in four seconds."""
    x, y = _grid(width, height)
    picture = np.empty((height, width, 3), np.float32)
    picture[...] = (0.1 + 0.07 * (y + 1))[..., None] * np.asarray((0.8, 0.9, 1.2), np.float32)
    angle = np.arctan2(y + 0.35, x + 0.0001)
    turned = (angle - t * np.pi / 2 + np.pi) % (2 * np.pi) - np.pi
    beam = np.clip(1 - np.abs(turned) / 0.12, 0, 1) * np.exp(-0.5 * np.hypot(x, y + 0.35))
    _paint(picture, beam, (0.98, 0.92, 0.7))
    _paint(picture, (np.abs(x) < 0.1 + 0.06 * (y + 0.3)) & (y > -0.3), (0.78, 0.76, 0.74))
    _paint(picture, (np.abs(x) < 0.1 + 0.06 * (y + 0.3)) & (y > -0.3) & ((y * 4) % 1 < 0.4), (0.6, 0.16, 0.12))
    _paint(picture, np.hypot(x, y + 0.35) < 0.09, (1.0, 0.97, 0.85))
    return np.clip(picture, 0, 1)


def sliding_stone(t: float, width: int, height: int) -> Picture:
    """Return a stone that slides over ice towards rings at 0.6 picture heights a second."""
    x, y = _grid(width, height)
    picture = np.full((height, width, 3), 0.84, np.float32)
    radius = np.hypot(x - 0.7, y)
    for outer, inner, colour in ((0.75, 0.5, (0.22, 0.36, 0.6)), (0.26, 0.12, (0.66, 0.18, 0.16))):
        _paint(picture, (radius < outer) & (radius > inner), colour)
    sx = -1.3 + 0.6 * t
    stone = np.hypot(x - sx, y - 0.05)
    _paint(picture, stone < 0.2, (0.35, 0.35, 0.36))
    _paint(picture, stone < 0.13, (0.78, 0.64, 0.2))
    _paint(picture, (np.abs(y - 0.05) < 0.03) & (np.abs(x - sx) < 0.12), (0.2, 0.2, 0.2))
    return picture


def passing_train(t: float, width: int, height: int) -> Picture:
    """Return a train that passes at 1.1 picture heights a second behind a fence of fine uprights."""
    x, y = _grid(width, height)
    picture = np.empty((height, width, 3), np.float32)
    picture[...] = (0.55 - 0.2 * y)[..., None] * np.asarray((0.8, 1.0, 0.85), np.float32)
    along = x + 2.4 - 1.1 * t
    coach = (np.abs(y + 0.05) < 0.3) & ((along % 1.5) > 0.06) & (along < 4.5)
    _paint(picture, coach, (0.45, 0.13, 0.12))
    _paint(picture, coach & (np.abs(y + 0.12) < 0.1) & ((along * 4) % 1 > 0.3), (0.85, 0.86, 0.8))
    _paint(picture, (y > 0.25) & (y < 0.3), (0.2, 0.2, 0.2))
    _paint(picture, (y > 0.42) & ((x * 14) % 1 < 0.22), (0.8, 0.78, 0.7))
    return np.clip(picture, 0, 1)


SCENES: dict[str, Scene] = {
    "tide gauge": tide_gauge,
    "lamp sweep": lamp_sweep,
    "sliding stone": sliding_stone,
    "passing train": passing_train,
}

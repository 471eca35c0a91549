"""Flashes, red flashes and patterns as ITU-R BT.1702 has them, from the light of a picture's cells, moment by moment.

A flash is a pair of opposing changes of luminance by 20 cd/m² or more whose darker state is below 160 cd/m² (at 160 and
above: of a Michelson contrast of 1/17 or more), over more than a quarter of the picture at once; more than three within
a second are a fault, and so is a sequence of them that lasts more than five seconds. A red flash is a pair of opposing
changes to and from saturated red: R / (R + G + B) of 0.8 or more in one of the states, and 0.2 or more apart in u′, v′.
A regular pattern is a fault where more than five pairs of light and dark stripes cover more than a quarter of the
picture (two fifths where it stands still), the lighter of 50 cd/m² or more and 20 cd/m² or more above the darker.
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

#: Changes of luminance (cd/m²), the darker state below which they count, the contrast that counts above it, the share
#: of the picture.
CHANGE, DARKER, CONTRAST, AREA = 20.0, 160.0, 1 / 17, 0.25
#: Flashes in a second that are still allowed, and for how long sequences of flashes may last, seconds.
MOST, LASTING_S = 3, 5.0
#: Saturated red, and how far apart two states lie in u′, v′.
RED, APART = 0.8, 0.2
#: Shares of the picture that a pattern may cover: moving or flashing, standing still; light of its stripes, pairs of
#: them.
PATTERN_MOVING, PATTERN_STILL, STRIPES_LIGHT, PAIRS = 0.25, 0.4, 50.0, 5
#: Cells change together where they do so within this time: a cut takes a moment, a lamp two or three.
_TOGETHER_S = 0.1
#: u′, v′ of the white point: what is black has no colour.
_WHITE = (0.1978, 0.4683)
#: Light below this has no colour that is seen, cd/m².
_DARK = 1.0

Cells = NDArray[np.float32]


@dataclass(frozen=True)
class FlashSpell:
    """Moments, from the first to the last, in which more flashes than allowed lie.

    The most of them in a second, and their share of the picture.
    """

    kind: str
    first: int
    last: int
    count: float
    area: float


class _Pairs:
    """Opposing changes of the whole screen, one after the other, and the spells in which too many lie."""

    def __init__(self, kind: str, rate: float) -> None:
        self._kind, self._rate = kind, rate
        self._recent: deque[tuple[int, NDArray[np.bool_], NDArray[np.bool_]]] = deque()
        self._last = 0  #: 1 after a change up, −1 after one down
        self._times: deque[int] = deque()
        self._begun: int | None = None
        self._before: int | None = None
        self.spells: list[FlashSpell] = []
        self.most = 0.0  #: flashes in a second at the most
        self.area = 0.0  #: the largest share of the picture that changed at once

    def take(self, moment: int, up: NDArray[np.bool_], down: NDArray[np.bool_]) -> None:
        """Take which cells changed up and down at a moment."""
        self._recent.append((moment, up, down))
        while moment - self._recent[0][0] > _TOGETHER_S * self._rate:
            self._recent.popleft()
        for way in (1, -1):
            if way == self._last or not (up if way > 0 else down).any():
                continue
            together = np.any([ups if way > 0 else downs for _, ups, downs in self._recent], axis=0)
            area = float(together.mean())
            self.area = max(self.area, area)
            if area > AREA:
                self._changed(moment, way, area)

    def _changed(self, moment: int, way: int, area: float) -> None:
        self._last = way
        self._recent.clear()
        self._times.append(moment)
        while moment - self._times[0] >= self._rate:
            self._times.popleft()
        # pairs of opposing changes within one second
        count = len(self._times) / 2
        self.most = max(self.most, count)
        if self._begun is None or (self._before is not None and moment - self._before > self._rate / 2):
            self._begun = moment
        self._before = moment
        if count > MOST:
            self._add(int(self._times[0]), moment, count, area)
        elif moment - self._begun > LASTING_S * self._rate and len(self._times) >= 2:
            self._add(self._begun, moment, count, area)

    def _add(self, first: int, last: int, count: float, area: float) -> None:
        before = self.spells[-1] if self.spells else None
        if before is not None and first <= before.last + self._rate:
            first, count, area = before.first, max(count, before.count), max(area, before.area)
            self.spells.pop()
        self.spells.append(FlashSpell(self._kind, first, last, count, area))


class FlashMeter:
    """Takes the light of cells (rows, columns, 3: linear R, G, B in cd/m²) moment by moment.

    `rate` is moments a second.
    """

    def __init__(self, rate: float) -> None:
        self._rate, self._moment = rate, 0
        self.flashes, self.reds = _Pairs("flash", rate), _Pairs("red flash", rate)
        self._low: Cells | None = None
        self._high: Cells | None = None
        self._uv: Cells | None = None
        self._red: NDArray[np.bool_] | None = None

    def take(self, cells: Cells, weights: tuple[float, float, float] = (0.2126, 0.7152, 0.0722)) -> None:
        light = cells @ np.array(weights, np.float32)
        uv, red = _chromaticity(cells, light)
        if self._low is None or self._high is None or self._uv is None or self._red is None:
            self._low, self._high, self._uv, self._red = light.copy(), light.copy(), uv, red
            self._moment += 1
            return
        np.minimum(self._low, light, out=self._low)
        np.maximum(self._high, light, out=self._high)
        up, down = _counts(light, self._low), _counts(self._high, light)
        changed = up | down
        self._low[changed], self._high[changed] = light[changed], light[changed]
        self.flashes.take(self._moment, up, down)
        # to or from saturated red, far enough in colour: what was before stands until it is left
        apart = np.hypot(uv[..., 0] - self._uv[..., 0], uv[..., 1] - self._uv[..., 1]) >= APART
        to, back = apart & red & ~self._red, apart & self._red & ~red
        left = to | back
        self._uv[left], self._red[left] = uv[left], red[left]
        self.reds.take(self._moment, to, back)
        self._moment += 1


def _counts(higher: Cells, lower: Cells) -> NDArray[np.bool_]:
    """Return where a change between two lights counts."""
    apart = higher - lower
    contrast = apart >= CONTRAST * (higher + lower)
    return (apart >= CHANGE) & ((lower < DARKER) | contrast)


def _chromaticity(cells: Cells, light: Cells) -> tuple[Cells, NDArray[np.bool_]]:
    """Return u′, v′ of cells by BT.709's primaries, and whether they are saturated red."""
    r, g, b = cells[..., 0], cells[..., 1], cells[..., 2]
    x = 0.4124 * r + 0.3576 * g + 0.1805 * b
    y = 0.2126 * r + 0.7152 * g + 0.0722 * b
    z = 0.0193 * r + 0.1192 * g + 0.9505 * b
    total = x + 15 * y + 3 * z
    dark = light < _DARK
    safe = np.where(dark, 1.0, total)
    u = np.where(dark, _WHITE[0], 4 * x / safe)
    v = np.where(dark, _WHITE[1], 9 * y / safe)
    red = ~dark & (r >= RED * (r + g + b))
    return np.stack([u, v], axis=-1).astype(np.float32), red


# -- patterns ----------------------------------------------------------------------------------------------------------

#: A picture is divided into so many blocks for patterns, down and across.
_BLOCKS = (6, 8)
#: A block is striped where one frequency holds so much of what varies in it.
_REGULAR = 0.55


def striped(light: Cells) -> tuple[float, float]:
    """Return the share of a picture (light in cd/m², (h, w)) that regular stripes cover, and how many pairs of them
    lie across it.
    """
    down, across = _BLOCKS
    tall, wide = light.shape[0] // down, light.shape[1] // across
    if tall < 8 or wide < 8:
        return 0.0, 0.0
    blocks = light[: tall * down, : wide * across].reshape(down, tall, across, wide).transpose(0, 2, 1, 3)
    window = np.hanning(tall)[:, None] * np.hanning(wide)[None, :]
    mean = blocks.mean(axis=(2, 3), keepdims=True)
    power = np.abs(np.fft.fft2((blocks - mean) * window)) ** 2
    power[..., 0, [0, 1, -1]] = 0  # what varies slowly is shading
    power[..., [0, 1, -1], 0] = 0
    total = power.sum(axis=(2, 3)) + 1e-9
    v, h = np.divmod(power.reshape(down, across, -1).argmax(axis=2), wide)
    # the frequency, its mirror, and what the window spreads of both
    around = np.zeros(power.shape, bool)
    block_row, block_column = np.arange(down)[:, None], np.arange(across)[None]
    for sign in (1, -1):
        for dv in (-1, 0, 1):
            for dh in (-1, 0, 1):
                around[block_row, block_column, (sign * v + dv) % tall, (sign * h + dh) % wide] = True
    near = np.where(around, power, 0).sum(axis=(2, 3))
    v, h = np.where(v > tall // 2, v - tall, v), np.where(h > wide // 2, h - wide, h)
    bright = np.percentile(blocks, 95, axis=(2, 3))
    dark = np.percentile(blocks, 5, axis=(2, 3))
    regular = (near >= _REGULAR * total) & (bright - dark >= CHANGE) & (bright >= STRIPES_LIGHT)
    if not regular.any():
        return 0.0, 0.0
    # stripes of one kind: the frequency that most of the blocks have
    cycles = np.hypot(v * down, h * across)
    usual = float(np.median(cycles[regular]))
    alike = regular & (np.abs(cycles - usual) <= max(across, 0.25 * usual))
    span = np.sqrt(alike.mean())  # pairs that lie across the part that is striped
    return float(alike.mean()), usual * float(span)

"""Flashes, red flashes and patterns as ITU-R BT.1702 has them, from the light of a picture's cells, moment by moment.

A flash is a pair of opposing changes of luminance at one place, by 20 cd/m² or more, whose darker state is below 160
cd/m² (at 160 and above: of a Michelson contrast of 1/17 or more). Places that flash more than three times within a
second are a fault where they are more than a quarter of the picture, whatever the phase of each. Where such an area
flashes once a second or more for over five seconds a person is to look, unless the leading edges of its flashes lie at
least 360 ms (50 Hz) or 334 ms (60 Hz) apart. A red flash is a pair of opposing changes to and from saturated red:
R / (R + G + B) of 0.8 or more in one of the states, and 0.2 or more apart in u′, v′. Luminance and u′, v′ are those of
the file's own primaries.
A regular pattern is a fault where more than five pairs of light and dark stripes cover more than a quarter of the
picture (two fifths where it stands still), the lighter of 50 cd/m² or more and 20 cd/m² or more above the darker.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from idle_quarry.picture.colour import rgb_to_xyz

#: Changes of luminance (cd/m²), the darker state below which they count, the contrast that counts above it, the share
#: of the picture.
CHANGE, DARKER, CONTRAST, AREA = 20.0, 160.0, 1 / 17, 0.25
#: Flashes in a second that are still allowed, and for how long sequences of flashes may last, seconds.
MOST, LASTING_S = 3, 5.0
#: Leading edges so far apart are spared, seconds: nine pictures at 25 a second, ten at 29.97.
SPARED_S = {50: 0.36, 60: 0.334}
#: Changes of one place that are remembered.
_REMEMBERED = 2 * MOST + 2
#: Saturated red, and how far apart two states lie in u′, v′.
RED, APART = 0.8, 0.2
#: Shares of the picture that a pattern may cover: moving or flashing, standing still; light of its stripes, pairs of
#: them.
PATTERN_MOVING, PATTERN_STILL, STRIPES_LIGHT, PAIRS = 0.25, 0.4, 50.0, 5
#: u′, v′ of the white point: what is black has no colour.
_WHITE = (0.1978, 0.4683)
#: Light below this has no colour that is seen, cd/m².
_DARK = 1.0

Cells = NDArray[np.float32]


@dataclass(frozen=True)
class FlashSpell:
    """Moments, from the first to the last, in which more flashes than allowed lie, or which they last too long.

    The most of them in a second over more than a quarter of the picture, and the share of the picture that flashed.
    `lasting`: not too many in any second, but for more than five seconds.
    """

    kind: str
    first: int
    last: int
    count: float
    area: float
    lasting: bool = False


class _Flashes:
    """Opposing changes of each place, and the spells in which too large an area flashes too often or too long."""

    def __init__(self, kind: str, rate: float) -> None:
        self._kind, self._rate = kind, rate
        self._spared = SPARED_S[50 if abs(rate % 25) < 0.01 else 60] * rate - 0.5
        self._way = np.zeros(0, np.int8)  #: of each place, 1 after a change up, −1 after one down
        self._times = np.zeros(0, np.int64)  #: (places, remembered): when it changed last, the newest first
        self._begun = np.zeros(0, np.int64)  #: when the sequence began in which it flashes once a second or more
        self._close = np.zeros(0, np.int64)  #: when two leading edges lay too close together last
        self.spells: list[FlashSpell] = []
        self.most = 0.0  #: flashes in a second at the most, over more than a quarter of the picture

    def take(self, moment: int, up: NDArray[np.bool_], down: NDArray[np.bool_]) -> None:
        """Take which places changed up and down at a moment."""
        if not len(self._way):
            count = up.size
            self._way, self._begun = np.zeros(count, np.int8), np.zeros(count, np.int64)
            never = -round(100 * self._rate) - 1
            self._times, self._close = np.full((count, _REMEMBERED), never), np.full(count, never)
        way = up.ravel().astype(np.int8) - down.ravel().astype(np.int8)
        turned = (way != 0) & (way != self._way)  # a change on in the same way is none of a pair
        if turned.any():
            self._turn(moment, turned, way)
        self._look(moment)

    def _turn(self, moment: int, turned: NDArray[np.bool_], way: NDArray[np.int8]) -> None:
        times = self._times
        # the leading edge of a flash before: two changes earlier, the one between them is its other edge
        apart = moment - times[turned, 1]
        fresh = moment - times[turned, 0] > self._rate
        self._begun[turned] = np.where(fresh, moment, self._begun[turned])
        self._close[turned] = np.where(apart < self._spared, moment, self._close[turned])
        self._way[turned] = way[turned]
        times[turned, 1:] = times[turned, :-1]
        times[turned, 0] = moment

    def _look(self, moment: int) -> None:
        """See how large an area flashes how often now."""
        counts = (moment - self._times < self._rate).sum(axis=1)  # within one second
        least = int(AREA * len(counts))
        usual = float(np.partition(counts, -least - 1)[-least - 1]) / 2  # reached by more than that area
        self.most = max(self.most, usual)
        if usual > MOST:
            places = np.flatnonzero(counts > 2 * MOST)
            first = int(self._times[places, counts[places] - 1].min())
            self._add(FlashSpell(self._kind, first, moment, usual, len(places) / len(counts)))
        lasts = (moment - self._begun > LASTING_S * self._rate) & (counts >= 2)
        lasts &= moment - self._close < self._rate
        if lasts.mean() > AREA:
            began = int(np.median(self._begun[lasts]))
            self._add(FlashSpell(self._kind, began, moment, usual, float(lasts.mean()), lasting=True))

    def _add(self, spell: FlashSpell) -> None:
        for number, before in enumerate(self.spells):
            if before.lasting == spell.lasting and spell.first <= before.last + self._rate:
                self.spells[number] = FlashSpell(
                    spell.kind,
                    max(0, min(before.first, spell.first)),
                    spell.last,
                    max(before.count, spell.count),
                    max(before.area, spell.area),
                    spell.lasting,
                )
                return
        self.spells.append(FlashSpell(**{**vars(spell), "first": max(0, spell.first)}))


class FlashMeter:
    """Takes the light of cells (rows, columns, 3: linear R, G, B of `primaries` in cd/m²) moment by moment.

    `rate` is moments a second.
    """

    def __init__(self, rate: float, primaries: str = "bt709") -> None:
        self._moment = 0
        self._to_xyz = np.asarray(rgb_to_xyz(primaries), np.float32)
        self.flashes, self.reds = _Flashes("flash", rate), _Flashes("red flash", rate)
        self._low: Cells | None = None
        self._high: Cells | None = None
        self._uv: Cells | None = None
        self._red: NDArray[np.bool_] | None = None

    def take(self, cells: Cells) -> None:
        """Take the light of the next moment."""
        xyz = cells @ self._to_xyz.T
        light = xyz[..., 1]
        uv, red = _chromaticity(cells, xyz)
        if self._low is None or self._high is None or self._uv is None or self._red is None:
            self._low, self._high, self._uv, self._red = light.copy(), light.copy(), uv, red
            self._moment += 1
            return
        np.minimum(self._low, light, out=self._low)
        np.maximum(self._high, light, out=self._high)
        up, down = _counts(light, self._low), _counts(self._high, light)
        changed = up | down
        self._low[changed], self._high[changed] = light[changed], light[changed]
        self.flashes.take(self._moment, up & ~down, down)
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


def _chromaticity(cells: Cells, xyz: Cells) -> tuple[Cells, NDArray[np.bool_]]:
    """Return u′, v′ of cells, and whether they are saturated red."""
    x, y, z = xyz[..., 0], xyz[..., 1], xyz[..., 2]
    dark = y < _DARK
    total = np.where(dark, 1.0, x + 15 * y + 3 * z)
    u = np.where(dark, _WHITE[0], 4 * x / total)
    v = np.where(dark, _WHITE[1], 9 * y / total)
    red = ~dark & (cells[..., 0] >= RED * cells.sum(axis=-1))
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

"""Levels of a clip: code values used, below black and above white, range, gamut excursions, bars under a wrong matrix.

Sources: BT.601, BT.709, BT.2100 (code values); EBU R 103 (gamut: −5 % to 105 % in R′G′B′, 1 % of the area).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from idle_quarry.media.measurement.results import LevelsMeasurement, LumaLevels
from idle_quarry.media.pictures import Picture
from idle_quarry.picture.scopes import normalised, ycbcr_to_rgb
from idle_quarry.signal.colour import MATRICES
from idle_quarry.signal.formats import CHROMA_STEPS, Encoding
from idle_quarry.signal.levels import Levels

#: Samples looked at in a picture, about: shares need no more.
_SAMPLES = 250_000
#: Share of samples beyond both ends of narrow range from which codes are taken to be full range.
_FULL_SHARE = 2e-3
#: Bars stand still: so many pictures are searched for them.
_BAR_PICTURES = 3
#: EBU R 103: R′G′B′ from −5 % to 105 %.
_GAMUT = (-0.05, 1.05)
#: The share of the picture that EBU R 103 lets lie outside.
R103_AREA = 0.01


class LevelMeter:
    """Takes pictures one by one and adds up their codes."""

    def __init__(self, encoding: Encoding) -> None:
        self._encoding = encoding
        self._bits = 8
        self._rgb = False
        self._histogram = np.zeros(256, np.int64)
        self._minimum, self._maximum = 1 << 16, -1
        self._chroma: list[int] = []
        self._below = self._above = self._samples = 0
        self._low_bits = 0
        self._outside: list[float] = []
        self._bars: dict[str, float] = {}
        self._bars_looked = 0

    def take(self, picture: Picture) -> None:
        """Add a picture's codes."""
        luma, bits = picture.luma, picture.bits
        self._bits = bits
        self._rgb = picture.rgb is not None
        levels = Levels(bits, not self._rgb)  # R′G′B′ in files fills its codes
        low, high = int(luma.min()), int(luma.max())
        self._minimum, self._maximum = min(self._minimum, low), max(self._maximum, high)
        step = max(1, int(np.sqrt(luma.size / _SAMPLES)))
        some = luma[::step, ::step]  # every line's share is the same in both fields for odd steps and for 1
        self._samples += some.size
        self._below += int((some < levels.black).sum())
        self._above += int((some > levels.white).sum())
        self._histogram += np.bincount((some >> (bits - 8)).ravel().astype(np.intp), minlength=256)[:256]
        self._low_bits |= int(np.bitwise_or.reduce(some.ravel())) & 0xFFFF
        if picture.chroma is not None:
            cb, cr = picture.chroma
            self._chroma += [int(cb.min()), int(cr.min()), int(cb.max()), int(cr.max())]
            self._outside.append(self._gamut(picture, step))
            if self._bars_looked < _BAR_PICTURES:
                self._bars_looked += 1
                self._look_for_bars(picture)

    def _gamut(self, picture: Picture, step: int) -> float:
        """Return the share of the picture whose R′G′B′ EBU R 103 does not allow."""
        assert picture.chroma is not None
        across, down = CHROMA_STEPS[self._encoding.sampling]
        luma, (cb, cr) = picture.luma[::down, ::across], picture.chroma
        rows, columns = min(luma.shape[0], cb.shape[0]), min(luma.shape[1], cb.shape[1])
        thin = (slice(0, rows, step), slice(0, columns, step))
        parts = normalised(luma[thin], (cb[thin], cr[thin]), picture.bits, self._encoding)
        red, green, blue = ycbcr_to_rgb(*parts, self._encoding.matrix)
        lowest, highest = (f(f(red, green), blue) for f in (np.minimum, np.maximum))
        return float(((lowest < _GAMUT[0]) | (highest > _GAMUT[1])).mean())

    def _look_for_bars(self, picture: Picture) -> None:
        """Hold flat, saturated places against colour bars under each matrix."""
        assert picture.chroma is not None
        scale = np.float32(1 / (1 << (picture.bits - 8)))
        across, down = CHROMA_STEPS[self._encoding.sampling]
        planes = [picture.luma[::down, ::across], *picture.chroma]
        rows = min(plane.shape[0] for plane in planes) // 16 * 16
        columns = min(plane.shape[1] for plane in planes) // 16 * 16
        if not rows or not columns:
            return
        tiles = [  # a quarter of the lines and columns tells flat from not
            plane[:rows:2, :columns:2].reshape(rows // 16, 8, columns // 16, 8).transpose(0, 2, 1, 3).astype(np.float32)
            * scale
            for plane in planes
        ]
        flat = np.all([tile.std(axis=(2, 3)) < 1.5 for tile in tiles], axis=0)
        means = np.stack([tile.mean(axis=(2, 3))[flat] for tile in tiles], axis=-1)
        means = means[np.hypot(means[:, 1] - 128, means[:, 2] - 128) > 24]
        if len(means) < 6:
            return
        for matrix in ("bt601", "bt709", "bt2020"):
            for amplitude in (0.75, 1.0):
                targets = bar_codes(matrix, amplitude)
                far = np.abs(means[:, None, :] - targets[None]).max(axis=2)
                near = far.min(axis=1) < 2.5
                hit = len(set(far.argmin(axis=1)[near].tolist()))
                fits = float(near.mean()) * (hit >= 5)
                self._bars[matrix] = max(self._bars.get(matrix, 0.0), fits)

    def measurement(self) -> LevelsMeasurement | None:
        """Return the levels so far, None before any picture."""
        if not self._samples:
            return None
        bits = self._bits
        luma = LumaLevels(
            self._minimum,
            self._maximum,
            self._below / self._samples,
            self._above / self._samples,
            bits,
            tuple(int(n) for n in self._histogram),
        )
        best = max(self._bars.items(), key=lambda pair: pair[1], default=("", 0.0))
        used = 16 if not self._low_bits else bits - (self._low_bits & -self._low_bits).bit_length() + 1
        return LevelsMeasurement(
            luma,
            min(self._chroma) if self._chroma else None,
            max(self._chroma) if self._chroma else None,
            None if self._rgb else range_of(luma),
            max(self._outside) if self._outside else None,
            max(1, min(bits, used)),
            best[0] if best[1] >= 0.6 else None,
        )


def range_of(luma: LumaLevels) -> str | None:
    """Return the range that codes show: "full" where both ends lie beyond narrow, None where nothing shows.

    Codes beyond one end only are super-white or sub-black, as cameras make them. Narrow is shown by codes that
    gather at its black and leave what is below it empty.
    """
    levels = Levels(luma.bits, True)
    unit = 1 << (luma.bits - 8)
    far_below, far_above = luma.share_below(levels.black - 6 * unit), 1 - luma.share_below(levels.white + 9 * unit)
    if luma.below_black + luma.above_white >= _FULL_SHARE and far_below > 2e-4 and far_above > 2e-4:
        return "full"
    if far_below > 20 * _FULL_SHARE:  # blacks at 0 fill a picture that has no whites
        return "full"
    gathered = luma.share_below(levels.black + 3 * unit) - luma.share_below(levels.black - unit)
    if (
        gathered > 0.005
        and luma.share_below(levels.black - 2 * unit) < 1e-4
        and luma.maximum <= levels.white + 4 * unit
    ):
        return "narrow"
    return None


def bar_codes(matrix: str, amplitude: float) -> NDArray[np.float32]:
    """Return the 8-bit narrow Y′, C′B, C′R of the six coloured bars at `amplitude` (0.75 or 1), shape (6, 3)."""
    _, kr, kb, _ = MATRICES[matrix]
    assert kr is not None and kb is not None
    rows = []
    for red, green, blue in ((1, 1, 0), (0, 1, 1), (0, 1, 0), (1, 0, 1), (1, 0, 0), (0, 0, 1)):
        y = kr * red + (1 - kr - kb) * green + kb * blue
        cb, cr = (blue - y) / (2 * (1 - kb)), (red - y) / (2 * (1 - kr))
        rows.append([16 + 219 * amplitude * y, 128 + 224 * amplitude * cb, 128 + 224 * amplitude * cr])
    return np.array(rows, np.float32)

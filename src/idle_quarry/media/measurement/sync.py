"""How far sound and picture part in a recording of flashes and pips: a white picture and a tone that began together."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from idle_quarry.errors import MediaError
from idle_quarry.media.declared import DeclaredProperties
from idle_quarry.media.pictures import Reader
from idle_quarry.media.sounds import SoundReader

#: A picture flashes where its mean rises by this share of the range, a pip begins above this share of full scale.
_FLASH, _PIP = 0.4, 0.02
_RATE = 48000
#: A flash and a pip farther apart than this do not belong together.
_APART_S = 0.5
#: Pips are parted by at least so much silence.
_SILENCE_S = 0.1
#: As much of a recording is looked at.
_MOST_S = 120.0


@dataclass(frozen=True)
class Parting:
    """`offset_ms` is how much later sound is than picture (below 0: earlier), the median of `pairs` flashes with
    their pips; `spread_ms` how much the pairs differ.
    """

    offset_ms: float
    spread_ms: float
    pairs: int

    def words(self) -> str:
        """Return it as an editor says it."""
        if abs(self.offset_ms) < 1:
            text = "sound and picture begin together"
        else:
            text = f"sound is {abs(self.offset_ms):.0f} ms {'late' if self.offset_ms > 0 else 'early'}"
        spread = f", up to {self.spread_ms:.0f} ms apart from one another" if self.spread_ms >= 1 else ""
        return f"{text} ({self.pairs} flashes{spread})"


def flash_and_pip(path: Path, declared: DeclaredProperties) -> Parting:
    """Return how far flashes and pips part. Raises `MediaError` where the clip cannot be read or has none.

    The picture's time is that of its first frame with light, as its time stamp says: no better than the field or frame.
    """
    flashes = list(_flashes(path, declared))
    pips = list(_pips(path, (declared.duration_s or _MOST_S)))
    parted = []
    for flash in flashes:
        near = min(pips, key=lambda pip: abs(pip - flash), default=None)
        if near is not None and abs(near - flash) <= _APART_S:
            parted.append(1000 * (near - flash))
    if not parted:
        text = f"{len(flashes)} flashes and {len(pips)} pips were found in it"
        raise MediaError(f"shows no flash with its pip: {text}", subject=path.name, remedy="record Flash and pip first")
    return Parting(float(np.median(parted)), float(max(parted) - min(parted)), len(parted))


def _flashes(path: Path, declared: DeclaredProperties) -> Iterator[float]:
    """Yield when the picture becomes light, seconds."""
    before: float | None = None
    with Reader(path, declared) as reader:
        for picture in reader.window(0, int(_MOST_S * float(reader.rate))):
            now = float(picture.luma[::8, ::8].mean()) / (1 << picture.bits)
            if (before is not None and now - before > _FLASH) or (before is None and now > 2 * _FLASH):
                yield picture.index / float(reader.rate)
            before = now


def _pips(path: Path, seconds: float) -> Iterator[float]:
    """Yield when sound begins on any channel, seconds."""
    quiet_since = -_SILENCE_S * _RATE
    block, at = _RATE, 0
    with SoundReader(path, _RATE) as sound:
        if not sound.channels:
            return
        while at < min(seconds, _MOST_S) * _RATE:
            loud = np.flatnonzero((np.abs(sound.samples(at, block).astype(np.float64)) > _PIP * 2**31).any(axis=1)) + at
            for sample in loud:
                if sample - quiet_since > _SILENCE_S * _RATE:
                    yield sample / _RATE
                quiet_since = int(sample)
            at += block

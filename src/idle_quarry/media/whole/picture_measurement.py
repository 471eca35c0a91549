"""What all pictures of a file are, as values."""

from __future__ import annotations

from dataclasses import dataclass

from idle_quarry.media.whole.flashes import FlashSpell

BLACK, STILL, MOVING, BARS = "black", "still", "moving", "bars"


@dataclass(frozen=True)
class PicturePart:
    """Frames `first` to `last` (half open) that are black, bars, still or moving.

    `area` is the share of the picture that moves, in the mean.
    """

    what: str
    first: int
    last: int
    area: float = 0.0

    @property
    def frames(self) -> int:
        return self.last - self.first


@dataclass(frozen=True)
class FrameSpan:
    """Frames `first` to `last` (half open) in which something holds, with its worst figure."""

    first: int
    last: int
    figure: float = 0.0


@dataclass(frozen=True)
class FieldsRun:
    """Frames `first` to `last` (half open) of one structure."""

    first: int
    last: int
    scan: str
    field_order: str | None
    cadence: str | None


@dataclass(frozen=True)
class PictureMeasurement:
    """What all pictures of a file are.

    Codes are of `bits` bits; light in cd/m²; `parts` are what lies one after the other.
    """

    frames: int
    damaged: int
    bits: int
    kinds: tuple[str, ...]
    lowest: int
    highest: int
    below: float  #: share of all samples below the luma that EBU R 103 allows
    above: float
    fields: tuple[FieldsRun, ...]
    confidence: float
    parts: tuple[PicturePart, ...]
    frozen: tuple[FrameSpan, ...]
    repeats: int
    luma_out: tuple[FrameSpan, ...]  #: where more than one per cent of luma lies outside −1 % to 103 %
    luma_most: float
    gamut: tuple[FrameSpan, ...]  #: where more than one per cent lies outside, with the largest share
    gamut_most: float
    rgb_lowest: float
    rgb_highest: float
    flashes: tuple[FlashSpell, ...]
    most_flashes: float
    most_reds: float
    patterns: tuple[FrameSpan, ...]
    active: tuple[int, int, int, int] | None
    max_cll: float | None
    max_fall: float | None
    timecodes: tuple[tuple[int, str], ...]  #: the first picture's own, and each that does not follow on the one before
    luma: tuple[tuple[int, int], ...]  #: lowest and highest code of each second
    light: tuple[float, ...]  #: mean light of each second

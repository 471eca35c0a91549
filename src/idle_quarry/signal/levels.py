"""Quantisation: code values of narrow and full range at each bit depth (BT.601, BT.709, BT.2100 table 9)."""

from __future__ import annotations

from dataclasses import dataclass

BIT_DEPTHS = (8, 10, 12, 16)


@dataclass(frozen=True)
class Levels:
    """The code values that carry a picture at `bits` (8 to 16), narrow or full range."""

    bits: int
    narrow: bool

    @property
    def black(self) -> int:
        """Code of luma black: 16 × 2ⁿ⁻⁸ in narrow range, else 0."""
        return 16 << (self.bits - 8) if self.narrow else 0

    @property
    def white(self) -> int:
        """Code of luma white: 235 × 2ⁿ⁻⁸ in narrow range, else the highest code."""
        return 235 << (self.bits - 8) if self.narrow else (1 << self.bits) - 1

    @property
    def chroma_low(self) -> int:
        """Lowest code of a legal colour difference."""
        return self.black

    @property
    def chroma_high(self) -> int:
        """Highest code of a legal colour difference: 240 × 2ⁿ⁻⁸ in narrow range."""
        return 240 << (self.bits - 8) if self.narrow else (1 << self.bits) - 1

    @property
    def chroma_zero(self) -> int:
        """Code of no colour: half of the scale."""
        return 1 << (self.bits - 1)

    @property
    def codes(self) -> int:
        """How many codes lie from black to white, both counted: 877 at 10 bit narrow."""
        return self.white - self.black + 1

    @property
    def reserved(self) -> int:
        """How many codes at each end SDI keeps for itself (BT.656, BT.1120: 0–3 and 1020–1023 at 10 bits)."""
        return 1 << (self.bits - 8)


def codes_lost(source: Levels, target: Levels) -> int:
    """Return how many of the source's luma codes have no code of their own in the target."""
    return max(0, source.codes - target.codes)

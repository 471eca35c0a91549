"""The range, depth and sampling steps: code values and chroma samples gained and lost."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from idle_quarry.path.grades import Step
from idle_quarry.path.policies import Policy, parts
from idle_quarry.signal.formats import CHROMA_SHARE, Encoding
from idle_quarry.signal.levels import Levels, codes_lost


@dataclass(frozen=True)
class RangeStep(Step):
    """Code values are scaled from one range to the other."""

    kind: ClassVar[str] = "range"

    from_codes: int
    to_codes: int
    codes_lost: int


@dataclass(frozen=True)
class DepthStep(Step):
    """Code values get more or fewer bits."""

    kind: ClassVar[str] = "depth"

    from_bits: int
    to_bits: int
    codes_lost: int


@dataclass(frozen=True)
class SamplingStep(Step):
    """`chroma_kept` is the share of chroma samples that are kept."""

    kind: ClassVar[str] = "sampling"

    from_sampling: str
    to_sampling: str
    chroma_kept: float


def range_step(source: Encoding, target: Encoding) -> RangeStep | None:
    """Return the change between narrow and full range, or None."""
    if source.range == target.range:
        return None
    before, after = source.levels, target.levels
    lost = codes_lost(before, Levels(before.bits, after.narrow))
    codes = before.codes, after.codes, lost
    if after.narrow:
        fewer = after.codes < before.codes
        text = f"full range is squeezed into {after.black} to {after.white}" + (
            f": {before.codes} codes become {after.codes}" if fewer else ""
        )
        return RangeStep("lossy" if fewer else "clean", text, *codes)
    text = f"{before.black} to {before.white} is spread over 0 to {after.white}; sub-black and super-white are clipped"
    return RangeStep("lossy", text, *codes)


def depth_step(source: Encoding, target: Encoding, policy: Policy) -> DepthStep | None:
    """Return the change of bit depth, or None."""
    if source.bit_depth == target.bit_depth:
        return None
    before = Levels(source.bit_depth, target.range == "narrow")
    lost = codes_lost(before, target.levels)
    bits = source.bit_depth, target.bit_depth, lost
    if not lost:
        return DepthStep("clean", f"{source.bit_depth} bits kept inside {target.bit_depth}", *bits)
    text = f"{source.bit_depth} to {target.bit_depth} bits: {before.codes} luma codes become {target.levels.codes}, "
    return DepthStep("lossy", text + parts()["rounding"][policy.rounding].done, *bits)


def sampling_step(source: Encoding, target: Encoding) -> SamplingStep | None:
    """Return the change of chroma sampling, or None."""
    if source.sampling == target.sampling:
        return None
    ends = source.sampling, target.sampling
    before, after = CHROMA_SHARE[source.sampling], CHROMA_SHARE[target.sampling]
    names = f"{source.sampling} to {target.sampling}"
    if after == before:  # 4:1:1 and 4:2:0: what one keeps across the other keeps down
        text = f"{names}: as many chroma samples in other places, half of their detail kept"
        return SamplingStep("lossy", text, *ends, 0.5)
    if after < before:
        share = after / before
        text = f"{names}: {'half' if share == 0.5 else 'a quarter'} of the chroma samples kept"
        return SamplingStep("lossy", text, *ends, share)
    return SamplingStep("clean", f"{names}: chroma interpolated, none lost", *ends, 1.0)

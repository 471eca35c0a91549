"""The range, depth and sampling steps: code values and chroma samples gained and lost."""

from __future__ import annotations

from idle_quarry.path.grades import Step
from idle_quarry.path.policies import Policy
from idle_quarry.signal.formats import CHROMA_SHARE, Encoding
from idle_quarry.signal.levels import Levels, codes_lost

_ROUNDED = {
    "dither": "dithered",
    "ordered": "dithered by a weave",
    "diffuse": "errors handed on",
    "round": "rounded: ramps may band",
    "truncate": "cut off: ramps band and darken",
}


def range_step(source: Encoding, target: Encoding) -> Step | None:
    """Return the change between narrow and full range, or None."""
    if source.range == target.range:
        return None
    before, after = source.levels, target.levels
    lost = codes_lost(before, Levels(before.bits, after.narrow))
    numbers = {"from_codes": before.codes, "to_codes": after.codes, "codes_lost": lost}
    if after.narrow:
        fewer = after.codes < before.codes
        text = f"full range is squeezed into {after.black} to {after.white}" + (
            f": {before.codes} codes become {after.codes}" if fewer else ""
        )
        return Step("range", "lossy" if fewer else "clean", text, numbers)
    text = f"{before.black} to {before.white} is spread over 0 to {after.white}; sub-black and super-white are clipped"
    return Step("range", "lossy", text, numbers)


def depth_step(source: Encoding, target: Encoding, policy: Policy) -> Step | None:
    """Return the change of bit depth, or None."""
    if source.bit_depth == target.bit_depth:
        return None
    before = Levels(source.bit_depth, target.range == "narrow")
    lost = codes_lost(before, target.levels)
    numbers = {"from_bits": source.bit_depth, "to_bits": target.bit_depth, "codes_lost": lost}
    if not lost:
        return Step("depth", "clean", f"{source.bit_depth} bits kept inside {target.bit_depth}", numbers)
    text = f"{source.bit_depth} to {target.bit_depth} bits: {before.codes} luma codes become {target.levels.codes}, "
    return Step("depth", "lossy", text + _ROUNDED[policy.rounding], numbers)


def sampling_step(source: Encoding, target: Encoding) -> Step | None:
    """Return the change of chroma sampling, or None."""
    if source.sampling == target.sampling:
        return None
    before, after = CHROMA_SHARE[source.sampling], CHROMA_SHARE[target.sampling]
    numbers = {
        "from_sampling": source.sampling,
        "to_sampling": target.sampling,
        "chroma_kept": min(1.0, after / before),
    }
    if after == before:  # 4:1:1 and 4:2:0: what one keeps across the other keeps down
        text = (
            f"{source.sampling} to {target.sampling}: as many chroma samples in other places, half of their detail kept"
        )
        return Step("sampling", "lossy", text, numbers | {"chroma_kept": 0.5})
    if after < before:
        kept = "half" if numbers["chroma_kept"] == 0.5 else "a quarter"
        return Step(
            "sampling", "lossy", f"{source.sampling} to {target.sampling}: {kept} of the chroma samples kept", numbers
        )
    return Step("sampling", "clean", f"{source.sampling} to {target.sampling}: chroma interpolated, none lost", numbers)

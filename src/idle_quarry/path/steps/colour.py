"""The colour step: primaries, transfer and matrix, with what falls outside the target."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from idle_quarry.path.grades import Step, percent
from idle_quarry.path.policies import Policy
from idle_quarry.signal.colour import (
    HDR_REFERENCE_WHITE_CDM2,
    MATRICES,
    PRIMARIES,
    TRANSFERS,
    gamut_outside,
    is_hdr,
    rolled_off_signal,
    tone_mapped_signal,
)
from idle_quarry.signal.formats import Encoding

#: Below this share of the u′v′ area a gamut is contained: BT.601 and BT.709 differ by more, rounding by less.
_CONTAINED = 0.0005


@dataclass(frozen=True)
class ColourStep(Step):
    """Primaries, transfers and matrices by their ids; the share of the source's colours outside the target's."""

    kind: ClassVar[str] = "colour"

    primaries_from: str
    primaries_to: str
    transfer_from: str
    transfer_to: str
    matrix_from: str
    matrix_to: str
    gamut_outside: float


def colour_step(source: Encoding, target: Encoding, policy: Policy) -> ColourStep | None:
    """Return the change of colour, or None where primaries, transfer and matrix agree."""
    before = (source.primaries, source.transfer, source.matrix)
    after = (target.primaries, target.transfer, target.matrix)
    if before == after:
        return None
    outside = gamut_outside(source.primaries, target.primaries)
    ends = (
        source.primaries,
        target.primaries,
        source.transfer,
        target.transfer,
        source.matrix,
        target.matrix,
        outside,
    )
    if policy.colour == "leave":
        dynamic = is_hdr(source.transfer) != is_hdr(target.transfer)
        text = "codes are read as the target's colour: " + (
            "highlights and contrast are wrong" if dynamic else "hues shift"
        )
        return ColourStep("broken" if dynamic else "lossy", text, *ends)
    parts: list[str] = []
    grade = "clean"
    if source.transfer != target.transfer:
        grade, text = transfer_words(source.transfer, target.transfer, policy.tone)
        parts.append(text)
    if source.primaries != target.primaries:
        names = f"{PRIMARIES[source.primaries].label} into {PRIMARIES[target.primaries].label}"
        if outside > _CONTAINED:
            grade = "lossy"
            fate = "are made paler until they fit" if policy.colour == "soften" else "lie outside"
            parts.append(f"{names}: {percent(outside)} of its colours {fate}")
        else:
            parts.append(f"{names}: all its colours are kept")
    if source.matrix != target.matrix:
        parts.append(f"matrix {MATRICES[source.matrix][0]} to {MATRICES[target.matrix][0]}")
    return ColourStep(grade, "; ".join(parts), *ends)


def transfer_words(source: str, target: str, tone: str) -> tuple[str, str]:
    """Return the grade of going from one transfer to another, and what it does in words."""
    names = f"{TRANSFERS[source][0]} to {TRANSFERS[target][0]}"
    if is_hdr(source) and not is_hdr(target):
        white = f"reference white ({_WHITE[source]})"
        if tone == "reference":
            return "lossy", f"{names}: {white} stays white (BT.2408), light above it is clipped; sub-black is clipped"
        soft = tone == "soft"
        signal = (rolled_off_signal if soft else tone_mapped_signal)(HDR_REFERENCE_WHITE_CDM2)
        lands = f"{percent(signal)} ({100 * signal**2.4:.1f} cd/m²)"
        clipped = ", above 1000 cd/m² it is clipped" if source == "pq" else ""
        bent = "light is rolled off into white (BT.2390)" if soft else "the whole scale is bent (BT.2446 A)"
        return (
            "lossy",
            f"{names}: {bent}{clipped}: {white} lands at {lands}; sub-black is clipped",
        )
    if source == "pq" and target == "hlg":
        return "lossy", f"{names}: light above the HLG display's peak, 1000 cd/m², is clipped"
    if is_hdr(target) and not is_hdr(source):
        return (
            "clean",
            f"{names}: SDR white placed at reference white, {_WHITE[target]} (BT.2408); sub-black is clipped",
        )
    if is_hdr(source):
        return "clean", names
    return "clean", f"{names}: sub-black and super-white are clipped"


#: Where reference white lies in each signal (BT.2408-7, table 1).
_WHITE = {"hlg": "75 %", "pq": "58 %"}

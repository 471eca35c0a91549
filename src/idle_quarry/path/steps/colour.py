"""The colour step: primaries, transfer and matrix, with what falls outside the target."""

from __future__ import annotations

from idle_quarry.path.grades import Step, percent
from idle_quarry.path.policies import Policy
from idle_quarry.signal.colour import MATRICES, PRIMARIES, TRANSFERS, gamut_outside, is_hdr
from idle_quarry.signal.formats import Encoding

#: Below this share of the u′v′ area a gamut is contained: BT.601 and BT.709 differ by more, rounding by less.
_CONTAINED = 0.0005


def colour_step(source: Encoding, target: Encoding, policy: Policy) -> Step | None:
    """Return the change of colour, or None where primaries, transfer and matrix agree."""
    before = (source.primaries, source.transfer, source.matrix)
    after = (target.primaries, target.transfer, target.matrix)
    if before == after:
        return None
    outside = gamut_outside(source.primaries, target.primaries)
    numbers = {
        "primaries_from": source.primaries,
        "primaries_to": target.primaries,
        "transfer_from": source.transfer,
        "transfer_to": target.transfer,
        "matrix_from": source.matrix,
        "matrix_to": target.matrix,
        "gamut_outside": outside,
    }
    if policy.colour == "leave":
        dynamic = is_hdr(source.transfer) != is_hdr(target.transfer)
        text = "codes are read as the target's colour: " + (
            "highlights and contrast are wrong" if dynamic else "hues shift"
        )
        return Step("colour", "broken" if dynamic else "lossy", text, numbers)
    parts: list[str] = []
    grade = "clean"
    if source.transfer != target.transfer:
        grade, text = _transfer(source.transfer, target.transfer)
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
    return Step("colour", grade, "; ".join(parts), numbers)


def _transfer(source: str, target: str) -> tuple[str, str]:
    names = f"{TRANSFERS[source][0]} to {TRANSFERS[target][0]}"
    if is_hdr(source) and not is_hdr(target):
        knee = "75 %" if source == "hlg" else "58 %"
        return "lossy", f"{names}: highlights above reference white ({knee}) are compressed (BT.2446)"
    if source == "pq" and target == "hlg":
        return "lossy", f"{names}: light above the HLG display's peak is compressed (BT.2408)"
    if is_hdr(target) and not is_hdr(source):
        return "clean", f"{names}: SDR white placed at reference white (BT.2408)"
    return "clean", names

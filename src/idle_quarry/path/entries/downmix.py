"""Fewer channels out of more: the coefficients of ITU-R BS.775-3, table 2.

The low-frequency channel is left out, as it is there.
"""

from __future__ import annotations

from collections.abc import Sequence
from math import sqrt

from idle_quarry.path.entries.sound import SHORT, SoundLayout

_HALF_POWER = 1 / sqrt(2)
#: Of each position that is wanted: what goes into it, and with what factor.
_INTO: dict[str, dict[str, float]] = {
    "left": {"left": 1.0, "centre": _HALF_POWER, "left surround": _HALF_POWER},
    "right": {"right": 1.0, "centre": _HALF_POWER, "right surround": _HALF_POWER},
    "mono": {
        "left": _HALF_POWER,
        "right": _HALF_POWER,
        "centre": 1.0,
        "left surround": 0.5,
        "right surround": 0.5,
        "mono": 1.0,
    },
}


def coefficients(have: Sequence[str], wanted: Sequence[str]) -> list[list[float]]:
    """Return the factors by which positions that are there go into those that are wanted: a row for each wanted one.

    A position that is there itself goes in as it is where nothing is folded into it.
    """
    folds = not set(have) <= set(wanted)
    rows = []
    for at in wanted:
        into = _INTO.get(at, {at: 1.0}) if folds else {at: 1.0}
        rows.append([into.get(there, 0.0) for there in have])
    return rows


def downmix_words(have: SoundLayout, wanted: SoundLayout) -> str:
    """Return how the full mix of a layout is folded into another's: "L + 0.71 C + 0.71 Ls, …"."""
    ours, theirs = have.positions(), wanted.positions()
    texts = []
    for row in coefficients(ours, theirs):
        parts = [
            f"{'' if factor == 1 else f'{factor:.2g} '}{SHORT[at]}"
            for at, factor in zip(ours, row, strict=True)
            if factor
        ]
        texts.append(" + ".join(parts))
    left_out = "; LFE is left out" if "LFE" in ours and "LFE" not in theirs else ""
    return ", ".join(texts) + left_out

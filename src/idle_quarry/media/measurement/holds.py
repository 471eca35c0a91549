"""Whole pictures shown more than once: which cadence holds them, told from the noise of the material itself.

A repeat that was coded differs from its picture by as much as the coding errs, which is more in some clips than
movement is in others. So nothing is held against a fixed floor: within a stretch of a run each cadence divides the
pairs into those that bring a new picture and those that repeat one, and what counts is the gap between the two, in
ln of mean square differences. Moving pictures without repeats have none at any cadence (less than 0.2 in all that was
tried); repeats stand out by 1 and more unless the coding drowns them, and then nothing can be said.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

#: Cadence → for each pair of its cycle whether it repeats a picture; the more new pictures the earlier. The unnamed
#: ones carry 4 of 5 and 5 of 6 pictures.
_CYCLES: tuple[tuple[str | None, tuple[bool, ...]], ...] = (
    ("2:2", (False, True)),
    ("3:2", (False, True, True, False, True)),
    ("3:3", (False, True, True)),
    ("4:4", (False, True, True, True)),
    ("5:5", (False, True, True, True, True)),
    (None, (False, False, False, False, True)),
    (None, (False, False, False, False, False, True)),
)
#: Pairs of a stretch, at the most; an edit that breaks the cadence spoils one stretch and not the others.
_STRETCH = 15
#: Of the blocks, the share that moves most is looked at.
_SHARE = 20
#: Repeats, and new pictures, that a stretch must have for a cadence to be read from it.
_LEAST_REPEATS = 3
#: A cadence with so much of the widest gap explains as much.
_AS_GOOD = 0.4
#: A gap so wide is a cadence.
LEAST_GAP = 0.5


@dataclass(frozen=True)
class HoldCadence:
    """The likeliest cadence of holds: its name, the share of frames that are new, its gap, which pairs repeat."""

    cadence: str | None
    share: Fraction
    gap: float
    repeats: NDArray[np.bool_]

    @property
    def certain(self) -> bool:
        """Whether the gap is wide enough to say that pictures are held."""
        return self.gap >= LEAST_GAP


def stretches(pairs: int) -> list[tuple[int, int]]:
    """Return where the stretches of a run begin and end (half open): as few as there can be, of like lengths."""
    count = max(1, -(-pairs // _STRETCH))
    edges = [pairs * n // count for n in range(count + 1)]
    return list(pairwise(edges))


def changes(difference: Array) -> Array:
    """Return ln of how much each pair of a run changes (n,), where most moves, from mean squares by blocks (n, blocks).

    Where most moves is asked for each stretch by the second largest change of a block, so that a cut does not choose.
    """
    result = np.zeros(len(difference))
    for start, stop in stretches(len(difference)):
        part = difference[start:stop]
        if not len(part):
            continue
        largest = np.sort(part, axis=0)[-min(2, len(part))]
        count = max(min(4, largest.size), largest.size // _SHARE)
        result[start:stop] = np.log(part[:, np.argsort(largest)[-count:]].mean(axis=1) + 1e-3)
    return result


def hold_of(runs: Sequence[Array]) -> HoldCadence:
    """Return the likeliest cadence of holds in runs of `changes`."""
    parts = [run[start:stop] for run in runs for start, stop in stretches(len(run))]
    level = max((float(np.sort(part)[-min(2, len(part))]) for part in parts if len(part)), default=0.0)
    hold_cadences = []
    for name, cycle in _CYCLES:
        gaps, repeats = [], []
        for part in parts:
            gap, pattern = _gap(part, cycle)
            repeats.append(pattern if gap > 0 else np.zeros(len(part), bool))
            # a stretch in which little moves says nothing of those in which much does
            if np.isfinite(gap) and float(np.sort(part)[-2]) > level - 3:
                gaps.append(gap)
        share = Fraction(len(cycle) - sum(cycle), len(cycle))
        gap = float(np.median(gaps)) if gaps else -np.inf
        hold_cadences.append(HoldCadence(name, share, gap, np.concatenate(repeats) if repeats else np.zeros(0, bool)))
    widest = max(hold_cadences, key=lambda hold: hold.gap)
    # every other cycle of 2:2 is one of 4:4 by chance: the simplest that explains as much
    return next((hold for hold in hold_cadences if hold.certain and hold.gap >= _AS_GOOD * widest.gap), widest)


def _gap(part: Array, cycle: tuple[bool, ...]) -> tuple[float, NDArray[np.bool_]]:
    """Return the widest gap between new pictures and repeats over the phases of a cycle, and which pairs repeat."""
    widest, chosen = -np.inf, np.zeros(len(part), bool)
    for phase in range(len(cycle)):
        repeats = np.resize(np.roll(np.array(cycle), -phase), len(part))
        if repeats.sum() < _LEAST_REPEATS or (~repeats).sum() < _LEAST_REPEATS:
            continue
        gap = float(np.percentile(part[~repeats], 15) - np.percentile(part[repeats], 85))
        if gap > widest:
            widest, chosen = gap, repeats
    return widest, chosen

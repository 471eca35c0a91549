"""What a clip's fields are: scan, field order, cadence, true rate, where they change, and how sure that is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from idle_quarry.media.measurement.measured import Fields, Stretch
from idle_quarry.media.measurement.structure import CYCLES, Decoded, Evidence, Segment, decoded, possible
from idle_quarry.signal.rates import NAMED_RATES

#: How likely a verdict is right, from ln(1 + margin), lg(1 + movement), their product and ln(growth): logistic
#: regression over 3000 draws of synthesised material; `benchmarks/calibration.py` fits them and shows the calibration.
_CONFIDENCE = {
    "progressive": (-2.619, -0.699, -0.727, 0.962, 1.456),
    "interlaced": (-3.293, 0.232, 0.273, 0.404, 0.956),
    "pulldown": (-3.831, 0.443, -0.572, 0.632, 2.062),
}
#: Nothing that is read from pictures is surer than this.
_SUREST = 0.99
#: Below this a verdict is not given.
LEAST_CONFIDENCE = 0.5
_MIXED_GAIN, _MIXED_PAIRS = 14.0, 5


@dataclass(frozen=True)
class RunSeen:
    """One unbroken run of frames that was looked at: the number of its first frame, and what its pairs say."""

    first: int
    found: Evidence


def described(structure: str) -> tuple[str, str | None, str | None]:
    """Return scan, field order and cadence of a structure."""
    if structure == "progressive":
        return "progressive", None, None
    if structure in ("top", "bottom"):
        return "interlaced", structure, None
    cadence, order = structure.split()
    return "pulldown", order, cadence


def confidence_of(group: str, margin: float, movement: float, growth: float) -> float:
    """Return the chance (0 to 0.99) that a verdict is right.

    `margin` in nats to the next likely structure, `movement` the mean square (8-bit codes) of the blocks that move
    most, `growth` of movement over two frames against one.
    """
    exponent = sum(w * f for w, f in zip(_CONFIDENCE[group], features_of(margin, movement, growth), strict=True))
    return float(min(_SUREST, 1 / (1 + np.exp(-exponent))))


def features_of(margin: float, movement: float, growth: float) -> tuple[float, ...]:
    """Return what confidence is computed from: 1, ln(1 + margin), lg(1 + movement), their product, ln(growth)."""
    amount, level = float(np.log1p(max(0.0, margin))), float(np.log10(movement + 1))
    return 1.0, amount, level, amount * level, float(np.log(min(4.0, max(0.3, growth))))


def fields_of(runs: Sequence[RunSeen], rate: Fraction | None, flagged_interlaced: bool) -> Fields:
    """Return what the runs of a clip say together.

    Progressive pictures in a clip whose flags say interlaced are PsF. Where nothing moves, or too little to tell, the
    scan is "undetermined" and the confidence that of the best guess, below a half.
    """
    runs = [run for run in runs if len(run.found.likelihood)]
    if not runs:
        return Fields("undetermined", None, None, None, 0.0, 0.0)
    found = decoded([run.found for run in runs], possible(rate))
    frames = np.concatenate([run.first + np.arange(len(run.found.likelihood)) for run in runs])
    strength = np.concatenate([run.found.strength for run in runs])
    same = np.concatenate([run.found.identical for run in runs])
    growth = float(np.median([run.found.growth for run in runs]))
    movement = float(np.percentile(strength, 80))
    marks = _marks(found, frames, strength, same)
    repeats = sum(1 for _, pattern in marks if pattern == "R")
    known = sum(1 for _, pattern in marks if pattern != "?")
    repeated = repeats / known if known else 0.0
    stretches = _stretches(found, frames)
    if len(stretches) > 1 and found.gain >= _MIXED_GAIN:
        sure = float(1 / (1 + np.exp(-2.2 * (np.log(found.gain) - 2.2))))
        return Fields("mixed", None, None, None, repeated, min(_SUREST, sure), stretches, _breaks(found, frames), marks)
    scan, order, cadence = described(found.best)
    group = scan if scan in _CONFIDENCE else "progressive"
    sure = confidence_of(group, found.margin, movement, growth)
    if sure < LEAST_CONFIDENCE:
        return Fields("undetermined", None, None, None, repeated, sure, marks=marks)
    true_rate = _true_rate(scan, cadence, rate)
    if scan == "progressive":
        cadence, share = _held(marks, rate)
        if rate is not None:
            true_rate = rate * share
        scan = "psf" if flagged_interlaced else scan
    whole = (Stretch(int(frames[0]), int(frames[-1]) + 2, scan, order, cadence),)
    breaks = _breaks(found, frames) if scan == "pulldown" else ()
    return Fields(scan, order, cadence, true_rate, repeated, sure, whole, breaks, marks)


def _true_rate(scan: str, cadence: str | None, rate: Fraction | None) -> Fraction | None:
    if rate is None:
        return None
    if scan == "interlaced":
        return rate * 2
    return rate * Fraction(4, 5) if cadence in ("2:3", "2:3:3:2") else rate


def _marks(
    found: Decoded, frames: NDArray[np.int64], strength: NDArray[np.float64], same: NDArray[np.bool_]
) -> tuple[tuple[int, str], ...]:
    """Return (frame, pattern) for each pair: "?" where too little moves to say, "R" where nothing changed at all."""
    patterns = [pattern for segment in found.segments for pattern in segment.patterns]
    quiet = max(4.0, 0.2 * float(np.percentile(strength, 80)))
    return tuple(
        (int(frame), "R" if identical else pattern if force >= quiet else "?")
        for frame, pattern, force, identical in zip(frames, patterns, strength, same, strict=True)
    )


def _stretches(found: Decoded, frames: NDArray[np.int64]) -> tuple[Stretch, ...]:
    """Return the lasting structures one after the other; short ones and near ones count as their neighbour's."""
    lasting = [s for s in found.segments if s.stop - s.start >= _MIXED_PAIRS]
    merged: list[Segment] = []
    for segment in lasting:
        if merged and _alike(merged[-1].structure, segment.structure):
            longer = max(merged[-1], segment, key=lambda s: s.stop - s.start)
            merged[-1] = Segment(longer.structure, merged[-1].start, segment.stop, (), ())
        else:
            merged.append(segment)
    starts = [int(frames[0]), *(int(frames[s.start]) for s in merged[1:])]
    stops = [*starts[1:], int(frames[-1]) + 2]
    return tuple(
        Stretch(start, stop, *described(segment.structure))
        for start, stop, segment in zip(starts, stops, merged, strict=False)
    )


def _alike(one: str, other: str) -> bool:
    """Return whether two structures are too like one another for a change between them to be believed.

    Whole pictures shifted by a field, and fields that hardly move, differ in one distance alone.
    """
    fields = {described(one)[1], described(other)[1]}
    return one == other or (
        len(fields) == 1 and None not in fields and not one.startswith("2:3") and not other.startswith("2:3")
    )


def _breaks(found: Decoded, frames: NDArray[np.int64]) -> tuple[int, ...]:
    """Return the frames at which a pulldown's cadence starts anew."""
    at = []
    for segment in found.segments:
        length = len(CYCLES[segment.structure])
        if segment.structure == "progressive" or length == 1:
            continue
        for offset, (before, after) in enumerate(pairwise(segment.phases), 1):
            one, other = frames[segment.start + offset - 1], frames[segment.start + offset]
            if other == one + 1 and after != (before + 1) % length:
                at.append(int(other) + 1)
    return tuple(at)


def _held(marks: Sequence[tuple[int, str]], rate: Fraction | None) -> tuple[str | None, Fraction]:
    """Return the cadence in which whole pictures are held, and the share of frames that are new pictures.

    Regular holds give their cadence ("2:2", "3:2", "4:4"); a single repeat at the interval of two standard rates (24
    in 25) gives the share of the standard rate without a name. (None, 1) where nothing is held.
    """
    holds: list[int] = []
    length = 0  # 0 until a hold's beginning was seen
    new_at: list[int] = []
    before: int | None = None
    repeats = known = 0
    for frame, pattern in marks:
        if pattern == "?" or (before is not None and frame != before + 1):
            length = 0
        if pattern == "R":
            length += 1 if length else 0
        elif pattern != "?":
            if length:
                holds.append(length)
            length = 1
            new_at.append(frame)
        known += pattern != "?"
        repeats += pattern == "R"
        before = frame
    whole = Fraction(1)
    if not repeats or len(holds) < 3:
        return None, whole
    counts = {hold: holds.count(hold) / len(holds) for hold in set(holds)}
    for hold in (2, 3, 4, 5):
        if counts.get(hold, 0) >= 0.85:
            return f"{hold}:{hold}", Fraction(1, hold)
    turns = sum({one, other} == {2, 3} for one, other in pairwise(holds))
    if counts.get(2, 0) + counts.get(3, 0) >= 0.9 and turns >= 0.8 * (len(holds) - 1):
        return "3:2", Fraction(2, 5)
    if rate is not None and repeats >= 3 and counts.get(2, 0) <= 0.55 and counts.get(1, 0) + counts.get(2, 0) >= 0.95:
        share = 1 - repeats / known
        near = min(NAMED_RATES.values(), key=lambda named: abs(named / rate - share))
        if near < rate and abs(float(near / rate) - share) < 0.25 * (1 - float(near / rate)):
            return None, near / rate
    return None, whole

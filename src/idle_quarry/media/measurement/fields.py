"""What a clip's fields are: scan, field order, cadence, true rate, where they change, and how sure that is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from idle_quarry.media.measurement.field_structure import (
    CYCLES,
    PairEvidence,
    Segment,
    StructurePath,
    decoded,
    possible,
)
from idle_quarry.media.measurement.holds import HoldCadence, hold_of
from idle_quarry.media.measurement.results import Fields, Stretch
from idle_quarry.signal.rates import NAMED_RATES

#: How likely a verdict is right, by `FieldsGuess.features`: logistic regression over draws of drawn and of real
#: material; `benchmarks/calibration.py` fits them and shows the calibration.
_CONFIDENCE = {
    "progressive": (1.661, 0.398, -1.41, 0.638, 1.191, -0.511, 0.667, -1.556),
    "held": (-0.214, 0.998, -1.276, 0.369, -0.969, 0.368, -0.373, -0.686),
    "interlaced": (-1.658, 0.467, 0.949, 0.236, 0.473, -0.273, 0.511, -0.892),
    "pulldown": (-2.443, 0.829, 0.293, 0.503, 2.067, 0.292, -0.58, -0.946),
    "mixed": (-0.476, 2.082, 0.316, 0.077, -0.788, 0.31, 0.035, -2.064),
}
#: Nothing that is read from pictures is surer than this.
_SUREST = 0.99
#: Below this a verdict is not given.
LEAST_CONFIDENCE = 0.5
_MIXED_GAIN, _MIXED_PAIRS = 14.0, 5


@dataclass(frozen=True)
class ExaminedRun:
    """One unbroken run of frames that was looked at: the number of its first frame, and what its pairs say."""

    first: int
    pairs: PairEvidence


def described(structure: str) -> tuple[str, str | None, str | None]:
    """Return scan, field order and cadence of a structure."""
    if structure == "progressive":
        return "progressive", None, None
    if structure in ("top", "bottom"):
        return "interlaced", structure, None
    cadence, order = structure.split()
    return "pulldown", order, cadence


@dataclass(frozen=True)
class FieldsGuess:
    """The likeliest answer for a clip, whether or not it is sure enough to be given, and what its confidence is of."""

    path: StructurePath
    hold: HoldCadence
    stretches: tuple[Stretch, ...]  # more than one where the clip changes
    movement: float  # mean square (8-bit codes) of the blocks that move most
    noise: float  # that of the quietest
    growth: float  # of movement over two frames against one

    @property
    def group(self) -> str:
        """The kind of answer, by which its confidence is computed."""
        if len(self.stretches) > 1:
            return "mixed"
        scan, _, _ = described(self.path.best)
        return "held" if scan == "progressive" and self.hold.certain else scan

    @property
    def features(self) -> tuple[float, ...]:
        """1, and seven figures: margin, movement, both, growth, how nearly pictures are held, noise, length."""
        margin = self.path.gain if self.group == "mixed" else self.path.margin
        amount, level = float(np.log1p(max(0.0, margin))), float(np.log10(self.movement + 1))
        pairs = sum(segment.stop - segment.start for segment in self.path.segments)
        return (
            1.0,
            amount,
            level,
            amount * level,
            float(np.log(min(4.0, max(0.3, self.growth)))),
            min(6.0, max(-2.0, self.hold.gap)),
            float(np.log10(self.noise + 0.1)),
            float(np.log(pairs)),
        )

    @property
    def confidence(self) -> float:
        """The chance (0 to 0.99) that the answer is right."""
        exponent = sum(w * f for w, f in zip(_CONFIDENCE[self.group], self.features, strict=True))
        return float(min(_SUREST, 1 / (1 + np.exp(-exponent))))


def guess_of(runs: Sequence[ExaminedRun], rate: Fraction | None) -> FieldsGuess:
    """Return the likeliest answer of runs that have pairs, one at the least."""
    likeliest = decoded([run.pairs for run in runs], possible(rate))
    stretches = _stretches(likeliest, _frames(runs))
    return FieldsGuess(
        likeliest,
        hold_of([run.pairs.changes for run in runs]),
        stretches if likeliest.gain >= _MIXED_GAIN else stretches[:1],
        float(np.percentile(np.concatenate([run.pairs.strength for run in runs]), 80)),
        float(np.median([run.pairs.noise for run in runs])),
        float(np.median([run.pairs.growth for run in runs])),
    )


def _frames(runs: Sequence[ExaminedRun]) -> NDArray[np.int64]:
    return np.concatenate([run.first + np.arange(len(run.pairs.likelihood)) for run in runs])


def fields_of(runs: Sequence[ExaminedRun], rate: Fraction | None, flagged_interlaced: bool) -> Fields:
    """Return what the runs of a clip say together.

    Progressive pictures in a clip whose flags say interlaced are PsF. Where nothing moves, or too little to tell, the
    scan is "undetermined" and the confidence that of the best guess, below a half.
    """
    runs = [run for run in runs if len(run.pairs.likelihood)]
    if not runs:
        return Fields("undetermined", None, None, None, 0.0, 0.0)
    guess, frames = guess_of(runs, rate), _frames(runs)
    likeliest, sure = guess.path, guess.confidence
    strength = np.concatenate([run.pairs.strength for run in runs])
    same = np.concatenate([run.pairs.identical for run in runs])
    marks = _marks(likeliest, frames, strength, same | guess.hold.repeats if guess.group == "held" else same)
    repeats = sum(1 for _, pattern in marks if pattern == "R")
    known = sum(1 for _, pattern in marks if pattern != "?")
    repeated = repeats / known if known else 0.0
    if sure < LEAST_CONFIDENCE:
        return Fields("undetermined", None, None, None, repeated, sure, marks=marks)
    if guess.group == "mixed":
        breaks = _breaks(likeliest, frames)
        return Fields(
            scan="mixed",
            field_order=None,
            cadence=None,
            true_rate=None,
            repeated_frames=repeated,
            confidence=sure,
            stretches=guess.stretches,
            breaks=breaks,
            marks=marks,
        )
    scan, order, cadence = described(likeliest.best)
    true_rate = _true_rate(scan, cadence, rate)
    if scan == "progressive":
        cadence, share = (guess.hold.cadence, guess.hold.share) if guess.group == "held" else _sparse(marks, rate)
        if rate is not None:
            true_rate = rate * share
        scan = "psf" if flagged_interlaced else scan
    whole = (Stretch(int(frames[0]), int(frames[-1]) + 2, scan, order, cadence),)
    breaks = _breaks(likeliest, frames) if scan == "pulldown" else ()
    return Fields(
        scan=scan,
        field_order=order,
        cadence=cadence,
        true_rate=true_rate,
        repeated_frames=repeated,
        confidence=sure,
        stretches=whole,
        breaks=breaks,
        marks=marks,
    )


def _true_rate(scan: str, cadence: str | None, rate: Fraction | None) -> Fraction | None:
    if rate is None:
        return None
    if scan == "interlaced":
        return rate * 2
    return rate * Fraction(4, 5) if cadence in ("2:3", "2:3:3:2") else rate


def _marks(
    likeliest: StructurePath, frames: NDArray[np.int64], strength: NDArray[np.float64], same: NDArray[np.bool_]
) -> tuple[tuple[int, str], ...]:
    """Return (frame, pattern) for each pair: "?" where too little moves to say, "R" where nothing changed at all."""
    patterns = [pattern for segment in likeliest.segments for pattern in segment.patterns]
    quiet = max(4.0, 0.2 * float(np.percentile(strength, 80)))
    return tuple(
        (int(frame), "R" if identical else pattern if force >= quiet else "?")
        for frame, pattern, force, identical in zip(frames, patterns, strength, same, strict=True)
    )


def _stretches(likeliest: StructurePath, frames: NDArray[np.int64]) -> tuple[Stretch, ...]:
    """Return the lasting structures one after the other; short ones and near ones count as their neighbour's."""
    lasting = [s for s in likeliest.segments if s.stop - s.start >= _MIXED_PAIRS]
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


def _breaks(likeliest: StructurePath, frames: NDArray[np.int64]) -> tuple[int, ...]:
    """Return the frames at which a pulldown's cadence starts anew."""
    at = []
    for segment in likeliest.segments:
        length = len(CYCLES[segment.structure])
        if segment.structure == "progressive" or length == 1:
            continue
        for offset, (before, after) in enumerate(pairwise(segment.phases), 1):
            one, other = frames[segment.start + offset - 1], frames[segment.start + offset]
            if other == one + 1 and after != (before + 1) % length:
                at.append(int(other) + 1)
    return tuple(at)


def _sparse(marks: Sequence[tuple[int, str]], rate: Fraction | None) -> tuple[None, Fraction]:
    """Return the share of frames that are new where now and then one is repeated, at the interval of two standard
    rates.

    So 24 in 25, whose repeats lie too far apart for a cadence to be seen in a stretch; 1 where nothing is held.
    """
    known = [pattern for _, pattern in marks if pattern != "?"]
    repeats = known.count("R")
    together = sum(one == other == "R" for (_, one), (_, other) in pairwise(marks))
    if rate is not None and repeats >= 3 and not together:
        share = 1 - repeats / len(known)
        near = min(NAMED_RATES.values(), key=lambda named: abs(named / rate - share))
        if near < rate and abs(float(near / rate) - share) < 0.25 * (1 - float(near / rate)):
            return None, near / rate
    return None, Fraction(1)

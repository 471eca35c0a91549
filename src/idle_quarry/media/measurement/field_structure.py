"""From the distances between fields to what a clip is: the likeliest structure, where it changes, how sure that is.

Every structure says which moment each field shows, and so how the distances of each pair of frames (see
`field_pairs`) stand to one another. A pair has one of ten patterns; a structure is a cycle of patterns (2:3 is a
cycle of five); a hidden Markov model over cycles and their phases finds the likeliest run of structures, with a
price for each break, and the likelihood of each structure alone.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from idle_quarry.media.measurement.holds import changes

Array = NDArray[np.float64]

PATTERNS = ("P", "R", "It", "Ib", "X1", "X2", "X3", "Y1", "Y2", "Y3")
#: Structure → cycle of patterns. P: another picture; R: the same picture again; It, Ib: fields of their own moments,
#: upper or lower first; X: pairs of a pulldown led by the upper field, Y: by the lower.
CYCLES: dict[str, tuple[str, ...]] = {
    "progressive": ("P",),
    "top": ("It",),
    "bottom": ("Ib",),
    "2:3 top": ("P", "X1", "X2", "X3", "P"),
    "2:3 bottom": ("P", "Y1", "Y2", "Y3", "P"),
    "2:3:3:2 top": ("P", "X1", "X3", "P", "P"),
    "2:3:3:2 bottom": ("P", "Y1", "Y3", "P", "P"),
    "2:2 top": ("X2",),
    "2:2 bottom": ("Y2",),
}
STRUCTURES = tuple(CYCLES)
#: How much farther fields two and three moments apart are than neighbours, as mean squares: for movement so fast
#: that all moments differ alike, for middling, and for slow movement (squares of 2 and 3).
_GROWTH = ((1.0, 1.15), (2.0, 2.6), (3.0, 5.5))
#: How much of a difference between moments shows as comb: less where the difference is fine in the vertical.
_COMBING = (1.0, 0.65, 0.35)
#: How large a pair's movement is against its neighbours': a cut is larger, a pause smaller.
_SCALES = ((5.0, 2.5), (2.0, 1.2), (1.0, 0.0), (0.6, 0.5), (0.3, 1.5), (0.13, 3.5))
_MODEL_ERROR = 0.13
_FLOOR = 9.0  # nats that one pair can say against a pattern: a flash or a dropout is no proof
#: No block differs by more than this: frames repeated, or coded as unchanged.
_IDENTICAL = 1e-3
#: Mean square movement at which a comb is as likely to be lost in coding as not.
_WEAK = 20.0
_BREAK, _CHANGE, _REPEAT = 6.0, 9.0, 1.5


def _expected(pattern: str, growth: tuple[float, float], combing: float) -> tuple[float, float, float, float]:
    """Return b − a, c − a, t, u for a pattern; 1 is the square of a difference of one moment."""
    two, three = growth
    b, c, t, u = {
        "P": (1.0, 1.0, 1.0, 1.0),
        "R": (0.0, 0.0, 0.0, 0.0),
        "It": (0.0, three - 1, two, two),
        "Ib": (three - 1, 0.0, two, two),
        "X1": (0.0, 1.0, 0.0, 1.0),
        "X2": (-1.0, two - 1, 1.0, 1.0),
        "X3": (-1.0, 0.0, 1.0, 0.0),
        "Y1": (1.0, 0.0, 1.0, 0.0),
        "Y2": (two - 1, -1.0, 1.0, 1.0),
        "Y3": (0.0, -1.0, 0.0, 1.0),
    }[pattern]
    largest = max(t, u) or 1.0
    return b * combing / largest, c * combing / largest, t / largest, u / largest


@lru_cache(maxsize=1)
def _models() -> tuple[Array, NDArray[np.int64], Array, Array]:
    """Return every variant's expectation (m, 4), its pattern (m,), its scale (m,) and its log prior (m,)."""
    expected, patterns, scales, priors = [], [], [], []
    for index, pattern in enumerate(PATTERNS):
        seen: set[tuple[float, ...]] = set()
        for growth in _GROWTH:
            for combing in _COMBING:
                vector = _expected(pattern, growth, combing)
                if vector in seen:
                    continue
                seen.add(vector)
                for scale, price in _SCALES if pattern != "R" else ((0.0, 0.0),):
                    expected.append([scale * value for value in vector])
                    patterns.append(index)
                    scales.append(scale)
                    priors.append(-price)
    prior = np.array(priors)
    chosen = np.array(patterns)
    for index in range(len(PATTERNS)):  # each pattern has one vote, however many variants
        prior[chosen == index] -= np.log(np.exp(prior[chosen == index]).sum())
    return np.array(expected), chosen, np.array(scales), prior


@dataclass(frozen=True)
class PairEvidence:
    """What the pairs of one run say: log likelihoods of the patterns (n, patterns), and how much moves."""

    likelihood: Array
    strength: Array  # mean square movement of the blocks that move most, (n,)
    identical: NDArray[np.bool_]  # whether nothing at all changes, (n,)
    changes: Array  # ln of how much changes where most moves, (n,): see `holds`
    noise: float  # mean square by which the quietest blocks differ
    growth: float  # movement over two frames against one: 1 where all is noise, up to 4 where it is slow and steady


def evidence(pairs: NDArray[np.float32]) -> PairEvidence:
    """Return what the distances of one unbroken run say, for `PairMeter.pairs` of shape (n, 6, rows, columns)."""
    n = pairs.shape[0]
    if n == 0:
        return PairEvidence(np.zeros((0, len(PATTERNS))), np.zeros(0), np.zeros(0, bool), np.zeros(0), 0.0, 1.0)
    flat = pairs.reshape(n, 6, -1).astype(np.float64)
    a, b, c, t, u, w = (flat[:, i] for i in range(6))
    largest = np.maximum(t, u)
    # what no picture moves by: the quietest blocks, where all is still
    noise = float(np.percentile(np.median(largest, axis=0), 5)) + 0.02
    around = np.stack([_shifted(largest, d) for d in (-2, -1, 0, 1, 2)])
    # the second largest: one cut must not make its neighbours look still
    move = np.sort(around, axis=0)[-2] - noise
    # only the blocks that move most are asked: noise of coding moves all of them a little, and in a coded frame both
    # fields alike, as progressive pictures do
    count = move.shape[1]
    strongest = np.sort(move, axis=1)[:, -max(1, min(count, max(4, count // 100)))]
    scale = np.maximum(move, 0.3 * noise + 0.05)
    weight = np.clip(move / np.maximum(strongest, 3 * noise + 0.5)[:, None] - 0.12, 0, 1)
    relative = np.stack([(b - a) / scale, (c - a) / scale, (t - noise) / scale, (u - noise) / scale], axis=1)
    relative = np.clip(relative, -4, 6)
    total = weight.sum(axis=1) + 1e-9
    mean = (relative * weight[:, None, :]).sum(axis=2) / total[:, None]
    spread = ((weight[:, None, :] * (relative - mean[:, :, None])) ** 2).sum(axis=2)
    few = 1.0 / np.maximum(total, 1e-3)  # too few blocks have no spread that could be trusted
    errors = np.sqrt(spread) / total[:, None] + 0.5 * few[:, None]
    expected, patterns, scales, prior = _models()
    sigma = np.sqrt(errors[:, None, :] ** 2 + (0.03 + _MODEL_ERROR * np.maximum(scales, 0.25))[None, :, None] ** 2)
    misfit = (mean[:, None, :] - expected[None]) / sigma
    item = -0.5 * np.minimum(misfit**2, 40).sum(axis=2) - np.log(sigma).sum(axis=2) + prior
    by_pattern = np.full((n, len(PATTERNS)), -np.inf)
    for index in range(len(PATTERNS)):
        mine = item[:, patterns == index]
        top = mine.max(axis=1)
        by_pattern[:, index] = top + np.log(np.exp(mine - top[:, None]).sum(axis=1))
    by_pattern -= by_pattern.max(axis=1, keepdims=True)
    growth = (weight[1:] * w[1:]).sum() / max(1e-6, (weight[1:] * t[1:]).sum()) if n > 1 else 1.0
    likelihood = np.maximum(by_pattern, -_FLOOR)
    # coders round weak combs away: pairs that seem whole pictures say less the less there moves
    whole = np.isin(likelihood.argmax(axis=1), (PATTERNS.index("P"), PATTERNS.index("R")))
    likelihood[whole] *= (strongest / (strongest + _WEAK))[whole, None]
    identical = largest.max(axis=1) < _IDENTICAL
    return PairEvidence(likelihood, strongest + noise, identical, changes((t + u) / 2), noise, float(growth))


def _shifted(values: Array, by: int) -> Array:
    """Return rows shifted along the first axis, ends repeated."""
    index = np.clip(np.arange(len(values)) + by, 0, len(values) - 1)
    return values[index]


@dataclass(frozen=True)
class State:
    """One place in a structure's cycle."""

    structure: str
    phase: int
    pattern: int


@lru_cache(maxsize=4)
def _states(structures: tuple[str, ...]) -> tuple[tuple[State, ...], Array]:
    """Return the states and the log price (states, states) of going from one to the next."""
    states = [
        State(structure, phase, PATTERNS.index(pattern))
        for structure in structures
        for phase, pattern in enumerate(CYCLES[structure])
    ]
    states.append(State("progressive", 1, PATTERNS.index("R")))
    count = len(states)
    price = np.full((count, count), _CHANGE)
    for i, state in enumerate(states):
        for j, other in enumerate(states):
            if state.structure != other.structure:
                continue
            if state.structure == "progressive":
                price[i, j] = _REPEAT if other.phase else 0.0
            else:
                price[i, j] = 0.0 if other.phase == (state.phase + 1) % len(CYCLES[state.structure]) else _BREAK
    return tuple(states), price


@dataclass(frozen=True)
class Segment:
    """Pairs `start` to `stop` (half open) that are of one structure, with the pattern and phase of each."""

    structure: str
    start: int
    stop: int
    patterns: tuple[str, ...]
    phases: tuple[int, ...]


@dataclass(frozen=True)
class StructurePath:
    """The likeliest run of structures, its log likelihood, and that of each structure alone."""

    segments: tuple[Segment, ...]
    free: float
    alone: dict[str, float]

    @property
    def best(self) -> str:
        """The structure that is likeliest for all of it."""
        return max(self.alone, key=lambda structure: self.alone[structure])

    @property
    def margin(self) -> float:
        """How much likelier the best is than the next, in nats."""
        first, second = sorted(self.alone.values())[-1:-3:-1]
        return first - second

    @property
    def gain(self) -> float:
        """How much likelier it is that structures change than that one holds throughout, in nats."""
        return self.free - self.alone[self.best]


def possible(rate: Fraction | None) -> tuple[str, ...]:
    """Return the structures that exist at a frame rate: 2:3 spreads 24 pictures over fields at 30 and 29.97 only."""
    if rate is None or rate * Fraction(4, 5) in (24, Fraction(24000, 1001)):
        return STRUCTURES
    return tuple(structure for structure in STRUCTURES if not structure.startswith("2:3"))


def decoded(runs: Sequence[PairEvidence], structures: tuple[str, ...] = STRUCTURES) -> StructurePath:
    """Return the likeliest structures of runs of one clip, in order; pairs are numbered through all runs.

    Between runs lies an unknown length of clip: a cycle may go on at any phase.
    """
    states, price = _states(structures)
    likelihood = np.concatenate([run.likelihood for run in runs]) if runs else np.zeros((0, len(PATTERNS)))
    emitted = likelihood[:, [state.pattern for state in states]]
    joins = set(np.cumsum([len(run.likelihood) for run in runs[:-1]]).tolist())
    same = np.array([[state.structure == other.structure for other in states] for state in states])
    joining = np.where(same, 0.0, _CHANGE)
    path, free = _best_path(emitted, price, joining, joins)
    alone = {}
    for structure in structures:
        own = [i for i, state in enumerate(states) if state.structure == structure]
        block = np.ix_(own, own)
        alone[structure] = _best_path(emitted[:, own], price[block], joining[block], joins)[1]
    segments: list[Segment] = []
    start = 0
    for n in range(1, len(path) + 1):
        if n == len(path) or states[path[n]].structure != states[path[start]].structure:
            run = [states[path[i]] for i in range(start, n)]
            patterns, phases = tuple(PATTERNS[s.pattern] for s in run), tuple(s.phase for s in run)
            segments.append(Segment(run[0].structure, start, n, patterns, phases))
            start = n
    return StructurePath(tuple(segments), free, alone)


def _best_path(emitted: Array, price: Array, joining: Array, joins: set[int]) -> tuple[list[int], float]:
    """Return the likeliest states (Viterbi) and the path's log likelihood."""
    n = len(emitted)
    if n == 0:
        return [], 0.0
    score = emitted[0].copy()
    back = np.zeros((n, emitted.shape[1]), np.int64)
    for i in range(1, n):
        arriving = score[:, None] - (joining if i in joins else price)
        back[i] = arriving.argmax(axis=0)
        score = arriving[back[i], np.arange(len(score))] + emitted[i]
    last = int(score.argmax())
    path = [last]
    for i in range(n - 1, 0, -1):
        path.append(int(back[i, path[-1]]))
    return path[::-1], float(score[last])

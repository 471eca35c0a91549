"""Taking a pulldown out of frames whose cadence breaks: the phase of every frame is found, then each run is taken
apart.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.media.measurement.field_pairs import PairMeter
from idle_quarry.media.measurement.field_structure import CYCLES, PATTERNS, evidence
from idle_quarry.picture.fields import pulled_up

#: Phases of a cycle whose frame is woven of two pictures, by cadence.
_MIXED = {"2:3": (2, 3), "2:3:3:2": (2,)}
#: What it costs to begin the cadence anew, nats: little where all of the picture changes at once, as at a cut.
_BREAK, _BREAK_AT_CUT = 10.0, 0.0
#: A pair of frames that differs this many times as much as pairs around it is a cut.
_CUT = 2.5
#: What a frame's own comb says for or against its being woven of two pictures, nats at the most.
_COMB_SAYS = 4.0
#: A picture that combs so many nats more than the least of its run is not one picture.
_NOT_ONE = 1.0
#: What a repeated field, or the lack of one, says of a pair, nats at the most.
_REPEAT_SAYS = 12.0


@dataclass(frozen=True)
class PulldownRun:
    """Frames `start` to `stop` (half open) of one unbroken cadence, the first of them `phase` frames into its cycle."""

    start: int
    stop: int
    phase: int


def cadence_runs(frames: Sequence[NDArray[Any]], cadence: str, order: str) -> list[PulldownRun]:
    """Return the unbroken runs of a pulldown.

    Parameters
    ----------
    frames
        Luma (h, w) of each frame, 0…1.
    cadence
        "2:3" or "2:3:3:2".
    order
        The field that comes first: "top" or "bottom".

    Raises
    ------
    KeyError
        For another cadence.

    References
    ----------
    SMPTE RP 197.
    """
    structure = f"{cadence} {order}"
    patterns = [PATTERNS.index(pattern) for pattern in CYCLES[structure]]
    meter = PairMeter()
    for frame in frames:
        meter.take(np.rint(np.clip(frame, 0, 1) * 1023).astype(np.uint16), 10)
    likelihood = evidence(meter.pairs).likelihood[:, patterns] + _repeats(meter.pairs, CYCLES[structure])
    price = np.where(_cuts(meter.pairs), _BREAK_AT_CUT, _BREAK)
    own = _woven_or_whole(frames, cadence, len(patterns))
    phases, breaks = _likeliest(likelihood, price, own)
    edges = [0, *(int(n) + 1 for n in np.flatnonzero(breaks)), len(frames)]
    runs = [PulldownRun(start, stop, phases[start]) for start, stop in pairwise(edges)]
    for n in range(len(runs) - 1):
        runs[n], runs[n + 1] = _parted(frames, runs[n], runs[n + 1], cadence, order)
    return runs


def _parted(
    frames: Sequence[NDArray[Any]], before: PulldownRun, after: PulldownRun, cadence: str, order: str
) -> tuple[PulldownRun, PulldownRun]:
    """Return two neighbouring runs parted where the pictures that come out of both comb least, a frame or two aside."""
    cycle = len(CYCLES[f"{cadence} {order}"])
    best: tuple[tuple[float, int], PulldownRun, PulldownRun] | None = None
    for moved in (0, -1, 1, -2, 2):
        at = after.start + moved
        if not before.start < at < after.stop:
            continue
        run, other = (
            PulldownRun(before.start, at, before.phase),
            PulldownRun(at, after.stop, (after.phase + moved) % cycle),
        )
        # a cycle on each side is enough to see it
        head = max(run.start, at - cycle)
        near = pulled_up(frames[head:at], cadence, order, (run.phase + head - run.start) % cycle)
        far = pulled_up(frames[at : at + cycle], cadence, order, other.phase)
        combs = [float(np.maximum(_excess(side), 0).sum()) for side in (near, far) if side]
        key = round(sum(combs), 1), -len(near) - len(far)
        if best is None or key < best[0]:
            best = key, run, other
    assert best is not None
    return best[1], best[2]


def _excess(pictures: Sequence[NDArray[Any]]) -> NDArray[np.float64]:
    """Return how much more each of some pictures of one shot combs than the least, nats; below 0 none does."""
    ratios = np.log([_combed(picture) for picture in pictures])
    return np.asarray(ratios - ratios.min() - 0.7)


def _repeats(pairs: NDArray[np.float32], patterns: Sequence[str]) -> NDArray[np.float64]:
    """Return what repeated fields say of each pattern, nats, (pairs, patterns): they are the cadence's own mark.

    The first field of a pair of frames is repeated in X1 and Y3, the second in X3 and Y1, and in no others.
    """
    upper, lower = (pairs[:, n].mean(axis=(1, 2)).astype(np.float64) + 1e-6 for n in (3, 4))
    share = np.log(upper / lower)  # far below 0 where the upper field is a repeat, far above where the lower one is
    marks = {"X1": -share, "Y3": -share, "X3": share, "Y1": share}
    says = [
        (
            np.clip(2 * (marks[pattern] - 2), -_REPEAT_SAYS, 0)
            if pattern in marks
            else -np.clip(2 * (np.abs(share) - 2), 0, _REPEAT_SAYS)
        )
        for pattern in patterns
    ]
    return np.asarray(np.stack(says, axis=1))


def _cuts(pairs: NDArray[np.float32]) -> NDArray[np.bool_]:
    """Return for each pair of frames whether all of the picture changes at once, (pairs,)."""
    apart = pairs[:, 3:5].max(axis=1).mean(axis=(1, 2)).astype(np.float64)
    padded = np.pad(apart, 3, mode="reflect") if len(apart) > 3 else apart
    around = np.median(np.lib.stride_tricks.sliding_window_view(padded, 7), axis=1) if len(apart) > 3 else apart
    return np.asarray(apart > _CUT * (around + 0.1))


def _woven_or_whole(frames: Sequence[NDArray[Any]], cadence: str, cycle: int) -> NDArray[np.float64]:
    """Return what each frame's own comb says of each phase, nats, (frames, phases)."""
    ratio = np.array([_combed(frame) for frame in frames])
    # of any four neighbours two at least are whole; of both sides that one counts which is of this frame's own shot
    padded = np.pad(ratio, 3, mode="edge")
    least = np.lib.stride_tricks.sliding_window_view(padded, 4).min(axis=1)
    whole = np.maximum(np.maximum(least[:-3], least[3:]), 1e-3)
    says = np.clip(3 * (np.log(ratio / whole) - 0.7), -_COMB_SAYS, _COMB_SAYS)
    mixed = np.array([phase in _MIXED[cadence] for phase in range(cycle)])
    return np.asarray(np.where(mixed[None, :], says[:, None], -says[:, None]) / 2)


def _combed(frame: NDArray[Any]) -> float:
    """Return how much more a picture parts over one line than over two: a whole one less, whatever it shows, a comb
    more.
    """
    lines = np.asarray(frame, np.float64)
    near = np.square(2 * lines[2:-2] - lines[1:-3] - lines[3:-1]).mean()
    far = np.square(2 * lines[2:-2] - lines[:-4] - lines[4:]).mean()
    return float(near / (far + 1e-9))


def _likeliest(
    pairs: NDArray[np.float64], price: NDArray[np.float64], own: NDArray[np.float64]
) -> tuple[list[int], list[bool]]:
    """Return each frame's likeliest phase, and after which frames the cadence begins anew (Viterbi)."""
    count, cycle = own.shape
    score = own[0].copy()
    came = np.zeros((count, cycle), np.int64)
    broke = np.zeros((count, cycle), bool)
    for n in range(1, count):
        on = np.roll(score + pairs[n - 1], 1)  # phase p comes from p − 1, whose pair this was
        best = int(score.argmax())
        anew = score[best] - price[n - 1]
        broke[n] = anew > on
        came[n] = np.where(broke[n], best, (np.arange(cycle) - 1) % cycle)
        score = np.maximum(on, anew) + own[n]
    phases = [int(score.argmax())]
    breaks = []
    for n in range(count - 1, 0, -1):
        breaks.append(bool(broke[n, phases[-1]]))
        phases.append(int(came[n, phases[-1]]))
    return phases[::-1], breaks[::-1]

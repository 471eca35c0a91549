"""Resampling kernels and what they weigh: one line of samples into another, any scale and offset.

A kernel is a function of distance in samples of the coarser of the two lines. Where a line is reduced, the kernel is
widened by the ratio, which makes it the low-pass that reduction needs. Sources: Keys 1981 (Catmull-Rom, a = −½);
Mitchell and Netravali 1988 (B = C = ⅓); Duchon 1979 (Lanczos); the spline through 36 samples of a 6 × 6 window.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix, diags_array, eye_array

from idle_quarry.errors import NotPossible

Distances = NDArray[np.float64]


@dataclass(frozen=True)
class Kernel:
    """A kernel's name, how far it reaches in samples, its weight at a distance, and two sentences that explain it."""

    id: str
    reach: float
    weigh: Callable[[Distances], Distances]
    text: str


def _nearest(x: Distances) -> Distances:
    # half open, so that a place between two samples takes one of them
    return ((x > -0.5) & (x <= 0.5)).astype(np.float64)


def _bilinear(x: Distances) -> Distances:
    return np.asarray(np.maximum(0.0, 1 - np.abs(x)))


def _cubic(b: float, c: float) -> Callable[[Distances], Distances]:
    """Return the cubic of Mitchell and Netravali's family."""

    def weigh(x: Distances) -> Distances:
        x = np.abs(x)
        near = ((12 - 9 * b - 6 * c) * x**3 + (-18 + 12 * b + 6 * c) * x**2 + (6 - 2 * b)) / 6
        far = ((-b - 6 * c) * x**3 + (6 * b + 30 * c) * x**2 + (-12 * b - 48 * c) * x + (8 * b + 24 * c)) / 6
        return np.where(x < 1, near, np.where(x < 2, far, 0.0))

    return weigh


def _lanczos(lobes: int) -> Callable[[Distances], Distances]:
    def weigh(x: Distances) -> Distances:
        return np.where(np.abs(x) < lobes, np.sinc(x) * np.sinc(x / lobes), 0.0)

    return weigh


def _gaussian(x: Distances) -> Distances:
    # standard deviation of half a sample; cut where less than a part in 3000 is left
    return np.where(np.abs(x) <= 2, np.exp(-2 * x**2), 0.0)


def _spline36(x: Distances) -> Distances:
    x = np.abs(x)
    y, z = x - 1, x - 2
    first = ((13 / 11 * x - 453 / 209) * x - 3 / 209) * x + 1
    second = ((-6 / 11 * y + 270 / 209) * y - 156 / 209) * y
    third = ((1 / 11 * z - 45 / 209) * z + 26 / 209) * z
    return np.where(x < 1, first, np.where(x < 2, second, np.where(x < 3, third, 0.0)))


KERNELS: dict[str, Kernel] = {
    kernel.id: kernel
    for kernel in (
        Kernel(
            "nearest", 0.5, _nearest, "Each sample is the nearest one's copy. Edges step and fine lines come and go."
        ),
        Kernel(
            "area",
            0.5,
            _nearest,
            "Each sample is the mean of what it covers. Right for large reductions; enlarged, it is nearest.",
        ),
        Kernel("bilinear", 1, _bilinear, "Two neighbours are mixed by distance. Soft, and without any ringing."),
        Kernel(
            "bicubic",
            2,
            _cubic(0, 0.5),
            "Four neighbours, through every sample (Catmull-Rom). Sharp enough, with little ringing.",
        ),
        Kernel(
            "mitchell",
            2,
            _cubic(1 / 3, 1 / 3),
            "Four neighbours, a little blur for a little less ringing. The middle between soft and sharp.",
        ),
        Kernel("gaussian", 2, _gaussian, "A bell without lobes. The softest, and never beyond the values it is given."),
        Kernel(
            "lanczos2", 2, _lanczos(2), "Four neighbours under a windowed sinc. Sharp, with one ring at hard edges."
        ),
        Kernel(
            "lanczos3", 3, _lanczos(3), "Six neighbours under a windowed sinc. Sharper, with two rings at hard edges."
        ),
        Kernel(
            "lanczos4",
            4,
            _lanczos(4),
            "Eight neighbours under a windowed sinc. The sharpest, and it rings the farthest.",
        ),
        Kernel(
            "spline36",
            3,
            _spline36,
            "Six neighbours, a spline through them. As sharp as Lanczos 3 with a little less ringing.",
        ),
    )
}


@lru_cache(maxsize=256)
def line_weights(source: int, target: int, scale: float, offset: float, kernel: str) -> csr_matrix:
    """Return the weights (target, source), float32, that bring a line of `source` samples to one of `target`.

    `scale` is target samples for each source sample, `offset` where the source's left edge lies on the target, in
    target samples. Every row adds up to 1; beyond the source's ends its end samples go on (see `covered`).
    Raises `NotPossible` for a scale of 0 or less, and `KeyError` for an unknown kernel.
    """
    if scale <= 0 or source < 1 or target < 1:
        raise NotPossible("a line is scaled by more than nothing", subject=f"{source} to {target} by {scale}")
    result = KERNELS[kernel]
    widened = max(1.0, 1 / scale) if kernel != "nearest" else 1.0
    centres = (np.arange(target) + 0.5 - offset) / scale - 0.5
    taps = int(np.ceil(result.reach * widened)) * 2 + 1
    first = np.floor(centres).astype(np.int64) - taps // 2
    places = first[:, None] + np.arange(taps + 1)[None, :]
    weights = result.weigh((places - centres[:, None]) / widened)
    if kernel == "area" and scale < 1:
        # the exact share of each source sample that a target sample covers
        low, high = centres - widened / 2, centres + widened / 2
        weights = np.clip(np.minimum(places + 0.5, high[:, None]) - np.maximum(places - 0.5, low[:, None]), 0, 1)
    total = weights.sum(axis=1, keepdims=True)
    weights = np.divide(weights, total, out=np.zeros_like(weights), where=np.abs(total) > 1e-9)
    rows = np.repeat(np.arange(target), places.shape[1])
    columns = np.clip(places, 0, source - 1).ravel()
    matrix = csr_matrix((weights.ravel().astype(np.float32), (rows, columns)), shape=(target, source))
    matrix.sum_duplicates()
    matrix.eliminate_zeros()
    return matrix


@dataclass(frozen=True, eq=False)
class WeightBand:
    """Weights of a line: for each sample the first of its sources, and its weights from there on (target, taps),
    float32.
    """

    at: NDArray[np.int32]
    weights: NDArray[np.float32]


@lru_cache(maxsize=256)
def line_band(source: int, target: int, scale: float, offset: float, kernel: str) -> WeightBand:
    """Return `line_weights` as a band."""
    return _band(line_weights(source, target, scale, offset, kernel))


@dataclass(frozen=True, eq=False)
class Block:
    """Weights of neighbouring target samples `first` to `last` from source samples `low` to `high` (half open).

    Dense, (high − low, last − first), float32: most of it is nothing, and multiplied in no time all the same.
    """

    first: int
    last: int
    low: int
    high: int
    weights: NDArray[np.float32]


#: Target samples in a block: a matrix product wants some, and every more multiplies by nothing more often.
_BLOCK = 48


@lru_cache(maxsize=64)
def line_blocks(
    source: int, target: int, scale: float, offset: float, kernel: str, ends: tuple[int, int]
) -> tuple[Block, ...]:
    """Return `line_weights` of the target samples within `ends`, cut into blocks along its diagonal."""
    weights = line_weights(source, target, scale, offset, kernel)
    blocks = []
    for first in range(*ends, _BLOCK):
        rows = weights[first : min(first + _BLOCK, ends[1])]
        low, high = (int(rows.indices.min()), int(rows.indices.max()) + 1) if rows.nnz else (0, 1)
        blocks.append(
            Block(first, first + rows.shape[0], low, high, np.ascontiguousarray(rows[:, low:high].toarray().T))
        )
    return tuple(blocks)


@lru_cache(maxsize=64)
def field_band(
    source: int,
    target: int,
    scale: float,
    offset: float,
    kernel: str,
    parity: int,
    softened: bool,
    ends: tuple[int, int],
) -> WeightBand:
    """Return the weights of every second line of `target`, from `parity` on; those outside `ends` are nothing.

    With `softened`, lines are those of a picture softened down its lines by (1, 2, 1)/4, its end lines repeated. A
    source of as many lines in the same place is taken line by line.
    """
    same = source == target and (scale, offset) == (1.0, 0.0)
    weights = (
        eye_array(target, format="csr", dtype=np.float32)
        if same
        else line_weights(source, target, scale, offset, kernel)
    )
    inside = np.zeros(target, np.float32)
    inside[ends[0] : ends[1]] = 1
    weights = diags_array(inside) @ weights
    if softened:
        repeated = np.zeros(target)
        repeated[[0, -1]] = 0.25
        soft = diags_array(
            [np.full(target - 1, 0.25), np.full(target, 0.5) + repeated, np.full(target - 1, 0.25)], offsets=[-1, 0, 1]
        )
        weights = soft @ weights
    return _band(csr_matrix(weights)[parity::2])


@dataclass(frozen=True, eq=False)
class Phases:
    """Weights of a line whose samples repeat: each round makes `makes` samples of `takes`.

    Rounds `begin` to `end` weigh alike.

    For each sample the first of its sources, and its weights (target, taps), float32.
    """

    at: NDArray[np.int32]
    weights: NDArray[np.float32]
    makes: int
    takes: int
    begin: int
    end: int


#: A round of more samples, or a shorter line, is not worth its own loop.
_MOST_OF_A_ROUND, _SHORTEST = 4, 64


@lru_cache(maxsize=64)
def line_phases(source: int, target: int, scale: float, offset: float, kernel: str) -> Phases | None:
    """Return `line_weights` as phases, None where they do not repeat after a few samples."""
    ratio = Fraction(scale).limit_denominator(_MOST_OF_A_ROUND)
    makes, takes = ratio.numerator, ratio.denominator
    if abs(float(ratio) - scale) > 1e-12 or makes > _MOST_OF_A_ROUND or min(source, target) < _SHORTEST:
        return None
    band = line_band(source, target, scale, offset, kernel)
    at, table = band.at.astype(np.int64), band.weights
    rounds = target // makes
    middle = rounds // 2 * makes
    alike = np.ones(rounds, bool)
    for p in range(makes):
        own = np.arange(rounds) * makes + p
        apart = np.abs(table[own] - table[middle + p]).max(axis=1)
        alike &= (apart < 1e-7) & (at[own] - at[middle + p] == takes * (np.arange(rounds) - rounds // 2))
    odd = np.flatnonzero(~alike)
    begin = int(odd[odd < rounds // 2].max(initial=-1)) + 1
    end = int(odd[odd > rounds // 2].min(initial=rounds))
    return Phases(band.at, table, makes, takes, begin, end) if end > begin else None


def _band(weights: csr_matrix) -> WeightBand:
    counts = np.diff(weights.indptr)
    there = counts > 0
    lows, highs = np.zeros(len(counts), np.int64), np.zeros(len(counts), np.int64)
    starts = weights.indptr[:-1][there]
    lows[there], highs[there] = (
        np.minimum.reduceat(weights.indices, starts),
        np.maximum.reduceat(weights.indices, starts),
    )
    taps = int((highs - lows).max()) + 1
    at = np.minimum(lows, weights.shape[1] - taps)  # each row may read as many, and none beyond the end
    table = np.zeros((len(counts), taps), np.float32)
    rows = np.repeat(np.arange(len(counts)), counts)
    table[rows, weights.indices - at[rows]] = weights.data
    return WeightBand(at.astype(np.int32), table)


def covered(source: int, target: int, scale: float, offset: float) -> NDArray[np.bool_]:
    """Return for each of `target` samples whether its centre lies on the source line, shape (target,)."""
    places = (np.arange(target) + 0.5 - offset) / scale
    return np.asarray((places >= -1e-9) & (places <= source + 1e-9))

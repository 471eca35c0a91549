"""Lines brought to another number of samples where both repeat after a few: what is not so is a matrix product."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

Samples = NDArray[np.float32]
Places = NDArray[np.int32]


@njit(cache=True, nogil=True, error_model="numpy", fastmath=True)
def phased(
    first: int, last: int, source: Samples, at: Places, weights: Samples, makes: int, takes: int, begin: int, end: int, out: Samples
) -> None:  # pragma: no cover  # fmt: skip
    """Put rows `first` to `last` into `out`: sample x is the sum over t of weights[x, t] · source[row, at[x] + t].

    Each round makes `makes` samples of `takes`; rounds `begin` to `end` (not held) weigh alike. Samples are laid out by their
    place in a round, so that all of one place are done together.
    """
    taps, width, length = weights.shape[1], weights.shape[0], source.shape[1]
    rounds = end - begin
    streams = np.zeros((takes, length // takes + 1), np.float32)
    line = np.empty(rounds, np.float32)
    for row in range(first, last):
        given, made = source[row], out[row]
        for n in range(takes):  # slices, whose indices cannot be below 0, let eight samples be done at once
            every = given[n::takes]
            streams[n, : len(every)] = every
        for p in range(makes):
            head = makes * begin + p
            for t in range(taps):
                weight, place = weights[head, t], at[head] + t
                part = streams[place % takes, place // takes : place // takes + rounds]
                if t == 0:
                    for i in range(rounds):
                        line[i] = weight * part[i]
                elif weight != 0:
                    for i in range(rounds):
                        line[i] += weight * part[i]
            made[head : head + makes * rounds : makes] = line
        for n in range(width - makes * rounds):  # the ends, whose weights lie beyond the line in part
            x = n if n < makes * begin else n + makes * rounds
            total = np.float32(0)
            for t in range(taps):
                total += weights[x, t] * given[at[x] + t]
            made[x] = total


@njit(cache=True, nogil=True, error_model="numpy", fastmath=True)
def down(
    first: int, last: int, source: Samples, at: Places, weights: Samples, out: Samples
) -> None:  # pragma: no cover
    """Put rows `first` to `last` into `out`: row y is the sum over t of weights[y, t] times the source's row at[y] + t."""
    taps, width = weights.shape[1], source.shape[1]
    for row in range(first, last):
        _summed(source, at[row], weights[row], taps, out[row, :width])


@njit(cache=True, nogil=True, error_model="numpy", fastmath=True)
def _summed(source: Samples, begin: int, weights: Samples, taps: int, made: Samples) -> None:  # pragma: no cover
    """Put a weighted sum of rows into `made`, four at a time: less is read and written in between."""
    made[:] = np.float32(0)
    for t in range(0, taps - 3, 4):
        a, b, c, d = weights[t], weights[t + 1], weights[t + 2], weights[t + 3]
        if a == 0 and b == 0 and c == 0 and d == 0:
            continue
        one, two, three, four = source[begin + t], source[begin + t + 1], source[begin + t + 2], source[begin + t + 3]
        for x in range(len(made)):
            made[x] += a * one[x] + b * two[x] + c * three[x] + d * four[x]
    for t in range(taps // 4 * 4, taps):
        weight, row = weights[t], source[begin + t]
        if weight != 0:
            for x in range(len(made)):
                made[x] += weight * row[x]

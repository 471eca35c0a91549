"""Lines brought to another number of samples where both repeat after a few: what is not so is a matrix product."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from idle_quarry.compiling.loop import loop

Samples = NDArray[np.float32]
Places = NDArray[np.int32]

_compiled = loop(error_model="numpy", fastmath=True)


@_compiled
def _mixed(
    out: Samples,
    fresh: bool,
    a: float,
    one: Samples,
    b: float,
    two: Samples,
    c: float,
    three: Samples,
    d: float,
    four: Samples,
) -> None:  # pragma: no cover
    """Put four weighed lines into `out`, or add them to what is there: less is read and written than one by one."""
    if fresh:
        for x in range(len(out)):
            out[x] = a * one[x] + b * two[x] + c * three[x] + d * four[x]
    else:
        for x in range(len(out)):
            out[x] += a * one[x] + b * two[x] + c * three[x] + d * four[x]


@_compiled
def _summed(source: Samples, begin: int, weights: Samples, out: Samples) -> None:  # pragma: no cover
    """Put a weighted sum of rows, from `begin` on, into `out`."""
    taps = len(weights)
    fresh = True
    for t in range(0, taps, 4):
        a = weights[t]
        b = weights[t + 1] if t + 1 < taps else np.float32(0)
        c = weights[t + 2] if t + 2 < taps else np.float32(0)
        d = weights[t + 3] if t + 3 < taps else np.float32(0)
        if a == 0 and b == 0 and c == 0 and d == 0:
            continue
        last = len(source) - 1
        one, two = source[min(begin + t, last)], source[min(begin + t + 1, last)]
        three, four = source[min(begin + t + 2, last)], source[min(begin + t + 3, last)]
        _mixed(out, fresh, a, one, b, two, c, three, d, four)
        fresh = False
    if fresh:
        out[:] = np.float32(0)


@_compiled
def _apart(given: Samples, takes: int, streams: Samples) -> None:  # pragma: no cover
    """Lay a line's samples out by their place in a round of `takes`: steps that are known take many at once."""
    count = len(given) // takes
    if takes == 2:
        one, two = streams[0], streams[1]
        for i in range(count):
            one[i], two[i] = given[2 * i], given[2 * i + 1]
    elif takes == 3:
        one, two, three = streams[0], streams[1], streams[2]
        for i in range(count):
            one[i], two[i], three[i] = given[3 * i], given[3 * i + 1], given[3 * i + 2]
    else:
        for n in range(takes):
            every = given[n::takes]
            streams[n, : len(every)] = every
        return
    for x in range(count * takes, len(given)):
        streams[x % takes, x // takes] = given[x]


@_compiled
def _together(lines: Samples, makes: int, out: Samples) -> None:  # pragma: no cover
    """Put the lines of a round's places beside one another."""
    rounds = lines.shape[1]
    if makes == 1:
        out[:rounds] = lines[0]
    elif makes == 2:
        one, two = lines[0], lines[1]
        for i in range(rounds):
            out[2 * i], out[2 * i + 1] = one[i], two[i]
    else:
        for p in range(makes):
            out[p : makes * rounds : makes] = lines[p]


@_compiled
def _part(streams: Samples, place: int, takes: int, rounds: int) -> Samples:  # pragma: no cover
    return streams[place % takes, place // takes : place // takes + rounds]


@_compiled
def _across(
    given: Samples,
    at: Places,
    weights: Samples,
    makes: int,
    takes: int,
    begin: int,
    end: int,
    streams: Samples,
    lines: Samples,
    out: Samples,
) -> None:  # pragma: no cover
    """Put a line fitted across into `out`: sample x is the sum over t of weights[x, t] · given[at[x] + t].

    Each round makes `makes` samples of `takes`; rounds `begin` to `end` (not held) weigh alike, and are made place by
    place.
    """
    taps, width, rounds = weights.shape[1], weights.shape[0], end - begin
    if takes == 1:
        streams[0, : len(given)] = given
    else:
        _apart(given, takes, streams)
    zero = np.float32(0)
    for p in range(makes):
        head = makes * begin + p
        line, first, own = lines[p], at[head], weights[head]
        fresh = True
        for t in range(0, taps, 4):
            a = own[t]
            b = own[t + 1] if t + 1 < taps else zero
            c = own[t + 2] if t + 2 < taps else zero
            d = own[t + 3] if t + 3 < taps else zero
            if a == 0 and b == 0 and c == 0 and d == 0:
                continue
            # a place that weighs nothing may lie beyond the line
            one = _part(streams, first + (t if a != 0 else 0), takes, rounds)
            two = _part(streams, first + (t + 1 if b != 0 else 0), takes, rounds)
            three = _part(streams, first + (t + 2 if c != 0 else 0), takes, rounds)
            four = _part(streams, first + (t + 3 if d != 0 else 0), takes, rounds)
            _mixed(line, fresh, a, one, b, two, c, three, d, four)
            fresh = False
        if fresh:
            line[:] = zero
    _together(lines, makes, out[makes * begin : makes * end])
    for n in range(width - makes * rounds):  # the ends, whose weights lie beyond the line in part
        x = n if n < makes * begin else n + makes * rounds
        total = zero
        for t in range(taps):
            total += weights[x, t] * given[at[x] + t]
        out[x] = total


@_compiled
def fitted(
    first: int,
    last: int,
    source: Samples,
    down_at: Places,
    down_weights: Samples,
    at: Places,
    weights: Samples,
    makes: int,
    takes: int,
    begin: int,
    end: int,
    out: Samples,
) -> None:  # pragma: no cover
    """Put rows `first` to `last` into `out`: each summed down and then fitted across while it is at hand."""
    length = source.shape[1]
    streams = np.zeros((takes, length // takes + 1), np.float32)
    lines, row_summed = np.empty((makes, end - begin), np.float32), np.empty(length, np.float32)
    for row in range(first, last):
        _summed(source, down_at[row], down_weights[row], row_summed)
        _across(row_summed, at, weights, makes, takes, begin, end, streams, lines, out[row])


@_compiled
def phased(
    first: int,
    last: int,
    source: Samples,
    at: Places,
    weights: Samples,
    makes: int,
    takes: int,
    begin: int,
    end: int,
    out: Samples,
) -> None:  # pragma: no cover
    """Put rows `first` to `last`, fitted across, into `out`."""
    streams = np.zeros((takes, source.shape[1] // takes + 1), np.float32)
    lines = np.empty((makes, end - begin), np.float32)
    for row in range(first, last):
        _across(source[row], at, weights, makes, takes, begin, end, streams, lines, out[row])


@_compiled
def down(
    first: int, last: int, source: Samples, at: Places, weights: Samples, out: Samples
) -> None:  # pragma: no cover
    """Put rows `first` to `last` into `out`: row y is the sum over t of weights[y, t] times the source's row at[y]
    + t.
    """
    width = source.shape[1]
    for row in range(first, last):
        _summed(source, at[row], weights[row], out[row, :width])

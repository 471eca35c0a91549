"""Shares of the programme: per cent, in tenths, that make a hundred."""

from __future__ import annotations

from collections.abc import Sequence


def rounded_to(total: float, parts: Sequence[float]) -> list[float]:
    """Return `parts` scaled to `total`, in tenths that add up to it exactly; all alike where they are all 0.

    What rounding leaves over goes to those that lost most by it (largest remainder).

    >>> rounded_to(100, [1, 1, 1])
    [33.4, 33.3, 33.3]
    """
    if not parts:
        return []
    whole = sum(parts)
    tenths = [10 * total * (part / whole if whole else 1 / len(parts)) for part in parts]
    counts = [int(tenth) for tenth in tenths]
    by_loss = sorted(range(len(parts)), key=lambda n: counts[n] - tenths[n])
    for n in by_loss[: round(10 * total) - sum(counts)]:
        counts[n] += 1
    return [number / 10 for number in counts]


def with_another(shares: Sequence[float]) -> list[float]:
    """Return the shares of sources when one more comes: it takes its equal part, the others give way in proportion."""
    count = len(shares) + 1
    own = rounded_to(100, [1.0] * count)[-1]
    return [*rounded_to(100 - own, list(shares)), own]

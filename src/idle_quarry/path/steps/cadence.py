"""Cadences: which source picture each output picture shows, and how often it repeats or drops."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from math import ceil, erf, floor, log, sqrt

#: Ratios (output moments to source pictures) that the trade runs every day and can take apart again.
_CADENCES: dict[Fraction, str] = {
    Fraction(2): "2:2",
    Fraction(3): "3:3",
    Fraction(4): "4:4",
    Fraction(5): "5:5",
    Fraction(5, 2): "2:3",
}
#: Ratios a pair can be meant to have, each with how far off it may be: 24 and 25 are taken for one
#: another, 24 and 30 only for what pulldown makes of them.
_MEANT = [(Fraction(n, d), Fraction(1, 20)) for n, d in ((1, 1), (2, 1), (1, 2), (4, 1), (1, 4))]
_MEANT += [(Fraction(n, d), Fraction(1, 500)) for n, d in ((5, 2), (2, 5), (5, 4), (4, 5))]


def is_pulldown(pictures: Fraction, fields: Fraction) -> bool:
    """Return whether `fields` a second carry `pictures` a second in an exact 2:3 cadence."""
    return fields / pictures == Fraction(5, 2)


def cadence_name(source: Fraction, target: Fraction) -> str | None:
    """Return the cadence's name where each picture is shown a regular number of times, or None."""
    return _CADENCES.get(target / source)


def drift_seconds_per_hour(source: Fraction, target: Fraction) -> float:
    """Return by how many seconds an hour of source runs short when counted one for one at the target.

    Taken against the simple ratio the pair is meant to have: 3.6 for 29.97 into 30 or 60, 0 for 25
    into 50, 144 for 24 into 25; 0 where no simple ratio is near.
    """
    ratio = target / source
    near = [ratio / simple for simple, off in _MEANT if abs(ratio / simple - 1) < off]
    if not near:
        return 0.0
    rest = min(near, key=lambda value: abs(value - 1))
    return float(3600 * (1 - 1 / rest))


@dataclass(frozen=True)
class CadenceCell:
    """One output picture: the source picture it shows, and how ("new", "repeated", "blended")."""

    source: Fraction
    kind: str


#: Methods that make pictures between two.
BLENDING = ("blend", "compensated")


def shown_at(source: Fraction, target: Fraction, method: str, index: int) -> Fraction:
    """Return at which source picture output picture `index` looks: between two where the method makes such pictures."""
    if method in ("speed", "none"):
        return Fraction(index)
    if method in BLENDING:
        return index * source / target
    # each output picture shows what is on at its middle: 24 in 60 begins with two fields, then three
    middle = Fraction(2 * index + 1, 2) * source / target
    return Fraction(middle.numerator // middle.denominator)


def ribbon(
    source: Fraction, target: Fraction, method: str, count: int, mix: str = "distance", shutter: float = 360.0
) -> tuple[CadenceCell, ...]:
    """Return the first `count` output pictures of a conversion from `source` to `target` moments a second.

    A mix that is weighed by a curve stands where the middle of what it is made of lies.
    """
    cells: list[CadenceCell] = []
    if method == "blend" and mix != "distance":
        for index in range(count):
            weights = weights_at(source, target, mix, shutter, index)
            middle = Fraction(sum(n * weight for n, weight in weights)).limit_denominator(1000)
            cells.append(CadenceCell(middle, "blended" if len(weights) > 1 else "new"))
        return tuple(cells)
    blends = method in BLENDING
    before = -1
    for index in range(count):
        exact = shown_at(source, target, method, index)
        if blends and exact.denominator != 1:
            cells.append(CadenceCell(exact, "blended"))
            before = int(exact)
            continue
        shown = exact.numerator // exact.denominator
        cells.append(CadenceCell(Fraction(shown), "repeated" if shown == before else "new"))
        before = shown
    return tuple(cells)


def weights_at(
    source: Fraction, target: Fraction, mix: str, shutter: float, index: int
) -> tuple[tuple[int, float], ...]:
    """Return which source pictures an output picture is mixed of and how much of each, by a curve over its shutter.

    The shutter is centred on the output picture's own time and lasts so many degrees of it (360: all of it). A box
    counts all of it alike; a triangle and a bell fall to half at its ends. Each source picture counts by what of the
    curve lies in its time.
    """
    width = float(source / target) * shutter / 360
    centre = float(Fraction(2 * index + 1, 2) * source / target)
    reach = {"box": 0.5, "triangle": 1.0, "gaussian": 1.5}[mix] * width
    first, last = floor(centre - reach + 1e-9), ceil(centre + reach - 1e-9) - 1
    results = [
        (n, _below((n + 1 - centre) / width, mix) - _below((n - centre) / width, mix)) for n in range(first, last + 1)
    ]
    total = sum(weight for _, weight in results)
    return tuple((n, weight / total) for n, weight in results if weight > 1e-6 * total)


def _below(x: float, mix: str) -> float:
    """Return how much of a curve of one width lies below `x` widths from its middle, 0 to 1."""
    if mix == "box":
        return min(1.0, max(0.0, x + 0.5))
    if mix == "triangle":
        x = min(1.0, max(-1.0, x))
        return 0.5 + x - x * abs(x) / 2
    return 0.5 * (1 + erf(x * sqrt(4 * log(2))))  # its half width is one

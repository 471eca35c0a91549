"""Cadences: which source picture each output picture shows, and how often it repeats or drops."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

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
    rest = min(near, key=lambda each: abs(each - 1))
    return float(3600 * (1 - 1 / rest))


@dataclass(frozen=True)
class Cell:
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


def ribbon(source: Fraction, target: Fraction, method: str, count: int) -> tuple[Cell, ...]:
    """Return the first `count` output pictures of a conversion from `source` to `target` moments a second."""
    cells: list[Cell] = []
    blends = method in BLENDING
    before = -1
    for index in range(count):
        exact = shown_at(source, target, method, index)
        if blends and exact.denominator != 1:
            cells.append(Cell(exact, "blended"))
            before = int(exact)
            continue
        shown = exact.numerator // exact.denominator
        cells.append(Cell(Fraction(shown), "repeated" if shown == before else "new"))
        before = shown
    return tuple(cells)

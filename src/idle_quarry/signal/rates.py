"""Frame rates: the exact fractions, their names and their families."""

from __future__ import annotations

import re
from fractions import Fraction

from idle_quarry.errors import NotUnderstood

_PULLED = Fraction(1000, 1001)

#: Name in the trade → exact value. SMPTE ST 2036-1, ST 274, ST 296, ST 2048-1 (24, 48), BT.2020 (120).
NAMED_RATES: dict[str, Fraction] = {
    "23.976": 24 * _PULLED,
    "24": Fraction(24),
    "25": Fraction(25),
    "29.97": 30 * _PULLED,
    "30": Fraction(30),
    "47.952": 48 * _PULLED,
    "48": Fraction(48),
    "50": Fraction(50),
    "59.94": 60 * _PULLED,
    "60": Fraction(60),
    "100": Fraction(100),
    "119.88": 120 * _PULLED,
    "120": Fraction(120),
}
_OTHER_NAMES = {"23.98": 24 * _PULLED, "47.95": 48 * _PULLED, "23.9760": 24 * _PULLED}
_NAME_OF = {value: name for name, value in NAMED_RATES.items()}
_FASTEST = Fraction(1000)


def rate_from_text(text: str) -> Fraction:
    """Return the exact frame rate, in frames a second, that `text` names.

    Names of the trade stand for their fractions ("29.97" is 30000/1001); "n/d" and plain numbers are
    taken as they are. Raises `NotUnderstood` for anything else, for zero and for more than 1000.

    >>> rate_from_text("23.98")
    Fraction(24000, 1001)
    """
    cleaned = text.strip()
    named = NAMED_RATES.get(cleaned) or _OTHER_NAMES.get(cleaned)
    if named is not None:
        return named
    if not re.fullmatch(r"\d{1,7}(\.\d{1,6})?|\d{1,7}/\d{1,7}", cleaned, re.ASCII):
        raise NotUnderstood(
            "not a frame rate", subject=repr(text), remedy="type frames a second, such as 25, 29.97 or 24000/1001"
        )
    try:
        rate = Fraction(cleaned)
    except ZeroDivisionError:
        rate = Fraction(0)
    if not 0 < rate <= _FASTEST:
        raise NotUnderstood("a frame rate lies above 0 and at or below 1000", subject=repr(text))
    return (_NAME_OF.get(rate) and rate) or nearest_named_rate(rate) or rate


def nearest_named_rate(rate: Fraction, tolerance: Fraction = Fraction(1, 20000)) -> Fraction | None:
    """Return the standard rate within `tolerance` (a share of the rate) of `rate`, or None.

    Containers with coarse clocks write 23.976024 or 19001/317; the standard rate is meant.
    """
    best = min(NAMED_RATES.values(), key=lambda named: abs(named - rate))
    return best if abs(best - rate) <= best * tolerance else None


def rate_text(rate: Fraction) -> str:
    """Return the trade's name of a rate ("29.97"), or the number or fraction where it has none."""
    name = _NAME_OF.get(rate)
    if name is not None:
        return name
    return str(rate.numerator) if rate.denominator == 1 else f"{rate.numerator}/{rate.denominator}"


#: Rates that people say for others: in a 59.94 Hz country "60" is 59.94 and "30" is 29.97.
ASKED_RATES = {"30": "29.97", "60": "59.94"}


def unmistakable_rate(rate: Fraction) -> str:
    """Return the trade's name of a rate as a format has it: with decimals where the bare number is said for another.

    >>> unmistakable_rate(Fraction(60)), unmistakable_rate(Fraction(50))
    ('60.00', '50')
    """
    name = rate_text(rate)
    return f"{name}.00" if name in ASKED_RATES else name


def rate_fraction_text(rate: Fraction) -> str:
    """Return "numerator/denominator", always with both."""
    return f"{rate.numerator}/{rate.denominator}"


def counting_base(rate: Fraction) -> int:
    """Return how many frame numbers timecode counts to a second at `rate` (30 for 30000/1001)."""
    return -(-rate.numerator // rate.denominator)


def rate_family(rate: Fraction) -> str:
    """Return the family of a standard rate ("50 Hz", "59.94 Hz", "60 Hz"): rates that divide one another, or that a
    cadence joins.

    What is no standard rate is a family of its own, called by its name.
    """
    if rate not in _NAME_OF:
        return rate_text(rate)
    if is_pulled(rate):
        return "59.94 Hz"
    return "50 Hz" if rate % 25 == 0 else "60 Hz"


def is_pulled(rate: Fraction) -> bool:
    """Return whether `rate` is a whole rate slowed by 1000/1001."""
    return rate.denominator == 1001


def counterpart(rate: Fraction) -> Fraction | None:
    """Return the rate that is confused with this one: 30 for 30000/1001 and back, or None."""
    other = rate / _PULLED if is_pulled(rate) else rate * _PULLED
    return other if other in _NAME_OF else None

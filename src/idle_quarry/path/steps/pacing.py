"""Which moments of two formats are matched when rates differ: whole frames, or fields singly; and by which method."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

from idle_quarry.path.policies import Policy
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rates import counterpart, is_pulled

_SPEED_PAIRS = ({Fraction(24), Fraction(25)}, {Fraction(24000, 1001), Fraction(25)})
#: Rates this near, as a share, are taken for one another: 30 and 30000/1001 are, 24 and 25 are not.
_NEAR = Fraction(1, 500)


def pace(source: SignalFormat, target: SignalFormat, method: str) -> tuple[Fraction, Fraction]:
    """Return the moments a second that are retimed at each side, for a method of retiming.

    Where one side has fields and the other whole pictures, a picture stands against a whole frame (both of its fields
    show it, or one of two moments is left) where the rates are the same or nearly so, and by speed wherever the frame
    rate is nearer than the field rate: 24 pictures become the 25 frames of 1080i25, 60 the 59.94 fields of 1080i29.97.
    Otherwise fields count singly. By "slowed" the source is first played at the rate of the target's family.
    """
    if method == "slowed":
        source = off_speed(source, target)
    if (source.scan == "interlaced") != (target.scan == "interlaced"):
        pictures, frames = (source, target) if target.scan == "interlaced" else (target, source)
        apart = _apart(pictures.rate, frames.rate)
        if apart <= 1 + _NEAR or (method == "speed" and apart <= _apart(pictures.rate, frames.moments)):
            return source.rate, target.rate
    return source.moments, target.moments


def off_speed(source: SignalFormat, target: SignalFormat) -> SignalFormat:
    """Return the format that a source has when it is played 0.1 % off speed, in the target's family of rates; the
    source itself where no thousandth lies between the two families.
    """
    other = counterpart(source.rate)
    differ = is_pulled(source.rate) != is_pulled(target.rate) and target.rate % 25 != 0
    return replace(source, rate=other) if differ and other is not None else source


def speed_of(source: SignalFormat, target: SignalFormat, policy: Policy) -> Fraction:
    """Return how much faster than it was shot a source is played by a policy: 1 where it keeps its speed."""
    method = retiming(source, target, policy)
    if method == "slowed":
        return off_speed(source, target).rate / source.rate
    if method != "speed":
        return Fraction(1)
    before, after = pace(source, target, method)
    return after / before


def _apart(a: Fraction, b: Fraction) -> Fraction:
    return max(a / b, b / a)


def retiming(source: SignalFormat, target: SignalFormat, policy: Policy) -> str:
    """Return the method a policy comes to for a pair: none, speed, slowed, nearest, blend, compensated, refuse."""
    method: str = policy.retime
    if method == "slowed":
        before, after = pace(source, target, method)
        if off_speed(source, target) == source:
            method = "nearest"
        else:  # what only had to be slowed is by speed alone
            return "speed" if before == after else method
    if method == "auto":
        method = "speed" if {source.rate, target.rate} in _SPEED_PAIRS else "nearest"
    before, after = pace(source, target, method)
    return "none" if before == after else method

"""The rate step: speed, repeats, drops, blends and cadences, exactly counted."""

from __future__ import annotations

import math
from fractions import Fraction
from typing import Any

from idle_quarry.path.grades import Step
from idle_quarry.path.policies import Policy
from idle_quarry.path.steps.cadence import cadence_name, drift_seconds_per_hour
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rates import counterpart, rate_text

_SPEED_PAIRS = ({Fraction(24), Fraction(25)}, {Fraction(24000, 1001), Fraction(25)})


def pace(source: SignalFormat, target: SignalFormat) -> tuple[Fraction, Fraction]:
    """Return the moments a second that are retimed at each side.

    Whole pictures put into fields at their own rate are one moment a frame; otherwise fields count singly.
    """
    if source.scan != "interlaced" and target.scan == "interlaced" and source.rate == target.rate:
        return source.rate, source.rate
    return source.moments, target.moments


def retiming(source: SignalFormat, target: SignalFormat, policy: Policy) -> str:
    """Return the method a policy comes to for a pair: none, speed, nearest, blend, compensated, refuse."""
    before, after = pace(source, target)
    if before == after:
        return "none"
    if policy.retime == "auto":
        return "speed" if {source.rate, target.rate} in _SPEED_PAIRS and source.scan != "interlaced" else "nearest"
    return policy.retime


def rate_step(source: SignalFormat, target: SignalFormat, policy: Policy) -> Step | None:
    """Return what the change of rate does, or None where moments agree."""
    method = retiming(source, target, policy)
    before, after = pace(source, target)
    if method == "none":
        return None
    if source.scan == "interlaced" and target.scan != "interlaced" and after == source.rate:
        return None  # 1080i25 to 25 whole pictures: deinterlacing has said that every second moment goes
    name_before, name_after = rate_text(source.rate), rate_text(target.rate)
    numbers: dict[str, Any] = {
        "method": method,
        "speed": Fraction(1),
        "repeated": 0.0,
        "dropped": 0.0,
        "blended": 0.0,
        "drift_seconds_per_hour": drift_seconds_per_hour(before, after),
        "pitch_semitones": 0.0,
    }
    if method == "refuse":
        return Step("rate", "broken", f"{name_before} is not taken at {name_after} by this policy", numbers)
    if method == "speed":
        speed = target.rate / source.rate
        numbers["speed"] = speed
        numbers["pitch_semitones"] = 12 * math.log2(speed)
        quicker = float(abs(speed - 1)) * 100
        text = (
            f"played at {name_after} instead of {name_before}: {quicker:.2f} % {'faster' if speed > 1 else 'slower'}, "
            f"an hour lasts {_hour(speed)}, pitch {numbers['pitch_semitones']:+.3f} semitones unless corrected"
        )
        return Step("rate", "lossy" if speed != 1 else "clean", text, numbers)
    ratio = before / after
    cadence = cadence_name(before, after)
    if cadence and method == "nearest":
        return _cadence_step(source, target, cadence, numbers)
    if method == "nearest":
        numbers["repeated"] = float(max(Fraction(0), 1 - ratio) * 1000)
        numbers["dropped"] = float(max(Fraction(0), ratio - 1) * 1000)
        return Step("rate", "lossy", _nearest_text(source, target, before, after), numbers)
    numbers["blended"] = float(1000 * (1 - Fraction(1, ratio.denominator)))
    if ratio > 1 and ratio.denominator == 1:
        numbers["dropped"] = float((ratio - 1) * 1000)
    share = f"{numbers['blended'] / 10:.1f} %"
    made = "mixed from two neighbours" if method == "blend" else "made along the motion"
    return Step("rate", "lossy", f"{name_before} to {name_after}: {share} of pictures are {made}", numbers)


def _cadence_step(source: SignalFormat, target: SignalFormat, cadence: str, numbers: dict[str, Any]) -> Step:
    """Return the step of a regular cadence: undone without loss, but motion is no smoother than before."""
    pictures_per_frame = source.rate / target.rate
    numbers["repeated"] = float(max(Fraction(0), 1 - pictures_per_frame) * 1000)
    if target.scan != "interlaced":
        cadence = "3:2" if cadence == "2:3" else cadence
    numbers["method"] = f"cadence {cadence}"
    numbers["cadence"] = cadence
    what = "fields" if target.scan == "interlaced" else "pictures"
    return Step(
        "rate",
        "clean",
        f"{rate_text(source.rate)} in {rate_text(target.moments)} {what} a second by {cadence}; can be taken out again",
        numbers,
    )


def _nearest_text(source: SignalFormat, target: SignalFormat, before: Fraction, after: Fraction) -> str:
    what = "field" if target.scan == "interlaced" else "picture"
    names = f"{rate_text(source.rate)} to {rate_text(target.rate)}"
    apart = abs(before - after)
    act = "repeated" if before < after else "dropped"
    if apart >= 1:
        each = f"{_number(float(apart))} {what}s a second are {act}"
    else:
        each = f"one {what} {act} every {float(1 / apart):.1f} s"
    if counterpart(source.rate) == target.rate:
        each += f": a visible hitch; counted one for one it drifts {abs(drift_seconds_per_hour(before, after)):.1f} s an hour"
    return f"{names}: {each}"


def _number(value: float) -> str:
    return f"{value:.2f}".rstrip("0").rstrip(".")


def _hour(speed: Fraction) -> str:
    seconds = float(3600 / speed)
    minutes, rest = divmod(seconds, 60)
    return f"{int(minutes)} min {rest:.0f} s" if rest >= 0.5 else f"{int(minutes)} min"

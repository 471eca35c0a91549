"""The rate step: speed, repeats, drops, blends and cadences, exactly counted."""

from __future__ import annotations

import math
from fractions import Fraction
from typing import Any

from idle_quarry.path.grades import Step
from idle_quarry.path.policies import Policy
from idle_quarry.path.steps.cadence import cadence_name, drift_seconds_per_hour
from idle_quarry.path.steps.pacing import pace, retiming
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rates import counterpart, rate_text


def rate_step(source: SignalFormat, target: SignalFormat, policy: Policy) -> Step | None:
    """Return what the change of rate does, or None where moments agree."""
    method = retiming(source, target, policy)
    if method == "none":
        return None
    before, after = pace(source, target, method)
    name_before, name_after = (
        _counted(before, source, before != source.rate),
        _counted(after, target, after != target.rate),
    )
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
        speed = after / before
        numbers["speed"] = speed
        numbers["pitch_semitones"] = 12 * math.log2(speed)
        quicker = float(abs(speed - 1)) * 100
        text = (
            f"played at {name_after} instead of {name_before}: {quicker:.2f} % {'faster' if speed > 1 else 'slower'}, "
            f"an hour lasts {_hour(speed)}, pitch {numbers['pitch_semitones']:+.3f} semitones unless corrected"
        )
        return Step("rate", "lossy" if speed != 1 else "clean", text, numbers)
    cadence = cadence_name(before, after)
    if cadence and method == "nearest":
        return _cadence_step(source, target, cadence, numbers)
    if method == "nearest":
        if source.scan == "interlaced" and target.scan != "interlaced" and after <= source.rate:
            before = source.rate  # the scan step has said that every second moment goes: what goes beyond is counted
            name_before, name_after = rate_text(before), rate_text(after)
        ratio = before / after
        numbers["repeated"] = float(max(Fraction(0), 1 - ratio) * 1000)
        numbers["dropped"] = float(max(Fraction(0), ratio - 1) * 1000)
        what = "field" if target.scan == "interlaced" and after != target.rate else "picture"
        return Step("rate", "lossy", f"{name_before} to {name_after}: {_repeats(what, before, after)}", numbers)
    ratio = before / after
    numbers["blended"] = float(1000 * (1 - Fraction(1, ratio.denominator)))
    if ratio > 1 and ratio.denominator == 1:
        numbers["dropped"] = float((ratio - 1) * 1000)
    share = f"{numbers['blended'] / 10:.1f} %"
    made = "mixed from two neighbours" if method == "blend" else "made along the motion"
    return Step("rate", "lossy", f"{name_before} to {name_after}: {share} of pictures are {made}", numbers)


def _counted(rate: Fraction, fmt: SignalFormat, singly: bool) -> str:
    """Return a rate with its unit where fields are counted singly: "50 fields", else "25"."""
    return f"{rate_text(rate)} fields" if singly and fmt.scan == "interlaced" else rate_text(rate)


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


def _repeats(what: str, before: Fraction, after: Fraction) -> str:
    """Return in words how often something is repeated or dropped between two paces."""
    apart = abs(before - after)
    act = "repeated" if before < after else "dropped"
    if apart >= 1:
        text = f"one {what} a second is {act}" if apart == 1 else f"{_number(float(apart))} {what}s a second are {act}"
    else:
        text = f"one {what} {act} every {float(1 / apart):.1f} s"
    if counterpart(before) == after:
        text += f": a visible hitch; counted one for one it drifts {abs(drift_seconds_per_hour(before, after)):.1f} s an hour"
    return text


def _number(value: float) -> str:
    return f"{value:.2f}".rstrip("0").rstrip(".")


def _hour(speed: Fraction) -> str:
    seconds = float(3600 / speed)
    minutes, rest = divmod(seconds, 60)
    return f"{int(minutes)} min {rest:.0f} s" if rest >= 0.5 else f"{int(minutes)} min"

"""The rate step: speed, repeats, drops, blends and cadences, exactly counted."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any, ClassVar

from idle_quarry.path.grades import Step
from idle_quarry.path.policies import Policy
from idle_quarry.path.steps.cadence import cadence_name, drift_seconds_per_hour, weights_at
from idle_quarry.path.steps.pacing import off_speed, pace, retiming
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rates import counterpart, rate_text


@dataclass(frozen=True)
class RateStep(Step):
    """Counts are per 1000 output frames; `played` says how fast it runs, where it is played at another speed.

    `method` is the policy's: speed, slowed, nearest, blend, compensated or refuse; `cadence` names a regular one,
    "2:3".
    """

    kind: ClassVar[str] = "rate"

    method: str
    speed: Fraction = Fraction(1)
    repeated: float = 0.0
    dropped: float = 0.0
    blended: float = 0.0
    drift_seconds_per_hour: float = 0.0
    pitch_semitones: float = 0.0
    cadence: str = ""
    played: str = ""

    @property
    def numbers(self) -> dict[str, Any]:
        results = super().numbers
        del results["played"], results["cadence"]
        return results | {"method": f"cadence {self.cadence}", "cadence": self.cadence} if self.cadence else results


def rate_step(source: SignalFormat, target: SignalFormat, policy: Policy) -> RateStep | None:
    """Return what the change of rate does, or None where moments agree."""
    method = retiming(source, target, policy)
    if method == "none":
        return None
    if method == "slowed":
        return _slowed_step(source, target, policy)
    before, after = pace(source, target, method)
    name_before, name_after = (
        _counted(before, source, before != source.rate),
        _counted(after, target, after != target.rate),
    )
    drift = drift_seconds_per_hour(before, after)
    if method == "refuse":
        text = f"{name_before} is not taken at {name_after} by this policy"
        return RateStep("broken", text, method, drift_seconds_per_hour=drift)
    if method == "speed":
        return _speed_step(before, after, name_before, name_after, drift)
    cadence = cadence_name(before, after)
    if cadence and method == "nearest":
        return replace(_cadence_step(source, target, cadence), drift_seconds_per_hour=drift)
    if method == "nearest":
        if source.scan == "interlaced" and target.scan != "interlaced" and after <= source.rate:
            before = source.rate  # the scan step has said that every second moment goes: what goes beyond is counted
            name_before, name_after = rate_text(before), rate_text(after)
        ratio = before / after
        what = "field" if target.scan == "interlaced" and after != target.rate else "picture"
        return RateStep(
            "lossy",
            f"{name_before} to {name_after}: {_repeats(what, before, after)}",
            method,
            repeated=float(max(Fraction(0), 1 - ratio) * 1000),
            dropped=float(max(Fraction(0), ratio - 1) * 1000),
            drift_seconds_per_hour=drift,
        )
    ratio = before / after
    if method == "blend" and policy.mix != "distance":
        counts = [len(weights_at(before, after, policy.mix, policy.shutter, n)) for n in range(1000)]
        curve = {"box": "evenly", "triangle": "by a triangle", "gaussian": "by a bell"}[policy.mix]
        text = (
            f"{name_before} to {name_after}: pictures are mixed {curve} over a shutter of {policy.shutter:g}°,"
            f" {max(counts)} at the most"
        )
        return RateStep("lossy", text, method, blended=float(sum(n > 1 for n in counts)), drift_seconds_per_hour=drift)
    blended = float(1000 * (1 - Fraction(1, ratio.denominator)))
    result = "mixed from two neighbours" if method == "blend" else "made along the motion"
    return RateStep(
        "lossy",
        f"{name_before} to {name_after}: {blended / 10:.1f} % of pictures are {result}",
        method,
        blended=blended,
        dropped=float((ratio - 1) * 1000) if ratio > 1 and ratio.denominator == 1 else 0.0,
        drift_seconds_per_hour=drift,
    )


def _slowed_step(source: SignalFormat, target: SignalFormat, policy: Policy) -> RateStep:
    """Return the step of a source that is first played 0.1 % off speed, then held or spread by a cadence."""
    slowed = off_speed(source, target)
    first = _speed_step(source.rate, slowed.rate, rate_text(source.rate), rate_text(slowed.rate), 0.0)
    then = rate_step(slowed, target, policy.with_parts(retime="nearest"))
    assert then is not None  # else it would be by speed alone
    return replace(
        then,
        grade="lossy",
        text=f"{first.text}; then {then.text}",
        method="slowed",
        speed=first.speed,
        pitch_semitones=first.pitch_semitones,
        played=first.played,
    )


def _speed_step(before: Fraction, after: Fraction, name_before: str, name_after: str, drift: float) -> RateStep:
    speed = after / before
    pitch = 12 * math.log2(speed)
    quicker = float(abs(speed - 1)) * 100
    played = (
        f"played at {name_after} instead of {name_before}: {quicker:.2f} % {'faster' if speed > 1 else 'slower'}, "
        f"an hour lasts {_hour(speed)}"
    )
    text = f"{played}, pitch {pitch:+.3f} semitones unless corrected"
    return RateStep(
        "lossy" if speed != 1 else "clean",
        text,
        "speed",
        speed=speed,
        pitch_semitones=pitch,
        played=played,
        drift_seconds_per_hour=drift,
    )


def _counted(rate: Fraction, fmt: SignalFormat, singly: bool) -> str:
    """Return a rate with its unit where fields are counted singly: "50 fields", else "25"."""
    return f"{rate_text(rate)} fields" if singly and fmt.scan == "interlaced" else rate_text(rate)


def _cadence_step(source: SignalFormat, target: SignalFormat, cadence: str) -> RateStep:
    """Return the step of a regular cadence: undone without loss, but motion is no smoother than before."""
    pictures_per_frame = source.rate / target.rate
    if target.scan != "interlaced":
        cadence = "3:2" if cadence == "2:3" else cadence
    what = "fields" if target.scan == "interlaced" else "pictures"
    text = (
        f"{rate_text(source.rate)} in {rate_text(target.moments)} {what} a second by {cadence}; can be taken out again"
    )
    repeated = float(max(Fraction(0), 1 - pictures_per_frame) * 1000)
    return RateStep("clean", text, "nearest", repeated=repeated, cadence=cadence)


def _repeats(what: str, before: Fraction, after: Fraction) -> str:
    """Return in words how often something is repeated or dropped between two paces."""
    apart = abs(before - after)
    act = "repeated" if before < after else "dropped"
    if apart >= 1:
        text = f"one {what} a second is {act}" if apart == 1 else f"{_number(float(apart))} {what}s a second are {act}"
    else:
        text = f"one {what} {act} every {float(1 / apart):.1f} s"
    if counterpart(before) == after:
        text += (
            f": a visible hitch; counted one for one it drifts {abs(drift_seconds_per_hour(before, after)):.1f} s an"
            " hour"
        )
    return text


def _number(value: float) -> str:
    return f"{value:.2f}".rstrip("0").rstrip(".")


def _hour(speed: Fraction) -> str:
    seconds = float(3600 / speed)
    minutes, rest = divmod(seconds, 60)
    return f"{int(minutes)} min {rest:.0f} s" if rest >= 0.5 else f"{int(minutes)} min"

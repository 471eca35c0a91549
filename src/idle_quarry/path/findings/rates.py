"""Findings about frame rates: what will be seen and heard where they disagree."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from idle_quarry.path.evaluation import Evaluation, Finding, Remedy
from idle_quarry.path.findings.common import JoinedLink, joined, main_source, remedy
from idle_quarry.path.steps import RateStep
from idle_quarry.path.steps.cadence import cadence_name
from idle_quarry.path.steps.pacing import off_speed
from idle_quarry.signal.rates import counterpart, rate_family, rate_text
from idle_quarry.signal.timecode import can_drop


def find(e: Evaluation) -> Iterator[Finding]:
    """Yield what is wrong with frame rates."""
    yield from _working_alone(e)
    for joint in joined(e):
        step = joint.link.plan.step(RateStep)
        if step is None or joint.target.kind in ("intermediate", "proxy", "monitor"):
            continue
        before, after = joint.source.format.rate, joint.target.format.rate
        numbers = {k: v for k, v in step.numbers.items() if isinstance(v, float)}
        name = joint.own.name
        if counterpart(before) == after and not step.played:
            yield Finding(
                "caution", "rate_near_miss", joint.own.id, _near_miss(joint), _whole_rate_remedy(joint), numbers
            )
        elif step.grade == "broken":
            text = f"{name}: the policy takes no other rate, and {rate_text(before)} is not {rate_text(after)}."
            cure = remedy("Keep duration, hold pictures", (f"{joint.own.place}.policy.retime", "nearest"))
            yield Finding("stop", "rate_refused", joint.own.id, text, cure, numbers)
        elif step.played and (step.method == "speed" or step.cadence):
            heard = (
                "pitch is corrected"
                if e.template.sound.correct_pitch
                else f"sound is {step.pitch_semitones:+.3f} semitones off"
            )
            spread = f"; then spread by {step.cadence}" if step.cadence else ""
            text = f"{name}: {step.played}{spread}; {heard}."
            yield Finding("note", "rate_by_speed", joint.own.id, text, None, numbers)
        elif step.cadence:
            shown = step.cadence.split(":")
            if len(set(shown)) == 1:
                text = f"{name}: every picture is shown {shown[0]} times; motion stays {rate_text(before)} a second."
            else:
                text = f"{name}: {step.text}. Motion is uneven: pictures stay for {' and '.join(shown)} in turn."
            yield Finding("note", "rate_cadence", joint.own.id, text, None, numbers)
        else:
            text = f"{name}: {step.text}. Movement will {_seen(step.method)}."
            better = _work_at_remedy(e, joint) or _off_speed_remedy(joint)
            yield Finding("caution", "rate_mismatch", joint.own.id, text, better, numbers)


def _working_alone(e: Evaluation) -> Iterator[Finding]:
    """Find a programme at a rate of another family than all that comes in and all that goes out."""
    web = {f"delivery:{delivery.id}" for delivery in e.template.deliveries if delivery.for_web}  # they follow
    ends = [joint for joint in joined(e) if joint.own.kind in ("source", "delivery") and joint.own.id not in web]
    rates = Counter((row.source if row.own.kind == "source" else row.target).format.rate for row in ends)
    working = e.template.working.format.rate
    kinds = {end.own.kind for end in ends}
    if (
        len(kinds) < 2
        or len({rate_family(rate) for rate in rates}) > 1
        or rate_family(working) in map(rate_family, rates)
    ):
        return
    if all(step is None or step.method == "speed" for row in ends for step in [row.link.plan.step(RateStep)]):
        return  # played at another speed and back, nothing is lost
    rate = rates.most_common(1)[0][0]
    text = (
        f"Programme: all that comes in and goes out is at {rate_text(rate)}, and it is worked on at"
        f" {rate_text(working)}: every picture is converted twice."
    )
    edits: list[tuple[str, object]] = [("working.format.rate", rate)]
    if e.template.timecode.drop and not can_drop(rate):
        edits.append(("timecode.drop", False))
    yield Finding("stop", "rate_of_nothing_else", "working", text, remedy(f"Work at {rate_text(rate)}", *edits))


def _near_miss(row: JoinedLink) -> str:
    step = row.link.plan.step(RateStep)
    assert step is not None
    before, after = rate_text(row.source.format.rate), rate_text(row.target.format.rate)
    slow, whole = (before, after) if "." in before else (after, before)
    called = f"What is called {whole} is usually {slow}; " if whole in ("30", "60") else ""
    return f"{row.own.name}: {step.text}. {called}{before} and {after} are not the same rate."


def _whole_rate_remedy(row: JoinedLink) -> Remedy | None:
    """Return the remedy that takes the slowed rate at both ends: cameras that say 30 record 30000/1001."""
    before, after = row.source.format.rate, row.target.format.rate
    slow = min(before, after)
    if row.own.kind == "source" and slow != before:
        return remedy(f"Read it as {rate_text(slow)}", (f"{row.own.place}.format.rate", slow))
    if row.own.kind == "source":
        return remedy(f"Work at {rate_text(slow)}", ("working.format.rate", slow))
    return remedy("Play it 0.1 % off speed", (f"{row.own.place}.policy.retime", "speed"))


def _work_at_remedy(e: Evaluation, row: JoinedLink) -> Remedy | None:
    if row.own.kind == "source":
        main = main_source(e)
        fmt = row.source.format
        if main is not None and main.id == row.own.id and fmt.scan == row.target.format.scan:
            return remedy(f"Work at {rate_text(fmt.rate)}", ("working.format.rate", fmt.rate))
        return None
    delivered = next(d for d in e.template.deliveries if f"delivery:{d.id}" == row.own.id)
    if delivered.for_web:
        rate = row.source.format.rate
        return remedy(f"Deliver at {rate_text(rate)}", (f"{row.own.place}.format.rate", rate))
    return None


def _off_speed_remedy(row: JoinedLink) -> Remedy | None:
    """Return the remedy that plays 24 pictures as 23.976, where they then go into the fields by a cadence."""
    slowed = off_speed(row.source.format, row.target.format)
    cadence = cadence_name(slowed.moments, row.target.format.moments)
    if slowed == row.source.format or cadence is None:
        return None
    return remedy(f"Play it 0.1 % off speed, then {cadence}", (f"{row.own.place}.policy.retime", "slowed"))


def _seen(method: str) -> str:
    return {
        "nearest": "stutter where pictures repeat or drop",
        "blend": "smear where two pictures are mixed",
        "compensated": "tear where motion cannot be followed",
    }.get(method, "change")

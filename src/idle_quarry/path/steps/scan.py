"""The scan step: from whole pictures to fields and back, field order, PsF."""

from __future__ import annotations

from idle_quarry.path.grades import Step
from idle_quarry.path.policies import Policy
from idle_quarry.path.steps.cadence import is_pulldown
from idle_quarry.path.steps.pacing import pace, retiming
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rates import rate_text

_DEINTERLACERS = {
    "adaptive": "motion-adaptive",
    "compensated": "motion-compensated",
    "interpolate": "vertical interpolation",
    "fields": "vertical interpolation",
    "blend": "field blend",
    "drop": "one field dropped",
}


def scan_step(source: SignalFormat, target: SignalFormat, policy: Policy, *, scales_lines: bool) -> Step | None:
    """Return how fields are made, kept or taken apart, or None where nothing has to be done."""
    if source.scan == "interlaced":
        return _from_fields(source, target, policy, scales_lines)
    if target.scan == "interlaced":
        return _to_fields(source, target, policy)
    if source.scan != target.scan:
        split = target.scan == "psf"
        text = "each picture is sent as two segments" if split else "two segments are joined into their picture"
        return _step("clean", "split into segments" if split else "join segments", text)
    return None


def _step(grade: str, method: str, text: str, *, swaps: bool = False, halved: bool = False) -> Step:
    return Step("scan", grade, text, {"method": method, "field_order_changes": swaps, "moments_halved": halved})


def _from_fields(source: SignalFormat, target: SignalFormat, policy: Policy, scales_lines: bool) -> Step | None:
    swaps = target.scan == "interlaced" and source.field_order != target.field_order
    method = retiming(source, target, policy)
    before, _ = pace(source, target, method)
    retimed = method != "none"
    if target.scan == "interlaced" and not scales_lines and not retimed:
        if not swaps:
            return None
        if policy.order == "time":
            text = "field order changes: one field of each frame comes from the next; sound waits half a frame"
            return _step("lossy", "wait one field", text, swaps=True)
        return _step(
            "lossy", "line shift", "field order changes: the picture moves by one line, one line is lost", swaps=True
        )
    if policy.scan == "leave":
        return _step(
            "broken",
            "leave",
            "fields of two moments stay woven"
            + (" while lines are scaled: both moments are mixed" if scales_lines else ": moving edges comb"),
            swaps=swaps,
        )
    name = _DEINTERLACERS[policy.scan]
    if target.scan == "interlaced":
        if keeps_fields(source, target, policy):
            text = "each field is scaled by itself, with its half-line offset"
            return _step("lossy", "fields by themselves", text + _swap_text(swaps, policy), swaps=swaps)
        why = "lines are scaled" if scales_lines else "the field rate changes"
        text = f"fields are made whole ({name}) because {why}, then separated again"
        text += ", in the other field order" if swaps else ""
        return _step("lossy", "deinterlace, convert, interlace", text, swaps=swaps)
    halved = before == source.rate or target.moments <= source.rate
    pictures = source.rate if halved else min(source.moments, target.moments)
    kept = f"{rate_text(source.moments)} fields become {rate_text(pictures)} whole pictures a second ({name})"
    if halved:
        kept += "; every second moment is lost"
    return _step("lossy", f"deinterlace, {name}", kept, halved=halved)


def keeps_fields(source: SignalFormat, target: SignalFormat, policy: Policy) -> bool:
    """Return whether each field becomes one field, whatever is done to its lines."""
    both = source.scan == target.scan == "interlaced"
    return both and policy.scan == "fields" and source.moments == target.moments


def _swap_text(swaps: bool, policy: Policy) -> str:
    if not swaps:
        return ""
    return "; field order changes by " + ("waiting one field" if policy.order == "time" else "half a line")


def _to_fields(source: SignalFormat, target: SignalFormat, policy: Policy) -> Step:
    method = retiming(source, target, policy)
    _, after = pace(source, target, method)
    if after == target.rate:
        shown = rate_text(after if method == "speed" else min(source.rate, target.rate))
        if source.scan == "psf":
            return _step("clean", "segments kept as fields", f"PsF travels as fields; motion stays {shown} a second")
        return _step("clean", "whole pictures as fields", f"both fields show one moment; motion stays {shown} a second")
    if is_pulldown(source.moments, target.moments) and method == "nearest":
        return _step("clean", "2:3 pulldown", "pictures are spread over two and three fields in turn")
    if source.moments >= target.moments or method == "speed":
        return _step(
            "lossy", "fields from pictures", "each picture gives one field: half its lines, low-passed against twitter"
        )
    return _step("lossy", "interlace", "pictures are retimed to fields")

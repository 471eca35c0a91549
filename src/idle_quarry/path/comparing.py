"""What of a link there is to compare: the parts of its policy that change its pictures, most telling first."""

from __future__ import annotations

from idle_quarry.path.policies import Policy, parts
from idle_quarry.path.steps import (
    ColourStep,
    DepthStep,
    LinkPlan,
    RangeStep,
    RateStep,
    SamplingStep,
    ScanMethod,
    ScanStep,
    plan,
)
from idle_quarry.signal.colour import is_hdr
from idle_quarry.signal.formats import SignalFormat

#: Parts in the order in which they are looked at, by what they do to a picture.
_TELLING = (
    "scan",
    "retime",
    "mix",
    "kernel",
    "fit",
    "light",
    "colour",
    "tone",
    "order",
    "rounding",
    "precision",
    "position",
)


def questions(source: SignalFormat, target: SignalFormat, policy: Policy) -> tuple[str, ...]:
    """Return the parts of a policy that matter between two formats; none where nothing is converted."""
    link = plan(source, target, policy)
    return tuple(part for part in _TELLING if _matters(part, source, target, policy, link))


def _matters(part: str, source: SignalFormat, target: SignalFormat, policy: Policy, link: LinkPlan) -> bool:
    scan, where = link.step(ScanStep), link.placement
    scaled = where is not None and where.scales
    if part == "scan":
        return source.scan == "interlaced" and scan is not None and scan.method not in _NO_DEINTERLACING
    if part == "order":
        return scan is not None and scan.field_order_changes and scan.method is not ScanMethod.THERE_AND_BACK
    if part == "retime":
        return link.step(RateStep) is not None
    if part == "mix":
        rate = link.step(RateStep)
        return rate is not None and rate.method == "blend"
    if part in ("kernel", "light"):
        return scaled
    if part == "fit":
        return where is not None
    if part == "position":
        return where is not None and bool(where.cropped or where.unused)
    if part == "colour":
        return link.step(ColourStep) is not None
    if part == "tone":
        comes_down = is_hdr(source.encoding.transfer) and not is_hdr(target.encoding.transfer)
        return comes_down and policy.colour != "leave"
    if part == "precision":  # where one conversion hands on to another
        return (
            scaled
            + any(isinstance(s, ColourStep) for s in link.steps)
            + any(isinstance(s, RateStep) for s in link.steps)
            > 1
        )
    # rounding: whatever is computed is rounded
    return scaled or any(isinstance(step, _COMPUTED) for step in link.steps) or scan is not None


_NO_DEINTERLACING = (ScanMethod.SHIFT, ScanMethod.WAIT)
_COMPUTED = (ColourStep, RangeStep, DepthStep, SamplingStep)


def methods_for(part: str, source: SignalFormat, target: SignalFormat, policy: Policy) -> tuple[str, ...]:
    """Return the methods of a part that can be tried on a link, the policy's own first.

    Those that refuse are left out.
    """
    own = str(getattr(policy, part))
    results = [own]
    for method in parts()[part].method:
        if method.id == own or method.id in ("refuse", "auto"):
            continue
        if method.id == "fields" and not (source.scan == target.scan == "interlaced"):
            continue
        results.append(method.id)
    return tuple(results)

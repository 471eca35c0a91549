"""What the links of a suggested path lose: a number for each, of which the sum ranks the working formats."""

from __future__ import annotations

from idle_quarry.path.evaluation import Link
from idle_quarry.path.grades import Step
from idle_quarry.path.steps import ColourStep, FitStep, RateStep, ScanMethod, ScanStep

#: What it costs to cut material in a cadence of 2:3: it cannot be taken out any more, and motion jerks at each cut.
_BROKEN_CADENCE = 1.0
#: What a lossy step costs of its link's share, by kind, at its worst: moments and detail weigh more than codes.
_WEIGHTS = {"scan": 0.8, "rate": 0.6, "fit": 0.8, "colour": 0.4, "range": 0.1, "depth": 0.1, "sampling": 0.08}
#: A delivery smaller than the programme is what was asked for, one that is larger shows detail that is not there; in
#: what comes in, detail that goes is lost to every delivery, and being enlarged loses next to nothing.
_RESAMPLED, _ASKED_FOR, _MISSING = 0.08, 0.4, 0.5


def loss_of(link: Link) -> float:
    """Return how much of a link's picture is lost, about: 0 for none; each kind of loss adds."""
    out = link.target.startswith("delivery:")
    loss = sum(_WEIGHTS[step.kind] * _badness(step, out) for step in link.steps if step.grade == "lossy")
    return loss + (_BROKEN_CADENCE if cut_cadence(link) else 0.0)


def cut_cadence(link: Link) -> str:
    """Return the uneven cadence in which pictures come into the programme, where every cut breaks it; else ""."""
    rate = link.plan.step(RateStep) if link.target == "working" else None
    return rate.cadence if rate is not None and len(set(rate.cadence.split(":"))) > 1 else ""


def _badness(step: Step, out: bool) -> float:
    """Return how bad a lossy step is of its kind, from 0 to 1; `out` on the way to a delivery."""
    if isinstance(step, FitStep):
        area = step.scale_x * step.scale_y
        gone = (1 - min(1.0, area)) * (_ASKED_FOR if out else 1.0)
        missing = (1 - 1 / max(1.0, area)) * (_MISSING if out else 0.0)
        shape = min(1.0, abs(step.geometry_error - 1) * 3)
        return min(1.0, _RESAMPLED + gone + missing + step.cropped + shape)
    if isinstance(step, RateStep):
        off_speed = 0.05 + 8 * float(abs(step.speed - 1)) if step.played else 0.0
        if step.method == "speed" or step.cadence:
            return min(1.0, off_speed)
        return off_speed + 0.4 + 0.6 * min(1.0, (step.repeated + step.dropped + step.blended) / 250)
    if isinstance(step, ScanStep):
        if step.moments_halved:
            return 1.0
        return 0.2 if step.method is ScanMethod.SHIFT else 0.35
    if isinstance(step, ColourStep):
        squeezed = step.transfer_from != step.transfer_to
        return min(1.0, 0.05 + step.gamut_outside + 0.4 * squeezed)
    return 1.0

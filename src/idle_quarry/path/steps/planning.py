"""From one signal format to another: the steps in their order, and what they cost together."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import TypeVar

from idle_quarry.path.grades import Step, worst
from idle_quarry.path.policies import DEFAULT_POLICY, Policy
from idle_quarry.path.steps.colour import colour_step
from idle_quarry.path.steps.fit import Placement, fit_step, placement
from idle_quarry.path.steps.quantising import depth_step, range_step, sampling_step
from idle_quarry.path.steps.rate import rate_step
from idle_quarry.path.steps.scan import scan_step
from idle_quarry.signal.formats import SignalFormat

S = TypeVar("S", bound=Step)


@dataclass(frozen=True)
class LinkPlan:
    """The steps from one format to another, their worst grade, and where the picture lands."""

    grade: str
    steps: tuple[Step, ...]
    placement: Placement | None

    def step(self, kind: type[S]) -> S | None:
        """Return the step of a kind, or None."""
        return next((step for step in self.steps if isinstance(step, kind)), None)


@lru_cache(maxsize=4096)
def plan(source: SignalFormat, target: SignalFormat, policy: Policy = DEFAULT_POLICY) -> LinkPlan:
    """Return the steps that bring `source` to `target` under `policy`, in the order they are performed.

    >>> from idle_quarry.signal.words import format_from_words as words
    >>> plan(words("1080p25"), words("1080psf25")).grade
    'clean'
    """
    fields = source.scan == "interlaced" and target.scan == "interlaced"
    where = placement(source.raster, target.raster, policy, fields=fields)
    scales_lines = where is not None and where.scales_lines
    result = (
        scan_step(source, target, policy, scales_lines=scales_lines),
        rate_step(source, target, policy),
        fit_step(where, source.raster, target.raster),
        colour_step(source.encoding, target.encoding, policy),
        range_step(source.encoding, target.encoding),
        depth_step(source.encoding, target.encoding, policy),
        sampling_step(source.encoding, target.encoding),
    )
    steps = tuple(step for step in result if step is not None)
    return LinkPlan(worst(step.grade for step in steps), steps, where)

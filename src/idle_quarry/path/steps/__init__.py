"""The steps a link is made of, one module and one class a kind; `plan` puts them in order."""

from idle_quarry.path.steps.colour import ColourStep
from idle_quarry.path.steps.fit import FitStep
from idle_quarry.path.steps.planning import LinkPlan, plan
from idle_quarry.path.steps.quantising import DepthStep, RangeStep, SamplingStep
from idle_quarry.path.steps.rate import RateStep
from idle_quarry.path.steps.scan import ScanMethod, ScanStep

__all__ = [
    "ColourStep",
    "DepthStep",
    "FitStep",
    "LinkPlan",
    "RangeStep",
    "RateStep",
    "SamplingStep",
    "ScanMethod",
    "ScanStep",
    "plan",
]

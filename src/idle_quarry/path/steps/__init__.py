"""The steps a link is made of, one module a kind; `plan` puts them in order."""

from idle_quarry.path.steps.planning import LinkPlan, plan

__all__ = ["LinkPlan", "plan"]

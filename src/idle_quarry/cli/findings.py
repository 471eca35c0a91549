"""How steps and findings are written for a terminal."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from idle_quarry.path.evaluation import Finding
    from idle_quarry.path.grades import Step


def step_lines(steps: tuple[Step, ...]) -> list[str]:
    """Return a line for each step: its kind, its cost, and what it does."""
    return [f"  {step.kind:<9} {step.grade:<7} {step.text}" for step in steps]


def finding_lines(findings: tuple[Finding, ...]) -> list[str]:
    """Return a line for each finding, and one for its remedy."""
    lines = []
    for finding in findings:
        lines.append(f"  {finding.severity:<8} {finding.text}")
        if finding.remedy:
            lines.append(f"           → {finding.remedy.label}")
    return lines

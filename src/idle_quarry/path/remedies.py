"""Which remedies are offered: each is tried on the template, and none that does not make the whole better is kept.

What a template suffers from is counted, gravest first; a remedy that is kept lowers that count. So following remedies
comes to an end, and none undoes another.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from idle_quarry.errors import QuarryError
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.evaluation import Evaluation, Finding, Remedy
from idle_quarry.path.template import Template

#: Remedies tried at the most, the gravest findings' first: trying costs an evaluation each.
MOST_TRIED = 32
#: Evaluates a template without weighing remedies.
Weigh = Callable[[Template], Evaluation]


def offered(evaluation: Evaluation, weigh: Weigh) -> tuple[Finding, ...]:
    """Return the findings with the best of their remedies, or none where none makes the template better."""
    before = evaluation.trouble
    tried: dict[tuple[Edit, ...], tuple[int, ...] | None] = {}

    def after(remedy: Remedy) -> tuple[int, ...] | None:
        if remedy.edits not in tried:
            if len(tried) >= MOST_TRIED:
                return None
            try:
                tried[remedy.edits] = weigh(edited(evaluation.template, *remedy.edits)).trouble
            except QuarryError:
                tried[remedy.edits] = None
        return tried[remedy.edits]

    findings = []
    for finding in evaluation.findings:
        candidates = [remedy for remedy in (finding.remedy, *finding.others) if remedy is not None]
        scores = [
            (score, place) for place, candidate in enumerate(candidates) if (score := after(candidate)) is not None
        ]
        best = min(scores, default=None)
        best_remedy = candidates[best[1]] if best is not None and best[0] < before else None
        findings.append(
            finding
            if best_remedy is finding.remedy and not finding.others
            else replace(finding, remedy=best_remedy, others=())
        )
    return tuple(findings)

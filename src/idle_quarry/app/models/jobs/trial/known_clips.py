"""What is known of the clips of a trial, and what the job's template does to them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from idle_quarry.app.models.jobs.material.material_rows import MaterialRow
from idle_quarry.app.models.jobs.trial.costs import Costs
from idle_quarry.app.models.jobs.trial.sources import KnownClip
from idle_quarry.jobs.material import parts_of, proxy_of
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.policies import Policy

if TYPE_CHECKING:
    from idle_quarry.app.models.jobs.trial.trial import Trial


class KnownClips:
    """The clips of the job by their files, with what the template costs each."""

    def __init__(self, trial: Trial) -> None:
        self._trial = trial
        self._material = trial.material
        self._of: list[MaterialRow] = []  #: the rows that the following was made of
        self._looked = False
        self._known: dict[str, MaterialRow] = {}
        self._costs: Costs | None = None

    @property
    def known(self) -> dict[str, MaterialRow]:
        """What is known of each file: the clips of the job, and what was brought in of them."""
        if self._of is not self._material.rows or self._looked != self._material.looked:
            self._of, self._looked = self._material.rows, self._material.looked
            self._known = {str(row.entry.path): row for row in self._material.rows}
            self._known |= {str(file.path): row for row in self._material.rows for file in parts_of(row.entry)}
            self._costs = None
        return self._known

    @property
    def is_current(self) -> bool:
        """Whether `known` was asked for since the clips of the job changed last."""
        return self._of is self._material.rows

    def forget_costs(self) -> None:
        """Work out anew what clips cost: another job is looked at."""
        self._costs = None

    def to_play(self) -> dict[str, KnownClip]:
        """Return what the player must know of each file."""
        results: dict[str, KnownClip] = {}
        for row in self._material.rows:
            results |= {str(file.path): KnownClip(None, Policy(), True) for file in parts_of(row.entry)}
            if row.clip is not None:
                link, proxy = self.costs.link_of(row.source), proxy_of(row.entry)
                policy = row.source.policy if row.source is not None else Policy()
                exact = link is not None and link.plan.grade == "exact"
                results[str(row.entry.path)] = KnownClip(
                    row.clip, policy, exact, str(proxy.path) if proxy is not None else None
                )
        return results

    @property
    def costs(self) -> Costs:
        """What the job's template does to its clips."""
        known, job = self.known, self._trial.job
        if self._costs is None:
            evaluation = evaluate(job.template, remedies=False) if job is not None else None
            self._costs = Costs(evaluation, known, looked=self._material.looked)
        return self._costs

"""The jobs, with everything that is done with the one that is looked at; and the start of another."""

from __future__ import annotations

from typing import TYPE_CHECKING

from idle_quarry.app.destinations import LookAtClips
from idle_quarry.app.models.jobs.cuts.cuts import Cuts
from idle_quarry.app.models.jobs.handover.handover import Handover
from idle_quarry.app.models.jobs.job_list import JobList
from idle_quarry.app.models.jobs.material.material import JobMaterial
from idle_quarry.app.models.jobs.newer_revision import MovingOn
from idle_quarry.app.models.jobs.renders.renders import Renders
from idle_quarry.app.models.jobs.start import JobStart
from idle_quarry.app.models.jobs.trial.trial import Trial
from idle_quarry.jobs.next_steps import NextStep
from idle_quarry.library import StoredTemplate

if TYPE_CHECKING:
    from idle_quarry.app.door import Door


class Jobs(JobList):
    """The list with its parts, each of which knows the list alone."""

    def __init__(self, door: Door) -> None:
        super().__init__(door)
        self.start = JobStart(door, self)
        self.moving_on = MovingOn(self)
        self.material, self.cuts = JobMaterial(self), Cuts(self)
        self.renders = Renders(self)
        self.trial = Trial(self, self.material, self.renders)
        self.handover = Handover(self)
        door.jobs_changed.connect(self.reload)
        self.reload()
        if self.chosen is None and self.records:
            self.choose(self.records[0].id)

    def close(self) -> None:
        """Let go of what plays, and keep what is not kept yet; when nothing is under way on other threads any more."""
        self.trial.close()
        self.renders.close()

    def prepare(self, stored: StoredTemplate | None) -> None:
        """Begin to start a job, from `stored` or from the default template."""
        self.choose(None)
        self.start.begin(stored)
        self.door.view_wanted.emit("Jobs")

    def look_at_clips(self, step: NextStep) -> None:
        """Look at clips of the job against its template."""
        self.open_template()
        if step.path is not None:
            self.door.go(LookAtClips([step.path]))

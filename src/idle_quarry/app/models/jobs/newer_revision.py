"""A job and the newer revision of its template: what of the job would differ, what that costs in renders, and
moving it.
"""

from __future__ import annotations

import contextlib
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.errors import QuarryError
from idle_quarry.jobs.check import Job
from idle_quarry.jobs.moving import Move, move, move_of
from idle_quarry.library import StoredTemplate
from idle_quarry.printing import write_pdf

if TYPE_CHECKING:
    from idle_quarry.app.models.jobs.job_list import JobList


@dataclass(frozen=True)
class NewerRevision:
    """A revision that was approved since a job was started, what moving to it would change, and what it means for
    renders, in words.
    """

    to: StoredTemplate
    move: Move
    renders: str = ""

    def words(self) -> str:
        count = len(self.move.differences)
        differ = "1 setting differs" if count == 1 else f"{count} settings differ"
        revision = self.to.revision
        text = f"Revision {revision.number} of the template is {revision.state} since: {differ}."
        if self.move.locked:
            return (
                f"{text} The job cannot move to it: {', '.join(self.move.locked)} cannot change once there is a"
                " timeline."
            )
        return f"{text} {self.renders}".strip()


class MovingOn(QObject):
    """`changed`: another revision is there, or more is known of it."""

    changed = Signal()

    def __init__(self, jobs: JobList) -> None:
        super().__init__()
        self._jobs = jobs
        jobs.chosen_changed.connect(self.look)
        jobs.checked.connect(lambda ident: self.look() if ident == jobs.chosen else None)
        self.newer: NewerRevision | None = None
        self.moving = False

    def look(self) -> None:
        """See whether a newer revision was approved since, what of the job would differ, and whether it can move to
        it.
        """
        self.newer = None
        jobs = self._jobs
        record, job = jobs.record, jobs.result(jobs.chosen)
        if record is None or not isinstance(job, Job):
            return
        # where the template was put aside, or cannot be read, the job stands by itself
        with contextlib.suppress(QuarryError):
            library = jobs.door.library
            summary = library.summary(record.template_id)
            if summary.for_jobs > record.revision and not (summary.shelf == "house" and summary.approved is None):
                to = library.stored(record.template_id, summary.for_jobs)
                self.newer = NewerRevision(to, move_of(job, to))
                if self.newer.move.possible:
                    self._look_at_renders(job, self.newer)

    def _look_at_renders(self, job: Job, newer: NewerRevision) -> None:
        """Work out what the revision means for the job's renders, off the interface thread."""

        def work(_ticket: object) -> str:
            from idle_quarry.app.models.jobs.renders.words import anew_words
            from idle_quarry.jobs.renders.impact import anew

            return anew_words(anew(job, newer.to.template))

        def done(words: str) -> None:
            if self.newer is newer and words:
                self.newer = replace(newer, renders=words)
                self.changed.emit()

        # what cannot be told of renders is told where they are made
        self._jobs.door.workers.start(work, done, lambda _error: None)

    def move(self) -> None:
        """Move the job to the newer revision."""
        jobs = self._jobs
        record, job, newer = jobs.record, jobs.result(jobs.chosen), self.newer
        if record is None or newer is None or not isinstance(job, Job) or self.moving:
            return
        to, person = newer.to, jobs.door.library.person

        def done(result: Move) -> None:
            self.moving = False
            anew = "papers and line-up clip are" if result.line_up else "papers are"
            text = f", {len(result.new_folders)} folders made" if result.new_folders else ""
            jobs.door.say(f"{job.title} stands on revision {to.revision.number} now: its {anew} made anew{text}.")

        def failed(error: QuarryError) -> None:
            self.moving = False
            jobs.door.refuse(error)
            self.changed.emit()

        self.moving = True
        jobs.door.acts.jobs.move_job(record, lambda: move(job, to, person, write_pdf), to, done, failed)

"""What the pages of a job share: the job that is looked at, one piece of work under way, and what it is in words."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.background.workers import Cancelled, Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.jobs.check import Job
from idle_quarry.jobs.folder_plan import folder_for

if TYPE_CHECKING:
    from idle_quarry.app.models.jobs.job_list import JobList


class JobPart(QObject):
    """`changed`: what is shown is another.

    `doing_changed`: how far what is under way is; `asked`: a choice is to be made in place.
    """

    changed = Signal()
    doing_changed = Signal()
    asked = Signal(object)

    def __init__(self, jobs: JobList) -> None:
        super().__init__()
        self.jobs, self.door = jobs, jobs.door
        self.doing = ""  #: what is under way, in words
        self._ticket: Ticket | None = None

    def follow(self, see: Callable[[], object]) -> None:
        """Have `see` called whenever another job or page is looked at, or the job was checked again."""
        self.jobs.chosen_changed.connect(see)
        self.jobs.page_changed.connect(see)
        self.jobs.checked.connect(lambda ident: see() if ident == self.jobs.chosen else None)

    def reported(self, path: Path, write: Callable[[], object]) -> None:
        """Write a report off the interface thread, and say where it is."""
        self.door.workers.start(
            lambda _ticket: write(), lambda _none: self.door.say(f"The report is in {path}."), self.door.refuse
        )

    @property
    def job(self) -> Job | None:
        """The job, where it can be read."""
        result = self.jobs.result(self.jobs.chosen)
        return result if isinstance(result, Job) else None

    def folder_for(self, use: str) -> str:
        """Return the job's folder for a use (`jobs.structure`), "" where no job is looked at: where a dialog begins."""
        job = self.job
        return str(folder_for(job.folder, job.folders, use)) if job is not None else ""

    def run(
        self,
        what: str,
        work: Callable[[Ticket], Any],
        done: Callable[[Any], object],
        failed: Callable[[], object] = lambda: None,
    ) -> None:
        """Do one piece of work off the interface thread, in place of one that is under way; its progress is said."""
        self._end_what_is_under_way()

        def ended(result: Any) -> None:
            self._ticket, self.doing = None, ""
            done(result)
            self.changed.emit()

        def refused(error: QuarryError) -> None:
            if isinstance(error, Cancelled):
                return  # who cancelled it has gone on
            self._ticket, self.doing = None, ""
            failed()
            self.door.refuse(error)
            self.changed.emit()

        def progressed(text: str, _share: float) -> None:
            self.doing = f"{text} …"
            self.doing_changed.emit()

        self.doing = f"{what} …"
        self._ticket = self.door.workers.start(work, ended, refused, progressed)
        self.changed.emit()

    def stop(self) -> None:
        """Have what is under way no longer."""
        self._end_what_is_under_way()

    def _end_what_is_under_way(self) -> None:
        if self._ticket is not None:
            self._ticket.cancel()
            self._ticket, self.doing = None, ""

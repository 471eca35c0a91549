"""The list of jobs, each checked against its revision; which of them is looked at, and on which page."""

from __future__ import annotations

import contextlib
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.counting import counted
from idle_quarry.errors import QuarryError
from idle_quarry.jobs.check import Job, check_job
from idle_quarry.jobs.next_steps import NextStep, next_steps
from idle_quarry.library import JobRecord

if TYPE_CHECKING:
    from idle_quarry.app.door import Door

#: The pages of a job, in the order of the work.
PAGES = ("Overview", "Material", "Trial", "Cuts", "Renders", "Hand-over")

#: How a job stands, for those who look for one.
AS_STARTED, CHANGED, BEHIND, UNREADABLE = "as it was started", "changed since", "behind its template", "not to be read"
STATES = (AS_STARTED, CHANGED, BEHIND, UNREADABLE)


class JobList(QObject):
    """`listed`: the list is another; `checked`: a job was checked (its id).

    `chosen_changed`: another is looked at, or none: then one is being started; `page_changed`: another page of it.
    """

    listed = Signal()
    checked = Signal(str)
    chosen_changed = Signal()
    page_changed = Signal()

    def __init__(self, door: Door) -> None:
        super().__init__()
        self.door = door
        self.page = PAGES[0]  #: what of a job is looked at
        self.records: list[JobRecord] = []
        self.chosen: str | None = None
        self._results: dict[str, Job | QuarryError] = {}
        #: The newest approved revision of each template that jobs were started from.
        self._newest: dict[str, int] = {}

    def show_page(self, page: str) -> None:
        """Look at another page of a job."""
        self.page = page
        self.page_changed.emit()

    # -- the list --------------------------------------------------------------------------------------------

    def reload(self) -> None:
        """Read the list of jobs and check each again, off the interface thread."""
        self.records = self.door.read(lambda library: library.jobs()) or self.records
        self._newest = {}
        for ident in {record.template_id for record in self.records}:
            with contextlib.suppress(QuarryError):  # put aside, or of another library
                self._newest[ident] = self.door.library.summary(ident).approved or 0
        if self.chosen not in {record.id for record in self.records}:
            self.chosen = None
        self.listed.emit()
        for record in self.records:
            self._check(record)

    def _check(self, record: JobRecord) -> None:
        def work(_ticket: object) -> Job | QuarryError:
            try:
                return check_job(Path(record.folder))
            except QuarryError as error:
                return error

        def done(result: Job | QuarryError) -> None:
            self._results[record.id] = result
            self.checked.emit(record.id)

        self.door.workers.start(work, done, self.door.refuse)

    def check_again(self) -> None:
        """Check the job that is looked at again."""
        if self.record is not None:
            self._check(self.record)

    def choose(self, job_id: str | None) -> None:
        """Look at a job; at none, one is being started."""
        self.chosen = job_id
        if self.record is not None:
            self.door.preferences.remember(f"job {self.record.title}")
        self.chosen_changed.emit()

    @property
    def record(self) -> JobRecord | None:
        """The job that is looked at."""
        return next((record for record in self.records if record.id == self.chosen), None)

    def result(self, job_id: str | None) -> Job | QuarryError | None:
        """Return what came of checking a job; None while it is being checked."""
        return self._results.get(job_id or "")

    # -- in words ----------------------------------------------------------------------------------------------

    def sought(self, words: str, template: str, state: str) -> list[JobRecord]:
        """Return the jobs whose two lines have every word, of a template and in a state ("" for any)."""
        wanted = words.casefold().split()
        return [
            record
            for record in self.records
            if all(word in self.row_words(record)[0].casefold() for word in wanted)
            and template in ("", record.template_name)
            and state in ("", self.state_of(record))
        ]

    def state_of(self, record: JobRecord) -> str:
        """Return how a job stands, one of `STATES`."""
        result = self.result(record.id)
        if isinstance(result, QuarryError):
            return UNREADABLE
        if result is not None and result.drift:
            return CHANGED
        return BEHIND if self._newest.get(record.template_id, 0) > record.revision else AS_STARTED

    def row_words(self, record: JobRecord) -> tuple[str, str]:
        """Return a job's two lines in the list, and the role of their colour."""
        result = self.result(record.id)
        state, role = "being checked", "chalk"
        if isinstance(result, QuarryError):
            state, role = result.what, "oxide"
        elif result is not None:
            state = "as it was started" if not result.drift else changes_words(len(result.drift))
            role = "ochre" if result.drift else "chalk"
        newer = self._newest.get(record.template_id, 0)
        stands = f"revision {record.revision}" + (f", {newer} approved since" if newer > record.revision else "")
        return f"{record.title}\n{record.template_name}, {stands} · {state}", role

    def about_words(self) -> str:
        """Return what the job that is looked at was started from, when, by whom, where."""
        record = self.record
        if record is None:
            return ""
        began = f"started {record.time[:10]} by {record.author}"
        return f"{record.template_name}, revision {record.revision} · {record.hash[:12]} · {began}\n{record.folder}"

    def drift_words(self) -> tuple[str, str]:
        """Return what became of the job since it was started: a heading, and a line a difference."""
        result = self.result(self.chosen)
        if isinstance(result, Job):
            count = len(result.drift)
            head = f"{changes_words(count).capitalize()} since the job started" if count else "As it was started"
            return head, "\n".join(drift.text for drift in result.drift)
        return ("Being checked", "") if result is None else ("Cannot be checked", str(result))

    def next_steps(self) -> list[NextStep]:
        """Return what the job that is looked at needs next."""
        result = self.result(self.chosen)
        return next_steps(result) if isinstance(result, Job) else []

    # -- its template --------------------------------------------------------------------------------------------

    def open_template(self) -> None:
        """Open the revision the job was started from."""
        record = self.record
        if record is not None:
            self.door.open_stored(record.template_id, record.revision)


def changes_words(count: int) -> str:
    """Return how many changes there are, in words."""
    return counted(count, "change")

"""The start of a job: from which template, under which title, in which folder; what it will be made of, or why not."""

from __future__ import annotations

import time
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.background.workers import Ticket
from idle_quarry.counting import counted
from idle_quarry.errors import JobError, QuarryError
from idle_quarry.files import is_folder, is_there
from idle_quarry.jobs.allowed import NotApproved, check_startable
from idle_quarry.jobs.folder_plan import FolderPlan, folder_name, planned
from idle_quarry.jobs.start import StartedJob, bytes_needed, start_job
from idle_quarry.library import JobRecord, StoredTemplate
from idle_quarry.printing import write_pdf
from idle_quarry.proof.work_place import judged

if TYPE_CHECKING:
    from idle_quarry.app.door import Door
    from idle_quarry.app.models.jobs.job_list import JobList

#: A template and one of its revisions.
Key = tuple[str, int]


@dataclass(frozen=True)
class StartOffer:
    """A revision that jobs can start from, in words."""

    text: str
    key: Key
    default: bool


class JobStart(QObject):
    """`offers_changed`: other templates.

    `changed`: something was typed or chosen, or refused; `begun`: another start is prepared; `running_changed`;
    `progressed`: how far it is, with the seconds left.
    """

    offers_changed = Signal()
    changed = Signal()
    begun = Signal()
    running_changed = Signal()
    progressed = Signal(str, float, object)

    def __init__(self, door: Door, jobs: JobList) -> None:
        super().__init__()
        self.door = door
        self._jobs = jobs
        self.offers: list[StartOffer] = []
        self.key: Key | None = None
        self._stored: StoredTemplate | None = None
        self.title = ""
        self.folder = door.jobs_folder()
        self.failed = ""
        self._ticket: Ticket | None = None
        door.shelves_changed.connect(self._read_offers)
        self._read_offers()

    # -- from what ---------------------------------------------------------------------------------------------

    def _read_offers(self) -> None:
        summaries = self.door.read(lambda library: library.page(limit=400)) or []
        # what may start a job at once comes first, what was withdrawn not at all
        summaries = [summary for summary in summaries if summary.latest.state != "withdrawn" or summary.approved]
        summaries.sort(key=lambda summary: summary.shelf == "house" and summary.approved is None)
        self.offers = []
        for summary in summaries:
            number = summary.for_jobs
            state = (
                "approved"
                if number == summary.approved
                else summary.latest.state
                if summary.shelf == "house"
                else "own"
            )
            mark = "  (default)" if summary.default else ""
            self.offers.append(
                StartOffer(
                    f"{summary.name}, revision {number}, {state}{mark}", (summary.id, number), bool(summary.default)
                )
            )
        if self.key not in [offer.key for offer in self.offers]:
            first = next((offer for offer in self.offers if offer.default), next(iter(self.offers), None))
            self.key = first.key if first is not None else None
        self.offers_changed.emit()

    @property
    def stored(self) -> StoredTemplate | None:
        """What the job starts from; read when it is first looked at."""
        key, stored = self.key, self._stored
        if key is None:
            return None
        if stored is None or (stored.revision.template_id, stored.revision.number) != key:
            self._stored = self.door.read(lambda library: library.stored(*key))
        return self._stored

    def begin(self, stored: StoredTemplate | None) -> None:
        """Prepare to start from a revision, or from the template that is chosen."""
        if stored is None:
            self.choose(self.key)
        else:
            self.key, self._stored = (stored.revision.template_id, stored.revision.number), stored
            if self.key not in [offer.key for offer in self.offers]:
                self.offers.append(StartOffer(f"{stored.name}, revision {stored.revision.number}", self.key, False))
            self.offers_changed.emit()
            self._take()
        self.begun.emit()

    def choose(self, key: Key | None) -> None:
        """Start from another revision."""
        self.key = key
        self._take()

    def _take(self) -> None:
        if self.stored is not None and not self.folder:
            self.folder = self.door.jobs_folder(self.stored.template)
        self.failed = ""
        self.changed.emit()

    def call(self, title: str) -> None:
        """Give the job its title."""
        self.title, self.failed = title.strip(), ""
        self.changed.emit()

    def put_in(self, folder: str) -> None:
        """Say in which folder the job is put."""
        self.folder, self.failed = folder.strip(), ""
        self.changed.emit()

    # -- what will be made ---------------------------------------------------------------------------------------

    def plan(self) -> FolderPlan | None:
        """Return what will be made, None where nothing can be."""
        try:
            return planned(self.stored.template, self.title or "Title") if self.stored is not None else None
        except QuarryError:
            return None

    def size_words(self) -> str:
        """Return how much will be made."""
        plan = self.plan()
        if plan is None or self.stored is None:
            return ""
        size = bytes_needed(self.stored.template) / 1e6
        return (
            f"{counted(len(plan.folders), 'folder')} and {counted(len(plan.files), 'file')}, about {size:.0f} MB, most"
            " of it the line-up clip."
        )

    @property
    def missing_folder(self) -> Path | None:
        """The folder that is named and not there, where the one that it would lie in is."""
        folder = Path(self.folder).expanduser()
        lacks = bool(self.folder) and folder.is_absolute() and not is_there(folder) and is_folder(folder.parent)
        return folder if lacks else None

    def make_folder(self) -> None:
        """Make the folder that is named and not there."""
        folder = self.missing_folder
        if folder is None:
            return

        def work(_ticket: Ticket) -> None:
            try:
                folder.mkdir()
            except OSError as error:
                raise JobError(f"the folder cannot be made ({error.strerror})", subject=str(folder)) from error

        self.door.workers.start(work, lambda _none: self.changed.emit(), self._failed)

    def place_words(self) -> str:
        """Return what speaks against the folder."""
        folder = Path(self.folder).expanduser()
        if not self.folder or not is_folder(folder):
            return ""
        return " ".join(verdict.text for verdict in judged(folder, None, 0.0) if verdict.severity != "note")

    def why_not(self) -> str | None:
        """Return why a job cannot be started: "" where only the title is missing, None where it can."""
        if self.failed:
            return self.failed
        if self.stored is None:
            return "There is no template to start from: make one in the Library."
        try:
            planned(self.stored.template, self.title or "Title")
        except QuarryError as error:
            return str(error)
        folder = Path(self.folder).expanduser()
        if not self.title:
            return ""
        if not self.folder:
            return "Say in which folder the job is put: on a fast disk of its own, never the system disk."
        if not is_folder(folder):
            makes = "have it made" if self.missing_folder is not None else "make it first"
            return f"{folder}: no such folder; {makes}, or choose another"
        try:
            called = folder / folder_name(self.stored.template, self.title)
        except QuarryError as error:
            return str(error)
        if is_there(called):
            return f"{called}: the folder exists; choose another title or place"
        return None

    # -- starting ------------------------------------------------------------------------------------------------

    @property
    def running(self) -> bool:
        return self._ticket is not None

    def start(self, *, unapproved: bool = False) -> None:
        """Start the job off the interface thread; a revision that nobody approved is asked about once."""
        stored, door = self.stored, self.door
        if stored is None or self.running:
            return
        try:
            check_startable(door.library, stored, unapproved=unapproved)
        except NotApproved as error:
            text = f"{error.subject} {error.what}. Start a job from it all the same?"
            door.say(text, refusal=True, action=("Start it", partial(self.start, unapproved=True)))
            return
        except QuarryError as error:
            self._failed(error)
            return
        title, folder, person = self.title, Path(self.folder).expanduser(), door.library.person
        began = time.monotonic()

        def work(ticket: Ticket) -> StartedJob:
            return start_job(stored, title, folder, write_pdf, person, ticket.progress)

        def progressed(what: str, share: float) -> None:
            passed = time.monotonic() - began
            self.progressed.emit(what, share, passed * (1 - share) / share if share > 0.08 and passed > 0.5 else None)

        self._ticket = door.workers.start(work, lambda job: self._started(job, stored, title), self._failed, progressed)
        self.running_changed.emit()
        self.progressed.emit("starting", 0.0, None)

    def cancel(self) -> None:
        """Stop; nothing is left behind."""
        if self._ticket is not None:
            self._ticket.cancel()

    def _started(self, job: StartedJob, stored: StoredTemplate, title: str) -> None:
        self._ticket = None
        self.running_changed.emit()

        def listed(record: JobRecord) -> None:
            self.title = ""
            self.changed.emit()
            self._jobs.choose(record.id)
            self.door.say(f"{title} is started in {job.folder}.")

        self.door.acts.jobs.list_job(job, title, stored, listed)

    def _failed(self, error: QuarryError) -> None:
        self._ticket = None
        self.failed = str(error)
        self.running_changed.emit()
        self.changed.emit()

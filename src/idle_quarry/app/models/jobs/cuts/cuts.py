"""A job's cuts: a list from elsewhere, its frame against the template's, its events and their clips, and it taken
as a timeline.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal

from idle_quarry.app.background.workers import Ticket
from idle_quarry.app.models.jobs.part import JobPart
from idle_quarry.app.questions import Choice
from idle_quarry.counting import counted
from idle_quarry.files import free_place
from idle_quarry.jobs.conform.lists import read_list
from idle_quarry.jobs.conform.matching import Event
from idle_quarry.jobs.conform.material import ClipOnDisk, clips_in
from idle_quarry.jobs.conform.report import ConformReport, conformed, write_report
from idle_quarry.jobs.conform.taking import BY_FRAME, BY_TIME, job_timeline
from idle_quarry.jobs.conform.writing import write_list
from idle_quarry.jobs.folder_plan import TIMELINES
from idle_quarry.jobs.material import changed_material, taken_in
from idle_quarry.path.names import cleaned_name
from idle_quarry.printing import write_pdf
from idle_quarry.signal.rates import rate_text

if TYPE_CHECKING:
    from idle_quarry.app.models.jobs.job_list import JobList

ALL, LACKING = "every event", "what lacks or is elsewhere"


@dataclass
class _JobCuts:
    """What is looked at in one job: the list's file, folders besides the job's own, the clips in them, and what
    came of it.
    """

    path: Path | None = None
    folders: list[Path] = field(default_factory=list)
    clips: list[ClipOnDisk] | None = None
    report: ConformReport | None = None
    counts: dict[Path, bool] = field(default_factory=dict)  #: whether lists drop numbers that do not say it
    trouble: tuple[str, ...] = ()


class Cuts(JobPart):
    """`changed`: another list, other clips, or another job; `chosen_changed`: another event is looked at."""

    chosen_changed = Signal()

    def __init__(self, jobs: JobList) -> None:
        super().__init__(jobs)
        self._of: dict[str, _JobCuts] = {}
        self.chosen: int | None = None  #: the number of the event that is looked at
        self.shown = ALL
        jobs.chosen_changed.connect(self._another_job)
        jobs.checked.connect(lambda ident: self.changed.emit() if ident == jobs.chosen else None)

    # -- what is looked at -----------------------------------------------------------------------------------------

    @property
    def _here(self) -> _JobCuts:
        return self._of.setdefault(self.jobs.chosen or "", _JobCuts())

    @property
    def report(self) -> ConformReport | None:
        """The list of this job and what came of it."""
        return self._here.report

    def _another_job(self) -> None:
        self.chosen = None
        self.cancel()

    def events(self) -> list[tuple[int, Event]]:
        """Return the events that are shown, each with its number."""
        numbered = list(enumerate(self.report.events)) if self.report is not None else []
        if self.shown == LACKING:
            return [(n, event) for n, event in numbered if event.status in ("missing", "offset", "found elsewhere")]
        return numbered

    def show_only(self, what: str) -> None:
        self.shown = what
        self.changed.emit()

    def choose(self, number: int | None) -> None:
        """Look at an event."""
        if number != self.chosen:
            self.chosen = number
            self.chosen_changed.emit()

    # -- reading ---------------------------------------------------------------------------------------------------

    def read(self, path: Path) -> None:
        """Read a list and match it with the job's clips, off the interface thread."""
        self._here.path = path
        self._match(anew=self._here.clips is None)

    def look_in(self, folder: Path) -> None:
        """Look for clips in another folder too."""
        if folder not in self._here.folders:
            self._here.folders.append(folder)
        if self._here.path is not None:
            self._match(anew=True)
        else:
            self._here.clips = None

    def look_again(self) -> None:
        """Look through the folders again: clips came, or went."""
        self._match(anew=True)

    def cancel(self) -> None:
        """Read nothing more."""
        self.stop()
        self.changed.emit()

    def _match(self, *, anew: bool) -> None:
        job, here = self.job, self._here
        if job is None or here.path is None:
            return
        path, known = here.path, None if anew else here.clips
        drop = here.counts.get(path)
        folders = [path for path in (job.folder, *here.folders) if path.is_dir()]

        def work(ticket: Ticket) -> tuple[list[ClipOnDisk], list[str], ConformReport]:
            ticket.progress(f"reading {path.name}", 0.0)
            cuts = read_list(path, job.template.working.format.rate, drop)
            clips, trouble = known, list[str]()
            if clips is None:
                clips, trouble = clips_in(folders, lambda count: ticket.progress(f"looking at clips, {count}", 0.5))
            ticket.progress("matching", 0.9)
            return clips, trouble, conformed(cuts, job.template, clips)

        def done(result: tuple[list[ClipOnDisk], list[str], ConformReport]) -> None:
            self.chosen = None
            here.clips, trouble, here.report = result
            here.trouble = tuple(trouble) if anew else here.trouble
            if here.report.cuts.count_unsaid:
                self._ask_count(path)

        self.run(f"reading {path.name}", work, done)

    def _ask_count(self, path: Path) -> None:
        """Ask once how a list counts that does not say it."""

        def answer(drop: bool) -> None:
            self._here.counts[path] = drop
            self._match(anew=False)

        answers: dict[str, Callable[[], object]] = {
            "Drop-frame": partial(answer, True),
            "Non-drop": partial(answer, False),
        }
        self.asked.emit(Choice(f"{path.name} does not say how it counts. Are numbers dropped?", answers))

    # -- in words ----------------------------------------------------------------------------------------------------

    def title_words(self) -> str:
        """Return what is looked at, its count, and how many events are what."""
        if self.doing:
            return self.doing
        report = self.report
        if report is None:
            return ""
        cuts = report.cuts
        text = (
            rate_text(cuts.rate)
            if cuts.rate is not None
            else f"no rate said, counted at {rate_text(cuts.timeline.rate)}"
        )
        drop = {True: ", drop-frame", False: ", non-drop", None: ""}[cuts.drop]
        return f"{cuts.timeline.name} · {text}{drop} · starts {cuts.timeline.start} · {cuts.path.name}"

    def clips_words(self) -> str:
        """Return how many events are what, and among which clips they were looked for."""
        here = self._here
        if here.clips is None or here.report is None:
            return ""
        counts = ", ".join(f"{count} {status}" for status, count in here.report.counts().items()) or "no events"
        count = counted(len(here.clips), "clip")
        where = "the job's folders" + (
            f" and {', '.join(folder.name for folder in here.folders)}" if here.folders else ""
        )
        bad = f"; {counted(len(here.trouble), 'file')} cannot be read" if here.trouble else ""
        return f"Events: {counts}. Matched with {count} in {where}{bad}."

    def chosen_words(self) -> str:
        """Return all that is told of the event that is looked at."""
        report = self.report
        if report is None or self.chosen is None:
            return ""
        event = report.events[self.chosen]
        notes = [
            event.text,
            *([str(event.clip.path)] if event.clip is not None else []),
            *([event.item.note] if event.item.note else []),
        ]
        return f"{event.item.name} · {' · '.join(notes)}"

    # -- doing -------------------------------------------------------------------------------------------------------

    def write_report(self, path: Path) -> None:
        """Write the report of the list, off the interface thread."""
        report = self.report
        if report is None:
            return
        self.reported(path, lambda: write_report(path, report, write_pdf))

    def take(self) -> None:
        """Take the list as a timeline of the job; where it counts at another rate, ask how it is read."""
        report, job = self.report, self.job
        if report is None or job is None:
            return
        wanted, counted = job.template.working.format.rate, report.cuts.timeline.rate
        if counted == wanted:
            self._take(BY_FRAME)
            return
        answers: dict[str, Callable[[], object]] = {
            f"Frame for frame, at {rate_text(wanted)}": lambda: self._take(BY_FRAME),
            "By time, cuts moved to the nearest frame": lambda: self._take(BY_TIME),
        }
        self.asked.emit(
            Choice(f"The list counts at {rate_text(counted)}, the job at {rate_text(wanted)}. How is it read?", answers)
        )

    def _take(self, how: str) -> None:
        report, job = self.report, self.job
        if report is None or job is None:
            return
        folder, name = job.folder / TIMELINES, cleaned_name(report.cuts.timeline.name) or "cuts"
        clips = list(dict.fromkeys(event.clip.path for event in report.events if event.clip is not None))

        def work(_ticket: object) -> Path:
            changed_material(job.folder, lambda before: taken_in(before, clips))
            return write_list(
                free_place(folder, name, ".otio"), job_timeline(report.cuts.timeline, report.events, job.template, how)
            )[0]

        def done(path: Path) -> None:
            self.door.say(f"{path.name} is among the job's timelines now, and its clips among the job's.")
            self.jobs.check_again()

        self.door.workers.start(work, done, self.door.refuse)

"""A job's material: its clips as they were measured, their class, their state; added, and brought in."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer

from idle_quarry.app.background.workers import Ticket
from idle_quarry.app.destinations import LookAtClips
from idle_quarry.app.models.jobs.material.bringing_in import BringingIn, BringInRequest
from idle_quarry.app.models.jobs.material.material_rows import Glance, MaterialRow, shown, timelines_of, used_spans
from idle_quarry.app.models.jobs.part import JobPart
from idle_quarry.app.questions import Choice
from idle_quarry.errors import QuarryError
from idle_quarry.jobs.check import material_in
from idle_quarry.jobs.material import (
    CHANGED,
    LINKED,
    PARTLY,
    USED,
    JobClip,
    changed_material,
    proxy_of,
    rows_of,
    taken_in,
)
from idle_quarry.path.evaluate import evaluate

if TYPE_CHECKING:
    from idle_quarry.app.models.jobs.job_list import JobList

#: The names of the pages that show them: clips are looked at when one is seen, and not before.
PAGES = ("Material", "Trial")
#: Milliseconds between two glances at the job's folders while its clips are in sight.
_GLANCE_MS = 2000
Change = Callable[[tuple[JobClip, ...]], Iterable[JobClip]]


class JobMaterial(JobPart):
    """The rows are what the job's record and the files say; every act changes that record, and looks again."""

    def __init__(self, jobs: JobList) -> None:
        super().__init__(jobs)
        self.rows: list[MaterialRow] = []
        self.looked = False  #: whether the rows are those of the job that is seen
        self.bringing = BringingIn(self.door)
        self._folder: Path | None = None  #: of the job whose rows these are
        #: What was asked for and is not done: one look that takes the place of another does what that was to do too.
        self._asked: list[tuple[Change, Callable[[], object]]] = []
        self._there: dict[str, tuple[int, int]] = {}  #: the media files in the job's folders when they were looked at
        self._cut: dict[str, tuple[int, int]] = {}  #: its timelines then
        self._arriving: Glance | None = None  #: what was seen at the last glance: it may still be growing
        self._glancing = False
        self._glance = QTimer(self, interval=_GLANCE_MS)
        self._glance.timeout.connect(self.glance)
        self.bringing.changed.connect(self.changed)
        self.bringing.progressed.connect(self.doing_changed)
        self.bringing.brought.connect(self._brought)
        self.follow(self._see)

    # -- looking ---------------------------------------------------------------------------------------------------

    def _see(self) -> None:
        """Look at the clips of the job that is seen now."""
        job = self.job
        folder = job.folder if job is not None else None
        if folder != self._folder:
            self.stop()
            self._folder, self.rows, self._asked, self.looked = folder, [], [], False
            self.changed.emit()
        if folder is not None and self.jobs.page in PAGES:
            self._look()
            self._glance.start()
        else:
            self._glance.stop()

    def glance(self) -> None:
        """See, off the interface thread, whether other files lie in the job's folders than were looked at.

        Then look again.
        """
        job = self.job
        if job is None or self._glancing or self.doing:
            return
        self._glancing = True

        def done(glance: Glance) -> None:
            self._glancing = False
            settled, self._arriving = glance == self._arriving, glance
            # what Trial writes as one edits is no news to it
            is_new = glance[0] != self._there or (glance[1] != self._cut and self.jobs.page == PAGES[0])
            if settled and is_new and job.folder == self._folder and not self.doing:
                self._look()

        def failed(_error: QuarryError) -> None:
            self._glancing = False

        def work(_ticket: Ticket) -> Glance:
            return material_in(job.folder, job.folders, job.files), timelines_of(job.folder)

        self.door.workers.start(work, done, failed, quiet=True)

    def _brought(self, folder: Path) -> None:
        if folder == self._folder:
            self._look()

    def _look(self, change: Change = lambda entries: entries, then: Callable[[], object] = lambda: None) -> None:
        """Change what the job knows of its clips, and look at them and at those that were put into its folders."""
        job = self.job
        if job is None:
            return
        folder, template = job.folder, job.template
        self._asked.append((change, then))
        asked = tuple(self._asked)

        def changed(entries: tuple[JobClip, ...]) -> tuple[JobClip, ...]:
            for function, _then in asked:
                entries = tuple(function(entries))
            return taken_in(entries, [folder / name for name in there])

        there: dict[str, tuple[int, int]] = {}
        cut: dict[str, tuple[int, int]] = {}

        def work(ticket: Ticket) -> list[MaterialRow]:
            there.update(material_in(folder, job.folders, job.files))
            cut.update(timelines_of(folder))
            entries = changed_material(folder, changed)
            rows = []
            for number, row in enumerate(rows_of(folder, entries)):
                ticket.progress(f"looking at {row.entry.path.name}", number / max(1, len(entries)))
                rows.append(shown(row, template))
            return rows

        def done(rows: list[MaterialRow]) -> None:
            self.rows, self.looked, self._there, self._cut = rows, True, there, cut
            self._asked = self._asked[len(asked) :]
            for _change, function in asked:
                function()

        def failed() -> None:
            self._asked = self._asked[len(asked) :]

        self.run("looking at the clips", work, done, failed)

    # -- doing -----------------------------------------------------------------------------------------------------

    def look_again(self) -> None:
        """Look at the clips again."""
        self._look()

    def add(self, paths: Sequence[Path], then: Callable[[], object] = lambda: None) -> None:
        """Link clips where they lie."""
        self._look(lambda entries: taken_in(entries, paths), then)

    def see(self, paths: Sequence[Path]) -> None:
        """See in Intake all that is measured of clips."""
        self.door.go(LookAtClips(list(paths)))

    def can_forget(self, path: Path) -> bool:
        """Return whether a clip is known only because it was added; what lies in the job's folders is known by that."""
        job = self.job
        return job is not None and path not in {job.folder / name for name in self._there}

    def forget(self, paths: Sequence[Path]) -> None:
        """Know clips no longer; no file is touched."""
        self._look(lambda entries: [entry for entry in entries if entry.path not in paths])

    def choose_class(self, paths: Sequence[Path], source: str, then: Callable[[], object] = lambda: None) -> None:
        """Convert clips as a source class of the template does; "" for the one that each matches."""

        def change(entries: tuple[JobClip, ...]) -> list[JobClip]:
            return [replace(entry, source=source) if entry.path in paths else entry for entry in entries]

        self._look(change, then)

    def bring_in(self, paths: Sequence[Path], *, used: bool = False) -> None:
        """Bring clips in, one after the other: whole, or what the timelines use with a second on each side.

        Where one fits no class, ask first how it is converted.
        """
        job = self.job
        for row in self.rows if job is not None else []:
            if job is None or row.clip is None or row.entry.path not in paths or not self._can(row, used=used):
                continue
            if row.source is None:
                self.ask_class(row, partial(self.bring_in, [row.entry.path], used=used))
                continue
            for span in used_spans(row, row.clip) if used else [None]:
                self.bringing.add(BringInRequest(job, row.entry, row.clip, row.source, span))

    def make_proxies(self, paths: Sequence[Path]) -> None:
        """Make the proxies of clips, in the queue of what is brought in."""
        job = self.job
        for row in self.rows if job is not None else []:
            if job is not None and row.entry.path in paths and self._wants_proxy(row):
                assert row.clip is not None and row.source is not None
                self.bringing.add(BringInRequest(job, row.entry, row.clip, row.source, None, proxy=True))

    def _wants_proxy(self, row: MaterialRow) -> bool:
        return row.convertible and row.source is not None and row.row.state != CHANGED and proxy_of(row.entry) is None

    def can_make_proxies(self) -> list[Path]:
        """Return the clips whose proxies can be made: of a class, without one; none where the template has no proxy."""
        job = self.job
        if job is None or job.template.proxy is None:
            return []
        return [row.entry.path for row in self.rows if self._wants_proxy(row)]

    def _can(self, row: MaterialRow, *, used: bool) -> bool:
        states = (LINKED, PARTLY) if used else (LINKED, PARTLY, USED)
        return row.convertible and row.row.state in states and (bool(row.row.spans) or not used)

    def ask_class(
        self, row: MaterialRow, then: Callable[[], object], *, leave: Callable[[], object] = lambda: None
    ) -> None:
        """Ask how a clip that fits no class is converted, and go on with `then`.

        Where it is left as it is, with `leave`.

        The template stays as it is; the answer is kept with the clip, and where others are like it, asked for them.
        """
        job, path = self.job, row.entry.path
        if job is None:
            return
        alike = [
            item.entry.path
            for item in self.rows
            if item.source is None and item.convertible and item.words == row.words and item.entry.path != path
        ]

        def answer(source: str) -> None:
            if not alike:
                self.choose_class([path], source, then)
                return
            count = "One more clip is" if len(alike) == 1 else f"{len(alike)} more clips are"
            both: dict[str, Callable[[], object]] = {
                "All of them": lambda: self.choose_class([path, *alike], source, then),
                "This one alone": lambda: self.choose_class([path], source, then),
            }
            self.asked.emit(Choice(f"{count} {row.words} too. Are they converted the same way?", both))

        evaluation = evaluate(job.template, remedies=False)
        answers: dict[str, Callable[[], object]] = {}
        for element in job.template.sources:
            link = evaluation.link_of(f"source:{element.id}")
            does = f" ({link.grade})" if link is not None else ""
            answers[f"As {element.name}{does}"] = partial(answer, element.id)
        answers["Leave it linked"] = leave
        answers["See it in Intake"] = partial(self.see, [path])
        text = f"{path.name} is {row.words}, which no source of the template is. How is it converted?"
        self.asked.emit(Choice(text, answers))

    # -- in words ----------------------------------------------------------------------------------------------------

    def can_bring_in(self, *, used: bool = False) -> list[Path]:
        """Return the clips that can be brought in whole, or of which something is used that can."""
        return [row.entry.path for row in self.rows if self._can(row, used=used)]

    def summary(self) -> str:
        """Return what is under way, else how many clips stand how."""
        if self.bringing.words or self.doing:
            return self.bringing.words or self.doing
        counts: dict[str, int] = {}
        for row in self.rows:
            counts[row.row.state] = counts.get(row.row.state, 0) + 1
        strangers = sum(row.source is None and row.convertible for row in self.rows)
        lines = [f"{count} {state}" for state, count in counts.items()]
        return ", ".join([*lines, *([f"{strangers} of no class"] if strangers else [])])

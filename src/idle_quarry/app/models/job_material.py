"""A job's material: its clips as they were measured, their class, their state; taken in, brought in one after the other."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.questions import Choice
from idle_quarry.app.work import Cancelled, Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.jobs.check import CheckedJob
from idle_quarry.jobs.material import (
    BROUGHT,
    LINKED,
    MISSING,
    PARTLY,
    USED,
    Entry,
    Row,
    Span,
    bring_in,
    class_of,
    joined,
    parts_of,
    read_material,
    rows_of,
    state_of,
    taken_in,
    write_material,
)  # fmt: skip
from idle_quarry.media.clip import Clip
from idle_quarry.media.looking import look
from idle_quarry.path.template import Source, Template
from idle_quarry.signal.words import format_words

if TYPE_CHECKING:
    from idle_quarry.app.models.jobs import Jobs


@dataclass(frozen=True)
class MaterialRow:
    """A clip as it is shown: how it stands, what it is (None while it is looked at, or where it cannot be), its class."""

    row: Row
    clip: Clip | None
    source: Source | None
    fits: bool  #: whether it matches a class of the template by itself
    words: str  #: what it is, or why it cannot be read

    @property
    def convertible(self) -> bool:
        """Whether it has pictures in a format that is known."""
        return self.clip is not None and self.clip.format is not None

    @property
    def entry(self) -> Entry:
        return self.row.entry


class JobMaterial(QObject):
    """`changed`: other clips, or one stands otherwise; `doing_changed`: how far what is under way is; `asked`: a choice is to be made in place."""

    changed = Signal()
    doing_changed = Signal()
    asked = Signal(object)

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs, self.desk = jobs, jobs.desk
        self.rows: list[MaterialRow] = []
        self.doing = ""  #: what is under way, in words
        self._folder: Path | None = None
        self._ticket: Ticket | None = None
        self._kept = 0  #: how often a person's choice was kept: what was read before one is not shown after it
        self._waiting: deque[tuple[Path, Span | None]] = deque()
        self._bringing: Ticket | None = None
        jobs.chosen_changed.connect(self._another_job)
        jobs.checked.connect(lambda ident: self._another_job() if ident == jobs.chosen else None)

    @property
    def job(self) -> CheckedJob | None:
        """The job, where it can be read."""
        result = self._jobs.result(self._jobs.chosen)
        return result if isinstance(result, CheckedJob) else None

    @property
    def waiting(self) -> int:
        """How many clips wait to be brought in."""
        return len(self._waiting)

    # -- reading ---------------------------------------------------------------------------------------------------

    def _another_job(self) -> None:
        job = self.job
        folder = job.folder if job is not None else None
        if folder != self._folder:
            self.cancel()
            self._folder, self.rows = folder, []
            self.changed.emit()
        if folder is not None:
            self.look_again()

    def look_again(self, more: Sequence[Path] = ()) -> None:
        """Look at the job's clips, those that were put into its folders and `more`, off the interface thread."""
        job = self.job
        if job is None:
            return
        if self._ticket is not None:
            self._ticket.cancel()
        wanted = [job.folder / name for name in job.material] + list(more)
        folder, template, kept = job.folder, job.template, self._kept

        def work(ticket: Ticket) -> list[MaterialRow]:
            before = read_material(folder)
            entries = taken_in(before, wanted)
            if entries != before:
                write_material(folder, entries)
            found = []
            for number, row in enumerate(rows_of(folder, entries)):
                ticket.progress(f"looking at {row.entry.path.name}", number / max(1, len(entries)))
                found.append(_shown(row, template))
            return found

        def done(found: list[MaterialRow]) -> None:
            self._ticket = None
            if kept != self._kept:
                self.look_again(more)
                return
            self.rows = found
            self.doing = self.doing if self._bringing is not None else ""
            self.changed.emit()

        def failed(error: QuarryError) -> None:
            self._ticket = None
            self.doing = self.doing if self._bringing is not None else ""
            if not isinstance(error, Cancelled):
                self.desk.refuse(error)
            self.changed.emit()

        def progressed(what: str, _share: float) -> None:
            if self._bringing is None:
                self.doing = f"{what} …"
                self.doing_changed.emit()

        self._ticket = self.desk.workers.start(work, done, failed, progressed)

    # -- doing -----------------------------------------------------------------------------------------------------

    def add(self, paths: Sequence[Path]) -> None:
        """Take clips in where they lie."""
        self.look_again(paths)

    def forget(self, path: Path) -> None:
        """Know a clip no longer; no file is touched. One in the job's folders is known again when it is looked for."""
        self._keep([each.entry for each in self.rows if each.entry.path != path])
        self.rows = [each for each in self.rows if each.entry.path != path]
        self.changed.emit()

    def choose_class(self, path: Path, source: str) -> None:
        """Convert a clip as a source class of the template does; "" for the one that it matches."""
        job = self.job
        if job is None:
            return
        self.rows = [
            _shown(replace(each.row, entry=replace(each.entry, source=source)), job.template)
            if each.entry.path == path
            else each
            for each in self.rows
        ]
        self._keep([each.entry for each in self.rows])
        self.changed.emit()

    def bring_in(self, paths: Sequence[Path], *, used: bool = False) -> None:
        """Bring clips in, one after the other: whole, or what the timelines use with a second on each side.

        Where one fits no class, ask first how it is converted.
        """
        job = self.job
        if job is None:
            return
        for each in self.rows:
            if each.entry.path not in paths or not self._can(each, used=used):
                continue
            if each.source is None:
                self._ask_class(job, each, used=used)
                continue
            wanted = self._used_spans(each) if used else [None]
            self._waiting += [
                (each.entry.path, span) for span in wanted if (each.entry.path, span) not in self._waiting
            ]
        self._next()

    def _can(self, row: MaterialRow, *, used: bool) -> bool:
        states = (LINKED, PARTLY) if used else (LINKED, PARTLY, USED)
        return row.convertible and row.row.state in states and (bool(row.row.spans) or not used)

    def _used_spans(self, row: MaterialRow) -> list[Span | None]:
        """Return the spans of a clip that are used and not brought in yet."""
        declared = row.clip.declared if row.clip is not None else None
        if declared is None:
            return []
        held = [made.span for made in parts_of(row.entry) if made.span is not None]
        spans = joined(row.row.spans, round(declared.rate or 25), declared.frames or 1)
        return [span for span in spans if not any(a <= span[0] and span[1] <= b for a, b in held)]

    def _ask_class(self, job: CheckedJob, row: MaterialRow, *, used: bool) -> None:
        def answer(source: str) -> None:
            self.choose_class(row.entry.path, source)
            self.bring_in([row.entry.path], used=used)

        answers: dict[str, Callable[[], object]] = {
            f"As {each.name}": partial(answer, each.id) for each in job.template.sources
        }
        answers["Leave it linked"] = lambda: None
        self.asked.emit(
            Choice(
                f"{row.entry.path.name} is {row.words}, which no source of the template is. How is it converted?",
                answers,
            )
        )

    def _next(self) -> None:
        job = self.job
        if self._bringing is not None or job is None or not self._waiting:
            return
        path, span = self._waiting.popleft()
        row = next((each for each in self.rows if each.entry.path == path), None)
        if row is None or row.clip is None or row.source is None:
            self._next()
            return
        entry, clip, source, folder = row.entry, row.clip, row.source, job.folder

        def work(ticket: Ticket) -> Entry:
            return bring_in(
                entry, clip, source, job.template, folder, lambda share: ticket.progress(path.name, share), span
            )

        def done(made: Entry) -> None:
            self._ended()
            if self._folder == folder:
                self._stands(path, made)
            else:  # another job is looked at meanwhile: this one still has its clip
                write_material(folder, [made if each.path == path else each for each in read_material(folder)])
            self.changed.emit()
            self._next()

        def failed(error: QuarryError) -> None:
            self._ended()
            if isinstance(error, Cancelled):
                self.desk.say(f"{path.name} was not brought in; nothing was left behind.")
            else:
                self.desk.refuse(error)
            self.changed.emit()
            self._next()

        def progressed(name: str, share: float) -> None:
            more = f", {len(self._waiting)} more wait" if self._waiting else ""
            self.doing = f"bringing in {name}, {100 * share:.0f} %{more}"
            self.doing_changed.emit()

        self.doing = f"bringing in {path.name}"
        self._bringing = self.desk.workers.start(work, done, failed, progressed)
        self.changed.emit()

    def _stands(self, path: Path, made: Entry) -> None:
        self.rows = [
            replace(each, row=replace(each.row, entry=made, state=state_of(made, each.row.spans)))
            if each.entry.path == path
            else each
            for each in self.rows
        ]
        self._keep([each.entry for each in self.rows])

    def _ended(self) -> None:
        self._bringing, self.doing = None, ""

    def cancel(self) -> None:
        """Bring nothing more in; what is whole stays."""
        self._waiting.clear()
        if self._bringing is not None:
            self._bringing.cancel()

    def _keep(self, entries: Sequence[Entry]) -> None:
        if self._folder is None:
            return
        self._kept += 1
        try:
            write_material(self._folder, entries)
        except QuarryError as error:
            self.desk.refuse(error)

    # -- in words ----------------------------------------------------------------------------------------------------

    def can_bring_in(self, *, used: bool = False) -> list[Path]:
        """Return the clips that can be brought in whole, or of which something is used that can."""
        return [each.entry.path for each in self.rows if self._can(each, used=used)]

    def summary(self) -> str:
        """Return how many clips stand how."""
        if self.doing:
            return self.doing
        counts: dict[str, int] = {}
        for each in self.rows:
            counts[each.row.state] = counts.get(each.row.state, 0) + 1
        strangers = sum(each.source is None and each.convertible for each in self.rows)
        told = [f"{count} {state}" for state, count in counts.items()]
        return ", ".join([*told, *([f"{strangers} of no class"] if strangers else [])])


def _shown(row: Row, template: Template) -> MaterialRow:
    if row.state == MISSING:
        return MaterialRow(row, None, None, False, "its file is not there")
    try:
        clip = look(row.entry.path)
    except QuarryError as error:
        return MaterialRow(row, None, None, False, error.what)
    source, found = class_of(row.entry, clip, template)
    if clip.format is not None:
        words = format_words(clip.format, fields=True)
    else:
        words = "pictures in no format that is known" if clip.declared.has_picture else "sound alone"
    return MaterialRow(row, clip, source, found is not None and found.source is not None, words)


def used_words(row: Row) -> str:
    """Return for how long timelines use a clip."""
    if not row.used:
        return "not used"
    minutes, seconds = divmod(float(row.used), 60)
    return f"{int(minutes)} min {seconds:.0f} s" if minutes else f"{seconds:.1f} s"


def brought_words(row: Row) -> str:
    """Return how a clip stands, with what was made of it."""
    parts = parts_of(row.entry) if row.state in (BROUGHT, USED, PARTLY) else ()
    return f"{row.state} · {', '.join(made.path.name for made in parts)}" if parts else row.state

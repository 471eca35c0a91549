"""The chosen template of the shelves: its revisions, the one that is looked at, what was said of it, what may be
done.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.destinations import ActOnRevision, CompareRevisions, MergeDrafts
from idle_quarry.app.models.library.remarks import remark_words
from idle_quarry.errors import QuarryError
from idle_quarry.library import HandoverRecord, JobRecord, Remark, Revision, StoredTemplate, Summary
from idle_quarry.path.evaluation import Evaluation

if TYPE_CHECKING:
    from idle_quarry.app.door import Door


@dataclass(frozen=True)
class Offers:
    """What may be done with the revision that is looked at; a number is the revision it is done with."""

    propose: bool = False
    approve: bool = False
    review: int | None = None
    merge: bool = False
    bring_back: bool = False
    withdraw: bool = False
    compare: int | None = None


@dataclass(frozen=True)
class _RevisionRead:
    evaluation: Evaluation | None
    history: list[str]


class ChosenTemplate(QObject):
    """`changed`: another template, or another revision of it."""

    changed = Signal()

    def __init__(self, door: Door) -> None:
        super().__init__()
        self.door = door
        self.summary: Summary | None = None
        self.revisions: list[Revision] = []
        self.jobs: list[JobRecord] = []
        self.handed: list[HandoverRecord] = []  #: what was handed over from any of its revisions, newest first
        self.alone = False  #: whether one person may approve alone in this house
        self.number: int | None = None
        self.second: int | None = None
        #: Whether the revision was picked by a person, and is not the one that opening would open.
        self.picked = False
        self._read: _RevisionRead | None = None

    def show_summary(self, summary: Summary | None) -> None:
        """Look at a template; the revision chosen before stays chosen where it is the same template."""
        same = summary is not None and self.summary is not None and summary.id == self.summary.id
        self.picked = self.picked and same
        number = self.number if self.picked else None
        self.summary, self.second = summary, self.second if same else None
        if summary is not None:
            try:
                library = self.door.library
                self.revisions = library.revisions(summary.id)
                self.jobs = library.jobs_from(summary.id)
                self.handed = library.handovers_from(summary.id)
                self.alone = library.one_person()
                opens = self.door.documents.worked_on(summary)
            except QuarryError as error:
                self.door.refuse(error)
                return
            self.number = number if number is not None else opens
        self._read = None
        self.changed.emit()

    def pick(self, number: int, second: int | None = None) -> None:
        """Look at a revision, with a second beside it to be compared with."""
        self.picked = True
        self.number, self.second = number, second
        self._read = None
        self.changed.emit()

    @property
    def revision(self) -> Revision | None:
        """The revision that is looked at."""
        return next((revision for revision in self.revisions if revision.number == self.number), None)

    def stored(self) -> StoredTemplate | None:
        """Return the revision that is looked at, with its body. Raises `LibraryError`."""
        return None if self.summary is None else self.door.library.stored(self.summary.id, self.number)

    @property
    def evaluation(self) -> Evaluation | None:
        """The evaluation of the revision; None where it cannot be read."""
        return self._now().evaluation

    @property
    def history(self) -> list[str]:
        """What was said and done about the revision, newest first."""
        return self._now().history

    def _now(self) -> _RevisionRead:
        """Return what the revision says, read when it is first asked for: going along the list does not wait for it."""
        if self._read is None:
            self._read = self._of_revision()
        return self._read

    def _of_revision(self) -> _RevisionRead:
        summary, revision = self.summary, self.revision
        if summary is None or revision is None:
            return _RevisionRead(None, [])
        try:
            stored = self.door.stored(revision)
            remarks = self.door.library.remarks(summary.id)
        except QuarryError as error:
            self.door.refuse(error)
            return _RevisionRead(None, [])
        evaluation = self.door.evaluation(summary.id, revision.number, revision.hash)
        return _RevisionRead(
            evaluation, self._history_lines(stored, [remark for remark in remarks if remark.number == revision.number])
        )

    def _history_lines(self, stored: StoredTemplate, remarks: list[Remark]) -> list[str]:
        """Return the history of a revision, newest first: what was said and done, jobs, how it came to be."""
        lines = [remark_words(stored, remark) for remark in remarks]
        for record in self.handed:
            if record.revision == stored.revision.number:
                verdict = "verified, it passes" if record.verdict == "passes" else "verified and accepted"
                verdict += f"; {record.looked} looked" if record.looked else ""
                lines.append(
                    f"{record.author}, {record.time[:10]}: handed over {record.file} of"
                    f" {record.job}\n{record.delivery}: {verdict}"
                )
        for job in self.jobs:
            if job.revision == stored.revision.number:
                lines.append(f"{job.author}, {job.time[:10]}: started the job {job.title}")
        revision = stored.revision
        began = [f"from revision {revision.parent}"] if revision.parent else []
        began += [f"merged with {revision.merged}"] if revision.merged else []
        saved = f"{revision.author}, {revision.time[:10]}: saved {', '.join(began) or 'new'}"
        return [*lines, f"{saved}\n{revision.note}" if revision.note else saved]

    # -- in words ------------------------------------------------------------------------------------------

    def about_words(self) -> str:
        """Return where the revision stands: its shelf, state, worst link, what jobs start from."""
        summary, revision = self.summary, self.revision
        if summary is None or revision is None or self.evaluation is None:
            return ""
        shelf = "House shelf" if summary.shelf == "house" else "Own shelf"
        more = f" · jobs start from revision {summary.for_jobs}" if summary.shelf == "house" else ""
        more += " · one person approves here" if self.alone and summary.shelf == "house" else ""
        more += f" · {self.evidence_words()}" if self.handed else ""
        return (
            f"{shelf} · revision {revision.number}, {revision.state} · worst link {self.evaluation.worst_grade}{more}"
        )

    def evidence_words(self) -> str:
        """Return how many files were handed over from the template, "" where none was."""
        count = len(self.handed)
        return (
            f"{count} {'hand-over' if count == 1 else 'hand-overs'} verified, the last {self.handed[0].time[:10]}"
            if count
            else ""
        )

    def jobs_on(self) -> dict[int, int]:
        """Return how many jobs stand on each revision."""
        return dict(Counter(job.revision for job in self.jobs))

    # -- what may be done ----------------------------------------------------------------------------------

    def offers(self) -> Offers:
        """Return what may be done with the revision now."""
        summary, revision = self.summary, self.revision
        if summary is None or revision is None:
            return Offers()
        house = summary.shelf == "house" and not summary.aside
        proposed = self._proposed()
        return Offers(
            propose=house and revision.state == "draft" and not self.alone,
            approve=house and revision.state == "draft" and self.alone,
            review=proposed.number if house and proposed is not None else None,
            merge=len(self._drafts()) > 1,
            bring_back=revision.state == "withdrawn",
            withdraw=house and revision.state in ("draft", "in review", "approved"),
            compare=self._other(revision) if len(self.revisions) > 1 else None,
        )

    def _drafts(self) -> list[Revision]:
        used = {number for revision in self.revisions for number in (revision.parent, revision.merged)}
        return [r for r in self.revisions if r.state in ("draft", "in review") and r.number not in used]

    def _other(self, revision: Revision) -> int:
        """The revision this one is compared with: the second picked, else what it began from, else its neighbour."""
        if self.second is not None:
            return self.second
        if revision.parent is not None:
            return revision.parent
        return next((r.number for r in reversed(self.revisions) if r.number != revision.number), revision.number)

    def _proposed(self) -> Revision | None:
        """Return the revision that waits for a review: the chosen one where it does, else the newest that does."""
        waiting = [revision for revision in self.revisions if revision.state == "in review"]
        return self.revision if self.revision in waiting else next(iter(waiting), None)

    def compare(self) -> None:
        """Show the revision beside the one it is compared with."""
        other = self.offers().compare
        if other is not None and self.number is not None:
            self.door.go(CompareRevisions(*sorted((other, self.number))))

    def review(self) -> None:
        """Show what waits for a review beside what is approved."""
        proposed = self._proposed()
        if self.summary is not None and proposed is not None:
            self.door.go(CompareRevisions(self.summary.approved or proposed.parent or proposed.number, proposed.number))

    def merge(self) -> None:
        """Show two drafts, to be made one."""
        drafts = self._drafts()
        if self.summary is not None and len(drafts) > 1:
            revision = self.revision if self.revision in drafts else drafts[0]
            assert revision is not None
            other = next(draft for draft in drafts if draft != revision)
            self.door.go(MergeDrafts(self.summary.id, *sorted((other.number, revision.number))))

    def act(self, act: str) -> None:
        """Carry out an act on the revision, after what goes with it was asked."""
        if self.number is not None:
            self.door.go(ActOnRevision(act, self.number))

"""Files that are to be verified, one after the other: each has its state until it has a verdict."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from idle_quarry.app.background.workers import Cancelled, Ticket
from idle_quarry.errors import QuarryError

if TYPE_CHECKING:
    from idle_quarry.app.models.jobs.handover.handover import Handover
    from idle_quarry.jobs.check import Job
    from idle_quarry.jobs.handover.record import VerificationRecord
    from idle_quarry.path.template_parts import Delivery

WAITING, VERIFYING, UNREADABLE = "waiting", "verifying", "cannot be verified"


@dataclass(frozen=True)
class PendingFile:
    """A file without a verdict: where it stands, and why it cannot be verified where that is so."""

    path: Path
    delivery: Delivery
    state: str = WAITING
    why: str = ""

    @property
    def words(self) -> str:
        return f"{self.state}: {self.why}" if self.why else self.state


class VerifyQueue:
    """The files of the job that is looked at. One that cannot be read is said so in its row, and the next is taken."""

    def __init__(self, handover: Handover) -> None:
        self._handover = handover
        self.rows: tuple[PendingFile, ...] = ()

    def add(self, job: Job, paths: Sequence[Path], delivery: Delivery) -> None:
        """Have files held against a delivery, after those that wait already."""
        wanted = list(dict.fromkeys(paths))
        others = [row for row in self.rows if row.path not in wanted or row.state == VERIFYING]
        there = {row.path for row in others}
        self.rows = (*others, *(PendingFile(path, delivery) for path in wanted if path not in there))
        self.go_on(job)

    def clear(self, *, unreadable: bool = False) -> None:
        """Forget what waits and is being verified; what cannot be read stays in sight unless that is to go too."""
        self.rows = tuple(row for row in self.rows if row.state == UNREADABLE and not unreadable)

    def go_on(self, job: Job) -> None:
        """Take the next file, where nothing else is under way."""
        handover = self._handover
        row = next((row for row in self.rows if row.state == WAITING), None)
        if row is None or any(row.state == VERIFYING for row in self.rows) or handover.doing:
            return
        path, delivery = row.path, row.delivery
        self._put(row, replace(row, state=VERIFYING))

        def work(ticket: Ticket) -> VerificationRecord | QuarryError:
            from idle_quarry.jobs.lending.job_tasks import verified

            try:
                return verified(handover.door.lending.house()[0], job, path, delivery, ticket.progress)
            except Cancelled:
                raise
            except QuarryError as error:
                return error

        def done(result: VerificationRecord | QuarryError) -> None:
            now = next((pending for pending in self.rows if pending.path == path and pending.state == VERIFYING), row)
            if isinstance(result, QuarryError):
                self._put(now, replace(now, state=UNREADABLE, why=result.what))
            else:
                self._put(now)
                handover.keep(job, result)
            self.go_on(job)
            handover.changed.emit()

        handover.run(f"verifying {path.name}", work, done, lambda: done(QuarryError("something unforeseen happened")))

    def _put(self, row: PendingFile, *others: PendingFile) -> None:
        """Put others in a row's place, or nothing."""
        self.rows = tuple(one for pending in self.rows for one in (others if pending is row else (pending,)))

"""What the library is told of jobs."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from idle_quarry.errors import QuarryError
from idle_quarry.library import StoredTemplate

if TYPE_CHECKING:
    from idle_quarry.app.context import AppContext
    from idle_quarry.jobs.moving import Move
    from idle_quarry.jobs.start import StartedJob
    from idle_quarry.library import JobRecord


class JobActs:
    """Notes jobs that are started, and moves them to other revisions."""

    def __init__(self, context: AppContext) -> None:
        self._context = context

    def list_job(
        self, job: StartedJob, title: str, stored: StoredTemplate, done: Callable[[JobRecord], object]
    ) -> None:
        """Note in the library that a job was started."""
        from idle_quarry.jobs.left_over import list_job

        context = self._context

        def succeeded(record: JobRecord) -> None:
            context.preferences.jobs_folder = str(job.folder.parent)
            context.jobs_changed.emit()
            done(record)

        context.write(lambda library: list_job(library, job, title, stored), succeeded, context.refuse)

    def move_job(
        self,
        record: JobRecord,
        work: Callable[[], Move],
        to: StoredTemplate,
        done: Callable[[Move], object],
        failed: Callable[[QuarryError], object],
    ) -> None:
        """Move a job to another revision, off the interface thread wherever its library is."""
        context, library = self._context, self._context.library

        def moved(_ticket: object) -> Move:
            move = work()
            library.move_job(record.id, to)
            return move

        def succeeded(move: Move) -> None:
            done(move)
            context.jobs_changed.emit()

        context.workers.start(moved, succeeded, failed)

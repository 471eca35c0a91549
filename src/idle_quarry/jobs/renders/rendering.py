"""The rendering of a job: what is to be rendered, where to, and this machine's workers at it."""

from __future__ import annotations

from idle_quarry.errors import JobError
from idle_quarry.jobs.renders.crew import Crew
from idle_quarry.jobs.renders.queue import WorkQueue
from idle_quarry.jobs.renders.store import RenderStore


class JobRenderer:
    """A job's queue, its store, and workers for them, none of which is started yet; for any thread."""

    def __init__(self, queue: WorkQueue, store: RenderStore, crew: Crew, title: str) -> None:
        self.queue, self.store = queue, store
        self._crew, self._title = crew, title

    @property
    def working(self) -> int:
        """How many workers of this machine there are."""
        return self._crew.working

    def start(self, most: int | None = None) -> None:
        """Have as many workers as there are processors, and no more than there is to do.

        Raises `JobError` where workers end as soon as they are started, or none can be.
        """
        try:
            self.store.folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise JobError(f"no worker could be started ({error.strerror})", subject=str(self.store.folder)) from error
        try:
            self._crew.start(self.queue.open, most)
        except JobError as error:
            raise JobError(error.what, subject=self._title) from error

    def stop(self) -> None:
        """End the workers: what they had begun is given back, what is whole stays."""
        self._crew.stop()

    def close(self) -> None:
        self.stop()
        self.queue.close()

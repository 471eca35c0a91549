"""Where a job's work is queued: on its house's server, where there is one and other machines can reach all of it,
else in its own file.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from idle_quarry.errors import QuarryError
from idle_quarry.jobs.check import Job
from idle_quarry.jobs.renders.crew import Crew
from idle_quarry.jobs.renders.queue import FileQueue, WorkQueue, worker_name
from idle_quarry.jobs.renders.render_folder import QUEUE_FILE
from idle_quarry.jobs.renders.rendering import JobRenderer
from idle_quarry.jobs.renders.status import Programme
from idle_quarry.jobs.renders.store import RenderStore

if TYPE_CHECKING:  # what speaks to a server is read where there is one
    from idle_quarry.jobs.lending.task_server import TaskServer


def opened(url: str | None) -> tuple[TaskServer | None, str]:
    """Return the house at an address, or none and why: rendering goes on without it."""
    if not url:
        return None, ""
    from idle_quarry.jobs.lending.task_server import TaskServer

    try:
        house = TaskServer(url)
    except QuarryError as error:
        return None, str(error)
    if not house.may_add:
        house.close()
        return None, "the server lets editors ask other machines for help, and this person reads"
    return house, ""


def unmarked(programmes: Sequence[Programme], store: RenderStore) -> tuple[Path, ...]:
    """Return the folders of clips and renders that other machines have no way to find."""
    from idle_quarry.jobs.lending.server_queue import unmarked

    return unmarked(programmes, store)


def mark_all(folders: Sequence[Path], job: Job) -> None:
    """Mark what other machines could not find: the template's place that a folder lies in, else the folder itself.

    Raises `JobError`.
    """
    from idle_quarry.jobs.lending.shared_folders import mark, place_above

    places = sorted((Path(place.path) for place in job.template.places if place.path), key=lambda path: len(path.parts))
    for folder in folders:
        if place_above(folder) is None:  # one that was marked just now may hold it
            mark(next((place for place in places if folder.is_relative_to(place) and place.is_dir()), folder))


def queue_of(job: Job, house: TaskServer | None, store: RenderStore | None) -> WorkQueue:
    """Return the queue of a job's pieces: of its house, where one is given, else in the job's own file.

    Raises `JobError`.
    """
    if house is not None and store is not None:
        from idle_quarry.jobs.lending.server_queue import ServerQueue

        return ServerQueue.of(house, job, store)
    return FileQueue(job.folder / QUEUE_FILE)


def renderer_of(job: Job, house: TaskServer | None, store: RenderStore) -> JobRenderer:
    """Return what renders a job: its queue, and workers of this machine that take from it. Raises `JobError`."""
    if house is not None:
        from idle_quarry.jobs.lending.server_queue import ServerQueue
        from idle_quarry.jobs.lending.task_server import key_of

        return JobRenderer(ServerQueue.of(house, job, store), store, house.crew(key_of(job)), job.title)
    queue = FileQueue(job.folder / QUEUE_FILE)
    return JobRenderer(queue, store, file_crew(queue, store), job.title)


def file_crew(queue: FileQueue, store: RenderStore) -> Crew:
    """Return workers for a queue in a file: what one had begun when it was killed is anybody's at once."""
    command = [str(queue.path), str(store.folder)]
    return Crew("idle_quarry.jobs.renders.worker", command, lambda pid: queue.give_back(worker_name(pid)))

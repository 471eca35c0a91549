"""What another template means for a job's renders, told before anything is changed: what stays, what is to be
rendered, what that costs.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from idle_quarry.jobs.check import Job
from idle_quarry.jobs.renders.queue import FileQueue
from idle_quarry.jobs.renders.render_folder import QUEUE_FILE, settled
from idle_quarry.jobs.renders.status import Programme, RenderCost, cost_of, programmes_of, stock_of, wanted_of
from idle_quarry.jobs.renders.store import RenderStore
from idle_quarry.path.template import Template


@dataclass(frozen=True)
class RenderImpact:
    """How many pieces are rendered now, how many of those another template shows too, and what is to be rendered
    then.
    """

    rendered: int
    stays: int
    cost: RenderCost


def anew(job: Job, to: Template) -> RenderImpact:
    """Return what another template means for the renders of a job. Raises `QuarryError`."""
    store, moved = settled(job).store, replace(job, template=to)  # renders stay where they are
    now, then = (programmes_of(item, stock_of(item.folder, item.template)) for item in (job, moved))
    paces: dict[str, float] = {}
    if (job.folder / QUEUE_FILE).is_file():
        queue = FileQueue(job.folder / QUEUE_FILE)
        paces = queue.paces()
        queue.close()
    there = _rendered(now, store)
    return RenderImpact(len(there), len(there & _rendered(then, store)), cost_of(wanted_of(then, store), paces))


def _rendered(programmes: list[Programme], store: RenderStore | None) -> set[str]:
    """Return the identities of what timelines show and is rendered."""
    recipes = (piece.recipe for programme in programmes for piece in programme.pieces)
    return {
        recipe.identity
        for recipe in recipes
        if recipe is not None and store is not None and store.find(recipe) is not None
    }

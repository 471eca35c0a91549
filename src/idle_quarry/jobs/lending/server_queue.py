"""What is to be rendered of a job, as tasks of the house: the same as a queue in the job's file, for machines that
reach its places.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from procrastinate.jobs import Job as Task

from idle_quarry.errors import NotPossible
from idle_quarry.jobs.check import Job
from idle_quarry.jobs.lending.shared_folders import Reach, place_above
from idle_quarry.jobs.lending.task_server import NEVER, PAUSED, TaskServer, key_of, queue_name
from idle_quarry.jobs.renders.queue import TaskStage, TaskState
from idle_quarry.jobs.renders.recipe import Recipe, from_json, to_json
from idle_quarry.jobs.renders.status import Programme
from idle_quarry.jobs.renders.store import RenderStore

PIECE = "piece"
_STAGES = {"todo": TaskStage.WAITING, "doing": TaskStage.TAKEN, "failed": TaskStage.FAILED}


def said_piece(recipe: Recipe, store: RenderStore, title: str) -> dict[str, Any]:
    """Return what a task says of a piece: its recipe with paths that other machines can find. Raises `NotReachable`."""
    reach = Reach()
    data = to_json(recipe)
    for part in ("shown", "over"):
        if data[part]:
            data[part]["path"] = reach.reference(Path(data[part]["path"]))
    given = {"recipe": data, "store": reach.reference(store.folder)}
    places = [given["store"], *(data[part]["path"] for part in ("shown", "over") if data[part])]
    return {
        "given": given,
        "places": places,
        "frames": recipe.frames,
        "plan": recipe.plan,
        "title": title,
    }


def piece_of(given: dict[str, Any], reach: Reach) -> tuple[Recipe, RenderStore]:
    """Return a piece and where it goes, on this machine.

    Raises `NotReachable`, and `NotPossible` for what is no piece.
    """
    try:
        data = dict(given["recipe"])
        for part in ("shown", "over"):
            if data[part]:
                data[part] = {**data[part], "path": str(reach.path(data[part]["path"]))}
        return from_json(data), RenderStore(reach.path(given["store"]))
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise NotPossible("a task that is no piece: another version of this program added it") from error


def unmarked(programmes: Iterable[Programme], store: RenderStore) -> tuple[Path, ...]:
    """Return the folders of a job's clips and renders that lie in no place that other machines know."""
    folders = {store.folder.parent} | {
        Path(shown.path).parent
        for programme in programmes
        for piece in programme.pieces
        if piece.recipe is not None
        for shown in (piece.recipe.shown, piece.recipe.over)
        if shown is not None
    }
    outside = {folder for folder in folders if place_above(folder) is None}
    return tuple(sorted(folder for folder in outside if outside.isdisjoint(folder.parents)))


@dataclass(frozen=True)
class ServerQueue:
    """The pieces of a job as tasks of its house. Raises `Away`, `LibraryError`, `NotReachable`."""

    house: TaskServer
    key: str
    title: str
    store: RenderStore

    @classmethod
    def of(cls, house: TaskServer, job: Job, store: RenderStore) -> ServerQueue:
        return cls(house, key_of(job), job.title, store)

    @property
    def _given(self) -> dict[str, Any]:
        return {"kind": PIECE, "queue": f"{self.key} %"}

    _OF_JOB = "j.task_name = %(kind)s AND j.queue_name LIKE %(queue)s"

    def _name(self, identity: str) -> str:
        return f"{self.key} {identity}"

    def put(self, recipes: Iterable[Recipe]) -> None:
        """Have these rendered in their order, before all that waits already.

        What is being rendered goes on, what failed is tried again.
        """
        first = self.house.first(self.key)
        tasks = []
        for recipe in {recipe.identity: recipe for recipe in recipes}.values():
            data, name = said_piece(recipe, self.store, self.title), self._name(recipe.identity)
            queue = queue_name(self.key, data["places"])
            tasks.append(
                Task(queue=queue, lock=name, queueing_lock=name, task_name=PIECE, priority=first, task_kwargs=data)
            )
        if tasks:
            self.house.add(tasks)
            self.house.clear_old()

    def drop(self, identities: Iterable[str] | None = None) -> None:
        """Forget what is waiting, being rendered or failed: all of it, or those."""
        chosen = None if identities is None else [self._name(identity) for identity in identities]
        which = f"{self._OF_JOB} AND (%(names)s::text[] IS NULL OR j.lock = ANY(%(names)s::text[]))"
        self.house.rows(
            f"SELECT procrastinate_cancel_job_v1(j.id, true, false) FROM procrastinate_jobs j WHERE {which} AND"
            " j.status IN ('todo', 'doing')",
            names=chosen,
            **self._given,
        )
        self.house.rows(
            f"DELETE FROM procrastinate_jobs j WHERE {which} AND j.status = 'failed' RETURNING 1",
            names=chosen,
            **self._given,
        )

    def states(self) -> dict[str, TaskState]:
        """Return how each task stands: what is asked for again and again."""
        results = self.house.rows(
            "SELECT DISTINCT ON (j.lock) j.lock, j.status::text, j.priority, j.id, coalesce(t.machine, '') AS machine,"
            " coalesce(t.done, 0) AS done, coalesce(t.text, '') AS text FROM procrastinate_jobs j LEFT JOIN told t ON"
            f" t.job = j.id WHERE {self._OF_JOB} ORDER BY j.lock, j.id DESC",
            **self._given,
        )
        states: dict[str, TaskState] = {}
        for row in sorted(results, key=lambda row: (-row["priority"], row["id"])):
            stage = _STAGES.get(row["status"])
            if stage is not None:
                is_taken = stage is TaskStage.TAKEN
                text = row["text"] if stage is not TaskStage.WAITING else ""
                states[row["lock"].split(" ")[1]] = TaskState(
                    stage, row["machine"] if is_taken else "", row["done"] if is_taken else 0, text
                )
        return states

    def paces(self) -> dict[str, float]:
        """Return the seconds that a frame takes, by plan, as far as machines of the house have made such."""
        results = self.house.rows(
            "SELECT j.args ->> 'plan' AS plan, sum(t.seconds) / sum((j.args ->> 'frames')::integer) AS pace "
            "FROM procrastinate_jobs j JOIN told t ON t.job = j.id "
            "WHERE j.task_name = %(kind)s AND j.status = 'succeeded' AND t.seconds > 0 GROUP BY 1",
            kind=PIECE,
        )
        return {row["plan"]: float(row["pace"]) for row in results}

    @property
    def open(self) -> int:
        """How many tasks are waiting or being rendered."""
        return self._count("j.status IN ('todo', 'doing')")

    @property
    def paused(self) -> bool:
        """Whether workers are to wait where they are."""
        return self._count(f"j.status IN ('todo', 'doing') AND {PAUSED}") > 0

    def _count(self, which: str) -> int:
        query = f"SELECT count(*) AS count FROM procrastinate_jobs j WHERE {self._OF_JOB} AND {which}"
        return int(self.house.rows(query, **self._given)[0]["count"])

    def pause(self, paused: bool) -> None:
        """Have workers wait where they are, or go on."""
        self.house.rows(
            f"UPDATE procrastinate_jobs j SET scheduled_at = %(at)s WHERE {self._OF_JOB} AND j.status IN ('todo',"
            f" 'doing') AND {PAUSED} IS DISTINCT FROM %(paused)s RETURNING 1",
            at=NEVER if paused else None,
            paused=paused,
            **self._given,
        )

    def close(self) -> None:
        """The house is kept by whoever opened it."""

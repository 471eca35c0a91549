"""What is seen of a job's renders in one look, as a value, and how it is said."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING

from idle_quarry.jobs.check import Job
from idle_quarry.jobs.lending.queue_choice import queue_of, unmarked
from idle_quarry.jobs.renders.pieces import PieceState, Stock
from idle_quarry.jobs.renders.queue import TaskStage, TaskState
from idle_quarry.jobs.renders.recipe import Recipe
from idle_quarry.jobs.renders.render_folder import QUEUE_FILE, RenderFolder, settled
from idle_quarry.jobs.renders.status import (
    PieceStatus,
    Programme,
    programmes_of,
    seconds_of,
    shown_by_none,
    shown_first,
    stock_of,
    stood,
    wanted_of,
)
from idle_quarry.jobs.renders.store import RenderedPiece
from idle_quarry.path.registry import codecs
from idle_quarry.path.template_parts import Intermediate
from idle_quarry.proof.disks import Volume, volume_of

if TYPE_CHECKING:
    from idle_quarry.jobs.lending.task_server import TaskServer

#: When a template has its timelines rendered.
BY_HAND, TOO_SLOW = "by hand", "where playing is too slow"


@dataclass(frozen=True)
class PieceRow:
    """A piece of a timeline, as it stands."""

    programme: Programme
    stood: PieceStatus

    @property
    def key(self) -> tuple[str, int]:
        """What tells it from other rows."""
        return self.programme.name, self.stood.piece.first


@dataclass(frozen=True)
class RendersSnapshot:
    """All that was found of a job's renders in one look."""

    settled: RenderFolder
    programmes: tuple[Programme, ...] = ()
    rows: tuple[PieceRow, ...] = ()
    stale: tuple[RenderedPiece, ...] = ()
    kept_bytes: int = 0
    codec: str = ""
    stock: Mapping[str, Stock] = field(default_factory=dict)
    wanted: tuple[Recipe, ...] = ()  #: what is to be rendered and is not there
    paces: dict[str, float] = field(default_factory=dict)
    volume: Volume | None = None
    waiting: int = 0
    paused: bool = False
    full: str = ""  #: what is said of a disk that is full
    house: TaskServer | None = None  #: whose machines may help
    alone: str = ""  #: why they may not, where there are such
    unmarked: tuple[Path, ...] = ()  #: folders that they have no way to find

    def wanted_from(self, name: str, frame: int) -> list[Recipe]:
        """Return what is to be rendered of a timeline: from a frame on, then what lies before it."""
        missing = {recipe.identity for recipe in self.wanted}
        programmes = [programme for programme in self.programmes if programme.name == name]
        recipes = [recipe for programme in programmes for recipe in shown_first(programme, frame)]
        return [recipe for recipe in recipes if recipe.identity in missing]

    def wanted_slowest_first(self) -> list[Recipe]:
        """Return what is to be rendered, what takes longest for each of its frames first."""
        return sorted(self.wanted, key=lambda recipe: -seconds_of(recipe, self.paces)[0] / recipe.frames)

    def wanted_by_itself(self, plan: Intermediate) -> list[Recipe]:
        """Return what the template wants rendered without being asked."""
        if plan.when == BY_HAND:
            return []
        if plan.when != TOO_SLOW:
            return list(self.wanted)
        return [
            recipe for recipe in self.wanted if seconds_of(recipe, self.paces)[0] > recipe.frames / recipe.format.rate
        ]

    @property
    def under_way(self) -> bool:
        """Whether somebody renders, and is not to wait."""
        return not self.paused and any(row.stood.state == PieceState.RENDERING for row in self.rows)


def look(job: Job, house: TaskServer | None = None, alone: str = "") -> RendersSnapshot:
    """Return how the renders of a job stand: its timelines read, its clips known again, its renders gone through.

    `house` may help where it can reach all of it; `alone` is why there is none. Raises `QuarryError`.
    """
    where = settled(job)
    stock = stock_of(job.folder, job.template)
    programmes = tuple(programmes_of(job, stock))
    stale = tuple(shown_by_none(programmes, where.store)) if where.store is not None else ()
    codec = codecs()[job.template.intermediate.codec].name
    folders = unmarked(programmes, where.store) if house is not None and where.store is not None else ()
    if folders:
        house, alone = None, "others do not know where " + ", ".join(folder.name for folder in folders[:3]) + " lies"
    snapshot = RendersSnapshot(
        where, programmes, stale=stale, codec=codec, stock=stock, house=house, alone=alone, unmarked=folders
    )
    return looked_again(job, snapshot)


def states_of(job: Job, snapshot: RendersSnapshot) -> dict[str, TaskState]:
    """Return how the tasks of a job stand. Raises `QuarryError`."""
    if snapshot.house is None and not (job.folder / QUEUE_FILE).is_file():
        return {}
    queue = queue_of(job, snapshot.house, snapshot.settled.store)
    try:
        return queue.states()
    finally:
        queue.close()


def looked_again(job: Job, before: RendersSnapshot) -> RendersSnapshot:
    """Return what a look found with its pieces as they stand now: how far workers are, what became whole.

    Raises `QuarryError`.
    """
    store, snapshot = before.settled.store, before
    states: dict[str, TaskState] = {}
    if before.house is not None or (job.folder / QUEUE_FILE).is_file():
        queue = queue_of(job, before.house, store)
        try:
            states = queue.states()
            snapshot = replace(snapshot, paces=queue.paces(), waiting=queue.open, paused=queue.paused)
        finally:
            queue.close()
    rows = tuple(
        PieceRow(programme, stood(piece, store, states))
        for programme in snapshot.programmes
        for piece in programme.pieces
    )
    pieces = {row.stood.rendered.identity: row.stood.rendered for row in rows if row.stood.rendered is not None}
    return replace(
        snapshot,
        rows=rows,
        kept_bytes=sum(rendered.bytes for rendered in (*pieces.values(), *snapshot.stale)),
        wanted=tuple(wanted_of(snapshot.programmes, store)),
        volume=volume_of(snapshot.settled.place) if store is not None else None,
        full=next((s.text for s in states.values() if s.stage is TaskStage.TAKEN and s.text), ""),
    )

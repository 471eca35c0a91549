"""A job's renders: how each piece of its timelines stands, what is still to be made and costs, what nothing shows
any more.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer, Signal

from idle_quarry.app.background.workers import Ticket
from idle_quarry.app.models.jobs.part import JobPart
from idle_quarry.app.models.jobs.renders.snapshot import (
    BY_HAND,
    PieceRow,
    RendersSnapshot,
    look,
    looked_again,
)
from idle_quarry.app.models.jobs.renders.words import sentence
from idle_quarry.app.models.proof.disks import bytes_words
from idle_quarry.app.questions import Choice
from idle_quarry.errors import QuarryError
from idle_quarry.jobs.check import Job
from idle_quarry.jobs.lending.queue_choice import mark_all, renderer_of
from idle_quarry.jobs.renders.queue import WorkQueue
from idle_quarry.jobs.renders.recipe import Recipe
from idle_quarry.jobs.renders.render_folder import RenderFolder, answer
from idle_quarry.jobs.renders.rendering import JobRenderer
from idle_quarry.jobs.renders.store import RenderedPiece

if TYPE_CHECKING:
    from idle_quarry.app.models.jobs.job_list import JobList
    from idle_quarry.jobs.lending.task_server import TaskServer

PAGE = "Renders"
#: The pages on which it is seen how pieces stand.
PAGES = (PAGE, "Trial")
#: Milliseconds between two looks at how far workers are.
_TICK_MS = 700


#: Something that is done with a job's queue, of what was found in a fresh look.
_Act = Callable[[RendersSnapshot, WorkQueue], object]


def _nothing(_snapshot: RendersSnapshot, _queue: WorkQueue) -> None:
    return None


class Renders(JobPart):
    """`changed`: pieces stand otherwise; `folder_wanted`: a person is to choose where renders go."""

    folder_wanted = Signal()

    def __init__(self, jobs: JobList) -> None:
        super().__init__(jobs)
        self.seen: RendersSnapshot | None = None
        self._folder: Path | None = None
        #: Workers by the job's folder, and for which house: a job that is left goes on.
        self._rendering: dict[Path, tuple[TaskServer | None, JobRenderer]] = {}
        self._acts: deque[tuple[Job, _Act]] = deque()
        self._looking = self._again = False
        self._then: _Act | None = None  #: what was wanted when it was asked where renders go
        self._tick = QTimer(self, interval=_TICK_MS)
        self._tick.timeout.connect(partial(self._look, all_of_it=False))
        self._rest = QTimer(self, singleShot=True)
        self._rest.timeout.connect(self._rested)
        self.follow(self.see)

    # -- looking -------------------------------------------------------------------------------------------------------

    def see(self) -> None:
        """Look at the renders of the job that is seen now, where a page shows them."""
        job = self.job
        folder = job.folder if job is not None else None
        if folder != self._folder:
            self._folder, self.seen = folder, None
            self.changed.emit()
        if job is not None and self.jobs.page in PAGES:
            self._look()

    def edited(self) -> None:
        """A timeline was edited and kept: its pieces are others, and rendering begins after a rest where that is
        wanted.
        """
        if self.jobs.page == PAGE:
            self._look()
        job = self.job
        if job is not None and job.template.intermediate.when != BY_HAND:
            self._rest.start(1000 * job.template.intermediate.rest_s)

    def _look(self, *, all_of_it: bool = True) -> None:
        """Look again, off the interface thread; asked for meanwhile, once more after that."""
        job, before = self.job, self.seen
        if job is None:
            return
        if self._looking:
            self._again = self._again or all_of_it
            return
        self._looking = True
        lending = self.door.lending

        def work(_ticket: Ticket) -> RendersSnapshot:
            snapshot = look(job, *lending.house()) if all_of_it or before is None else looked_again(job, before)
            of, rendering = self._rendering.get(job.folder, (None, None))
            if snapshot.waiting and not snapshot.paused and rendering is not None and of is snapshot.house:
                rendering.start()  # one may have died
            return snapshot

        def done(snapshot: RendersSnapshot) -> None:
            self._looking = False
            self._show(job, snapshot)
            if self._again:
                self._again = False
                self._look()

        def refused(error: QuarryError) -> None:
            self._looking = False
            self._tick.stop()
            self.door.refuse(error)

        self.door.workers.start(work, done, refused, quiet=not all_of_it)

    def _show(self, job: Job, snapshot: RendersSnapshot) -> None:
        """Show what was found, and look again while workers are at it."""
        if job.folder == self._folder:
            self.seen = snapshot
            self.changed.emit()
        if (snapshot.waiting and snapshot.house is not None) or any(
            renderer.working for _, renderer in self._rendering.values()
        ):
            self._tick.start()
        else:
            self._tick.stop()

    # -- doing ---------------------------------------------------------------------------------------------------------

    def render(self, rows: Iterable[PieceRow] | None = None) -> None:
        """Render what is not rendered: of these rows, or of all timelines."""
        recipes = [row.stood.piece.recipe for row in rows] if rows is not None else None
        chosen = {recipe.identity for recipe in recipes if recipe is not None} if recipes is not None else None
        self._put(lambda snapshot: [item for item in snapshot.wanted if chosen is None or item.identity in chosen])

    def render_from(self, name: str, frame: int) -> None:
        """Render a timeline from a frame on, then what lies before it."""
        self._put(lambda snapshot: snapshot.wanted_from(name, frame))

    def render_slowest(self) -> None:
        """Render everything, what takes longest for each of its frames first."""
        self._put(lambda snapshot: snapshot.wanted_slowest_first())

    def _rested(self) -> None:
        """Nothing was edited for a while: render what the template wants rendered by itself, where it is known
        where to.
        """
        job = self.job
        if job is not None and self.seen is not None and self.seen.settled.store is not None:
            plan = job.template.intermediate
            self._put(lambda snapshot: snapshot.wanted_by_itself(plan))

    def _put(self, wanted: Callable[[RendersSnapshot], list[Recipe]]) -> None:
        """Have rendered what is wanted of the timelines as they are then."""

        def put(snapshot: RendersSnapshot, queue: WorkQueue) -> None:
            recipes = wanted(snapshot)
            if recipes:
                queue.put(recipes)
                queue.pause(False)

        self._act(put)

    def pause(self, paused: bool) -> None:
        """Have rendering wait, or go on."""
        self._act(lambda _snapshot, queue: queue.pause(paused))

    def cancel(self) -> None:
        """Render nothing more; what is whole stays."""
        self._act(lambda _snapshot, queue: queue.drop())

    def _act(self, act: _Act) -> None:
        """Do something with the queue, off the interface thread and after what was asked for before.

        Where it is not known where renders go, ask first.
        """
        if self.job is None:
            return
        if self.seen is not None and self.seen.settled.store is None:
            self._ask_where(self.seen.settled, act)
            return
        self._acts.append((self.job, act))
        if len(self._acts) == 1:
            self._next()

    def _next(self) -> None:
        job, act = self._acts[0]

        lending = self.door.lending

        def work(_ticket: Ticket) -> RendersSnapshot:
            snapshot = look(job, *lending.house())
            store = snapshot.settled.store
            if store is None:
                return snapshot
            of, rendering = self._rendering.get(job.folder, (None, None))
            if rendering is None or of is not snapshot.house:  # acts come one after the other
                if rendering is not None:
                    rendering.close()
                rendering = renderer_of(job, snapshot.house, store)
                self._rendering[job.folder] = snapshot.house, rendering
            act(snapshot, rendering.queue)
            if not rendering.queue.paused:
                rendering.start()
            return looked_again(job, snapshot)

        def ended(snapshot: RendersSnapshot | None, error: QuarryError | None) -> None:
            self._acts.popleft()
            if error is not None:
                self.door.refuse(error)
            if snapshot is not None:
                self._show(job, snapshot)
                if snapshot.settled.store is None and job.folder == self._folder:
                    self._ask_where(snapshot.settled, act)
            if self._acts:
                self._next()

        self.door.workers.start(work, lambda result: ended(result, None), lambda error: ended(None, error))

    # -- where ---------------------------------------------------------------------------------------------------------

    def _ask_where(self, render_folder: RenderFolder, act: _Act) -> None:
        """Ask where renders go; what was wanted is done when that is answered."""
        self._then = act
        answers: dict[str, Callable[[], object]] = {}
        if render_folder.system_disk:
            answers["Fill that disk"] = lambda: self.settle(render_folder.place, system_disk=True)
        answers["Choose a folder"] = self.folder_wanted.emit
        answers["Not now"] = lambda: None
        self.asked.emit(Choice(f"{sentence(render_folder.why)}. Where shall renders go?", answers))

    def settle(self, place: Path, *, system_disk: bool = False) -> None:
        """Keep where renders go on this machine, and then do what was asked for before."""
        job, act = self.job, self._then
        if job is None:
            return
        old, lending = self._rendering.pop(job.folder, None), self.door.lending
        self._then = None

        def work(_ticket: Ticket) -> RendersSnapshot:
            if old is not None:
                old[1].close()
            answer(job, place, system_disk=system_disk)
            return look(job, *lending.house())

        def done(snapshot: RendersSnapshot) -> None:
            self._show(job, snapshot)
            if snapshot.settled.store is None:
                self._ask_where(snapshot.settled, act or _nothing)
            elif act is not None:
                self._act(act)

        self.door.workers.start(work, done, self.door.refuse)

    def let_help(self) -> None:
        """Mark what other machines of the house have no way to find, so that they may help."""
        job, snapshot = self.job, self.seen
        if job is None or snapshot is None or not snapshot.unmarked:
            return
        folders = snapshot.unmarked

        def done(_none: object) -> None:
            self.door.say("Marked: other machines of the house may help from now on.")
            self._look()

        self.door.workers.start(lambda _ticket: mark_all(folders, job), done, self.door.refuse)

    # -- room ----------------------------------------------------------------------------------------------------------

    def remove(self, renders: Iterable[RenderedPiece]) -> None:
        """Remove renders; those that timelines show can be made again."""
        store = self.seen.settled.store if self.seen is not None else None
        pieces = list(renders)
        if store is None or not pieces:
            return

        def done(freed: int) -> None:
            self.door.say(f"{len(pieces)} renders removed: {bytes_words(freed)} are free again.")
            self._look()

        self.door.workers.start(lambda _ticket: store.remove(pieces), done, self.door.refuse)

    def close(self) -> None:
        """End all workers: what they had begun is given back."""
        for _, renderer in self._rendering.values():
            renderer.close()
        self._rendering.clear()

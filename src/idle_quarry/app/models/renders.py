"""A job's renders: how each piece of its timelines stands, what is still to be made and costs, what nothing shows any more."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer, Signal

from idle_quarry.app.models.disks import bytes_words
from idle_quarry.app.models.job_part import JobPart
from idle_quarry.app.models.renders_seen import BY_HAND, Row, Seen, is_wanted, look, looked_again, sentence
from idle_quarry.app.questions import Choice
from idle_quarry.app.work import Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.jobs.check import CheckedJob
from idle_quarry.jobs.renders.queue import Queue
from idle_quarry.jobs.renders.recipe import Recipe
from idle_quarry.jobs.renders.rendering import Rendering
from idle_quarry.jobs.renders.settled import Settled, answer
from idle_quarry.jobs.renders.standing import seconds_of, shown_first, wanted_of
from idle_quarry.jobs.renders.store import Kept

if TYPE_CHECKING:
    from idle_quarry.app.models.jobs import Jobs

PAGE = "Renders"
#: The pages on which it is seen how pieces stand.
PAGES = (PAGE, "Trial")
#: Milliseconds between two looks at how far workers are.
_TICK_MS = 700


class Renders(JobPart):
    """`changed`: pieces stand otherwise; `folder_wanted`: a person is to choose where renders go."""

    folder_wanted = Signal()

    def __init__(self, jobs: Jobs) -> None:
        super().__init__(jobs)
        self.seen: Seen | None = None
        self._folder: Path | None = None
        self._rendering: dict[Path, Rendering] = {}  #: workers by the job's folder: a job that is left goes on
        self._acts: deque[tuple[Queue, Callable[[Queue], object]]] = deque()
        self._looking = self._again = False
        self._then: Callable[[], object] = lambda: None  #: what was wanted when it was asked where renders go
        self._tick = QTimer(self, interval=_TICK_MS)
        self._tick.timeout.connect(partial(self._look, all_of_it=False))
        self._rest = QTimer(self, singleShot=True)
        self._rest.timeout.connect(self._rested)
        jobs.chosen_changed.connect(self.see)
        jobs.page_changed.connect(self.see)
        jobs.checked.connect(lambda ident: self.see() if ident == jobs.chosen else None)

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
        """A timeline was edited and kept: its pieces are others, and rendering begins after a rest where that is wanted."""
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

        def done(found: Seen) -> None:
            self._looking = False
            if job.folder == self._folder:
                self.seen = found
                self.changed.emit()
            self._go_on(job, found)
            if self._again:
                self._again = False
                self._look()

        def refused(error: QuarryError) -> None:
            self._looking = False
            self._tick.stop()
            self.desk.refuse(error)

        self.desk.workers.start(
            lambda _ticket: look(job) if all_of_it or before is None else looked_again(job, before), done, refused
        )

    def _go_on(self, job: CheckedJob, found: Seen) -> None:
        """Have workers for what waits, and look again while there are any."""
        rendering = self._rendering.get(job.folder)
        if found.waiting and found.settled.store is not None and rendering is not None and not found.paused:
            rendering.start()
        under_way = any(each.working for each in self._rendering.values())
        if under_way and not self._tick.isActive():
            self._tick.start()
        elif not under_way and not found.waiting:
            self._tick.stop()

    # -- doing ---------------------------------------------------------------------------------------------------------

    def render(self, rows: Iterable[Row] | None = None) -> None:
        """Render what is not rendered: of these rows, or of all timelines."""
        job, seen = self.job, self.seen
        if job is None or seen is None:
            return
        if seen.settled.store is None:
            self._ask_where(job, seen.settled, lambda: self.render(rows))
            return
        store = seen.settled.store
        recipes = wanted_of(seen.programmes, store)
        if rows is not None:
            chosen = {row.stood.piece.recipe.identity for row in rows if row.stood.piece.recipe is not None}
            recipes = [each for each in recipes if each.identity in chosen]
        self._put(job, recipes)

    def render_from(self, name: str, frame: int) -> None:
        """Render a timeline from a frame on, then what lies before it."""
        job, seen = self.job, self.seen
        if job is None or seen is None or seen.settled.store is None:
            self.render()
            return
        programme = next((each for each in seen.programmes if each.name == name), None)
        if programme is not None:
            wanted = {recipe.identity for recipe in wanted_of([programme], seen.settled.store)}
            self._put(job, [each for each in shown_first(programme, frame) if each.identity in wanted])

    def render_slowest(self) -> None:
        """Render everything, what takes longest for each of its frames first."""
        job, seen = self.job, self.seen
        if job is None or seen is None or seen.settled.store is None:
            self.render()
            return
        recipes, paces = wanted_of(seen.programmes, seen.settled.store), seen.paces
        self._put(job, sorted(recipes, key=lambda each: -seconds_of(each, paces)[0] / each.frames))

    def _put(self, job: CheckedJob, recipes: list[Recipe]) -> None:
        def put(queue: Queue) -> None:
            queue.put(recipes)
            queue.pause(False)

        if recipes:
            self._with_queue(job, put)

    def _rested(self) -> None:
        """Nothing was edited for a while: render what the template wants rendered by itself."""
        job, seen = self.job, self.seen
        if job is None or seen is None or seen.settled.store is None:
            return
        plan, paces = job.template.intermediate, seen.paces
        wanted = wanted_of(seen.programmes, seen.settled.store)
        self._put(job, [each for each in wanted if is_wanted(each, plan, paces)])

    def pause(self, paused: bool) -> None:
        """Have rendering wait, or go on."""
        if self.job is not None:
            self._with_queue(self.job, lambda queue: queue.pause(paused))

    def cancel(self) -> None:
        """Render nothing more; what is whole stays."""
        if self.job is not None:
            self._with_queue(self.job, lambda queue: queue.drop())

    def _with_queue(self, job: CheckedJob, act: Callable[[Queue], object]) -> None:
        store = self.seen.settled.store if self.seen is not None else None
        if store is None:
            return
        try:
            if job.folder not in self._rendering:
                self._rendering[job.folder] = Rendering(job.folder, store)
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self._acts.append((self._rendering[job.folder].queue, act))
        if len(self._acts) == 1:
            self._act()

    def _act(self) -> None:
        """Do what was asked for in its order: each waits for the one before."""
        queue, act = self._acts[0]

        def ended(error: QuarryError | None) -> None:
            self._acts.popleft()
            if error is not None:
                self.desk.refuse(error)
            if self._acts:
                self._act()
            else:
                self._tick.start()
                self._look(all_of_it=False)

        self.desk.workers.start(lambda _ticket: act(queue), lambda _none: ended(None), ended)

    # -- where -----------------------------------------------------------------------------------------------------------

    def _ask_where(self, job: CheckedJob, found: Settled, then: Callable[[], object]) -> None:
        answers: dict[str, Callable[[], object]] = {}
        if found.system_disk:
            answers["Fill that disk"] = lambda: self.settle(found.place, then, system_disk=True)
        self._then = then
        answers["Choose a folder"] = self.folder_wanted.emit
        answers["Not now"] = lambda: None
        self.asked.emit(Choice(f"{sentence(found.why)}. Where shall renders go?", answers))

    def settle(self, place: Path, then: Callable[[], object] | None = None, *, system_disk: bool = False) -> None:
        """Keep where renders go on this machine, and then go on."""
        job = self.job
        if job is None:
            return

        def done(found: Seen) -> None:
            if job.folder == self._folder:
                self.seen = found
                self.changed.emit()
                wanted, self._then = then or self._then, lambda: None
                if found.settled.store is None:
                    self._ask_where(job, found.settled, wanted)
                else:
                    wanted()

        def work(_ticket: Ticket) -> Seen:
            answer(job, place, system_disk=system_disk)
            return look(job)

        old = self._rendering.pop(job.folder, None)
        if old is not None:
            old.close()
        self.desk.workers.start(work, done, self.desk.refuse)

    # -- room --------------------------------------------------------------------------------------------------------------

    def remove(self, kept: Iterable[Kept]) -> None:
        """Remove renders; those that timelines show can be made again."""
        store = self.seen.settled.store if self.seen is not None else None
        pieces = list(kept)
        if store is None or not pieces:
            return

        def done(freed: int) -> None:
            self.desk.say(f"{len(pieces)} renders removed: {bytes_words(freed)} are free again.")
            self._look()

        self.desk.workers.start(lambda _ticket: store.remove(pieces), done, self.desk.refuse)

    def close(self) -> None:
        """End all workers: what they had begun is given back."""
        for each in self._rendering.values():
            each.close()
        self._rendering.clear()

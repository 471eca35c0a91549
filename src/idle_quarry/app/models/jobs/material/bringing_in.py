"""The queue of clips that are brought into jobs: one after the other, each kept with its job as soon as it is whole."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.background.workers import Cancelled, Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.jobs.check import Job
from idle_quarry.jobs.material import JobClip, Span, changed_material, with_entry, with_part
from idle_quarry.media.clip import Clip
from idle_quarry.path.template_parts import Source

if TYPE_CHECKING:
    from idle_quarry.app.door import Door


@dataclass(frozen=True)
class BringInRequest:
    """What is to be brought in: a clip of a job, or a span of its frames, by the conversion of a source class."""

    job: Job
    entry: JobClip
    clip: Clip
    source: Source
    span: Span | None
    proxy: bool = False  #: its proxy rather than itself

    def same(self, other: BringInRequest) -> bool:
        """Return whether another is of the same frames of the same clip of the same job."""
        return self._what == other._what

    @property
    def _what(self) -> tuple[object, ...]:
        return self.job.folder, self.entry.path, self.span, self.proxy


class BringingIn(QObject):
    """`changed`: another clip is brought in, or none.

    `progressed`: how far it is; `brought`: a job (its folder) has one more.
    """

    changed = Signal()
    progressed = Signal()
    brought = Signal(object)

    def __init__(self, door: Door) -> None:
        super().__init__()
        self._door = door
        self._waiting: deque[BringInRequest] = deque()
        self._now: tuple[BringInRequest, Ticket] | None = None
        self._share = 0.0

    @property
    def words(self) -> str:
        """What is under way, "" where nothing is."""
        if self._now is None:
            return ""
        more = f", {len(self._waiting)} more wait" if self._waiting else ""
        what = "making the proxy of" if self._now[0].proxy else "bringing in"
        return f"{what} {self._now[0].entry.path.name}, {100 * self._share:.0f} %{more}"

    def add(self, wanted: BringInRequest) -> None:
        """Bring a clip in when those before it are; one that waits already is not brought in twice."""
        under_way = [*self._waiting, *([self._now[0]] if self._now is not None else [])]
        if not any(wanted.same(request) for request in under_way):
            self._waiting.append(wanted)
        if self._now is None:
            self._next()
        self.changed.emit()

    def cancel(self) -> None:
        """Bring nothing more in; what is whole stays."""
        self._waiting.clear()
        if self._now is not None:
            self._now[1].cancel()
            self._now = None
            self.changed.emit()

    def _next(self) -> None:
        if not self._waiting:
            return
        request, self._share = self._waiting.popleft(), 0.0
        entry, folder, name = request.entry, request.job.folder, request.entry.path.name
        lending = self._door.lending

        def work(ticket: Ticket) -> None:
            from idle_quarry.jobs.lending.job_tasks import brought_in

            def progressed(share: float) -> None:
                ticket.progress(name, share)

            house, _why = lending.house()
            file = brought_in(
                house, request.job, entry, request.clip, request.source, request.span, request.proxy, progressed
            )

            def with_outcome(now: JobClip) -> JobClip:
                return replace(now, proxy=file) if request.proxy else with_part(now, file)

            # kept here, and not when the window hears of it: it may be closed by then, or another job be looked at
            changed_material(folder, with_entry(entry.path, with_outcome))

        def ended() -> None:
            if self._now is not None and self._now[0] is request:
                self._now = None
                self._next()
            self.changed.emit()

        def done(_none: object) -> None:
            ended()
            self.brought.emit(folder)

        def failed(error: QuarryError) -> None:
            if isinstance(error, Cancelled):
                self._door.say(f"{name} was not brought in; nothing was left behind.")
            else:
                self._door.refuse(error)
            ended()

        def progressed(_name: str, share: float) -> None:
            self._share = share
            self.progressed.emit()

        self._now = request, self._door.workers.start(work, done, failed, progressed)

"""How the pieces of the timelines that are open in a trial stand: of the very value that is looked at, edit by edit."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.models.jobs.renders.snapshot import states_of
from idle_quarry.app.models.jobs.trial.open_timeline import OpenTimeline
from idle_quarry.errors import QuarryError
from idle_quarry.jobs.cutting.timeline import PICTURE, Timeline, TimelineItem, Track
from idle_quarry.jobs.renders.pieces import Piece, PieceState, pieces_of
from idle_quarry.jobs.renders.status import PieceStatus, TimelineStatus, canvas_of, stood

if TYPE_CHECKING:
    from idle_quarry.app.models.jobs.trial.trial import Trial

#: What can be looked for besides words.
NOT_RENDERED = "not rendered"


class TrialRenders(QObject):
    """`changed`: the pieces of a timeline that is open are known, or stand otherwise."""

    changed = Signal()

    def __init__(self, trial: Trial) -> None:
        super().__init__()
        self._trial, self._renders = trial, trial.renders
        self._statuses: dict[Path, tuple[Timeline, TimelineStatus]] = {}
        self._looking: set[Path] = set()
        self._divided: dict[
            Path, tuple[tuple[Timeline, object] | None, list[Piece]]
        ] = {}  #: pieces, and of what: they stand otherwise more often
        trial.renders.changed.connect(self._look_at_all)

    def of(self, opened: OpenTimeline | None) -> tuple[PieceStatus, ...]:
        """Return the pieces of a timeline as it is now; none while they are being found."""
        result = self._statuses.get(opened.path) if opened is not None else None
        return result[1].all if result is not None and opened is not None and result[0] is opened.timeline else ()

    def at(self, path: Path, timeline: Timeline, frame: int) -> tuple[Path, int] | None:
        """Return the file that a frame of a timeline is rendered in, and which of its pictures it is.

        For any thread.
        """
        result = self._statuses.get(path)
        if result is None or result[0] is not timeline:
            return None
        there = result[1].at(frame)
        return (
            (there.rendered.path, frame - there.piece.first)
            if there is not None and there.rendered is not None
            else None
        )

    def lacks(self, opened: OpenTimeline, track: Track, item: TimelineItem) -> bool:
        """Return whether a frame of an item that is seen has neither to be rendered nor is."""
        return track.kind == PICTURE and any(
            piece.piece.first < item.end
            and item.at < piece.piece.last
            and piece.state not in (PieceState.EXACT, PieceState.RENDERED)
            for piece in self.of(opened)
        )

    def look(self, opened: OpenTimeline) -> None:
        """Find the pieces of a timeline as it is now, off the interface thread.

        What it becomes meanwhile is looked at then.
        """
        job, snapshot = self._trial.job, self._renders.seen
        if job is None or snapshot is None or opened.path in self._looking:
            return
        self._looking.add(opened.path)
        timeline = opened.timeline
        canvas, store, stock = canvas_of(job.template, opened.path.stem), snapshot.settled.store, snapshot.stock
        of, pieces = self._divided.get(opened.path, (None, []))

        def work(_ticket: object) -> TimelineStatus:
            nonlocal pieces
            if of is None or of[0] is not timeline or of[1] is not stock:
                pieces = pieces_of(timeline, canvas, stock)
            states = states_of(job, snapshot)
            return TimelineStatus([stood(piece, store, states) for piece in pieces])

        def done(standing: TimelineStatus) -> None:
            self._looking.discard(opened.path)
            self._divided[opened.path] = (timeline, stock), pieces
            before = self._statuses.get(opened.path)
            if before is None or before[0] is not timeline or before[1].all != standing.all:
                self._statuses[opened.path] = timeline, standing
                self.changed.emit()
            if opened.timeline is not timeline:
                self.look(opened)

        def refused(error: QuarryError) -> None:
            self._looking.discard(opened.path)
            self._trial.door.refuse(error)

        self._trial.door.workers.start(work, done, refused)

    def _look_at_all(self) -> None:
        for opened in self._trial.opened.values():
            if opened is not None:
                self.look(opened)

"""What lays clips and stretches of one timeline onto another, each an act that is undone there."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from idle_quarry.app.models.jobs.trial.open_timeline import OpenTimeline
from idle_quarry.app.models.jobs.trial.pieces import pieces_between, pieces_of, speed_in
from idle_quarry.app.questions import Answered
from idle_quarry.errors import QuarryError
from idle_quarry.jobs.cutting import edits
from idle_quarry.jobs.cutting.edits import Piece
from idle_quarry.jobs.cutting.otio_values import from_otio
from idle_quarry.jobs.cutting.timeline import Timeline, Track
from idle_quarry.jobs.cutting.timeline_files import keep
from idle_quarry.jobs.folder_plan import TIMELINES
from idle_quarry.jobs.timelines import timeline_of
from idle_quarry.path.names import name_refused

if TYPE_CHECKING:
    from idle_quarry.app.models.jobs.trial.trial import Trial

#: How pieces come onto a timeline, and in words.
WAYS: dict[str, tuple[str, Callable[[Timeline, int, list[Piece]], Timeline]]] = {
    "add": ("add at the end", lambda timeline, _at, pieces: edits.add(timeline, pieces)),
    "in": ("put in", edits.put_in),
    "over": ("lay over", edits.lay_over),
}


class Laying:
    """Lays what is looked at, from in to out, onto the other timeline."""

    def __init__(self, trial: Trial) -> None:
        self._trial, self._door = trial, trial.door

    def new_timeline(self, typed: str, answered: Answered) -> None:
        """Make another timeline of the job, with the tracks of the template's first one, and open it above."""
        trial, job = self._trial, self._trial.job
        name = typed.strip()
        why = name_refused(name) or ("one of that name is there" if name in trial.names() else "")
        if job is None or not job.template.timelines or why:
            answered(f"That will not do: {why or 'the template has no timelines'}.")
            return
        timeline = job.template.timelines[0].model_copy(update={"name": name})
        result = from_otio(timeline_of(job.template, timeline), job.template.working.format.rate)
        path = job.folder / TIMELINES / f"{name}.otio"

        def done(_state: str) -> None:
            answered(None)
            trial.open(name, "upper")

        self._door.workers.start(lambda _ticket: keep(path, result, ""), done, lambda error: answered(str(error)))

    def lay(self, way: str) -> None:
        """Lay what is looked at (a clip from in to out, or what is meant of a timeline) onto the other timeline."""
        trial, target, opened = self._trial, self._trial.aimed, self._trial.here
        if target is None:
            self._door.say("No timeline is open to lay it on. Open one above or below.")
        elif opened is None:
            if trial.clip is not None:
                self.lay_clip(trial.clip, target, way, target.frame)
        else:
            span = opened.range()
            if span is None:
                self._door.say("Nothing is meant: choose items, or set in and out.")
                return
            by_marks = opened.mark_in is not None or opened.mark_out is not None
            self._carry(opened, target, way, span, target.frame, None if by_marks else opened.chosen)

    def lay_clip(self, path: Path, target: OpenTimeline, way: str, at: int, track: Track | None = None) -> None:
        """Lay a clip, from its in to its out, onto a timeline.

        Where it fits no class, ask first what is done with it.
        """
        trial = self._trial
        row, job = trial.clips.known.get(str(path)), trial.job
        again = partial(self.lay_clip, path, target, way, at, track)
        if row is None or job is None:
            trial.material.add([path], lambda: again() if str(path) in trial.clips.known else None)
            return
        if row.clip is None:
            self._door.say(f"{path.name}: {row.words}.")
            return
        if row.source is None and row.convertible and path not in trial.let_be:

            def leave() -> None:
                trial.let_be.add(path)
                again()

            trial.material.ask_class(row, again, leave=leave)
            return
        speed = speed_in(row.clip, row.source, job.template)
        pieces = pieces_of(row.clip, trial.marks.get(path, (None, None)), target, speed, track)
        if pieces:
            self._lay(target, way, pieces, at)
        else:
            self._door.say(f"{path.name} has nothing for a track of this timeline.")

    def _lay(self, target: OpenTimeline, way: str, pieces: list[Piece], at: int) -> None:
        words, change = WAYS[way]
        begin = max((target.timeline.track(ident).end for ident, _ in pieces), default=0) if way == "add" else at
        if pieces and target.edit(words, lambda timeline: change(timeline, at, pieces)):
            target.go(begin + max(item.at + item.length for _, item in pieces))

    def bring(self, origin: OpenTimeline, target: OpenTimeline, way: str, at: int) -> None:
        """Lay what is chosen of one timeline onto another, from a frame on."""
        span = origin.range()
        if span is not None:
            self._carry(origin, target, way, span, at, origin.chosen)

    def _carry(
        self,
        origin: OpenTimeline,
        target: OpenTimeline,
        way: str,
        span: tuple[int, int],
        at: int,
        chosen: frozenset[int] | None,
    ) -> None:
        try:
            pieces = pieces_between(origin, span, chosen, target)
        except QuarryError as error:
            self._door.refuse(error)
        else:
            self._lay(target, way, pieces, at)

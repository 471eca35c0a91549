"""What an item of a timeline says of itself: its name, note and colour, the file it shows; and marks."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from idle_quarry.app.models.jobs.trial.sources import media_of
from idle_quarry.app.questions import Answered, Choice, Question
from idle_quarry.jobs.cutting import edits
from idle_quarry.jobs.cutting.timeline import COLOURS, Marker, Media
from idle_quarry.media.inspecting import inspect

if TYPE_CHECKING:
    from idle_quarry.app.models.jobs.trial.acts import TrialActs
    from idle_quarry.app.models.jobs.trial.trial import Trial


class ItemWords:
    """Each act means what is chosen of the timeline that is looked at, or what is under its playhead."""

    def __init__(self, trial: Trial, acts: TrialActs) -> None:
        self._trial, self._door, self._acts = trial, trial.door, acts

    def tell(self, what: str, text: str) -> None:
        """Give what is meant another name, note or colour."""
        self._acts.change_item(what, lambda timeline, item: edits.described(timeline, item.ident, **{what: text}))

    def ask_words(self, what: str) -> None:
        """Ask for the name ("name") or the note ("note") of what is meant."""
        opened = self._trial.here
        item = opened.here() if opened is not None else None
        if item is None:
            self._door.say("No item is chosen, and none is under the playhead.")
            return

        def accept(text: str, answered: Answered) -> None:
            self.tell(what, text.strip())
            answered(None)

        before = item.name if what == "name" else item.note
        self._trial.asked.emit(Question(f"The {what} of {item.name}?", "Keep it", accept, before))

    def ask_mark(self) -> None:
        """Ask what a mark at the playhead says."""

        def accept(text: str, answered: Answered) -> None:
            self.mark(text.strip())
            answered(None)

        if self._trial.here is not None:
            self._trial.asked.emit(Question("What does the mark say?", "Mark", accept))

    def ask_colour(self) -> None:
        """Ask for a colour of what is meant."""
        answers: dict[str, Callable[[], object]] = {
            name or "None": partial(self.tell, "colour", name) for name in ("", *COLOURS)
        }
        self._trial.asked.emit(Choice("Its colour?", answers))

    def relink(self, path: Path) -> None:
        """Let every item of the file that is meant show another file."""
        opened = self._trial.here
        item = opened.here() if opened is not None else None
        if opened is None or item is None or item.media is None or item.media.path is None:
            return
        old = item.media.path

        def done(media: Media) -> None:
            if opened.edit("link to another file", lambda timeline: edits.relinked(timeline, old, media)):
                self._trial.material.add([path])

        self._door.workers.start(lambda _ticket: media_of(inspect(path)), done, self._door.refuse)

    def mark(self, text: str = "") -> None:
        """Set a mark at the playhead; without words, take away one that is there."""
        opened = self._trial.here
        if opened is None:
            return
        there = any(mark.at == opened.frame for mark in opened.timeline.markers)
        if there and not text:
            self._acts.change("take the mark away", lambda timeline: edits.unmarked(timeline, opened.frame))
        else:
            self._acts.change("mark", lambda timeline: edits.marked(timeline, Marker(opened.frame, text=text)))

    def to_mark(self, *, back: bool = False) -> None:
        """Go to the next mark, or the one before."""
        opened = self._trial.here
        places = [mark.at for mark in opened.timeline.markers] if opened is not None else []
        beyond = [at for at in places if (at < self._trial.playhead.frame if back else at > self._trial.playhead.frame)]
        if beyond:
            self._trial.playhead.go(beyond[-1] if back else beyond[0])

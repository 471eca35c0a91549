"""A timeline that is open: its value, every value before and after, where one is in it, and its file that follows
each edit.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.errors import QuarryError
from idle_quarry.jobs.cutting.timeline import Timeline, TimelineItem, Track
from idle_quarry.jobs.cutting.timeline_files import ChangedElsewhere, keep, keep_beside, read_timeline, state_of
from idle_quarry.signal.rasters import Raster

if TYPE_CHECKING:
    from idle_quarry.app.door import Door


@dataclass(frozen=True)
class EditStep:
    """A value of the timeline, and what was done to come to it."""

    words: str
    timeline: Timeline


class OpenTimeline(QObject):
    """`edited`: the timeline is another.

    `moved`: one is elsewhere in it, or something else is chosen; `kept_changed`: its file follows.
    """

    edited = Signal()
    moved = Signal()
    kept_changed = Signal()

    def __init__(
        self, door: Door, path: Path, timeline: Timeline, canvas: Raster, fit: str | None, state: str | None = None
    ) -> None:
        super().__init__()
        self.path, self.canvas, self.fit = path, canvas, fit
        self.frame = 0
        self.mark_in: int | None = None
        self.mark_out: int | None = None  #: the frame after the last
        self.chosen: frozenset[int] = frozenset()
        self.aims: dict[str, str] = {}  #: track onto which pictures and sound are laid, by kind
        self.kept_words = ""  #: when its file had its last state, or why it has not
        self.refused = False
        self._door = door
        self._acts = [EditStep("opened", timeline)]
        self._at = 0
        self._keeping = False
        self._on_disk = timeline  #: what its file has
        self._state = state  #: of the file, as it is known here
        for track in timeline.tracks:
            self.aims.setdefault(track.kind, track.ident)

    @property
    def timeline(self) -> Timeline:
        return self._acts[self._at].timeline

    @property
    def undoable(self) -> str:
        """What would be undone, "" where there is nothing."""
        return self._acts[self._at].words if self._at else ""

    @property
    def redoable(self) -> str:
        """What would be done again, "" where nothing was undone."""
        return self._acts[self._at + 1].words if self._at + 1 < len(self._acts) else ""

    @property
    def count(self) -> int:
        """How many acts can be undone."""
        return self._at

    # -- editing -----------------------------------------------------------------------------------------------------

    def edit(self, words: str, change: Callable[[Timeline], Timeline]) -> bool:
        """Make an edit, or say why not; return whether it was made."""
        before = self.timeline
        try:
            after = change(before)
        except QuarryError as error:
            self._door.refuse(error)
            return False
        if after == before:
            return False
        self._acts[self._at + 1 :] = [EditStep(words, after)]
        self._at += 1
        self._changed()
        return True

    def undo(self) -> None:
        if self._at:
            self._at -= 1
            self._changed()

    def redo(self) -> None:
        if self._at + 1 < len(self._acts):
            self._at += 1
            self._changed()

    def _changed(self) -> None:
        self.chosen = frozenset(number for number in self.chosen if number in self.timeline)
        self.frame = min(self.frame, max(0, self.timeline.end))
        self.edited.emit()
        self.keep()

    # -- its file ----------------------------------------------------------------------------------------------------

    @property
    def behind(self) -> bool:
        """Whether its file does not have what it is now."""
        return self._on_disk is not self.timeline

    def keep(self) -> None:
        """Have the file follow: off the interface thread, one state after the other, the newest at last."""
        if self._keeping or not self.behind:
            return
        self._keeping = True
        timeline, path, known = self.timeline, self.path, self._state

        def ended(state: str | QuarryError) -> None:
            self._keeping = False
            error = state if isinstance(state, QuarryError) else None
            if isinstance(state, str):
                self._state = state if known is not None else None
            if error is not None:
                if isinstance(error, ChangedElsewhere):
                    self._door.say(str(error), refusal=True, action=("Look at theirs", self.take_theirs))
                elif not self.refused:
                    self._door.refuse(error)
                self.refused, self.kept_words = True, f"not kept: {error.what}"
            else:
                self._on_disk = timeline
                now = datetime.now()  # the wall clock of who works here
                self.refused, self.kept_words = False, f"kept {now:%H:%M:%S}"
            self.kept_changed.emit()
            if error is None:
                self.keep()

        self._door.workers.start(lambda _ticket: keep(path, timeline, known), ended, ended)

    def take_theirs(self) -> None:
        """Show what another window or room has written, as an act that can be undone: whoever undoes it keeps their
        own again.
        """
        state, rate = state_of(self.path), self.timeline.rate

        def done(theirs: Timeline) -> None:
            self._state = state
            self._on_disk = theirs
            self.refused, self.kept_words = False, ""
            self.edit("take what was changed elsewhere", lambda _mine: theirs)
            self.kept_changed.emit()

        self._door.workers.start(lambda _ticket: read_timeline(self.path, rate), done, self._door.refuse)

    def close(self) -> None:
        """Write what its file does not have yet, beside it where somebody else changed it.

        When no other thread writes any more.
        """
        if self.behind:
            try:
                keep(self.path, self.timeline, self._state)
            except ChangedElsewhere:
                keep_beside(self.path, self.timeline)

    # -- where one is --------------------------------------------------------------------------------------------------

    def go(self, frame: int) -> None:
        """Be at another frame; the one after the last is the end."""
        frame = max(0, min(frame, self.timeline.end))
        if frame != self.frame:
            self.frame = frame
            self.moved.emit()

    def mark(self, which: str, frame: int | None) -> None:
        """Set the in ("in") or the out ("out", the last frame that is meant), or take it away."""
        if which == "in":
            self.mark_in = frame
            if frame is not None and self.mark_out is not None and self.mark_out <= frame:
                self.mark_out = None
        else:
            self.mark_out = frame + 1 if frame is not None else None
            if self.mark_in is not None and self.mark_out is not None and self.mark_in >= self.mark_out:
                self.mark_in = None
        self.moved.emit()

    def choose(self, idents: frozenset[int]) -> None:
        """Choose items."""
        if idents != self.chosen:
            self.chosen = idents
            self.moved.emit()

    def aim(self, track: Track) -> None:
        """Lay what comes on this track from now on."""
        self.aims[track.kind] = track.ident
        self.moved.emit()

    def range(self) -> tuple[int, int] | None:
        """Return the frames that are meant: from in to out, else those of what is chosen."""
        if self.mark_in is not None or self.mark_out is not None:
            first, last = self.mark_in or 0, self.mark_out if self.mark_out is not None else self.timeline.end
            return (first, last) if first < last else None
        items = self.items_chosen()
        return (min(item.at for item in items), max(item.end for item in items)) if items else None

    def items_chosen(self) -> list[TimelineItem]:
        """Return the items that are chosen, in the order of their places."""
        items = [self.timeline.item(number)[1] for number in self.chosen if number in self.timeline]
        return sorted(items, key=lambda item: item.at)

    def here(self) -> TimelineItem | None:
        """Return what acts mean: what is chosen, else the topmost item at the playhead."""
        items = self.items_chosen()
        if items:
            return items[0]
        for track in reversed(self.timeline.tracks):
            item = track.over(self.frame)
            if item is not None:
                return item
        return None

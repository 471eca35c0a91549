"""What is done in the trial: laying clips, cutting, trimming by numbers, naming, marking.

Each act on one timeline, and undone there.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING

from idle_quarry.app.models.jobs.trial.open_timeline import OpenTimeline
from idle_quarry.app.models.jobs.trial.sources import place_of
from idle_quarry.errors import NotUnderstood
from idle_quarry.jobs.cutting import edits
from idle_quarry.jobs.cutting.timeline import PICTURE, Timeline, TimelineItem, Track
from idle_quarry.jobs.cutting.timeline_files import earlier, read_timeline

if TYPE_CHECKING:
    from idle_quarry.app.models.jobs.trial.trial import Trial

#: What a number moves, and in words.
END, START, PLACE, WITHIN = "its end", "its start", "all of it", "what it shows"
MOVED = (END, START, PLACE, WITHIN)
_NUMBER = re.compile(r"([+−-]?)\s*(\d{1,7})(s?)")


class TrialActs:
    """Each act means what is chosen of the timeline that is looked at, or what is under its playhead."""

    def __init__(self, trial: Trial) -> None:
        self._trial, self._door = trial, trial.door

    # -- laying ------------------------------------------------------------------------------------------------------

    # -- cutting -----------------------------------------------------------------------------------------------------

    def change(self, words: str, change: Callable[[Timeline], Timeline]) -> None:
        """Change the timeline that is looked at; `words` name the act where it is undone."""
        opened = self._trial.here
        if opened is None:
            self._door.say("A clip is looked at. Look at a timeline to change it.")
        else:
            opened.edit(words, change)

    def change_item(self, words: str, change: Callable[[Timeline, TimelineItem], Timeline]) -> None:
        """Change the one item that is meant."""
        opened = self._trial.here
        item = opened.here() if opened is not None else None
        if item is None:
            self._door.say("No item is chosen, and none is under the playhead.")
        else:
            self.change(words, lambda timeline: change(timeline, item))

    def split(self) -> None:
        """Cut at the playhead: what is chosen there, or all that is there."""
        opened = self._trial.here
        if opened is None:
            return
        tracks = {
            opened.timeline.item(other)[0].ident for ident in opened.chosen for other in opened.timeline.linked(ident)
        }
        self.change("split", lambda timeline: edits.split(timeline, opened.frame, tracks or None))

    def take_out(self) -> None:
        """Take out what is meant, and close up, on every track."""
        self._over_range("take out", edits.take_out)

    def lift(self) -> None:
        """Take away what is meant and leave its room."""
        opened = self._trial.here
        if opened is not None and opened.mark_in is None and opened.mark_out is None and opened.chosen:
            self.change("lift", lambda timeline: edits.remove(timeline, opened.chosen))
        else:
            self._over_range("lift", edits.lift)

    def _over_range(self, words: str, change: Callable[[Timeline, int, int], Timeline]) -> None:
        opened = self._trial.here
        span = opened.range() if opened is not None else None
        if opened is None or span is None:
            self._door.say("Nothing is meant: choose items, or set in and out.")
            return
        if opened.edit(words, lambda timeline: change(timeline, *span)):
            opened.mark("in", None)
            opened.mark("out", None)
            opened.go(span[0])

    def trim_here(self, edge: str) -> None:
        """Trim the start or the end of what is meant to the playhead."""
        opened = self._trial.here
        item = opened.here() if opened is not None else None
        if opened is not None and item is not None:
            by = opened.frame - (item.at if edge == "start" else item.end)
            self.change(f"trim its {edge}", lambda timeline: edits.trim(timeline, item.ident, edge, by))

    def by_number(self, typed: str, moved: str, *, follow: bool) -> None:
        """Move an edge of what is meant, all of it, or what it shows, by frames that are typed: +12, −3, or +2s for
        seconds.
        """
        opened, match = self._trial.here, _NUMBER.fullmatch(typed.strip())
        if opened is None:
            return
        if match is None:
            self._door.refuse(NotUnderstood("frames are typed as +12, −3 or +2s", subject=typed.strip()[:20]))
            return
        sign, digits, seconds = match.groups()
        by = round(int(digits) * opened.timeline.rate) if seconds else int(digits)
        by = -by if sign in ("-", "−") else by

        def change(timeline: Timeline, item: TimelineItem) -> Timeline:
            if moved == PLACE:
                return edits.move(timeline, item.ident, item.at + by, follow=follow)
            if moved == WITHIN:
                return edits.slip(timeline, item.ident, by)
            return edits.trim(timeline, item.ident, "end" if moved == END else "start", by, follow=follow)

        self.change_item(f"{moved} by {by:+d}", change)

    def move(self, side: str, ident: int, to: int, track: str | None, *, follow: bool) -> None:
        """Move an item to a frame, perhaps onto another track."""
        opened = self._trial.opened[side]
        if opened is not None:
            opened.edit("move", lambda timeline: edits.move(timeline, ident, to, track, follow=follow))

    def trim(self, side: str, ident: int, edge: str, by: int, *, follow: bool) -> None:
        """Move an item's "start" or "end" by frames."""
        opened = self._trial.opened[side]
        if opened is not None:
            opened.edit(f"trim its {edge}", lambda timeline: edits.trim(timeline, ident, edge, by, follow=follow))

    def to_track(self, by: int) -> None:
        """Move what is meant to the next track of its kind above (1) or below (−1)."""

        def change(timeline: Timeline, item: TimelineItem) -> Timeline:
            track, _ = timeline.item(item.ident)
            return edits.move(timeline, item.ident, item.at, _beside(timeline, track, by).ident)

        self.change_item("to another track", change)

    def choose_here(self) -> None:
        """Choose what is at the playhead: the topmost, and with each press the next one below."""
        opened = self._trial.here
        if opened is None:
            return
        there = [track.over(opened.frame) for track in reversed(opened.timeline.tracks)]
        items = [item for item in there if item is not None]
        if not items:
            opened.choose(frozenset())
            return
        now = next((n for n, item in enumerate(items) if item.ident in opened.chosen), -1)
        item = items[(now + 1) % len(items)]
        opened.choose(frozenset(opened.timeline.linked(item.ident)))

    def aim(self, by: int) -> None:
        """Lay pictures onto the next track above (1) or below (−1) from now on."""
        opened = self._trial.here or self._trial.aimed
        if opened is not None and PICTURE in opened.aims:
            opened.aim(_beside(opened.timeline, opened.timeline.track(opened.aims[PICTURE]), by))

    # -- what items say ------------------------------------------------------------------------------------------------

    def switch(self) -> None:
        """Switch what is meant off, or on again."""
        opened = self._trial.here
        item = opened.here() if opened is not None else None
        if opened is not None and item is not None:
            idents = opened.chosen or frozenset([item.ident])
            words = "switch off" if item.enabled else "switch on"
            self.change(words, lambda timeline: edits.switched(timeline, idents, not item.enabled))

    def link(self) -> None:
        """Let what is chosen belong together; where it does already, no longer."""
        opened = self._trial.here
        items = opened.items_chosen() if opened is not None else []
        if opened is None or not items:
            self._door.say("Choose what belongs together.")
        elif items[0].link is not None and len({item.link for item in items}) == 1:
            self.change("unlink", lambda timeline: edits.unlink(timeline, items[0].ident))
        else:
            self.change("link", lambda timeline: edits.link(timeline, opened.chosen))

    def shift(self, across: Fraction, down: Fraction) -> None:
        """Shift the picture of what is meant in a canvas of another shape, shares of the canvas; zero puts it back.

        Only within what was cropped, or what stays black: no edge of it is drawn over the canvas's.
        """
        opened, row = self._trial.here, self._trial.at_playhead.under()[2]
        if opened is None or opened.fit is None:
            self._door.say("Pictures are shifted in canvases of another shape than the working picture's.")
            return

        def change(timeline: Timeline, item: TimelineItem) -> Timeline:
            if (not across and not down) or row is None or row.clip is None:
                return edits.placed(timeline, item.ident, None)
            left, top, wide, high = place_of(row.clip, opened.canvas, self._trial.at_playhead.fitted(row))
            x, y = item.place or (Fraction(0), Fraction(0))
            place = _within(x + across, left, wide), _within(y + down, top, high)
            return edits.placed(timeline, item.ident, place)

        self.change_item("shift", change)

    # -- back and forth ------------------------------------------------------------------------------------------------

    @property
    def edited(self) -> OpenTimeline | None:
        """The timeline on which undo acts: the one that is looked at, else the one that clips are laid onto."""
        return self._trial.here or self._trial.aimed

    def earlier(self) -> list[Path]:
        """Return the earlier states of the timeline that is looked at, the last one first."""
        opened = self._trial.here
        return earlier(opened.path) if opened is not None else []

    def go_back_to(self, state: Path) -> None:
        """Take an earlier state as the next one; it can be undone."""
        opened = self._trial.here
        if opened is None:
            return

        def done(timeline: Timeline) -> None:
            opened.edit("an earlier state", lambda _now: timeline)

        self._door.workers.start(lambda _ticket: read_timeline(state, opened.timeline.rate), done, self._door.refuse)


def _beside(timeline: Timeline, track: Track, by: int) -> Track:
    """Return the next track of the same kind above or below; at the end the track itself."""
    alike = [item for item in timeline.tracks if item.kind == track.kind]
    at = next(n for n, item in enumerate(alike) if item.ident == track.ident) + by
    return alike[max(0, min(at, len(alike) - 1))]


def _within(shift: Fraction, begin: float, size: float) -> Fraction:
    """Return a shift of what begins and is so large, shares of the canvas, that leaves no more of it bare than the
    fit does.
    """
    ends = sorted((-begin, 1 - size - begin))
    low, high = (Fraction(end).limit_denominator(10_000) for end in ends)
    return min(max(shift, low), high)

"""Where one is in what a trial looks at: frames, cuts, in and out, and playing between them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from idle_quarry.jobs.cutting.at_frame import next_cut

if TYPE_CHECKING:
    from idle_quarry.app.models.jobs.trial.trial import Trial


class Playhead:
    """The place in the timeline or clip that is looked at, and its in and out."""

    def __init__(self, trial: Trial) -> None:
        self._trial = trial

    def go(self, frame: int) -> None:
        """Be at another frame of what is looked at."""
        opened = self._trial.here
        if opened is None:
            self._trial.player.go(frame)
            self._trial.under_changed.emit()
        elif self._trial.player.speed:
            self._trial.player.go(frame)
        else:
            opened.go(frame)

    @property
    def frame(self) -> int:
        """The frame of what is looked at."""
        opened = self._trial.here
        return opened.frame if opened is not None else self._trial.player.frame

    def step(self, by: int) -> None:
        """Go on or back by frames, or by fields where those are looked at."""
        if self._trial.player.by_field and not self._trial.player.speed:
            self._trial.player.step(by)
            opened = self._trial.here
            if opened is not None:
                opened.go(self._trial.player.frame)
        else:
            self.go(self.frame + by)

    def to_cut(self, *, back: bool = False) -> None:
        """Go to the next cut, or the one before; in a clip to its marks and ends."""
        opened = self._trial.here
        if opened is not None:
            self.go(next_cut(opened.timeline, opened.frame, back=back))
            return
        first, last = self._clip_marks()
        length = self._clip_length()
        places = sorted({0, length - 1, *([first] if first is not None else []), *([last - 1] if last else [])})
        beyond = [place for place in places if (place < self.frame if back else place > self.frame)]
        if beyond:
            self.go(beyond[-1] if back else beyond[0])

    def mark(self, which: str) -> None:
        """Set in or out where one is."""
        opened = self._trial.here
        if opened is not None:
            opened.mark(which, opened.frame)
        elif self._trial.clip is not None:
            first, last = self._trial.marks.get(self._trial.clip, (None, None))
            if which == "in":
                first, last = self.frame, last if last is not None and last > self.frame else None
            else:
                first, last = first if first is not None and first <= self.frame else None, self.frame + 1
            self._trial.marks[self._trial.clip] = first, last
            self._trial.under_changed.emit()

    def unmark(self) -> None:
        """Take in and out away."""
        opened = self._trial.here
        if opened is not None:
            opened.mark("in", None)
            opened.mark("out", None)
        elif self._trial.clip is not None:
            self._trial.marks.pop(self._trial.clip, None)
            self._trial.under_changed.emit()

    def loop(self, on: bool) -> None:
        """Play round and round from in to out, or to the end."""
        opened = self._trial.here
        span = opened.range() if opened is not None else self._span_of_clip()
        length = self._clip_length()
        self._trial.player.loop = (span or (0, length)) if on else None
        self._trial.player.state_changed.emit()

    def _span_of_clip(self) -> tuple[int, int] | None:
        first, last = self._clip_marks()
        length = self._clip_length()
        return (first or 0, last or length) if first is not None or last is not None else None

    def _clip_marks(self) -> tuple[int | None, int | None]:
        clip = self._trial.clip
        return self._trial.marks.get(clip, (None, None)) if clip is not None else (None, None)

    def _clip_length(self) -> int:
        source = self._trial.player.source
        return source.length if source is not None else 1

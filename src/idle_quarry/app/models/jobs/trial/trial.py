"""The trial of a job: its timelines cut with its clips, two of them above one another, and what the template does
to each picture.
"""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal

from idle_quarry.app.background.workers import Ticket
from idle_quarry.app.models.jobs.material.material import JobMaterial
from idle_quarry.app.models.jobs.material.material_rows import MaterialRow
from idle_quarry.app.models.jobs.part import JobPart
from idle_quarry.app.models.jobs.renders.renders import Renders
from idle_quarry.app.models.jobs.trial.acts import TrialActs
from idle_quarry.app.models.jobs.trial.find import find
from idle_quarry.app.models.jobs.trial.item_words import ItemWords
from idle_quarry.app.models.jobs.trial.known_clips import KnownClips
from idle_quarry.app.models.jobs.trial.laying import Laying
from idle_quarry.app.models.jobs.trial.open_timeline import OpenTimeline
from idle_quarry.app.models.jobs.trial.playback import Playback
from idle_quarry.app.models.jobs.trial.playback_parts import PlaybackSource
from idle_quarry.app.models.jobs.trial.playhead import Playhead
from idle_quarry.app.models.jobs.trial.renders import TrialRenders
from idle_quarry.app.models.jobs.trial.sides import CLIPS, LOWER, UPPER
from idle_quarry.app.models.jobs.trial.sources import ClipSource, TimelineSource
from idle_quarry.app.models.jobs.trial.under_playhead import UnderPlayhead
from idle_quarry.errors import QuarryError
from idle_quarry.jobs.cutting.timeline import Timeline
from idle_quarry.jobs.cutting.timeline_files import read_timeline, state_of, timelines_in

if TYPE_CHECKING:
    from idle_quarry.app.models.jobs.job_list import JobList

PAGE = "Trial"


class Trial(JobPart):
    """`changed`: other timelines or clips.

    `side_changed`: the player shows another thing; `under_changed`: another item is under the playhead.
    """

    side_changed = Signal()
    under_changed = Signal()

    def __init__(self, jobs: JobList, material: JobMaterial, renders: Renders) -> None:
        super().__init__(jobs)
        self.material, self.renders = material, renders
        self.clips: KnownClips = KnownClips(self)
        self.player: Playback = Playback()
        self.acts: TrialActs = TrialActs(self)
        self.laying: Laying = Laying(self)
        self.playhead: Playhead = Playhead(self)
        self.at_playhead: UnderPlayhead = UnderPlayhead(self)
        self.item_words: ItemWords = ItemWords(self, self.acts)
        self.pieces: TrialRenders = TrialRenders(self)
        self.opened: dict[str, OpenTimeline | None] = {UPPER: None, LOWER: None}
        self.side = LOWER
        self.aim = LOWER  #: the timeline that clips are laid onto
        self.clip: Path | None = None
        self.marks: dict[Path, tuple[int | None, int | None]] = {}  #: in and out of clips (the frame after the last)
        self.sought = ""
        self._goes: tuple[str, int] | None = None  #: where one is to be in a timeline that is being opened
        self.in_sight = False
        self.let_be: set[Path] = set()  #: clips of no class that are used as they are
        self._away: list[OpenTimeline] = []  #: that were let go, of which the file may not have the last state
        self._folder: Path | None = None
        self._shown_of: list[MaterialRow] = []  #: that the player knows
        self.player.seen_changed.connect(self._played)
        self.pieces.changed.connect(self._rendered)
        material.changed.connect(self._material_changed)
        self.door.workers.before_rest.append(self._let_go_unseen)
        self.follow(self._see)

    # -- the job's timelines and clips -------------------------------------------------------------------------------

    def _see(self) -> None:
        """Open the timelines of the job that is seen now."""
        job = self.job
        if self.jobs.page != PAGE or job is None or job.folder == self._folder:
            return
        self.leave()
        self._folder, self.clip, self.side, self.aim = job.folder, None, LOWER, LOWER
        self.clips.forget_costs()
        names = self.names()
        programme = next((timeline.name for timeline in job.template.timelines), "")
        first = programme if programme in names else (names[0] if names else "")
        for name in (first, *[name for name in names if name != first][:1]):
            if name:
                self.open(name, LOWER if name == first else UPPER)
        self.changed.emit()

    def look(self, on: bool) -> None:
        """Somebody looks at it, or no longer: nothing plays for nobody."""
        self.in_sight = on
        if not on:
            self.player.stop()
            self.door.workers.rest_soon()

    def _let_go_unseen(self) -> None:
        """Close the clips that are open: six of them hold some hundred megabytes."""
        if not self.in_sight:
            self.player.let_go()

    def leave(self) -> None:
        """Let go of the job's timelines; what their files do not have yet is written meanwhile."""
        self.player.show(None)
        for side in self.opened:
            self._put_away(side)

    def _put_away(self, side: str) -> None:
        opened = self.opened[side]
        if opened is not None:
            opened.keep()
            self._away = [*(side for side in self._away if side.behind), opened]
        self.opened[side] = None

    def close(self) -> None:
        """Let go of everything; when nothing is written on other threads any more."""
        self.leave()
        for opened in self._away:
            try:
                opened.close()
            except QuarryError as error:
                self.door.refuse(error)
        self.player.close()

    def names(self) -> list[str]:
        """Return the names of the job's timelines."""
        return [path.stem for path in timelines_in(self._folder)] if self._folder is not None else []

    def open(self, name: str, side: str) -> None:
        """Open one of the job's timelines above or below; one that is open on the other side is looked at there."""
        job = self.job
        if job is None:
            return
        path = next((path for path in timelines_in(job.folder) if path.stem == name), None)
        if path is None:
            return
        other = next((name for name, opened in self.opened.items() if opened is not None and opened.path == path), None)
        if other is not None:
            self.look_at(other)
            return
        template, rate = job.template, job.template.working.format.rate
        wanted = next((timeline for timeline in template.timelines if timeline.name == name), None)
        canvas = template.canvas(wanted) if wanted is not None else template.working.format.raster
        fit = wanted.fit if wanted is not None and canvas != template.working.format.raster else None

        def work(_ticket: Ticket) -> tuple[str, Timeline]:
            return state_of(path), read_timeline(path, rate)  # what is written meanwhile is another state

        def done(read: tuple[str, Timeline]) -> None:
            if job.folder == self._folder:
                self._open(OpenTimeline(self.door, path, read[1], canvas, fit, read[0]), side)

        self.door.workers.start(work, done, self.door.refuse)

    def open_at(self, name: str, frame: int) -> None:
        """Open a timeline below, if it is not open, and be at one of its frames."""
        self._goes = name, frame
        self.open(name, LOWER)
        self._go_there()

    def _go_there(self) -> None:
        """Be at the frame that was asked for, as soon as its timeline is open."""
        for side, opened in self.opened.items():
            if self._goes is not None and opened is not None and opened.path.stem == self._goes[0]:
                frame, self._goes = self._goes[1], None
                self.look_at(side)
                opened.go(frame)

    def _open(self, opened: OpenTimeline, side: str) -> None:
        self._put_away(side)
        self.opened[side] = opened
        opened.edited.connect(partial(self._edited, side))
        opened.moved.connect(partial(self._moved, side))
        opened.kept_changed.connect(self.changed)
        opened.kept_changed.connect(self.renders.edited)
        self.pieces.look(opened)
        if self.side == side or self.opened[self.side if self.side != CLIPS else LOWER] is None:
            self.look_at(side)
        self.changed.emit()
        self._go_there()

    def _material_changed(self) -> None:
        opened = self.here
        if not self.clips.is_current:
            self.renders.see()  # pieces are made of what is known of clips
        if opened is not None and self._shown_of is not self.material.rows and not self.player.speed:
            self.player.show(self._source_of(opened), opened.frame)  # clips came, or are converted otherwise now
        self.changed.emit()
        self.under_changed.emit()

    # -- what is looked at -------------------------------------------------------------------------------------------

    @property
    def here(self) -> OpenTimeline | None:
        """The timeline that is looked at, None where a clip is."""
        return self.opened.get(self.side)

    @property
    def aimed(self) -> OpenTimeline | None:
        """The timeline onto which what is looked at is laid: the other one where a timeline is looked at."""
        if self.side == CLIPS:
            return self.opened[self.aim] or self.opened[LOWER]
        return self.opened[LOWER if self.side == UPPER else UPPER]

    def look_at(self, side: str) -> None:
        """Have the player show a clip or one of the timelines, and keys act upon it."""
        if side == CLIPS and self.clip is None:
            return
        self.side = side
        opened = self.here
        if opened is not None:
            self.aim = side
            self.player.show(self._source_of(opened), opened.frame)
        self.side_changed.emit()
        self.under_changed.emit()

    def _source_of(self, opened: OpenTimeline) -> PlaybackSource:
        self._shown_of = self.material.rows
        rendered = partial(self.pieces.at, opened.path, opened.timeline)
        return TimelineSource(opened.timeline, opened.canvas, opened.fit, self.clips.to_play(), rendered)

    def show_clip(self, path: Path) -> None:
        """Look at a clip of the job."""
        row = self.clips.known.get(str(path))
        if row is None or row.clip is None:
            self.door.say(f"{path.name}: {row.words if row is not None else 'not among the clips of the job'}.")
            return
        self.clip, self.side = path, CLIPS
        first = (self.marks.get(path, (None, None)))[0]
        self.player.show(ClipSource(row.clip), first or 0)
        self.side_changed.emit()
        self.under_changed.emit()

    def next_clip(self, *, back: bool = False) -> None:
        """Look at the next clip of the list, or the one before."""
        paths = [row.entry.path for row in self.material.rows if row.clip is not None]
        if not paths:
            return
        at = paths.index(self.clip) if self.clip in paths else (0 if back else -1)
        self.show_clip(paths[(at + (-1 if back else 1)) % len(paths)])

    def _edited(self, side: str) -> None:
        opened = self.opened[side]
        if opened is not None:
            self.pieces.look(opened)
            if self.side == side:
                self.player.show(self._source_of(opened), opened.frame)
        self.changed.emit()
        self.under_changed.emit()

    def _rendered(self) -> None:
        """Pieces became whole, or others: where a quick look stands that is rendered now, that is shown."""
        opened, picture = self.here, self.player.seen
        quick = picture is not None and picture.quick and not self.player.speed
        if quick and opened is not None and self.pieces.at(opened.path, opened.timeline, opened.frame):
            self.player.show(self._source_of(opened), opened.frame)
        self.under_changed.emit()

    def _moved(self, side: str) -> None:
        opened = self.opened[side]
        if opened is not None and self.side == side and self.player.frame != opened.frame and not self.player.speed:
            self.player.go(min(opened.frame, max(0, opened.timeline.end - 1)))
        self.under_changed.emit()

    def _played(self) -> None:
        opened = self.here
        if opened is not None and self.player.speed:
            opened.go(self.player.frame)

    # -- what the template does --------------------------------------------------------------------------------------

    def find(self, *, back: bool = False) -> None:
        """Go to the next item that is looked for, or the one before; round the end once."""
        find(self, back=back)

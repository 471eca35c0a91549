"""The trial of a job: its timelines cut with its clips, two of them above one another, and what the template does
to each picture.
"""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal

from idle_quarry.app.background.workers import Ticket
from idle_quarry.app.destinations import ProveLink
from idle_quarry.app.models.jobs.material.material import JobMaterial
from idle_quarry.app.models.jobs.material.material_rows import MaterialRow
from idle_quarry.app.models.jobs.part import JobPart
from idle_quarry.app.models.jobs.renders.renders import Renders
from idle_quarry.app.models.jobs.trial.acts import TrialActs
from idle_quarry.app.models.jobs.trial.costs import Costs
from idle_quarry.app.models.jobs.trial.find import find
from idle_quarry.app.models.jobs.trial.open_timeline import OpenTimeline
from idle_quarry.app.models.jobs.trial.playback import Playback
from idle_quarry.app.models.jobs.trial.playback_parts import PlaybackSource
from idle_quarry.app.models.jobs.trial.renders import TrialRenders
from idle_quarry.app.models.jobs.trial.sides import CLIPS, LOWER, UPPER
from idle_quarry.app.models.jobs.trial.sources import ClipSource, KnownClip, TimelineSource, canvas_words
from idle_quarry.errors import QuarryError
from idle_quarry.jobs.cutting.at_frame import next_cut, shown_at
from idle_quarry.jobs.cutting.timeline import Timeline, TimelineItem, Track
from idle_quarry.jobs.cutting.timeline_files import read_timeline, state_of, timelines_in
from idle_quarry.jobs.material import parts_of, proxy_of
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.policies import Policy

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
        self.player: Playback = Playback()
        self.acts: TrialActs = TrialActs(self)
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
        self._known_of: list[MaterialRow] = []
        self._shown_of: list[MaterialRow] = []  #: that the player knows
        self._looked = False
        self._known: dict[str, MaterialRow] = {}
        self._costs: Costs | None = None
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
        self._costs = None
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
        if self._known_of is not self.material.rows:
            self.renders.see()  # pieces are made of what is known of clips
        if opened is not None and self._shown_of is not self.material.rows and not self.player.speed:
            self.player.show(self._source_of(opened), opened.frame)  # clips came, or are converted otherwise now
        self.changed.emit()
        self.under_changed.emit()

    @property
    def known(self) -> dict[str, MaterialRow]:
        """What is known of each file: the clips of the job, and what was brought in of them."""
        if self._known_of is not self.material.rows or self._looked != self.material.looked:
            self._known_of, self._looked = self.material.rows, self.material.looked
            self._known = {str(row.entry.path): row for row in self.material.rows}
            self._known |= {str(file.path): row for row in self.material.rows for file in parts_of(row.entry)}
            self._costs = None
        return self._known

    def _known_clips(self) -> dict[str, KnownClip]:
        results: dict[str, KnownClip] = {}
        for row in self.material.rows:
            results |= {str(file.path): KnownClip(None, Policy(), True) for file in parts_of(row.entry)}
            if row.clip is not None:
                link, proxy = self.costs.link_of(row.source), proxy_of(row.entry)
                policy = row.source.policy if row.source is not None else Policy()
                exact = link is not None and link.plan.grade == "exact"
                results[str(row.entry.path)] = KnownClip(
                    row.clip, policy, exact, str(proxy.path) if proxy is not None else None
                )
        return results

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
        return TimelineSource(opened.timeline, opened.canvas, opened.fit, self._known_clips(), rendered)

    def show_clip(self, path: Path) -> None:
        """Look at a clip of the job."""
        row = self.known.get(str(path))
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

    def go(self, frame: int) -> None:
        """Be at another frame of what is looked at."""
        opened = self.here
        if opened is None:
            self.player.go(frame)
            self.under_changed.emit()
        elif self.player.speed:
            self.player.go(frame)
        else:
            opened.go(frame)

    @property
    def frame(self) -> int:
        """The frame of what is looked at."""
        opened = self.here
        return opened.frame if opened is not None else self.player.frame

    def step(self, by: int) -> None:
        """Go on or back by frames, or by fields where those are looked at."""
        if self.player.by_field and not self.player.speed:
            self.player.step(by)
            opened = self.here
            if opened is not None:
                opened.go(self.player.frame)
        else:
            self.go(self.frame + by)

    def to_cut(self, *, back: bool = False) -> None:
        """Go to the next cut, or the one before; in a clip to its marks and ends."""
        opened = self.here
        if opened is not None:
            self.go(next_cut(opened.timeline, opened.frame, back=back))
            return
        first, last = self.marks.get(self.clip, (None, None)) if self.clip is not None else (None, None)
        length = self.player.source.length if self.player.source is not None else 1
        places = sorted({0, length - 1, *([first] if first is not None else []), *([last - 1] if last else [])})
        beyond = [place for place in places if (place < self.frame if back else place > self.frame)]
        if beyond:
            self.go(beyond[-1] if back else beyond[0])

    def mark(self, which: str) -> None:
        """Set in or out where one is."""
        opened = self.here
        if opened is not None:
            opened.mark(which, opened.frame)
        elif self.clip is not None:
            first, last = self.marks.get(self.clip, (None, None))
            if which == "in":
                first, last = self.frame, last if last is not None and last > self.frame else None
            else:
                first, last = first if first is not None and first <= self.frame else None, self.frame + 1
            self.marks[self.clip] = first, last
            self.under_changed.emit()

    def unmark(self) -> None:
        """Take in and out away."""
        opened = self.here
        if opened is not None:
            opened.mark("in", None)
            opened.mark("out", None)
        elif self.clip is not None:
            self.marks.pop(self.clip, None)
            self.under_changed.emit()

    def loop(self, on: bool) -> None:
        """Play round and round from in to out, or to the end."""
        opened = self.here
        span = opened.range() if opened is not None else self._span_of_clip()
        length = self.player.source.length if self.player.source is not None else 1
        self.player.loop = (span or (0, length)) if on else None
        self.player.state_changed.emit()

    def _span_of_clip(self) -> tuple[int, int] | None:
        first, last = self.marks.get(self.clip, (None, None)) if self.clip is not None else (None, None)
        length = self.player.source.length if self.player.source is not None else 1
        return (first or 0, last or length) if first is not None or last is not None else None

    # -- what the template does --------------------------------------------------------------------------------------

    @property
    def costs(self) -> Costs:
        """What the job's template does to its clips."""
        known, job = self.known, self.job
        if self._costs is None:
            evaluation = evaluate(job.template, remedies=False) if job is not None else None
            self._costs = Costs(evaluation, known, looked=self.material.looked)
        return self._costs

    def under(self) -> tuple[Track | None, TimelineItem | None, MaterialRow | None]:
        """Return what is under the playhead: its track, the item, and what is known of its clip.

        Of a clip only the last.
        """
        opened = self.here
        if opened is None:
            return None, None, self.known.get(str(self.clip)) if self.clip is not None else None
        shown = shown_at(opened.timeline, opened.frame)
        if shown is None:
            return None, None, None
        return shown.track, shown.item, self.costs.row_of(shown.item)

    def canvas_words(self) -> str:
        """Return what becomes of what is under the playhead in a canvas of another shape, "" in the working one."""
        opened, (_, item, row) = self.here, self.under()
        if opened is None or opened.fit is None or item is None or row is None or row.clip is None:
            return ""
        return f"In {opened.path.stem}: {canvas_words(row.clip, opened.canvas, self.fitted(row), item.place)}."

    def fitted(self, row: MaterialRow) -> Policy:
        """Return the policy of a clip's class, with the fit of the timeline that is looked at."""
        policy, opened = row.source.policy if row.source is not None else Policy(), self.here
        return policy.with_parts(fit=opened.fit) if opened is not None and opened.fit is not None else policy

    def convert_otherwise(self, source: str) -> None:
        """Convert the clip under the playhead as another class does; "" for the one that it matches by itself."""
        _, _, row = self.under()
        if row is not None:
            self.material.choose_class([row.entry.path], source)

    def prove(self) -> None:
        """See in Proof what the template does to what is under the playhead."""
        record, (_, _, row) = self.jobs.record, self.under()
        if record is None or row is None or row.source is None:
            return
        self.door.open_stored(record.template_id, record.revision)
        self.door.go(ProveLink(f"source:{row.source.id}", row.entry.path))

    def render_from_here(self) -> None:
        """Render the timeline that is looked at from the playhead on, then what lies before it."""
        opened = self.here
        if opened is not None:
            self.renders.render_from(opened.path.stem, opened.frame)

    def find(self, *, back: bool = False) -> None:
        """Go to the next item that is looked for, or the one before; round the end once."""
        find(self, back=back)

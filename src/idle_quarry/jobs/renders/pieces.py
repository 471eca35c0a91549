"""A timeline divided into pieces: at what is seen to change, and at every ten seconds of a clip, so that little is
rendered again.

Only what is seen divides it: a cut on a track that another covers does not. A piece is known by what it is made of, not
by where it lies, so that what is moved, copied or renamed is the same piece.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction
from itertools import pairwise

from idle_quarry.jobs.cutting.at_frame import shown_at
from idle_quarry.jobs.cutting.timeline import CLIP, NO_MEDIA, PICTURE, Timeline, TimelineItem, Track, Transition
from idle_quarry.jobs.renders.recipe import ClipFrames, Recipe
from idle_quarry.media.clip import Clip
from idle_quarry.path.codecs import cannot_hold
from idle_quarry.path.policies import DEFAULT_POLICY, Policy
from idle_quarry.path.registry import Codec
from idle_quarry.path.steps import plan
from idle_quarry.path.steps.pacing import retiming, speed_of
from idle_quarry.path.steps.pulldown import pictures_of
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.words import format_words

#: A clip's converted frames are divided at multiples of so many seconds, counted from the clip's own first.
PIECE_S = 10


class PieceState(StrEnum):
    """How a piece stands: it plays as it is, is to be rendered and in no queue, is in one, being rendered,
    rendered, or cannot be.
    """

    EXACT = "exact"
    MISSED = "not rendered"
    QUEUED = "waiting"
    RENDERING = "rendering"
    RENDERED = "rendered"
    FAILED = "failed"


@dataclass(frozen=True)
class Stock:
    """What is known of a file that timelines show: the clip, its content, the policy and the cadence of its class.

    `held`: it was brought in, and is in the job's intermediate format already. `why` says what keeps it from being
    rendered.
    """

    clip: Clip | None
    content: str = ""
    policy: Policy = DEFAULT_POLICY
    cadence: str = ""
    held: bool = False
    why: str = ""


@dataclass(frozen=True)
class Canvas:
    """What a timeline is rendered to: the format, the codec, and the fit that its canvas asks for in place of the
    classes' own.
    """

    format: SignalFormat
    codec: Codec
    fit: str | None = None


@dataclass(frozen=True)
class Piece:
    """Frames `first` to `last` (half open) of a timeline: what they are made of, or why they cannot be rendered."""

    first: int
    last: int
    state: PieceState
    recipe: Recipe | None = None
    text: str = ""

    @property
    def frames(self) -> int:
        return self.last - self.first


@dataclass(frozen=True)
class _ItemView:
    """What is seen of one item, in one run: taken from a clip, or nothing where black is; `why` it cannot be."""

    source_frames: ClipFrames | None = None
    exact: bool = False
    why: str = ""
    text: str = ""


@dataclass(frozen=True)
class _FrameRun:
    """Frames of a timeline that show the same in one go; in a change, `over` comes over what is seen."""

    first: int
    last: int
    seen: _ItemView
    over: _ItemView | None = None
    share: Fraction = Fraction(0)
    rise: Fraction = Fraction(0)


def pieces_of(timeline: Timeline, canvas: Canvas, stock: Mapping[str, Stock]) -> list[Piece]:
    """Return the pieces of a timeline in order; `stock` is what is known of the files that it shows, by their paths."""
    why = cannot_hold(canvas.codec, canvas.format)
    if why and timeline.end:
        text = f"{canvas.codec.name} cannot hold {format_words(canvas.format, fields=True)}: {why[0]}"
        return [Piece(0, timeline.end, PieceState.FAILED, text=text)]
    pieces: list[Piece] = []
    for run in _joined(_runs(timeline, canvas, stock)):
        pieces += _pieces(run, canvas)
    return pieces


# -- what is seen ------------------------------------------------------------------------------------------------------


def _runs(timeline: Timeline, canvas: Canvas, stock: Mapping[str, Stock]) -> Iterator[_FrameRun]:
    places = {0, timeline.end}
    for track in timeline.tracks:
        if track.kind == PICTURE and track.enabled:
            for item in track.items:
                places.update((item.at, item.end))
            for change in track.transitions:
                places.update((max(0, change.at - change.before), min(timeline.end, change.at + change.after)))
    cuts = sorted(places)
    changes = {
        track.ident: sorted(track.transitions, key=lambda transition: transition.at) for track in timeline.tracks
    }
    for first, last in pairwise(cuts):
        over = next(_changes_over(timeline, changes, first), None)
        if over is not None:
            yield _changing(timeline, *over, first, last, canvas, stock)
            continue
        shown = shown_at(timeline, first)
        item_view = (
            _ItemView(text="nothing lies there: black")
            if shown is None
            else _seen(timeline, shown.item, first, canvas, stock)
        )
        yield _FrameRun(first, last, item_view)


def _changes_over(
    timeline: Timeline, changes: Mapping[str, list[Transition]], frame: int
) -> Iterator[tuple[Track, Transition]]:
    """Yield the change that is seen at a frame, with its track: on the topmost track that has something there."""
    for track in reversed(timeline.tracks):
        if track.kind != PICTURE or not track.enabled:
            continue
        for change in changes[track.ident]:
            if change.at - change.before <= frame < change.at + change.after:
                yield track, change
        item = track.over(frame)
        if item is not None and item.enabled:
            return


def _changing(
    timeline: Timeline,
    track: Track,
    change: Transition,
    first: int,
    last: int,
    canvas: Canvas,
    stock: Mapping[str, Stock],
) -> _FrameRun:
    """Return a part of a change: what was, and over it what comes, by a share that rises evenly and is never all or
    nothing.
    """
    ends = [track.over(change.at - 1) if change.at else None, track.over(change.at)]
    was, comes = (
        _seen(timeline, item, first, canvas, stock) if item is not None and item.enabled else _ItemView()
        for item in ends
    )
    rise = Fraction(1, change.before + change.after + 1)
    share = rise * (first - (change.at - change.before) + 1)
    return _FrameRun(first, last, was, comes, share, rise)


def _seen(timeline: Timeline, item: TimelineItem, frame: int, canvas: Canvas, stock: Mapping[str, Stock]) -> _ItemView:
    """Return what an item shows from a frame of the timeline on."""
    media = item.media
    if item.kind != CLIP or media is None or media.path is None:
        if item.kind in NO_MEDIA:
            return _ItemView(text=f"{item.name}: {NO_MEDIA[item.kind]}, shown as black")
        return _ItemView(why=f"{item.name}: its clip is not known")
    known = stock.get(media.path)
    if known is None:
        return _ItemView(why=f"{item.name}: its clip is not among the job's")
    if known.why or known.clip is None or known.clip.format is None:
        return _ItemView(why=f"{item.name}: {known.why or 'its pictures are in no format that is known'}")
    fmt = known.clip.format
    taken_as = (pictures_of(fmt, known.cadence) if known.cadence else None) or fmt
    policy = known.policy if canvas.fit is None else known.policy.with_parts(fit=canvas.fit)
    if retiming(taken_as, canvas.format, policy) == "refuse":
        return _ItemView(why=f"{item.name}: its class does not take material at this rate")
    faster = speed_of(taken_as, canvas.format, policy)
    # frames of the whole converted clip for each frame of the media's count
    value = canvas.format.rate / (media.rate * faster)
    step = item.step(timeline.rate) * value
    first = (item.shows(frame, timeline.rate) - media.first) * value
    if step == 1:
        first = Fraction(math.floor(first))
    shift = item.place or (Fraction(0), Fraction(0))
    fields = canvas.format.scan == "interlaced"
    shown = ClipFrames(
        path=media.path,
        content=known.content,
        taken_as=fmt,
        policy=policy,
        first=first,
        step=step,
        cadence=known.cadence,
        shift=shift,
        whole=fields and step != 1,
    )
    as_it_is = known.held or (taken_as == fmt and not plan(fmt, canvas.format, policy).steps)
    exact = as_it_is and step == 1 and item.place is None and canvas.fit is None
    return _ItemView(shown, exact)


def _joined(runs: Iterator[_FrameRun]) -> Iterator[_FrameRun]:
    """Yield runs, those in one that go on where the last one ended: a cut that is not seen is none."""
    last: _FrameRun | None = None
    for run in runs:
        if last is not None and run.over is None and last.over is None and _goes_on(last, run):
            last = replace(last, last=run.last)
            continue
        if last is not None:
            yield last
        last = run
    if last is not None:
        yield last


def _goes_on(last: _FrameRun, run: _FrameRun) -> bool:
    item_view, other = last.seen, run.seen
    if item_view.source_frames is None or other.source_frames is None:
        return item_view == other
    return replace(item_view, source_frames=item_view.source_frames.later(last.last - last.first)) == other


# -- pieces ------------------------------------------------------------------------------------------------------------


def _pieces(run: _FrameRun, canvas: Canvas) -> Iterator[Piece]:
    item_view, over = run.seen, run.over
    why = item_view.why or (over.why if over is not None else "")
    if why:
        yield Piece(run.first, run.last, PieceState.FAILED, text=why)
        return
    exact = over is None and item_view.exact
    for first, last in [(run.first, run.last)] if exact else _divided(run, canvas):
        past = first - run.first
        recipe = Recipe(
            canvas.format,
            canvas.codec,
            last - first,
            item_view.source_frames.later(past) if item_view.source_frames is not None else None,
            over.source_frames.later(past) if over is not None and over.source_frames is not None else None,
            run.share + past * run.rise,
            run.rise,
        )
        yield Piece(first, last, PieceState.EXACT if exact else PieceState.MISSED, recipe, item_view.text)


def _divided(run: _FrameRun, canvas: Canvas) -> Iterator[tuple[int, int]]:
    """Yield parts of a run: at multiples of some seconds of the clip where it runs as it was shot, else of the run."""
    every = max(1, round(PIECE_S * canvas.format.rate))
    shown = run.seen.source_frames
    offset = int(shown.first) % every if shown is not None and shown.step == 1 and run.over is None else 0
    first = run.first
    while first < run.last:
        last = min(run.last, first + every - (first - run.first + offset) % every)
        yield first, last
        first = last

"""What is laid onto a timeline: a clip from in to out, or what is meant of another timeline."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from fractions import Fraction

from idle_quarry.app.models.jobs.trial.open_timeline import OpenTimeline
from idle_quarry.app.models.jobs.trial.sources import media_of
from idle_quarry.errors import NotPossible
from idle_quarry.jobs.cutting.edits import Piece
from idle_quarry.jobs.cutting.timeline import CLIP, PICTURE, SOUND, TimelineItem, Track
from idle_quarry.media.clip import Clip
from idle_quarry.path.steps.pacing import speed_of
from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import Source
from idle_quarry.signal.rates import rate_text


def speed_in(clip: Clip, source: Source | None, template: Template) -> Fraction:
    """Return how fast a clip runs in the job: as its class's link has it, else as it was shot."""
    if source is None or clip.format is None:
        return Fraction(1)
    return speed_of(clip.format, template.working.format, source.policy)


def pieces_of(
    clip: Clip,
    marks: tuple[int | None, int | None],
    target: OpenTimeline,
    speed: Fraction,
    track: Track | None = None,
) -> list[Piece]:
    """Return a clip from in to out as pieces for a timeline: its pictures on one track, its sound on another,
    belonging together.
    """
    media, timeline = media_of(clip), target.timeline
    first, last = marks[0] or 0, marks[1] if marks[1] is not None else media.frames or 1
    length = max(1, int((last - first) * timeline.rate / (media.rate * speed)))
    item = TimelineItem(
        ident=0,
        name=media.name,
        at=0,
        length=length,
        kind=CLIP,
        media=media,
        begins=Fraction(media.first + first),
        speed=speed,
        link=1,
    )
    pieces = []
    for kind, there in ((PICTURE, clip.declared.has_picture), (SOUND, bool(clip.declared.audio))):
        ident = track.ident if track is not None and track.kind == kind else target.aims.get(kind)
        if there and ident is not None:
            pieces.append((ident, item))
    return pieces if len(pieces) > 1 else [(ident, replace(item, link=None)) for ident, item in pieces]


def pieces_between(
    opened: OpenTimeline, span: tuple[int, int], chosen: Iterable[int] | None, target: OpenTimeline
) -> list[Piece]:
    """Return what lies between two frames of a timeline, or what is chosen of it, as pieces for another.

    Raises `NotPossible` where they count at different rates.
    """
    if opened.timeline.rate != target.timeline.rate:
        raise NotPossible(
            f"it counts at {rate_text(opened.timeline.rate)}, {target.path.stem} at {rate_text(target.timeline.rate)}",
            subject=opened.path.stem,
            remedy="read it in Cuts, which takes it at the job's rate",
        )
    first, last = span
    pieces: list[Piece] = []
    idents = {other for ident in chosen for other in opened.timeline.linked(ident)} if chosen is not None else None
    tracks = {track.ident: track for track in target.timeline.tracks}
    for track in opened.timeline.tracks:
        there = tracks.get(track.ident)
        ident = track.ident if there is not None and there.kind == track.kind else target.aims.get(track.kind)
        if ident is None:
            continue
        for item in track.between(first, last):
            if idents is not None and item.ident not in idents:
                continue
            part = item.part(max(first, item.at), min(last, item.end), opened.timeline.rate)
            pieces.append((ident, replace(part, at=part.at - first, ident=0)))
    return pieces

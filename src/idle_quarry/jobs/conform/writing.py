"""Timelines written as lists for others: OpenTimelineIO, CMX 3600 (a list a track of pictures), a table of clips."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import opentimelineio as otio

from idle_quarry.errors import MediaError, NotPossible, NotUnderstood, one_line
from idle_quarry.files import written_whole
from idle_quarry.jobs.conform.edl import CMX_TAPE
from idle_quarry.jobs.conform.table import write_table
from idle_quarry.jobs.cutting.otio_writing import to_otio
from idle_quarry.jobs.cutting.timeline import BARS, BLACK, GAP, NESTED, PICTURE, Timeline, TimelineItem, Track
from idle_quarry.jobs.otio_reading import remember

SUFFIXES = (".otio", ".edl", ".csv")


def write_list(path: Path, timeline: Timeline) -> list[Path]:
    """Write a timeline in the form that the suffix of `path` names, whole or not at all; return the files.

    CMX 3600 holds one track of pictures: with several, each has a file, named by its track. Raises `NotUnderstood` for
    another suffix, `NotPossible` where the form cannot hold the timeline, `MediaError` where it cannot be written.
    """
    suffix = path.suffix.casefold()
    if suffix not in SUFFIXES:
        raise NotUnderstood("a list is " + ", ".join(SUFFIXES), subject=path.name, remedy="name it so")
    if suffix == ".otio":
        results = [(path, otio.adapters.write_to_string(to_otio(timeline), "otio_json"))]
    elif suffix == ".csv":
        results = [(path, write_table(timeline))]
    else:
        tracks = [track for track in timeline.tracks if track.kind == PICTURE and track.items]
        if not tracks:
            raise NotPossible(
                "no pictures are in it", subject=timeline.name, remedy="a CMX 3600 list holds a track of pictures"
            )
        names = [path] if len(tracks) == 1 else [path.with_stem(f"{path.stem} {track.name}") for track in tracks]
        results = [(name, write_edl(timeline, track)) for name, track in zip(names, tracks, strict=True)]
    try:
        for name, text in results:
            written_whole(name, text.encode())
            if suffix == ".otio":
                remember(text.encode())
    except OSError as error:
        raise MediaError(
            f"the list could not be written ({error.strerror})", subject=str(path), remedy="choose another place"
        ) from error
    return [name for name, _ in results]


def write_edl(timeline: Timeline, track: Track) -> str:
    """Return a track of pictures as a CMX 3600 list, by OpenTimelineIO's adapter; tapes have eight characters there."""
    alone = replace(
        timeline, tracks=(replace(track, items=tuple(item for item in track.items if item.enabled)),), markers=()
    )
    given = to_otio(alone)
    items = [item for item in alone.tracks[0].items if item.kind not in (GAP, NESTED)]
    for clip, item in zip(given.tracks[0].find_clips(), items, strict=True):
        clip.name = one_line(clip.name)
        clip.metadata["cmx_3600"] = {"reel": _reel(item), "comments": [one_line(item.note)] if item.note else []}
        for marker, mark in zip(clip.markers, item.markers, strict=True):  # a list's marks are at record times
            at = timeline.start.frames + item.at + mark.at
            marker.marked_range = otio.opentime.TimeRange(otio.opentime.RationalTime(at, float(timeline.rate)))
            marker.name, marker.color = one_line(marker.name), mark.colour.upper() or "RED"
    start, rate = timeline.start.frames, float(timeline.rate)
    # so the adapter tells record times: the track's own range begins where the count does
    given.tracks[0].source_range = otio.opentime.TimeRange(
        otio.opentime.RationalTime(-start, rate), otio.opentime.RationalTime(start + alone.end, rate)
    )
    try:
        text: str = otio.adapters.write_to_string(given, "cmx_3600", rate=rate)
    except otio.exceptions.OTIOError as error:
        raise NotPossible(str(error).splitlines()[0], subject=f"{timeline.name}, {track.name}") from error
    counted = "FCM: DROP FRAME" if timeline.start.drop else "FCM: NON-DROP FRAME"
    title, _, rest = text.partition("\n")
    return f"{title}\n{counted}\n{rest}"


def _reel(item: TimelineItem) -> str:
    """Return the tape's name as a list holds it."""
    if item.kind in (BLACK, BARS):
        return "BL" if item.kind == BLACK else "BARS"
    tape = (item.media.tape if item.media is not None else None) or "AX"
    return tape[:CMX_TAPE].upper().replace(" ", "_")

"""Timelines written as lists for others: OpenTimelineIO, CMX 3600 (a list a track of pictures), a table of clips."""

from __future__ import annotations

from pathlib import Path

import opentimelineio as otio

from idle_quarry.errors import MediaError, NotPossible, NotUnderstood
from idle_quarry.files import written_whole
from idle_quarry.jobs.conform.edl_writing import write_edl
from idle_quarry.jobs.conform.table import write_table
from idle_quarry.jobs.cutting.otio_writing import to_otio
from idle_quarry.jobs.cutting.timeline import PICTURE, Timeline
from idle_quarry.jobs.otio_reading import remember

SUFFIXES = (".otio", ".edl", ".csv")


def write_list(path: Path, timeline: Timeline, remarks: list[str] | None = None) -> list[Path]:
    """Write a timeline in the form that the suffix of `path` names, whole or not at all; return the files.

    CMX 3600 holds one track of pictures: with several, each has a file, named by its track. `remarks` takes what the
    form rounds or leaves out. Raises `NotUnderstood` for
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
        results = [(name, write_edl(timeline, track, remarks)) for name, track in zip(names, tracks, strict=True)]
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

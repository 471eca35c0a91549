"""What a killed program left: half-made jobs, copies and papers to clear, and whole jobs that no library lists yet."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from idle_quarry import recovery
from idle_quarry.errors import JobError, LibraryError, QuarryError
from idle_quarry.jobs.check import read_job
from idle_quarry.jobs.start import StartedJob
from idle_quarry.library.records import JobRecord, StoredTemplate
from idle_quarry.library.store import Library
from idle_quarry.recovery import Leftover

_WORDS = {
    "job": "starting {name} was cut off",
    "move": "moving {name} to another revision was cut off",
    "backup": "writing {name} was cut off",
    "paper": "printing {name} was cut off",
    "clip": "converting to {name} was cut off",
    "recording": "recording {name} was cut off",
    "delivery": "making {name} was cut off",
}


def list_job(
    library: Library, job: StartedJob, title: str, stored: StoredTemplate, author: str | None = None
) -> JobRecord:
    """Note in the library that a job was started; from then on it is not left over. Raises `LibraryError`."""
    record = library.record_job(title, job.folder.resolve(), stored, author, ident=job.note.ident)
    job.note.forget()
    return record


def left_over(library: Library) -> list[Leftover]:
    """Return what earlier runs left: parts that lie somewhere, and whole jobs this library could list and does not.

    What nothing is left of, or what is listed, is forgotten on the way. Raises `LibraryError`.
    """
    leftovers = []
    for leftover in recovery.left():
        if leftover.lies_there:
            leftovers.append(leftover)
        elif (
            leftover.kind != "job"
            or not _is_job(leftover)
            or any(record.id == leftover.ident or Path(record.folder) == leftover.target for record in library.jobs())
        ):
            recovery.forget(leftover)
        elif _revision(library, leftover) is not None:
            leftovers.append(leftover)
    return leftovers


def take_up(library: Library, one: Leftover) -> JobRecord:
    """List a whole job that its maker could not list any more. Raises `JobError`, `LibraryError`."""
    stored = _revision(library, one)
    if stored is None or one.lies_there or not _is_job(one):
        raise JobError("is no whole job of this library", subject=str(one.target), remedy="clear it")
    record = library.record_job(
        str(one.facts["title"]), one.target.resolve(), stored, str(one.facts["by"]), ident=one.ident
    )
    recovery.forget(one)
    return record


def is_whole(one: Leftover) -> bool:
    """Return whether what is left is a whole job that only wants listing."""
    return not one.lies_there


def words_of(one: Leftover) -> str:
    """Return what is left, as one would say it."""
    if is_whole(one):
        return f"{one.target.name} was started on {one.time[:10]}, but is not listed"
    return _WORDS.get(one.kind, "{name} was cut off").format(name=one.target.name) + f" on {one.time[:10]}"


def to_json(one: Leftover) -> dict[str, Any]:
    """Return what is left for the command line."""
    return {
        "kind": one.kind,
        "whole": is_whole(one),
        "target": os.fsdecode(one.target),
        "part": None if is_whole(one) else os.fsdecode(one.part),
        "bytes": one.bytes,
        "time": one.time,
    }


def _is_job(one: Leftover) -> bool:
    """Return whether the job that was begun is there: made from the revision that the note names."""
    try:
        data = read_job(one.target)["template"]
        return bool(data["id"] == one.facts["template"] and data["hash"] == one.facts["hash"])
    except (QuarryError, KeyError, TypeError):
        return False


def _revision(library: Library, one: Leftover) -> StoredTemplate | None:
    """Return the revision a job was begun from, where this library has it."""
    try:
        stored = library.stored(str(one.facts["template"]), int(one.facts["revision"]))
    except (LibraryError, KeyError, TypeError, ValueError):
        return None
    return stored if stored.revision.hash == one.facts.get("hash") else None

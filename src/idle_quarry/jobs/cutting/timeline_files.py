"""Timelines of a job as files: each state is written beside the file and takes its place whole.

The last ones before are kept.
"""

from __future__ import annotations

import os
import shutil
from fractions import Fraction
from pathlib import Path

from idle_quarry.errors import JobError
from idle_quarry.files import free_place, locked
from idle_quarry.jobs.conform.lists import read_list
from idle_quarry.jobs.conform.writing import write_list
from idle_quarry.jobs.cutting.timeline import Timeline
from idle_quarry.jobs.folder_plan import TIMELINES

#: Earlier states that are kept of each timeline, and the folder beside it that has them.
KEPT_STATES, EARLIER = 20, ".earlier"


def timelines_in(folder: Path) -> list[Path]:
    """Return the timelines of a job, by name."""
    return sorted((folder / TIMELINES).glob("*.otio"), key=lambda path: path.name.casefold())


def read_timeline(path: Path, rate: Fraction) -> Timeline:
    """Return a job's timeline; `rate` is the one it counts at where it does not say.

    Raises `QuarryError` where it cannot be read.
    """
    return read_list(path, rate).timeline


class ChangedElsewhere(JobError):
    """A timeline's file that another window or room has written since it was read."""


def state_of(path: Path) -> str:
    """Return what tells one state of a timeline's file from every other; "" where there is none."""
    try:
        result = path.stat()
    except OSError:
        return ""
    return f"{result.st_ino} {result.st_mtime_ns} {result.st_size}"


def keep(path: Path, timeline: Timeline, known: str | None = None) -> str:
    """Write a timeline in place of the file's last state, which joins the earlier ones; return the state it has then.

    `known` is the state that is followed; where the file has another, `ChangedElsewhere` is raised. Raises `JobError`,
    and leaves all as it was. Stopped at any moment, the file holds the old state or the new one.
    """
    try:
        with locked(path.parent):
            if known is not None and state_of(path) != known:
                raise ChangedElsewhere(
                    "was changed by another window or room since it was opened",
                    subject=path.stem,
                    remedy="look at it, then keep yours or theirs",
                )
            if path.is_file():
                _put_aside(path)
            write_list(path, timeline)
            return state_of(path)
    except OSError as error:
        raise JobError(
            f"could not be kept ({error.strerror})",
            subject=path.name,
            remedy="make room, or see to the rights of its folder: the next edit tries again",
        ) from error


def keep_beside(path: Path, timeline: Timeline) -> Path:
    """Write a timeline as another one of the job, named after the one it was; return its file. Raises `JobError`."""
    beside = free_place(path.parent, f"{path.stem} kept beside", path.suffix)
    keep(beside, timeline, "")
    return beside


def earlier(path: Path) -> list[Path]:
    """Return the earlier states of a timeline that are kept, the last one first."""
    result = (path.parent / EARLIER / path.stem).glob("*.otio")
    return sorted((path for path in result if path.stem.isdigit()), key=lambda path: int(path.stem), reverse=True)


def _put_aside(path: Path) -> None:
    """Keep the file's present state as another name of it: nothing is copied, and what takes its place is another
    file.
    """
    states = earlier(path)
    folder = path.parent / EARLIER / path.stem
    folder.mkdir(parents=True, exist_ok=True)
    number = int(states[0].stem) + 1 if states else 1
    aside = folder / f"{number:06d}.otio"
    try:
        os.link(path, aside)
    except OSError:  # a disk without second names
        beside = aside.with_suffix(".part")
        shutil.copy2(path, beside)
        beside.replace(aside)
    for old in states[KEPT_STATES - 1 :]:
        old.unlink(missing_ok=True)

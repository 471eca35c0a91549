"""Where a job keeps its renders and when it makes them: as the template says, and as was answered for this job on
this machine.
"""

from __future__ import annotations

import hashlib
import json
import socket
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path
from typing import Any

from idle_quarry.errors import JobError, QuarryError
from idle_quarry.files import is_folder, read_plain, written_whole
from idle_quarry.jobs.check import Job
from idle_quarry.jobs.records import changed
from idle_quarry.jobs.renders.store import RenderStore
from idle_quarry.path.names import cleaned_name
from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import StoragePlace
from idle_quarry.proof.disks import volume_of

#: In the job's folder: what was answered, and what is to be rendered.
ANSWERS_FILE, QUEUE_FILE = ".renders.json", ".renders.queue"
_FORMAT = 1
#: Bytes of the answers at the most.
_MOST_BYTES = 1_000_000


@dataclass(frozen=True)
class RenderAnswers:
    """What was answered for a job: the folder its renders go to on a machine, and that the system's own disk is
    meant.
    """

    places: dict[str, str]
    system_disk: tuple[str, ...] = ()  #: folders that were allowed although they lie there


@dataclass(frozen=True)
class RenderFolder:
    """Where renders go; or why that must be asked, and whether yes is an answer, for a place that is there."""

    store: RenderStore | None
    place: Path
    why: str = ""
    system_disk: bool = False


def cache_place(template: Template) -> StoragePlace | None:
    """Return the template's place for renders: the intermediate's own, else the first that is for them."""
    named = next((place for place in template.places if place.id == template.intermediate.place), None)
    return named or next((place for place in template.places if place.purpose == "cache"), None)


def settled(job: Job) -> RenderFolder:
    """Return where a job's renders go on this machine: never on the disk of the system unless that was answered."""
    answers = read_answers(job.folder)
    own = answers.places.get(_machine())
    place = cache_place(job.template)
    # a template that names no place leaves renders with the job
    path = Path(own) if own else Path(place.path) if place is not None and place.path else job.folder.resolve()
    if not is_folder(path):
        called = f"{place.name}, {path}," if place is not None and not own else str(path)
        return RenderFolder(None, path, f"renders belong on {called} which is not there")
    try:
        volume = volume_of(path)
    except QuarryError as error:
        return RenderFolder(None, path, str(error))
    if not volume.writable:
        return RenderFolder(None, path, f"{path} cannot be written to")
    if volume.kind == "system" and str(path) not in answers.system_disk:
        free = volume.free / 1e9
        return RenderFolder(
            None, path, f"{path} is on the disk of the system, which has {free:.0f} GB free", system_disk=True
        )
    return RenderFolder(_store_at(path / (".renders" if path == job.folder.resolve() else _folder_name(job))), path)


#: The stores of this process: each remembers what it found whole.
_store_at = lru_cache(maxsize=64)(RenderStore)


def answer(job: Job, path: Path, *, system_disk: bool = False) -> None:
    """Keep where a job's renders go on this machine, and that this may be the disk of the system. Raises `JobError`."""
    if not is_folder(path):
        raise JobError("no such folder", subject=str(path), remedy="make it first, or choose another")
    path = path.resolve()

    def with_answer(answers: RenderAnswers) -> RenderAnswers:
        allowed = {*answers.system_disk, *([str(path)] if system_disk else [])}
        return replace(answers, places={**answers.places, _machine(): str(path)}, system_disk=tuple(sorted(allowed)))

    changed(job.folder, read_answers, with_answer, _write)


def read_answers(folder: Path) -> RenderAnswers:
    """Return what was answered for a job; nothing where that cannot be read: it is asked again."""
    try:
        data: dict[str, Any] = json.loads(read_plain(folder / ANSWERS_FILE, _MOST_BYTES))
        places = {str(machine): str(path) for machine, path in data["places"].items()}
        return RenderAnswers(places, tuple(str(path) for path in data["system_disk"]))
    except (OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError):
        return RenderAnswers({})


def _write(folder: Path, answers: RenderAnswers) -> None:
    data = {
        "kind": "idle-quarry renders",
        "format_number": _FORMAT,
        "places": answers.places,
        "system_disk": answers.system_disk,
    }
    try:
        written_whole(folder / ANSWERS_FILE, (json.dumps(data, indent=1, ensure_ascii=False) + "\n").encode())
    except OSError as error:
        raise JobError(f"the answer could not be kept ({error.strerror})", subject=str(folder)) from error


def _machine() -> str:
    return socket.gethostname()


def _folder_name(job: Job) -> str:
    """Return what the folder of a job's renders is called: jobs of one title have folders of their own, wherever
    they are moved.
    """
    text = hashlib.sha256(f"{job.title}\n{job.started}".encode()).hexdigest()[:6]
    return f"{cleaned_name(job.title) or 'job'} renders {text}"

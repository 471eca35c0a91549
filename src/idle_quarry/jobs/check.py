"""Checking a job: what has been moved, altered, lost or added since it was started."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from idle_quarry.errors import JobError, QuarryError
from idle_quarry.files import FileFacts, read_plain, sha256_of
from idle_quarry.jobs.contents import contents_against
from idle_quarry.jobs.folder_plan import BROUGHT_IN, JOB_FILE, JOB_FORMAT, LINE_UP, MATERIAL_FILE, PAPERS, TIMELINES
from idle_quarry.library.files.exchange import template_from_data
from idle_quarry.media.names import MEDIA_SUFFIXES
from idle_quarry.path.template import Template, content_hash

#: Bytes of a job's own record at the most.
_MOST_BYTES = 64_000_000

_hash_of = FileFacts(sha256_of)


@dataclass(frozen=True)
class Drift:
    """One difference from the job as it was started; `kind` is missing, altered, moved or extra."""

    path: str
    kind: str
    text: str

    def to_json(self) -> dict[str, str]:
        return vars(self)


@dataclass(frozen=True)
class Job:
    """A job read back, with its drift."""

    folder: Path
    title: str
    template_name: str
    revision: int
    hash: str
    template: Template
    folders: tuple[str, ...]
    files: tuple[str, ...]
    drift: tuple[Drift, ...]
    material: tuple[str, ...] = ()  #: media files that were put into the template's folders
    started: str = ""  #: when, as the record says


def read_job(folder: Path) -> dict[str, Any]:
    """Return the record of a job. Raises `JobError` where the folder is none or the record is damaged."""
    path = folder / JOB_FILE
    if not folder.is_dir():
        raise JobError("no such folder", subject=str(folder), remedy="say where the job is now")
    if not path.is_file():
        raise JobError(f"not a job: it has no {JOB_FILE}", subject=str(folder), remedy="give a job's own folder")
    try:
        data = json.loads(read_plain(path, _MOST_BYTES))
    except (OSError, ValueError, RecursionError) as error:
        raise JobError("the job's record is damaged", subject=str(path), remedy="put back a copy of it") from error
    if not isinstance(data, dict) or data.get("kind") != "idle-quarry job":
        raise JobError("not a job's record", subject=str(path))
    number = data.get("format_number")
    if isinstance(number, int) and number > JOB_FORMAT:
        raise JobError(
            "the job was started by a newer version of this program", subject=str(path), remedy="update Idle Quarry"
        )
    return data


def check_job(folder: Path) -> Job:
    """Return a job with what has drifted from its start. Raises `JobError`.

    Folders of the template and the job's own files are checked, and what its timelines and its line-up hold against the
    revision. Timelines that were edited, and material that was put into the template's folders, are work, not drift;
    what lies outside them is extra.
    """
    data = read_job(folder)
    path = str(folder / JOB_FILE)
    try:
        template = template_from_data(data["settings"])
        pinned = data["template"]
        name, revision, claimed = str(pinned["name"]), int(pinned["revision"]), str(pinned["hash"])
        folders = tuple(str(item) for item in data["folders"])
        files = {str(key): str(value["sha256"]) for key, value in data["files"].items()}
        title, started = str(data["title"]), str(data.get("started", ""))
    except (KeyError, TypeError, ValueError, AttributeError, ValidationError, QuarryError) as error:
        raise JobError("the job's record is damaged", subject=path, remedy="put back a copy of it") from error
    if any(Path(name).is_absolute() or ".." in Path(name).parts for name in (*folders, *files)):
        raise JobError("the job's record names files outside its folder", subject=path)
    drift: list[Drift] = []
    if content_hash(template) != claimed:
        drift.append(Drift(JOB_FILE, "altered", "the settings in the record do not match the hash of their revision"))
    strangers = _strangers(folder, files)
    material = tuple(sorted(name for name in strangers if _is_material(name, folders)))
    drift += _drift(folder, folders, files, strangers)
    line_up = data.get("line_up")
    lines = {drifted.path for drifted in drift if drifted.kind in ("altered", "missing", "moved")}
    for name, text in contents_against(folder, template, line_up if isinstance(line_up, dict) else {}):
        if name not in lines or "cannot be read" not in text:
            drift.append(Drift(name, "altered", text))
    return Job(
        folder=folder,
        title=title,
        template_name=name,
        revision=revision,
        hash=claimed,
        template=template,
        folders=folders,
        files=tuple(files),
        drift=tuple(drift),
        material=material,
        started=started,
    )


def material_in(folder: Path, folders: Iterable[str], files: Iterable[str]) -> dict[str, tuple[int, int]]:
    """Return the media files that lie in a job's folders now and that it did not write: relative paths, with size
    and time (ns).
    """
    own, results = set(files), {}
    for top in folders:
        for path in (folder / top).rglob("*") if top not in (PAPERS, TIMELINES, LINE_UP) else ():
            name = path.relative_to(folder).as_posix()
            with contextlib.suppress(OSError):
                if path.suffix.lower() in MEDIA_SUFFIXES and name not in own and path.is_file():
                    value = path.stat()
                    results[name] = value.st_size, value.st_mtime_ns
    return dict(sorted(results.items()))


def _is_timeline(name: str) -> bool:
    """Return whether a file is there to be worked on: what it holds is looked at, not whether it is as it was."""
    return name.startswith(f"{TIMELINES}/") and name.endswith(".otio")


def _is_material(name: str, folders: tuple[str, ...]) -> bool:
    top = name.split("/", 1)[0]
    return top in folders and top not in (PAPERS, TIMELINES, LINE_UP) and Path(name).suffix.lower() in MEDIA_SUFFIXES


def _drift(folder: Path, folders: tuple[str, ...], files: dict[str, str], strangers: set[str]) -> list[Drift]:
    drifts: list[Drift] = []
    missing = [name for name in files if not (folder / name).is_file()]
    lost_folders = [name for name in folders if not (folder / name).is_dir()]
    by_hash = _hashes([folder / name for name in strangers], {files[name] for name in missing}) if missing else {}
    for name, digest in files.items():
        if name in missing:
            moved = by_hash.get(digest)
            if moved is not None:
                now_at = moved.relative_to(folder).as_posix()
                drifts.append(Drift(name, "moved", f"{name} is now {now_at}"))
                strangers.discard(now_at)
            else:
                drifts.append(Drift(name, "missing", f"{name} is no longer there"))
        elif not _is_timeline(name) and _hash_of(folder / name) != digest:
            drifts.append(Drift(name, "altered", f"{name} was edited"))
    for name in lost_folders:
        drifts.append(Drift(name, "missing", f"the folder {name} is no longer there"))
    inside = set(folders)
    for name in sorted(strangers):
        top = name.split("/", 1)[0]
        if top == PAPERS:
            drifts.append(Drift(name, "extra", f"{name} was added to the papers"))
        elif top not in (*inside, BROUGHT_IN, MATERIAL_FILE) and not name.startswith("."):
            drifts.append(Drift(name, "extra", f"{name} lies outside the template's folders"))
    return drifts


def _strangers(folder: Path, files: dict[str, str]) -> set[str]:
    """Return the files below the job that it did not write, as relative paths."""
    names = set()
    for path in folder.rglob("*"):
        name = path.relative_to(folder).as_posix()
        if path.is_file() and name not in files and name != JOB_FILE:
            names.add(name)
    return names


def _hashes(paths: list[Path], wanted: set[str]) -> dict[str, Path]:
    results: dict[str, Path] = {}
    for path in paths:
        try:
            digest = _hash_of(path)
        except OSError:
            continue
        if digest in wanted:
            results[digest] = path
    return results

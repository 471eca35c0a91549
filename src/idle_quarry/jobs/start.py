"""Starting a job: everything is made beside its place and put there in one move, or nothing is."""

from __future__ import annotations

import errno
import json
import os
import shutil
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from idle_quarry import __version__
from idle_quarry.errors import JobError, MediaError, QuarryError
from idle_quarry.files import sha256_of
from idle_quarry.jobs.folder_plan import (
    COLOUR,
    JOB_FILE,
    JOB_FORMAT,
    LINE_UP,
    PAPERS,
    TIMELINES,
    FolderPlan,
    folder_name,
    line_up_file,
    planned,
)
from idle_quarry.jobs.line_up import write_line_up
from idle_quarry.jobs.papers import camera_sheet, setup_sheet
from idle_quarry.jobs.recipe import recipe
from idle_quarry.jobs.timelines import write_timelines
from idle_quarry.library.records import StoredTemplate
from idle_quarry.library.said import now
from idle_quarry.path.codecs import mbps
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.registry import codecs
from idle_quarry.path.template import Template
from idle_quarry.recovery import RecoveryNote

#: Writes HTML as a PDF; the caller brings it, since drawing pages needs a toolkit that lies above this package.
WritePdf = Callable[[str, Path], None]
#: Told what is being done, and how far it is from 0 to 1. May raise to cancel.
Progress = Callable[[str, float], None]


@dataclass(frozen=True)
class StartedJob:
    """A job as it was made: its folder, the relative paths of its files, and the note that stands until it is
    listed.
    """

    folder: Path
    files: tuple[str, ...]
    note: RecoveryNote


def bytes_needed(template: Template) -> int:
    """Return about how many bytes a job's own files take, most of them the line-up clip."""
    codec = codecs()[template.intermediate.codec]
    seconds = template.timecode.line_up_length_s
    if codec.one_picture_a_file:
        seconds = 1
    return int(mbps(codec, template.intermediate_format) * 1e6 / 8 * seconds) + 4_000_000


def start_job(
    stored: StoredTemplate, title: str, at: Path, write_pdf: WritePdf, person: str, progress: Progress | None = None
) -> StartedJob:
    """Make the job `title` from a stored revision as a new folder in `at`.

    Raises `JobError` where title, place or template will not do; nothing is left behind then, also not
    when `progress` raises.
    """
    plan = planned(stored.template, title)
    called = folder_name(stored.template, title)
    _check_place(at, called, bytes_needed(stored.template))
    revision, target = stored.revision, at / called
    data = {
        "title": title,
        "by": person,
        "template": revision.template_id,
        "revision": revision.number,
        "hash": revision.hash,
    }
    note = RecoveryNote("job", target, dirs=(LINE_UP,), files=plan.files, facts=data)
    try:
        _make_job(note.part, target, stored, title, plan, write_pdf, person, progress or (lambda _what, _share: None))
    except BaseException:
        shutil.rmtree(note.part, ignore_errors=True)
        note.forget()
        raise
    return StartedJob(target, plan.files, note)


def _make_job(
    beside: Path,
    target: Path,
    stored: StoredTemplate,
    title: str,
    plan: FolderPlan,
    write_pdf: WritePdf,
    person: str,
    progress: Progress,
) -> None:
    """Make a job beside its place and put it there. Raises `JobError`."""
    try:
        beside.mkdir(mode=0o700)
        _fill(beside, stored, title, plan, write_pdf, person, progress)
        beside.chmod(0o755)
        if target.exists():
            raise JobError("the folder exists", subject=str(target), remedy="choose another title or place")
        beside.rename(target)
    except OSError as error:
        raise _no_room(error, target.parent) from error
    except MediaError as error:
        raise JobError(f"the line-up clip could not be made: {error.what}", subject=title) from error


def _check_place(at: Path, title: str, needed: int) -> None:
    if not at.exists():
        raise JobError("no such folder", subject=str(at), remedy="make it first, or choose another")
    if not at.is_dir():
        raise JobError("not a folder", subject=str(at))
    if os.path.lexists(at / title):
        raise JobError("the folder exists", subject=str(at / title), remedy="choose another title or place")
    same_name = next((path.name for path in at.iterdir() if path.name.lower() == title.lower()), None)
    if same_name is not None:
        raise JobError(
            f"a folder {same_name!r} exists, which differs only in capitals",
            subject=str(at),
            remedy="choose another title",
        )
    if not os.access(at, os.W_OK | os.X_OK):
        raise JobError("this user may not write there", subject=str(at), remedy="choose another place")
    free = shutil.disk_usage(at).free
    if free < needed:
        raise JobError(
            f"the disk has {free / 1e6:.0f} MB free, the job's own files need about {needed / 1e6:.0f}",
            subject=str(at),
            remedy="make room or choose another place",
        )


def _no_room(error: OSError, at: Path) -> JobError:
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return JobError("the disk is full; nothing was left behind", subject=str(at), remedy="make room")
    if error.errno in (errno.EROFS, errno.EACCES, errno.EPERM):
        return JobError("nothing may be written there", subject=str(at), remedy="choose another place")
    return JobError(f"the job could not be written ({error.strerror or error})", subject=str(at))


def _fill(
    folder: Path,
    stored: StoredTemplate,
    title: str,
    plan: FolderPlan,
    write_pdf: WritePdf,
    person: str,
    progress: Progress,
) -> None:
    template = stored.template
    progress("folders", 0.0)
    for name in plan.folders:
        (folder / name).mkdir(parents=True, exist_ok=True)
    progress("timelines", 0.02)
    try:
        write_timelines(template, folder / TIMELINES)
    except QuarryError as error:
        raise JobError(f"the timelines could not be made: {error}", subject=title) from error
    codec = codecs()[template.intermediate.codec]
    line_up = write_line_up(
        template,
        title,
        folder / line_up_file(codec, title),
        lambda done, of: progress("line-up clip", 0.05 + 0.8 * done / max(1, of)),
    )
    progress("papers", 0.9)
    papers_of(stored, title, folder / PAPERS, write_pdf)
    progress("checksums", 0.95)
    revision = stored.revision
    results = sorted(path.relative_to(folder).as_posix() for path in folder.rglob("*") if path.is_file())
    record = {
        "kind": "idle-quarry job",
        "format_number": JOB_FORMAT,
        "program": __version__,
        "title": title,
        "started": now(),
        "by": person,
        "template": {
            "id": revision.template_id,
            "name": stored.name,
            "revision": revision.number,
            "hash": revision.hash,
            "state": revision.state,
        },
        "settings": template.model_dump(mode="json"),
        "folders": list(plan.folders),
        "line_up": line_up.to_json(),
        "files": {
            path: {"sha256": sha256_of(folder / path), "bytes": (folder / path).stat().st_size} for path in results
        },
    }
    (folder / JOB_FILE).write_text(json.dumps(record, indent=2, ensure_ascii=False) + "\n", encoding="utf-8")
    assert set(plan.files) <= {*results, JOB_FILE}, set(plan.files) - {*results}
    assert (folder / LINE_UP).is_dir()


def papers_of(stored: StoredTemplate, title: str, folder: Path, write_pdf: WritePdf) -> None:
    """Write a job's papers into a folder, all of one evaluation. Raises `OSError`."""
    evaluation = evaluate(stored.template, remedies=False)
    for name, page in (("Setup sheet", setup_sheet), ("Camera sheet", camera_sheet)):
        html = page(stored, title, evaluation)
        (folder / f"{name}.html").write_text(html, encoding="utf-8")
        write_pdf(html, folder / f"{name}.pdf")
    (folder / "Intermediate recipe.sh").write_text(recipe(stored.template, evaluation), encoding="utf-8")
    if stored.template.carried_colour:
        _carry_colour(stored.template, folder / COLOUR)


def _carry_colour(template: Template, folder: Path) -> None:
    """Write the cubes of every link that changes colour, and a config that names them."""
    from idle_quarry.picture.carried_colour import config_of, cubes_of

    cubes = cubes_of(template, template.carried_colour)
    folder.mkdir()
    for cube in cubes:
        (folder / f"{cube.name}.cube").write_text(cube.text(), encoding="utf-8")
    (folder / "config.ocio").write_text(config_of(template, cubes), encoding="utf-8")

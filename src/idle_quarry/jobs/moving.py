"""Moving a job to another revision of its template: what would change, what forbids it, and doing it.

What a timeline was begun with stays: a job moves only where nothing locked differs. Its timelines and material are its
work and are not touched; new folders are made, papers and, where it would be another, the line-up clip are made anew,
and the record names the new revision.
"""

from __future__ import annotations

import json
import shutil
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from idle_quarry.errors import JobError, MediaError
from idle_quarry.files import sha256_of, written_whole
from idle_quarry.jobs.check import Job, read_job
from idle_quarry.jobs.folder_plan import JOB_FILE, LINE_UP, PAPERS, line_up_file, planned
from idle_quarry.jobs.line_up import wanted_line_up, write_line_up
from idle_quarry.jobs.records import changing
from idle_quarry.jobs.start import WritePdf, papers_of
from idle_quarry.library.records import StoredTemplate
from idle_quarry.library.said import now
from idle_quarry.path.changes.effects import DifferenceRow, compared
from idle_quarry.path.registry import codecs
from idle_quarry.path.settings import settings_of
from idle_quarry.recovery import RecoveryNote


@dataclass(frozen=True)
class Move:
    """What moving a job would change: settings with what each does, those of them that are locked, folders to be made,
    and whether the line-up clip becomes another.
    """

    differences: tuple[DifferenceRow, ...]
    locked: tuple[str, ...]
    new_folders: tuple[str, ...]
    line_up: bool

    @property
    def possible(self) -> bool:
        return not self.locked


def move_of(job: Job, to: StoredTemplate) -> Move:
    """Return what moving a job to a revision would change. Raises `JobError` where that could not start a job."""
    differences = compared(job.template, to.template)
    locked = {s.place for template in (job.template, to.template) for s in settings_of(template) if s.locked}
    hit = [row.label for row in differences if any(_touches(row.change.place, place) for place in locked)]
    plan = planned(to.template, job.title)
    new = tuple(name for name in plan.folders if not (job.folder / name).is_dir())
    return Move(tuple(differences), tuple(hit), new, wanted_line_up(job.template) != wanted_line_up(to.template))


def _touches(place: str, locked: str) -> bool:
    return place == locked or locked.startswith(f"{place}.")


def move(job: Job, to: StoredTemplate, person: str, write_pdf: WritePdf) -> Move:
    """Move a job to a revision; the record is written last, so that a job is on one revision or the other.

    Raises `JobError` where something locked differs or the folder cannot be written.
    """
    result = move_of(job, to)
    if not result.possible:
        raise JobError(
            f"timelines were begun with another {result.locked[0]}",
            subject=job.title,
            remedy="start a new job from that revision",
        )
    with changing(job.folder):
        _move(job, to, result, write_pdf, person)
    return result


def _move(job: Job, to: StoredTemplate, result: Move, write_pdf: WritePdf, person: str) -> None:
    data = read_job(job.folder)
    old = data["template"]
    note = RecoveryNote("move", job.folder, inside=job.folder, dirs=(PAPERS, LINE_UP))
    beside = note.part
    try:
        beside.mkdir(mode=0o700)
        results = _made_anew(beside, job, to, result, write_pdf, data)
        for name in result.new_folders:
            (job.folder / name).mkdir(parents=True, exist_ok=True)
        if result.line_up:
            for name in [name for name in data["files"] if name.startswith(f"{LINE_UP}/")]:
                (job.folder / name).unlink(missing_ok=True)
                del data["files"][name]
        for name in results:
            target = job.folder / name
            target.parent.mkdir(exist_ok=True)
            (beside / name).replace(target)
            data["files"][name] = {"sha256": sha256_of(target), "bytes": target.stat().st_size}
        revision = to.revision
        data["template"] = {
            "id": revision.template_id,
            "name": to.name,
            "revision": revision.number,
            "hash": revision.hash,
            "state": revision.state,
        }
        data["settings"] = to.template.model_dump(mode="json")
        data["folders"] = list(dict.fromkeys([*job.folders, *planned(to.template, job.title).folders]))
        data.setdefault("moved", []).append({"from": old, "time": now(), "by": person})
        written_whole(job.folder / JOB_FILE, (json.dumps(data, indent=2, ensure_ascii=False) + "\n").encode())
    except OSError as error:
        raise JobError(f"the job could not be written ({error.strerror or error})", subject=str(job.folder)) from error
    except MediaError as error:
        raise JobError(f"the line-up clip could not be made: {error.what}", subject=job.title) from error
    finally:
        shutil.rmtree(beside, ignore_errors=True)
        note.forget()


def _made_anew(
    beside: Path, job: Job, to: StoredTemplate, result: Move, write_pdf: WritePdf, data: dict[str, Any]
) -> list[str]:
    """Make what the revision needs anew in a folder of its own; return relative paths."""
    (beside / PAPERS).mkdir()
    papers_of(to, job.title, beside / PAPERS, write_pdf)
    if result.line_up:
        (beside / LINE_UP).mkdir()
        clip = beside / line_up_file(codecs()[to.template.intermediate.codec], job.title)
        data["line_up"] = write_line_up(to.template, job.title, clip).to_json()
    return sorted(path.relative_to(beside).as_posix() for path in beside.rglob("*") if path.is_file())

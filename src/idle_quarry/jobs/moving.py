"""Moving a job to another revision of its template: what would change, what forbids it, and doing it.

What a timeline was begun with stays: a job moves only where nothing locked differs. Its timelines, line-up and material
are its work and are not touched; new folders are made, papers are written anew, the record names the new revision.
"""

from __future__ import annotations

import json
import shutil
import tempfile
from dataclasses import dataclass
from pathlib import Path

from idle_quarry.errors import JobError
from idle_quarry.files import sha256_of, written_whole
from idle_quarry.jobs.check import CheckedJob, read_job
from idle_quarry.jobs.start import WritePdf, papers_of
from idle_quarry.jobs.structure import JOB_FILE, PAPERS, planned
from idle_quarry.library.records import Stored
from idle_quarry.library.store import now
from idle_quarry.path.effects import Compared, compared
from idle_quarry.path.settings import settings_of


@dataclass(frozen=True)
class Move:
    """What moving a job would change: settings with what each does, those of them that are locked, folders to be made."""

    differences: tuple[Compared, ...]
    locked: tuple[str, ...]
    new_folders: tuple[str, ...]

    @property
    def possible(self) -> bool:
        return not self.locked


def move_of(job: CheckedJob, to: Stored) -> Move:
    """Return what moving a job to a revision would change. Raises `JobError` where that could not start a job."""
    found = compared(job.template, to.template)
    locked = {s.place for each in (job.template, to.template) for s in settings_of(each) if s.locked}
    hit = [row.label for row in found if any(_touches(row.change.place, place) for place in locked)]
    plan = planned(to.template, job.title)
    return Move(tuple(found), tuple(hit), tuple(name for name in plan.folders if not (job.folder / name).is_dir()))


def _touches(place: str, locked: str) -> bool:
    return place == locked or locked.startswith(f"{place}.")


def move(job: CheckedJob, to: Stored, person: str, write_pdf: WritePdf) -> Move:
    """Move a job to a revision; the record is written last, so that a job is on one revision or the other.

    Raises `JobError` where something locked differs or the folder cannot be written.
    """
    found = move_of(job, to)
    if not found.possible:
        raise JobError(
            f"timelines were begun with another {found.locked[0]}", subject=job.title,
            remedy="start a new job from that revision",
        )  # fmt: skip
    data = read_job(job.folder)
    old = data["template"]
    beside = Path(tempfile.mkdtemp(dir=job.folder, prefix=".papers.", suffix=".part"))
    try:
        papers_of(to, job.title, beside, write_pdf)
        for name in found.new_folders:
            (job.folder / name).mkdir(parents=True, exist_ok=True)
        (job.folder / PAPERS).mkdir(exist_ok=True)
        for paper in sorted(beside.iterdir()):
            target = job.folder / PAPERS / paper.name
            paper.replace(target)
            data["files"][f"{PAPERS}/{paper.name}"] = {"sha256": sha256_of(target), "bytes": target.stat().st_size}
        revision = to.revision
        data["template"] = {
            "id": revision.template_id, "name": to.name, "revision": revision.number, "hash": revision.hash,
            "state": revision.state,
        }  # fmt: skip
        data["settings"] = to.template.model_dump(mode="json")
        data["folders"] = list(dict.fromkeys([*job.folders, *planned(to.template, job.title).folders]))
        data.setdefault("moved", []).append({"from": old, "time": now(), "by": person})
        written_whole(job.folder / JOB_FILE, (json.dumps(data, indent=2, ensure_ascii=False) + "\n").encode())
    except OSError as error:
        raise JobError(f"the job could not be written ({error.strerror or error})", subject=str(job.folder)) from error
    finally:
        shutil.rmtree(beside, ignore_errors=True)
    return found

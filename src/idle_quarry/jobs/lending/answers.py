"""What other machines answer, held against what this one can see for itself: nothing of it is believed for being said.

Paths lie inside the job, names have no separators, a file is hashed here, and a verification says which machine looked.
"""

from __future__ import annotations

import stat
from collections.abc import Callable, Mapping
from pathlib import Path, PurePosixPath
from typing import Annotated, Any, Literal

from pydantic import ConfigDict, Field, TypeAdapter, ValidationError
from typing_extensions import TypedDict

from idle_quarry.errors import JobError
from idle_quarry.files import sha256_of
from idle_quarry.jobs.check import Job
from idle_quarry.jobs.handover.checks import worst
from idle_quarry.jobs.handover.record import VerificationRecord, now_text, with_made
from idle_quarry.jobs.lending.task_server import TaskAnswer
from idle_quarry.path.names import name_refused
from idle_quarry.path.template_parts import Delivery

_STRICT = ConfigDict(strict=True, extra="forbid")
_Text = Annotated[str, Field(max_length=4000)]
_Frame = Annotated[int, Field(ge=0, le=10**9)]
_PlaceSaid = TypedDict(
    "_PlaceSaid",
    {
        "from": Annotated[str, Field(max_length=20)],
        "to": Annotated[str, Field(max_length=20)],
        "first_frame": _Frame,
        "last_frame": _Frame,
    },
)
_PlaceSaid.__pydantic_config__ = _STRICT  # type: ignore[attr-defined]


class _CheckSaid(TypedDict):
    __pydantic_config__ = _STRICT  # type: ignore[misc]
    id: Annotated[str, Field(max_length=40)]
    wanted: Any
    found: Any
    verdict: Literal["passes", "fails", "look", "not checked"]
    where: Annotated[list[_PlaceSaid], Field(max_length=20_000)]
    clause: _Text | None
    text: _Text


_CHECKS: TypeAdapter[list[_CheckSaid]] = TypeAdapter(list[_CheckSaid])


def inside(folder: Path, text: object, by: str) -> Path:
    """Return the file inside a folder that a machine says it made.

    Raises `JobError` for one that leads out, or is none.
    """
    path = PurePosixPath(text) if isinstance(text, str) and 0 < len(text) < 1000 and "\0" not in text else None
    if path is None or path.is_absolute() or ".." in path.parts:
        raise _unbelieved(by, "it names no file of the job")
    result = folder / path
    try:
        lies_in = result.resolve(strict=True).is_relative_to(folder.resolve())
        regular = stat.S_ISREG(result.lstat().st_mode)
    except (OSError, RuntimeError) as error:
        raise _unbelieved(by, "the file it names is not there") from error
    if not lies_in or not regular:
        raise _unbelieved(by, "it names what is no file of the job")
    return result


def file_named(folder: Path, result: object, by: str) -> Path:
    """Return the file that a machine says lies in a folder under a name. Raises `JobError`."""
    if not isinstance(result, str) or name_refused(result) or result.startswith("."):
        raise _unbelieved(by, "it names no file")
    return inside(folder, result, by)


def looked(
    answer: TaskAnswer, job: Job, path: Path, delivery: Delivery, on_progress: Callable[[str, float], None]
) -> VerificationRecord:
    """Return a verification that another machine made of a file, with the file's hash as it is read here.

    Raises `JobError`.
    """
    from idle_quarry.jobs.handover.check_table import IDS

    document = answer.value.get("document")
    if not isinstance(document, Mapping):
        raise _unbelieved(answer.by, "it is no verification")
    try:
        checks = _CHECKS.validate_python(document.get("checks"))
    except ValidationError as error:
        raise _unbelieved(answer.by, "it is no verification") from error
    if tuple(check["id"] for check in checks) != IDS:
        raise _unbelieved(answer.by, "its checks are others than this version makes")
    size = path.stat().st_size
    try:
        sha256 = sha256_of(path, lambda done: on_progress("reading it again here", done / max(1, size)))
    except OSError as error:
        raise JobError(f"cannot be read ({error.strerror})", subject=str(path)) from error
    if document.get("sha256") != sha256:
        raise _unbelieved(answer.by, "it looked at another file than the one that lies there now")
    results = {
        "path": str(path),
        "sha256": sha256,
        "delivery": delivery.id,
        "template": job.template.name,
        "revision": job.revision,
        "verdict": worst(check["verdict"] for check in checks),
        "checks": checks,
        "looked": answer.by,
    }
    return with_made(job.folder, VerificationRecord(results, now_text()))


def _unbelieved(by: str, why: str) -> JobError:
    return JobError(f"what {by} says cannot be taken: {why}", remedy="have it done again, or here")

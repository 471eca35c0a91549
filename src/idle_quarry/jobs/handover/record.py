"""What was verified in a job: each file's hash, the spec and revision it was held against, every check, and who
accepted what because of what.
"""

from __future__ import annotations

import contextlib
import json
import uuid
from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

from idle_quarry.errors import JobError
from idle_quarry.files import free_place, read_plain, written_whole
from idle_quarry.jobs.handover.checks import LOOK, PASSES, worst
from idle_quarry.jobs.records import changed
from idle_quarry.library import HandoverRecord
from idle_quarry.library.said import now

if TYPE_CHECKING:
    from idle_quarry.jobs.check import Job
    from idle_quarry.jobs.handover.verify import Verification

#: In the job's folder: what was verified, and of what files were made.
RECORD_FILE, MADE_FILE = ".handovers.json", ".made.json"
_FORMAT = 1
#: Bytes of a record at the most.
_MOST_BYTES = 200_000_000


@dataclass(frozen=True)
class Acceptance:
    """A check that a person has looked at and accepted: who, when, and because of what."""

    check: str
    by: str
    when: str
    because: str


@dataclass(frozen=True)
class VerificationRecord:
    """A verification as it is kept: the document of the command line's contract, when it was made, and what was
    accepted since.
    """

    document: dict[str, Any]
    when: str
    accepted: tuple[Acceptance, ...] = ()

    @property
    def path(self) -> Path:
        return Path(self.document["path"])

    @property
    def verdict(self) -> str:
        """The gravest verdict of what was not accepted: only what somebody is to look at can be."""
        accepted_checks = {acceptance.check for acceptance in self.accepted}
        return worst(
            check["verdict"]
            for check in self.document["checks"]
            if not (check["verdict"] == LOOK and check["id"] in accepted_checks)
        )


def noted(verification: Verification) -> VerificationRecord:
    """Return a verification as it is kept."""
    return VerificationRecord(verification.to_json(), now_text())


def handed_over(noted: VerificationRecord, job: Job, template_id: str, author: str) -> HandoverRecord | None:
    """Return what the library notes of a file that was made of a job and holds against its delivery.

    None where it does not, or not yet; and of what was made elsewhere, which says nothing of the template.
    """
    if noted.verdict != PASSES or "made_of" not in noted.document:
        return None
    document = noted.document
    delivery = next((delivery.name for delivery in job.template.deliveries if delivery.id == document["delivery"]), "")
    verdict = "accepted" if document["verdict"] != PASSES else "passes"
    # the same finding noted twice is one
    ident = uuid.uuid5(
        uuid.NAMESPACE_OID, f"{document['sha256']} {document['delivery']} {template_id} {job.revision} {verdict}"
    )
    return HandoverRecord(
        id=str(ident),
        job=job.title,
        template_id=template_id,
        revision=job.revision,
        hash=job.hash,
        delivery=delivery or document["delivery"],
        file=noted.path.name,
        sha256=document["sha256"],
        verdict=verdict,
        author=author,
        time=now(),
        looked=str(document.get("looked", ""))[:255],
    )


def note_made(folder: Path, sha256: str, made_of: dict[str, Any]) -> None:
    """Note of which timeline of a job a file was made, by its hash: whoever verifies it later finds its frames.

    Raises `JobError`.
    """
    changed(folder, _files_made, lambda results: {**results, sha256: made_of}, _write_made)


def _write_made(folder: Path, results: dict[str, Any]) -> None:
    data = {"kind": "idle-quarry files made", "format_number": _FORMAT, "files": results}
    try:
        written_whole(folder / MADE_FILE, (json.dumps(data, indent=1, ensure_ascii=False) + "\n").encode())
    except OSError as error:
        raise JobError(f"what was made could not be noted ({error.strerror})", subject=str(folder)) from error


def with_made(folder: Path, noted: VerificationRecord) -> VerificationRecord:
    """Return a verification with the timeline that its file was made of, where it was made in this job."""
    made_of = _files_made(folder).get(noted.document["sha256"])
    return replace(noted, document={**noted.document, "made_of": made_of}) if made_of else noted


def _files_made(folder: Path) -> dict[str, Any]:
    """Return what is noted of files that were made.

    What cannot be read is put aside, so that nothing is written over it.
    """
    path = folder / MADE_FILE
    try:
        files = json.loads(read_plain(path, _MOST_BYTES))["files"]
        return {str(key): dict(value) for key, value in files.items()}
    except FileNotFoundError:
        return {}
    except (OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError):
        with contextlib.suppress(OSError):
            path.rename(free_place(folder, f"{path.stem} damaged", path.suffix))
        return {}


def accepted(noted: VerificationRecord, check: str, by: str, because: str) -> VerificationRecord:
    """Return a verification with a check accepted. Raises `JobError` without a reason."""
    if not because.strip():
        raise JobError("say why it is accepted", subject=check)
    acceptances = tuple(acceptance for acceptance in noted.accepted if acceptance.check != check)
    return replace(noted, accepted=(*acceptances, Acceptance(check, by, now_text(), because.strip())))


def now_text() -> str:
    """Return when it is, by this machine's clock, as records have it."""
    return datetime.now().astimezone().isoformat(timespec="seconds")


def read_record(folder: Path) -> tuple[VerificationRecord, ...]:
    """Return what was verified in a job, the last first. Raises `JobError` where the record is damaged."""
    path = folder / RECORD_FILE
    if not path.is_file():
        return ()
    try:
        data = json.loads(read_plain(path, _MOST_BYTES))
        return tuple(
            VerificationRecord(
                file["document"], str(file["when"]), tuple(Acceptance(**one) for one in file["accepted"])
            )
            for file in data["files"]
        )
    except (OSError, ValueError, KeyError, TypeError, RecursionError) as error:
        raise JobError(
            "the record of what was verified is damaged",
            subject=str(path),
            remedy="put back a copy, or remove it: files can be verified again",
        ) from error


def write_record(folder: Path, files: Iterable[VerificationRecord]) -> None:
    """Keep what was verified in a job. Raises `JobError`."""
    lines = [
        {"document": file.document, "when": file.when, "accepted": [vars(acceptance) for acceptance in file.accepted]}
        for file in files
    ]
    data = {"kind": "idle-quarry verifications", "format_number": _FORMAT, "files": lines}
    try:
        written_whole(folder / RECORD_FILE, (json.dumps(data, indent=1, ensure_ascii=False) + "\n").encode())
    except OSError as error:
        raise JobError(f"what was verified could not be kept ({error.strerror})", subject=str(folder)) from error


def keep_file(folder: Path, new: VerificationRecord) -> tuple[VerificationRecord, ...]:
    """Keep a verification with its job, and return all of them, this one first. Raises `JobError`."""
    return changed(folder, read_record, lambda files: with_file(files, new), write_record)


def keep_accepted(
    folder: Path, file: VerificationRecord, check: str, by: str, because: str
) -> tuple[VerificationRecord, ...]:
    """Keep that a check of a file was accepted; what others accepted meanwhile stays.

    Raises `JobError`, without a reason too.
    """
    same = (file.document["path"], file.document["delivery"], file.document["sha256"])

    def change(files: tuple[VerificationRecord, ...]) -> tuple[VerificationRecord, ...]:
        return tuple(
            (
                accepted(file, check, by, because)
                if (file.document["path"], file.document["delivery"], file.document["sha256"]) == same
                else file
            )
            for file in files
        )

    return changed(folder, read_record, change, write_record)


def with_file(files: Iterable[VerificationRecord], new: VerificationRecord) -> tuple[VerificationRecord, ...]:
    """Return the verifications with a new one first, in place of an older one of the same file against the same
    delivery.
    """
    same = (new.document["path"], new.document["delivery"])
    return (new, *(file for file in files if (file.document["path"], file.document["delivery"]) != same))

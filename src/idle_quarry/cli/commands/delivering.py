"""A delivery made on the command line of a job's timeline, and verified."""

from __future__ import annotations

from argparse import Namespace as Options
from pathlib import Path
from typing import TYPE_CHECKING

from idle_quarry.cli.command import argument, command
from idle_quarry.cli.commands.verifying import delivery_of
from idle_quarry.cli.output import Output, complain
from idle_quarry.cli.progress import ended, shares
from idle_quarry.errors import NotPossible, QuarryError

if TYPE_CHECKING:
    from idle_quarry.jobs.check import Job
    from idle_quarry.jobs.handover.record import VerificationRecord


@command(
    "deliver",
    argument("job", metavar="JOB", help="the job's folder"),
    argument("--delivery", required=True, metavar="D", help="the delivery's id or name in the job's template"),
    argument("--timeline", metavar="T", help="the first where none is named"),
    argument("--to", required=True, metavar="FOLDER"),
)
def deliver(options: Options, out: Output) -> int:
    """Make a delivery and verify it; 1 where it fails its own spec: then it is not handed over."""
    from idle_quarry.jobs.check import check_job
    from idle_quarry.jobs.handover.make import make
    from idle_quarry.jobs.handover.record import noted, with_made
    from idle_quarry.jobs.handover.verify import failed_first
    from idle_quarry.jobs.renders.render_folder import settled
    from idle_quarry.jobs.renders.status import programmes_of, stock_of

    job = check_job(Path(options.job).expanduser())
    delivery = delivery_of(job.template, options.delivery)
    programmes = programmes_of(job, stock_of(job.folder, job.template))
    wanted = (options.timeline or programmes[0].name).casefold() if programmes else ""
    programme = next((programme for programme in programmes if programme.name.casefold() == wanted), None)
    if programme is None:
        names = ", ".join(programme.name for programme in programmes) or "none"
        raise NotPossible("is no timeline of the job", subject=repr(options.timeline or ""), remedy=f"it has {names}")
    try:
        result = make(
            job,
            programme,
            delivery,
            Path(options.to).expanduser(),
            settled(job).store,
            None if out.as_json else shares(),
        )
    except KeyboardInterrupt:
        raise QuarryError("cancelled; nothing was left behind", subject=job.title) from None
    finally:
        ended()
    verified = result.verified
    if result.done:
        _note(options, job, with_made(job.folder, noted(verified)))
    document = {
        "file": str(result.path),
        "delivery": delivery.id,
        "verdict": verified.verdict,
        "sha256": verified.measurement.sha256,
        "frames": result.frames,
        "gain_db": result.gain_db,
        "remark": result.remark or None,
        "checks": [check.to_json() for check in verified.checks],
    }
    text = "handed over" if result.done else "it fails its own spec and is not handed over"
    lines = [f"{result.path}: {text}; {result.frames} pictures, sound {result.gain_db:+.1f} dB"]
    lines += [f"  {result.remark}"] if result.remark else []
    lines += [
        f"  {check.verdict:<12}{check.id:<16}{check.text}"
        for check in failed_first(verified.checks)
        if check.verdict in ("fails", "look")
    ]
    out.show(document, lines)
    return 0 if result.done else 1


def _note(options: Options, job: Job, result: VerificationRecord) -> None:
    """Note in the library what was handed over, where the job was started from it."""
    from idle_quarry.cli.opening import opened
    from idle_quarry.jobs.handover.record import handed_over

    try:
        with opened(options) as library:
            record = next((record for record in library.jobs() if Path(record.folder) == job.folder.resolve()), None)
            handed = handed_over(result, job, record.template_id, library.person) if record is not None else None
            if handed is not None:
                library.record_handover(handed)
    except QuarryError as error:
        complain(f"it is handed over, and the library could not note it: {error}")

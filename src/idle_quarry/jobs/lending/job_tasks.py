"""What machines do for one another besides pieces: a clip brought in, a delivery made, a file verified.

The same on one machine.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter

from idle_quarry.errors import NotPossible, one_line
from idle_quarry.jobs.check import Job, check_job
from idle_quarry.jobs.handover.checks import FAILS
from idle_quarry.jobs.handover.record import VerificationRecord, noted, with_made
from idle_quarry.jobs.lending.answers import file_named, inside, looked
from idle_quarry.jobs.lending.shared_folders import Reach, place_above
from idle_quarry.jobs.lending.task_server import TaskServer
from idle_quarry.jobs.material import BroughtInFile, JobClip, Span, bring_in, make_proxy
from idle_quarry.media.clip import Clip
from idle_quarry.media.looking import look
from idle_quarry.path.template_parts import Delivery, Format, Source

_FORMAT: TypeAdapter[Format | None] = TypeAdapter(Format | None)
#: Hears what is under way and the share that is done; it may raise to stop.
OnProgress = Callable[[str, float], None]
BRING_IN, DELIVER, VERIFY = "bring in", "deliver", "verify"


# -- asked for: of the house where there is one, else done here --------------------------------------------------------


def brought_in(
    house: TaskServer | None,
    job: Job,
    entry: JobClip,
    clip: Clip,
    source: Source,
    span: Span | None,
    proxy: bool,
    on_progress: Callable[[float], None],
) -> BroughtInFile:
    """Return what was made of a clip, or a span of it, or its proxy. Raises what `bring_in` raises, and `JobError`."""
    if house is None or _alone(job.folder, entry.path):
        how = entry, clip, source, job.template, job.folder, on_progress
        return make_proxy(*how) if proxy else bring_in(*how, span)
    reach = Reach()
    folder, path = reach.reference(job.folder), reach.reference(entry.path)
    given = {
        "job": folder,
        "path": path,
        "content": entry.content,
        "source": source.id,
        "span": span,
        "proxy": proxy,
        "taken_as": _FORMAT.dump_python(clip.format, mode="json"),
    }
    answer = house.awaited(job, BRING_IN, given, [folder, path], on_progress)
    wanted = job.template.proxy.codec if proxy and job.template.proxy is not None else job.template.intermediate.codec
    return BroughtInFile(
        inside(job.folder, answer.value.get("path"), answer.by), entry.content, source.id, wanted, span
    )


def delivered(
    house: TaskServer | None, job: Job, timeline: str, delivery: Delivery, folder: Path, on_progress: OnProgress
) -> tuple[VerificationRecord, bool]:
    """Return what came of making a delivery of a timeline into a folder, verified, and whether it passes.

    Raises what `make` raises.
    """
    if house is None or _alone(job.folder, folder):
        return _delivered(job, timeline, delivery, folder, on_progress)
    reach = Reach()
    # timelines name their clips by their paths: only who has them under the same can do it
    places = [{**reach.reference(path), "same": True} for path in (job.folder, folder)]
    given = {"job": places[0], "timeline": timeline, "delivery": delivery.id, "to": places[1]}
    answer = house.awaited(job, DELIVER, given, places, lambda share: on_progress("making it", share))
    record = looked(answer, job, file_named(folder, answer.value.get("name"), answer.by), delivery, on_progress)
    remark = answer.value.get("remark")
    if isinstance(remark, str) and remark:
        record = replace(record, document={**record.document, "remark": one_line(remark)[:1000]})
    return record, record.verdict != FAILS


def verified(
    house: TaskServer | None, job: Job, path: Path, delivery: Delivery, on_progress: OnProgress
) -> VerificationRecord:
    """Return a file held against a delivery. Raises what `verify` raises."""
    if house is None or _alone(job.folder, path):
        return _verified(job, path, delivery, on_progress)
    reach = Reach()
    folder, file = reach.reference(job.folder), reach.reference(path)
    given = {"job": folder, "path": file, "delivery": delivery.id}
    answer = house.awaited(job, VERIFY, given, [folder, file], lambda share: on_progress("verifying", share))
    return looked(answer, job, path, delivery, on_progress)


def _alone(*paths: Path) -> bool:
    """Return whether only this machine can reach them all."""
    return any(place_above(path) is None for path in paths)


# -- done --------------------------------------------------------------------------------------------------------------


def _delivered(
    job: Job, timeline: str, delivery: Delivery, folder: Path, on_progress: OnProgress
) -> tuple[VerificationRecord, bool]:
    from idle_quarry.jobs.handover.make import make
    from idle_quarry.jobs.renders.render_folder import settled
    from idle_quarry.jobs.renders.status import programmes_of, stock_of

    programmes = programmes_of(job, stock_of(job.folder, job.template))
    programme = next((programme for programme in programmes if programme.name == timeline), None)
    if programme is None:
        raise NotPossible("is no timeline of the job", subject=timeline)
    result = make(job, programme, delivery, folder, settled(job).store, on_progress)
    record = with_made(job.folder, noted(result.verified))
    if result.remark:
        record = replace(record, document={**record.document, "remark": result.remark})
    return record, result.done


def _verified(job: Job, path: Path, delivery: Delivery, on_progress: OnProgress) -> VerificationRecord:
    from idle_quarry.jobs.handover.verify import verify

    return with_made(job.folder, noted(verify(path, job.template, delivery, job.revision, on_progress)))


# -- done for another machine: of what a task says, for what it is answered --------------------------------------------


def bring_in_for(given: dict[str, Any], reach: Reach, on_progress: OnProgress) -> dict[str, Any]:
    """Bring a clip into another machine's job."""
    job = check_job(reach.path(given["job"]))
    path = reach.path(given["path"])
    source = next((source for source in job.template.sources if source.id == given["source"]), None)
    if source is None:
        raise NotPossible("is no source class of the template", subject=str(given["source"]))
    clip = replace(look(path), format=_FORMAT.validate_python(given["taken_as"]))
    span = (int(given["span"][0]), int(given["span"][1])) if given["span"] else None
    entry = JobClip(path, str(given["content"]), source.id)
    file = brought_in(None, job, entry, clip, source, span, bool(given["proxy"]), lambda share: on_progress("", share))
    return {"path": file.path.relative_to(job.folder).as_posix()}


def deliver_for(given: dict[str, Any], reach: Reach, on_progress: OnProgress) -> dict[str, Any]:
    """Make a delivery of another machine's job."""
    job = check_job(reach.path(given["job"]))
    record, passes = _delivered(
        job, str(given["timeline"]), _delivery(job, given), reach.path(given["to"]), on_progress
    )
    document = dict(record.document)
    remark = document.pop("remark", "")
    return {"document": document, "passes": passes, "name": record.path.name, "remark": remark}


def verify_for(given: dict[str, Any], reach: Reach, on_progress: OnProgress) -> dict[str, Any]:
    """Verify a file for another machine."""
    job = check_job(reach.path(given["job"]))
    record = _verified(job, reach.path(given["path"]), _delivery(job, given), on_progress)
    return {"document": record.document}


def _delivery(job: Job, given: dict[str, Any]) -> Delivery:
    result = next((delivery for delivery in job.template.deliveries if delivery.id == given["delivery"]), None)
    if result is None:
        raise NotPossible("is no delivery of the template", subject=str(given["delivery"]))
    return result

"""Jobs: started, checked, and what killed programs left of them."""

from __future__ import annotations

from pathlib import Path

from idle_quarry.cli.command import argument, command
from idle_quarry.cli.opening import Options, opened, stored_for_job
from idle_quarry.cli.output import Output
from idle_quarry.errors import JobError, LibraryError


@command(
    "job new",
    argument("name", metavar="NAME", nargs="?", help="the default template where none is named"),
    argument("--title", required=True),
    argument("--at", required=True, metavar="FOLDER"),
    argument("--unapproved", action="store_true", help="also from a house revision that nobody approved"),
)
def job_new(options: Options, out: Output) -> int:
    """Start a job from a template."""
    from idle_quarry.jobs.allowed import check_startable
    from idle_quarry.jobs.left_over import list_job
    from idle_quarry.jobs.start import start_job
    from idle_quarry.printing import write_pdf

    with opened(options) as library:
        if options.name is None:
            default = library.default_id()
            if default is None:
                raise LibraryError("no template was named, and the library has no default", remedy="name one")
            stored = library.stored(default, library.summary(default).for_jobs)
        else:
            stored = stored_for_job(library, options.name)
        check_startable(library, stored, unapproved=options.unapproved)
        if not options.at.strip():
            raise JobError("no folder was named to start the job in", remedy="say --at FOLDER")
        job = start_job(stored, options.title, Path(options.at).expanduser(), write_pdf, library.person)
        list_job(library, job, options.title, stored)
    document = {
        "folder": str(job.folder),
        "template": stored.name,
        "revision": stored.revision.number,
        "files": list(job.files),
    }
    out.show(document, [str(job.folder), *(f"  {name}" for name in job.files)])
    return 0


@command(
    "job left",
    argument("--clear", action="store_true", help="remove what is half made"),
    argument("--take-up", action="store_true", help="list jobs that are whole"),
)
def job_left(options: Options, out: Output) -> int:
    """What killed programs left half made or unlisted; 1 where anything is left."""
    from idle_quarry import recovery
    from idle_quarry.jobs import left_over as over

    with opened(options) as library:
        document, lines, remain = [], [], 0
        for leftover in over.left_over(library):
            whole, done = over.is_whole(leftover), ""
            if whole and options.take_up:
                over.take_up(library, leftover)
                done = "taken up"
            elif not whole and options.clear:
                recovery.clear(leftover)
                done = "cleared"
            remain += not done
            document.append({**over.to_json(leftover), "done": done})
            lines.append(f"{over.words_of(leftover)}{f': {done}' if done else ''}")
            lines += [] if whole or done else [f"  {leftover.part}"]
    out.show(document, lines or ["nothing is left over"])
    return 1 if remain else 0


@command("job check", argument("folder", metavar="FOLDER"))
def job_check(options: Options, out: Output) -> int:
    """What in a job has drifted from its revision; 1 where anything has."""
    from idle_quarry.jobs.check import check_job

    job = check_job(Path(options.folder).expanduser())
    document = {
        "folder": str(job.folder),
        "template": job.template_name,
        "revision": job.revision,
        "drift": [drift.to_json() for drift in job.drift],
    }
    lines = [f"{job.title}: {job.template_name}, revision {job.revision}"]
    lines += [f"  {drift.kind:<8} {drift.text}" for drift in job.drift] or ["  as it was started"]
    out.show(document, lines)
    return 1 if job.drift else 0

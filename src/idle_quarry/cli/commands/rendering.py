"""What is not rendered of a job's timelines, rendered on the command line."""

from __future__ import annotations

import time
from argparse import Namespace as Options
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from idle_quarry.cli.command import argument, command
from idle_quarry.cli.output import Output, complain
from idle_quarry.cli.progress import ended, progress
from idle_quarry.counting import counted
from idle_quarry.errors import JobError, NotPossible, QuarryError
from idle_quarry.places import is_server

if TYPE_CHECKING:
    from idle_quarry.jobs.check import Job
    from idle_quarry.jobs.lending.task_server import TaskServer
    from idle_quarry.jobs.renders.recipe import Recipe
    from idle_quarry.jobs.renders.rendering import JobRenderer
    from idle_quarry.jobs.renders.status import Programme
    from idle_quarry.jobs.renders.store import RenderStore

#: Seconds between two looks at how far the workers are.
_EVERY_S = 0.2


@command(
    "render",
    argument("job", metavar="JOB", help="the job's folder"),
    argument("--timeline", action="append", default=[], metavar="T", help="only this one; may be said again"),
    argument("--at", metavar="FOLDER", help="where renders go on this machine, from now on"),
    argument("--system-disk", action="store_true", help="that may be the disk of the system"),
    argument("--workers", metavar="N", type=int, help="as many as there are processors by default"),
)
def render(options: Options, out: Output) -> int:
    """Render what is not rendered yet; 1 where a piece could not be."""
    from idle_quarry.jobs.check import check_job
    from idle_quarry.jobs.lending.queue_choice import renderer_of
    from idle_quarry.jobs.renders.render_folder import answer
    from idle_quarry.jobs.renders.status import programmes_of, stock_of, wanted_of

    job = check_job(Path(options.job).expanduser())
    if options.at is not None:
        answer(job, Path(options.at).expanduser(), system_disk=options.system_disk)
    store = _store(job)
    programmes = _chosen(programmes_of(job, stock_of(job.folder, job.template)), options.timeline)
    recipes = wanted_of(programmes, store)
    failed: dict[str, str] = {}
    if recipes:
        house, alone = _house(options, programmes, store)
        if alone and not out.as_json:
            complain(alone)
        rendering = renderer_of(job, house, store)
        try:
            failed = _rendered(rendering, recipes, options.workers, None if out.as_json else progress())
        except KeyboardInterrupt:
            raise QuarryError("cancelled; what is whole was kept", subject=job.title) from None
        finally:
            ended()
            rendering.close()
            if house is not None:
                house.close()
    results = {recipe.identity for recipe in recipes}
    document, lines, poor = [], [], False
    for programme in programmes:
        pieces, texts = _report(programme, store, results, failed)
        document += pieces
        lines += texts
        poor = poor or bool(programme.why) or any(piece["state"] == "failed" for piece in pieces)
    out.show({"pieces": document, "folder": str(store.folder)}, lines)
    return 1 if poor else 0


def _house(options: Options, programmes: list[Programme], store: RenderStore) -> tuple[TaskServer | None, str]:
    """Return the house whose machines may help, None and why where this one renders alone."""
    from idle_quarry.jobs.lending.queue_choice import opened, unmarked

    house, why = opened(options.library if is_server(options.library) else None)
    if house is None:
        return None, f"this machine renders alone: {why}" if why else ""
    folders = unmarked(programmes, store)
    if not folders:
        return house, ""
    house.close()
    named = ", ".join(map(str, folders[:3]))
    return (
        None,
        f"this machine renders alone: others do not know {named}; 'lend --mark FOLDER' marks a place that they share",
    )


def _store(job: Job) -> RenderStore:
    """Return where the job's renders go. Raises `JobError` where that is to be asked."""
    from idle_quarry.jobs.renders.render_folder import settled

    render_folder = settled(job)
    if render_folder.store is None:
        at = f"say --at {render_folder.place} --system-disk" if render_folder.system_disk else "say --at FOLDER"
        raise JobError(render_folder.why, subject=job.title, remedy=at)
    return render_folder.store


def _chosen(programmes: list[Programme], names: list[str]) -> list[Programme]:
    there = {programme.name.casefold(): programme for programme in programmes}
    for name in names:
        if name.casefold() not in there:
            known = ", ".join(programme.name for programme in programmes)
            raise NotPossible("is no timeline of the job", subject=repr(name), remedy=f"it has {known}")
    return [there[name.casefold()] for name in names] if names else programmes


def _rendered(
    rendering: JobRenderer, wanted: list[Recipe], workers: int | None, say: Callable[[str], None] | None
) -> dict[str, str]:
    """Have the workers render these; return what kept those that are not there, by their identities."""
    queue = rendering.queue
    queue.put(wanted)
    queue.pause(False)
    names = {recipe.identity: recipe for recipe in wanted}
    frames = sum(recipe.frames for recipe in wanted)
    while True:
        states = {ident: state for ident, state in queue.states().items() if ident in names}
        left = {ident: state for ident, state in states.items() if state.open}
        if not left:
            break
        rendering.start(workers)
        if say is not None:
            done = frames - sum(names[ident].frames - state.done for ident, state in left.items())
            full = next((f": {state.text}" for state in left.values() if state.text), "")
            say(f"{counted(len(left), 'piece')} left, {done} of {frames} frames{full}")
        time.sleep(_EVERY_S)
    failed = {ident: state.text for ident, state in states.items()}
    queue.drop(failed)
    return failed


def _report(
    programme: Programme, store: RenderStore, names: set[str], failed: dict[str, str]
) -> tuple[list[dict[str, object]], list[str]]:
    from idle_quarry.jobs.renders.pieces import PieceState

    if programme.timeline is None:
        return [], [f"{programme.name}: {programme.why}"]
    pieces: list[dict[str, object]] = []
    for piece in programme.pieces:
        recipe, state, text, file = piece.recipe, "failed", piece.text, None
        if piece.state == PieceState.EXACT:
            state, text = "exact", "plays as it is"
        elif recipe is not None:
            rendered = store.find(recipe)
            if rendered is not None:
                state, file = ("rendered" if recipe.identity in names else "kept"), str(rendered.path)
            else:
                text = failed.get(recipe.identity) or "was not rendered"
        pieces.append(
            {
                "timeline": programme.name,
                "start": str(programme.timeline.timecode(piece.first)),
                "end": str(programme.timeline.timecode(piece.last)),
                "identity": recipe.identity if recipe is not None else "",
                "state": state,
                "file": file,
                "text": text,
                "frames": piece.frames,
            }
        )
    counts = [
        (state, sum(1 for data in pieces if data["state"] == state))
        for state in ("exact", "kept", "rendered", "failed")
    ]
    words = ", ".join(f"{count} {state}" for state, count in counts if count) or "nothing lies there"
    lines = [f"{programme.name}: {words}"]
    lines += [f"  {data['start']} to {data['end']}  {data['text']}" for data in pieces if data["state"] == "failed"]
    return pieces, lines

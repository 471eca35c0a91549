"""Laying out the demo: library, clips and jobs in the user's data folder, once."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from importlib.resources import as_file, files
from pathlib import Path
from typing import TYPE_CHECKING

from idle_quarry.errors import QuarryError
from idle_quarry.library import Library, open_library
from idle_quarry.places import DEMO, DEMO_PERSON, library_place

if TYPE_CHECKING:
    from idle_quarry.jobs.start import WritePdf


def clips_folder() -> Path:
    """Return the folder that the demo's clips are copied to."""
    return library_place(DEMO).parent / "clips"


def lay_out(write_pdf: WritePdf | None, say: Callable[[str], None] = lambda _text: None) -> Path:
    """Make the demo where it is not there yet; return the library's file. Raises `QuarryError`.

    Without `write_pdf` no jobs are started.
    """
    place = library_place(DEMO)
    if not place.exists():
        say("laying out the demo library")
        place.parent.mkdir(parents=True, exist_ok=True)
        beside = place.with_suffix(".part")
        beside.unlink(missing_ok=True)
        library = open_library(beside, DEMO_PERSON)
        _fill(library)
        library.close()
        beside.rename(place)
    _copy_clips()
    jobs = place.parent / "jobs"
    if write_pdf is not None and not jobs.exists():
        say("starting the demo's two jobs")
        library = open_library(place, DEMO_PERSON)
        try:
            _start_jobs(library, jobs, write_pdf)
        except QuarryError as error:
            say(f"the demo's jobs could not be started: {error}")
        finally:
            library.close()
    return place


def _fill(library: Library) -> None:
    from idle_quarry.demo.templates import house_shelf, own_shelf

    for shelf, histories in (("house", house_shelf()), ("own", own_shelf())):
        for history in histories:
            first, *later = history
            saved = library.save_new(
                first.template, shelf, first.note, state=first.state, author=first.author, time=first.time
            )
            for each in later:
                library.save_revision(
                    saved.template_id, each.template, each.note, state=each.state, author=each.author, time=each.time
                )
            if first.template.name == "House HD 50i":
                library.set_default(saved.template_id)


def _copy_clips() -> None:
    target = clips_folder()
    target.mkdir(parents=True, exist_ok=True)
    with as_file(files("idle_quarry.demo").joinpath("clips")) as source:
        if not source.is_dir():
            return
        for clip in sorted(source.rglob("*")):
            copy = target / clip.relative_to(source)
            if clip.is_dir():
                copy.mkdir(exist_ok=True)
            elif not copy.exists():
                beside = copy.with_name(f".{copy.name}.part")
                shutil.copyfile(clip, beside)
                beside.rename(copy)


def _start_jobs(library: Library, jobs: Path, write_pdf: WritePdf) -> None:
    """Start two jobs, and let one drift: a timeline put elsewhere, a sheet scribbled on."""
    from idle_quarry.jobs.start import start_job  # encoders and timelines: only where a job is started

    jobs.mkdir(parents=True, exist_ok=True)
    for name, title in (("The Lamp Room", "Lamp Room episode 3"), ("House HD 50i", "Open evening")):
        stored = library.stored(library.find(f"house/{name}").id)
        person = "Wren" if "Lamp" in title else "Odo"
        job = start_job(stored, title, jobs, write_pdf, person)
        library.record_job(title, job.folder, stored, person)
    drifted = jobs / "Open evening"
    (drifted / "Timelines/Programme.otio").rename(drifted / "02 Cuts/Programme.otio")
    sheet = drifted / "Papers/Setup sheet.html"
    sheet.write_text(sheet.read_text().replace("10:00:00:00", "09:58:30:00"))

"""Laying out the demo: library, clips and jobs in the user's data folder, once."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from importlib.resources import as_file, files
from pathlib import Path
from typing import TYPE_CHECKING

from idle_quarry.errors import QuarryError
from idle_quarry.files import locked
from idle_quarry.library import Library, open_library
from idle_quarry.places import DEMO, DEMO_PERSON, library_place

if TYPE_CHECKING:
    from idle_quarry.jobs.start import WritePdf


def clips_folder() -> Path:
    """Return the folder that the demo's clips are copied to."""
    return library_place(DEMO).parent / "clips"


def lay_out(write_pdf: WritePdf | None, say: Callable[[str], None] = lambda _text: None) -> Path:
    """Make the demo where it is not there yet; return the library's file. Raises `QuarryError`.

    Without `write_pdf` no jobs are started. Two that are begun at once wait for one another.
    """
    place = library_place(DEMO)
    place.parent.mkdir(parents=True, exist_ok=True)
    with locked(place.parent):
        _lay_out(place, write_pdf, say)
    return place


def _lay_out(place: Path, write_pdf: WritePdf | None, say: Callable[[str], None]) -> None:
    if not place.exists():
        say("laying out the demo library")
        beside = place.with_suffix(".part")
        beside.unlink(missing_ok=True)
        library = open_library(beside, DEMO_PERSON)
        fill(library)
        library.close()
        beside.rename(place)
    for folder in ("clips", "cuts"):
        _copy(folder)
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


def fill(library: Library) -> None:
    """Put the demo's templates on the shelves, saved, reviewed and approved as its people did."""
    from idle_quarry.demo.templates import house_shelf, own_shelf
    from idle_quarry.library.said import stops_of

    _fill_equipment(library)
    for shelf, templates in (("house", house_shelf()), ("own", own_shelf())):
        for history in templates:
            ident = ""
            for item in history:
                who, when = item.author, item.time
                if ident:
                    saved = library.save_revision(
                        ident, item.template, item.note, parent=item.parent, author=who, time=when
                    )
                else:
                    saved = library.save_new(item.template, shelf, item.note, author=who, time=when)
                ident = saved.template_id
                if item.state in ("in review", "approved"):
                    library.review(ident, saved.number, "propose", item.note, person=who, time=when)
                if item.state == "approved":
                    other = "Odo" if who != "Odo" else "Runa"
                    answers = ["agreed with the room: it watches another feed"] * len(stops_of(item.template))
                    library.review(
                        ident, saved.number, "approve", "as agreed", person=other, time=when, answers=answers
                    )
                if item.state == "withdrawn":
                    library.review(ident, saved.number, "withdraw", "no longer made", person=who, time=when)
                for person, time, place, text in item.remarks:
                    library.comment(ident, saved.number, place, text, person=person, time=time)
            if history[0].template.name == "House HD 50i":
                library.set_default(ident)


def _fill_equipment(library: Library) -> None:
    """Put the house's own entries on its shelf, saved and approved as its people did."""
    from idle_quarry.demo.equipment import histories

    for history in histories():
        uid = history[0].entry.uid
        for number, saved_entry in enumerate(history, 1):
            if number == 1:
                library.save_new(
                    saved_entry.entry, "house", saved_entry.note, author=saved_entry.author, time=saved_entry.time
                )
            else:
                library.save_revision(
                    uid, saved_entry.entry, saved_entry.note, author=saved_entry.author, time=saved_entry.time
                )
            if saved_entry.state == "approved":
                other = "Odo" if saved_entry.author != "Odo" else "Runa"
                library.review(uid, number, "propose", person=saved_entry.author, time=saved_entry.time)
                library.review(uid, number, "approve", "as agreed", person=other, time=saved_entry.time)


def _copy(folder: str) -> None:
    """Copy what ships in a folder of the demo, and is not there yet, beside its library."""
    target = library_place(DEMO).parent / folder
    target.mkdir(parents=True, exist_ok=True)
    with as_file(files("idle_quarry.demo").joinpath(folder)) as source:
        if not source.is_dir():
            return
        for path in sorted(source.rglob("*")):
            copy = target / path.relative_to(source)
            if path.is_dir():
                copy.mkdir(exist_ok=True)
            elif not copy.exists():
                beside = copy.with_name(f".{copy.name}.part")
                shutil.copyfile(path, beside)
                beside.rename(copy)


def _start_jobs(library: Library, jobs: Path, write_pdf: WritePdf) -> None:
    """Start two jobs, one from a revision that is no longer the newest; and let that one drift."""
    from idle_quarry.jobs.left_over import list_job
    from idle_quarry.jobs.start import start_job  # encoders and timelines: only where a job is started

    jobs.mkdir(parents=True, exist_ok=True)
    for name, number, title in (("The Lamp Room", 2, "Lamp Room episode 3"), ("House HD 50i", 1, "Open evening")):
        stored = library.stored(library.find(f"house/{name}").id, number)
        person = "Wren" if "Lamp" in title else "Odo"
        job = start_job(stored, title, jobs, write_pdf, person)
        list_job(library, job, title, stored, person)
    drifted = jobs / "Open evening"
    (drifted / "Timelines/Programme.otio").rename(drifted / "02 Cuts/Programme.otio")
    sheet = drifted / "Papers/Setup sheet.html"
    sheet.write_text(sheet.read_text(encoding="utf-8").replace("10:00:00:00", "09:58:30:00"))

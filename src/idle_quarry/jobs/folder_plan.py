"""What a job will consist of, before anything is written: folders, files, and why a title will not do."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import date
from pathlib import Path

from idle_quarry.errors import JobError
from idle_quarry.files import is_folder
from idle_quarry.media.names import clip_suffix
from idle_quarry.path.entries.naming import made_name
from idle_quarry.path.names import cleaned_name, name_refused
from idle_quarry.path.registry import Codec, codecs
from idle_quarry.path.template import Template, numbered
from idle_quarry.path.template_parts import Folder
from idle_quarry.signal.timecode import Timecode, start_timecode
from idle_quarry.signal.words import format_words

JOB_FILE = "job.json"
#: The newest number of what stands in it.
JOB_FORMAT = 1
TIMELINES, LINE_UP, PAPERS = "Timelines", "Line-up", "Papers"
#: Where clips are brought in to, and what is known of the job's clips; they come with the work.
BROUGHT_IN, MATERIAL_FILE, PROXIES = "Brought in", "material.json", "Proxies"
#: Cubes and a config for other programs, inside the papers.
COLOUR = "Colour"


#: Words by which a folder of a template is known to be for clips, lists of cuts, deliveries or renders.
FOR_CLIPS, FOR_CUTS, FOR_DELIVERIES, FOR_RENDERS = "clips", "cuts", "deliveries", "renders"
_FOLDER_WORDS = {
    FOR_CLIPS: ("material", "clips", "rushes", "sources", "footage", "ingest"),
    FOR_CUTS: ("cuts", "lists", "edit"),
    FOR_DELIVERIES: ("deliver", "hand-over", "handover", "masters", "out"),
    FOR_RENDERS: ("renders", "cache"),
}


def folder_for(job: Path, folders: Iterable[str], use: str) -> Path:
    """Return the folder of a job that is for a use, by its name; the job's own where none is, or it is gone."""
    names = {name: re.sub(r"^[\d\W_]+", "", name.rsplit("/", 1)[-1].casefold()) for name in folders}
    for word in _FOLDER_WORDS[use]:
        for name, called in names.items():
            if called.startswith(word) and is_folder(job / name):
                return job / name
    return job


@dataclass(frozen=True)
class FolderPlan:
    """Relative paths of the folders and files a job will have, in the order they are made."""

    folder_name: str
    folders: tuple[str, ...]
    files: tuple[str, ...]


def check_title(title: str) -> None:
    """Raise `JobError` where `title` cannot be a folder's name everywhere."""
    why = name_refused(title)
    if why:
        better = cleaned_name(title, "")
        raise JobError(
            f"the title cannot be a folder's name, because {why}",
            subject=repr(title[:60]),
            remedy=f"call it {better!r}" if better else "choose another",
        )


def template_folders(folders: tuple[Folder, ...], with_numbers: bool, above: str = "") -> Iterator[str]:
    """Yield the relative paths of a template's folders, parents first."""
    for index, folder in enumerate(folders):
        name = numbered(folder.name, index, with_numbers)
        why = name_refused(name) or name_refused(folder.name)
        if why:
            raise JobError(f"the template's folder cannot be made, because {why}", subject=repr(folder.name))
        yield above + name
        yield from template_folders(folder.children, with_numbers, f"{above}{name}/")


def folder_name(template: Template, title: str, day: date | None = None) -> str:
    """Return what a job's folder is called: by the template's rule, else as the job. Raises `JobError`."""
    if not template.job_name:
        return title
    fields: dict[str, str | int | date] = {
        "title": title,
        "date": (day or date.today()).isoformat(),
        "format": format_words(template.working.format),
        "language": template.title_language,
        "version": 1,
    }
    text = made_name(template.job_name, fields)
    why = name_refused(text)
    if why is not None:
        raise JobError(
            f"its folder would be called {text!r}, which is no name: {why}", subject=title, remedy="change the rule"
        )
    return text


def line_up_start(template: Template) -> Timecode:
    """Return the timecode of the line-up's first frame: so many seconds of count before the programme."""
    plan = template.timecode
    return start_timecode(plan.start, plan.drop, template.working.format.rate).seconds_earlier(plan.line_up_lead_s)


def line_up_file(codec: Codec, title: str) -> str:
    """Return the relative path of the line-up clip (the first file where a codec has one picture a file)."""
    number = ".000001" if codec.one_picture_a_file else ""
    return f"{LINE_UP}/{title} line-up{number}{clip_suffix(codec)}"


def planned(template: Template, title: str) -> FolderPlan:
    """Return what a job called `title` will consist of. Raises `JobError`."""
    check_title(title)
    own = list(template_folders(template.folders, template.numbered_folders))
    names = [timeline.name for timeline in template.timelines]
    if not names:
        raise JobError("the template has no timeline", subject=template.name, remedy="add one in its Structure sheet")
    for name in names:
        why = name_refused(name)
        if why:
            raise JobError(f"the timeline's name cannot be a file's, because {why}", subject=repr(name))
    if len({name.lower() for name in names}) != len(names):
        raise JobError("two timelines have the same name", subject=template.name, remedy="rename one")
    top = [folder for folder in (TIMELINES, LINE_UP, PAPERS) if folder not in own]
    codec = codecs()[template.intermediate.codec]
    files = [f"{TIMELINES}/{name}.otio" for name in names]
    files.append(line_up_file(codec, title))
    files += [f"{PAPERS}/{kind}.{suffix}" for kind in ("Setup sheet", "Camera sheet") for suffix in ("html", "pdf")]
    files += [f"{PAPERS}/Intermediate recipe.sh", JOB_FILE]
    files += [f"{PAPERS}/{COLOUR}/config.ocio"] if template.carried_colour else []
    return FolderPlan(title, tuple(own + top), tuple(files))

"""The material of a job: clips linked where they lie or brought in by the conversion of their source class, and how they stand.

What is known of each clip is kept in the job's folder beside `job.json`, written whole after each change. A clip is known again by
content: where its file is another now, it says so, and what was brought in of the old one is no longer taken for it.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import Any

from idle_quarry.errors import JobError, MediaError, NotPossible, QuarryError
from idle_quarry.files import written_whole
from idle_quarry.jobs.conform.lists import read_list
from idle_quarry.jobs.structure import BROUGHT_IN, MATERIAL_FILE, TIMELINES
from idle_quarry.media.clip import Clip
from idle_quarry.media.converting import Told, Wanted, convert
from idle_quarry.media.encode import clip_suffix
from idle_quarry.media.memory import identity
from idle_quarry.path.matching import Match, match
from idle_quarry.path.names import cleaned_name
from idle_quarry.path.registry import codecs
from idle_quarry.path.template import Source, Template

LINKED, BROUGHT, MISSING, CHANGED = "linked", "brought in", "missing", "changed since"
_FORMAT = 1


@dataclass(frozen=True)
class BroughtIn:
    """What was made of a clip: the file, of which content of the clip, by which source class, in which codec."""

    path: Path
    of: str
    source: str
    codec: str


@dataclass(frozen=True)
class Entry:
    """A clip of the job: where it lies, its content as it was taken in, the source class a person chose for it, what was made of it."""

    path: Path
    content: str
    source: str = ""
    brought: BroughtIn | None = None


@dataclass(frozen=True)
class Row:
    """An entry as it stands: its state, and for how many seconds the job's timelines use it."""

    entry: Entry
    state: str
    used: Fraction = Fraction(0)


def read_material(folder: Path) -> tuple[Entry, ...]:
    """Return the clips a job knows. Raises `JobError` where the record is damaged or newer than this program."""
    path = folder / MATERIAL_FILE
    if not path.is_file():
        return ()
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
        if int(data["format_number"]) > _FORMAT:
            raise JobError(
                "was kept by a newer version of this program", subject=str(path), remedy="update Idle Quarry"
            )
        return tuple(_entry(folder, each) for each in data["clips"])
    except (OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise JobError(
            "the record of the job's material is damaged",
            subject=str(path),
            remedy="put back a copy, or remove it: no clip is lost by that",
        ) from error


def _entry(folder: Path, data: dict[str, Any]) -> Entry:
    made = data.get("brought")
    brought = (
        BroughtIn(folder / str(made["path"]), str(made["of"]), str(made["source"]), str(made["codec"]))
        if made is not None
        else None
    )
    return Entry(folder / str(data["path"]), str(data["content"]), str(data.get("source", "")), brought)


def write_material(folder: Path, entries: Iterable[Entry]) -> None:
    """Keep the clips a job knows; paths below the job are kept as from there, so that a job can be moved. Raises `JobError`."""

    def beside(path: Path) -> str:
        return path.relative_to(folder).as_posix() if path.is_relative_to(folder) else str(path)

    clips = []
    for entry in entries:
        one: dict[str, Any] = {"path": beside(entry.path), "content": entry.content}
        if entry.source:
            one["source"] = entry.source
        if entry.brought is not None:
            made = entry.brought
            one["brought"] = {"path": beside(made.path), "of": made.of, "source": made.source, "codec": made.codec}
        clips.append(one)
    document = {"kind": "idle-quarry material", "format_number": _FORMAT, "clips": clips}
    try:
        written_whole(folder / MATERIAL_FILE, (json.dumps(document, indent=1, ensure_ascii=False) + "\n").encode())
    except OSError as error:
        raise JobError(f"the job's material could not be kept ({error.strerror})", subject=str(folder)) from error


def taken_in(entries: Iterable[Entry], paths: Iterable[Path]) -> tuple[Entry, ...]:
    """Return the entries with more clips; one that is there already stays as it is, one that is the same file elsewhere is relinked.

    Raises `MediaError` where a file cannot be read.
    """
    known = {entry.path: entry for entry in entries}
    for path in paths:
        if path in known:
            continue
        try:
            content = identity(path)
        except OSError as error:
            raise MediaError(f"cannot be read ({error.strerror})", subject=str(path)) from error
        lost = next((each for each in known.values() if each.content == content and not each.path.is_file()), None)
        if lost is not None:
            known = {
                (path if each is lost else place): (replace(each, path=path) if each is lost else each)
                for place, each in known.items()
            }
        else:
            known[path] = Entry(path, content)
    return tuple(known.values())


def state_of(entry: Entry) -> str:
    """Return how a clip stands now."""
    if not entry.path.is_file():
        return MISSING
    try:
        same = identity(entry.path) == entry.content
    except OSError:
        return MISSING
    if not same:
        return CHANGED
    made = entry.brought
    return BROUGHT if made is not None and made.of == entry.content and made.path.exists() else LINKED


def rows_of(folder: Path, entries: Iterable[Entry]) -> list[Row]:
    """Return the clips as they stand, and how long each is used in the job's timelines."""
    used = uses(folder)
    found = []
    for entry in entries:
        places = {str(entry.path), *([str(entry.brought.path)] if entry.brought is not None else [])}
        found.append(Row(entry, state_of(entry), sum((used.get(place, Fraction(0)) for place in places), Fraction(0))))
    return found


def uses(folder: Path) -> dict[str, Fraction]:
    """Return for how many seconds each file is used in the job's timelines, by its path; what cannot be read uses nothing."""
    found: dict[str, Fraction] = {}
    for path in sorted((folder / TIMELINES).glob("*.otio")):
        try:
            timeline = read_list(path, Fraction(25)).timeline
        except QuarryError:
            continue
        for _, item in timeline.items:
            if item.media is not None and item.media.path is not None:
                found[item.media.path] = found.get(item.media.path, Fraction(0)) + item.length / timeline.rate
    return found


def class_of(entry: Entry, clip: Clip, template: Template) -> tuple[Source | None, Match | None]:
    """Return the source class of a clip: the one a person chose, else the one it matches; and the match."""
    found = match(template, clip.format) if clip.format is not None else None
    chosen = next((each for each in template.sources if each.id == entry.source), None)
    return chosen or (found.source if found is not None else None), found


def bring_in(
    entry: Entry, clip: Clip, source: Source, template: Template, folder: Path, told: Callable[[float], None]
) -> Entry:
    """Convert a clip to the template's intermediate by the link of a source class, into the job; return the entry with it.

    The file appears when it is whole. `told` hears the share that is done, and may raise to stop; then nothing is left. Raises
    `NotPossible` where the link or the codec refuses, `MediaError` where the clip cannot be read or the disk is full.
    """
    if state_of(entry) in (MISSING, CHANGED):
        raise NotPossible(
            f"its file is {state_of(entry)}",
            subject=entry.path.name,
            remedy="look at it in Intake, or take it in again",
        )
    codec = codecs()[template.intermediate.codec]
    place = folder / BROUGHT_IN
    place.mkdir(exist_ok=True)
    name, suffix = cleaned_name(entry.path.stem) or "clip", clip_suffix(codec)
    path = next(
        each
        for each in (place / f"{name}{n}{suffix}" for n in ("", *(f" {k}" for k in range(2, 10_000))))
        if not each.exists() and not each.with_suffix("").exists()
    )
    sound = template.sound
    wanted = Wanted(
        template.working.format, codec, source.policy_for(clip.path.name), source.cadence, sound.sample_rate, sound.bit_depth,
        template.timecode.drop,
    )  # fmt: skip
    progress: Told = lambda done, of, _speed: told(done / max(1, of))  # noqa: E731
    made = convert(clip, wanted, path, progress)
    return replace(entry, brought=BroughtIn(made.path, entry.content, source.id, codec.id))

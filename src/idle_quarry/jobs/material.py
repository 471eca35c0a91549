"""The material of a job: clips linked where they lie or brought in by the conversion of their source class, and how
they stand.

What is known of each clip is kept in the job's folder beside `job.json`, written whole after each change. A clip is
known again by content: where its file is another now, it says so, and what was brought in of the old one is no longer
taken for it.
"""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import Any

from idle_quarry.errors import JobError, MediaError, NotPossible, QuarryError
from idle_quarry.files import free_place, read_plain, written_whole
from idle_quarry.jobs.conform.lists import read_list
from idle_quarry.jobs.folder_plan import BROUGHT_IN, MATERIAL_FILE, PROXIES, TIMELINES
from idle_quarry.jobs.records import changed
from idle_quarry.media.clip import Clip
from idle_quarry.media.coding.converting import ConversionTarget, convert
from idle_quarry.media.kept_measurements import identity
from idle_quarry.media.names import clip_suffix
from idle_quarry.path.matching import Match, match
from idle_quarry.path.names import cleaned_name
from idle_quarry.path.registry import codecs
from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import Source
from idle_quarry.signal.formats import SignalFormat

LINKED, BROUGHT, USED, PARTLY = "linked", "brought in", "what is used brought in", "partly brought in"
MISSING, CHANGED = "missing", "changed since"
_FORMAT = 1
#: Bytes of the record at the most.
_MOST_BYTES = 200_000_000


#: The first frame of a clip, counted from 0, and that after the last.
Span = tuple[int, int]


@dataclass(frozen=True)
class BroughtInFile:
    """What was made of a clip: the file, of which content of the clip, by which source class, in which codec.

    `span` are the frames of the clip that it holds (half open), None where it holds all of it.
    """

    path: Path
    of: str
    source: str
    codec: str
    span: Span | None = None


@dataclass(frozen=True)
class JobClip:
    """A clip of the job: where it lies, its content as it was taken in, the source class a person chose for it,
    what was made of it.

    `proxy` is its small stand-in, converted like the rest and never handed over.
    """

    path: Path
    content: str
    source: str = ""
    brought: tuple[BroughtInFile, ...] = ()
    proxy: BroughtInFile | None = None


@dataclass(frozen=True)
class JobClipStatus:
    """An entry as it stands: its state, for how many seconds the job's timelines use it, and which of its frames."""

    entry: JobClip
    state: str
    used: Fraction = Fraction(0)
    spans: tuple[Span, ...] = ()


def read_material(folder: Path) -> tuple[JobClip, ...]:
    """Return the clips a job knows. Raises `JobError` where the record is damaged or newer than this program."""
    path = folder / MATERIAL_FILE
    if not path.is_file():
        return ()
    try:
        data = json.loads(read_plain(path, _MOST_BYTES))
        if int(data["format_number"]) > _FORMAT:
            raise JobError(
                "was kept by a newer version of this program", subject=str(path), remedy="update Idle Quarry"
            )
        return tuple(_entry(folder, clip) for clip in data["clips"])
    except (OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise JobError(
            "the record of the job's material is damaged",
            subject=str(path),
            remedy="put back a copy, or remove it: no clip is lost by that",
        ) from error


def _entry(folder: Path, data: dict[str, Any]) -> JobClip:
    brought = tuple(_brought_in_file(folder, item) for item in data.get("brought", []))
    proxy = _brought_in_file(folder, data["proxy"]) if data.get("proxy") else None
    return JobClip(folder / str(data["path"]), str(data["content"]), str(data.get("source", "")), brought, proxy)


def _brought_in_file(folder: Path, data: dict[str, Any]) -> BroughtInFile:
    span = (int(data["span"][0]), int(data["span"][1])) if data.get("span") else None
    return BroughtInFile(folder / str(data["path"]), str(data["of"]), str(data["source"]), str(data["codec"]), span)


def write_material(folder: Path, entries: Iterable[JobClip]) -> None:
    """Keep the clips a job knows; paths below the job are kept as from there, so that a job can be moved.

    Raises `JobError`.
    """

    def beside(path: Path) -> str:
        return path.relative_to(folder).as_posix() if path.is_relative_to(folder) else str(path)

    def as_json(file: BroughtInFile) -> dict[str, Any]:
        return {
            "path": beside(file.path),
            "of": file.of,
            "source": file.source,
            "codec": file.codec,
            "span": file.span,
        }

    clips = []
    for entry in entries:
        one: dict[str, Any] = {"path": beside(entry.path), "content": entry.content}
        if entry.source:
            one["source"] = entry.source
        if entry.brought:
            one["brought"] = [as_json(file) for file in entry.brought]
        if entry.proxy is not None:
            one["proxy"] = as_json(entry.proxy)
        clips.append(one)
    document = {"kind": "idle-quarry material", "format_number": _FORMAT, "clips": clips}
    try:
        written_whole(folder / MATERIAL_FILE, (json.dumps(document, indent=1, ensure_ascii=False) + "\n").encode())
    except OSError as error:
        raise JobError(f"the job's material could not be kept ({error.strerror})", subject=str(folder)) from error


def changed_material(folder: Path, change: Callable[[tuple[JobClip, ...]], Iterable[JobClip]]) -> tuple[JobClip, ...]:
    """Return the clips a job knows after `change`, and keep them.

    Changes made at once, here or in another room, are all kept.

    Raises `JobError` where they cannot be read or kept, and what `change` raises.
    """
    return changed(folder, read_material, lambda before: tuple(change(before)), write_material)


def with_entry(path: Path, change: Callable[[JobClip], JobClip]) -> Callable[[tuple[JobClip, ...]], list[JobClip]]:
    """Return the change of one clip, where the job still knows it."""
    return lambda entries: [change(entry) if entry.path == path else entry for entry in entries]


def with_part(entry: JobClip, part: BroughtInFile) -> JobClip:
    """Return a clip with a part that was brought in, in place of an older one of the same frames and of what is
    gone.
    """
    return replace(entry, brought=(*(file for file in parts_of(entry) if file.span != part.span), part))


def taken_in(entries: Iterable[JobClip], paths: Iterable[Path]) -> tuple[JobClip, ...]:
    """Return the entries with more clips.

    One that is there already stays as it is, one that is the same file elsewhere is relinked.

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
        lost = next((entry for entry in known.values() if entry.content == content and not entry.path.is_file()), None)
        if lost is not None:
            known = {
                (path if entry is lost else place): replace(entry, path=path) if entry is lost else entry
                for place, entry in known.items()
            }
        else:
            known[path] = JobClip(path, content)
    return tuple(known.values())


def state_of(entry: JobClip, spans: Sequence[Span] = ()) -> str:
    """Return how a clip stands now; `spans` are the frames that the timelines use."""
    if not entry.path.is_file():
        return MISSING
    try:
        same = identity(entry.path) == entry.content
    except OSError:
        return MISSING
    if not same:
        return CHANGED
    parts = parts_of(entry)
    if any(file.span is None for file in parts):
        return BROUGHT
    held = [file.span for file in parts if file.span is not None]
    if not held:
        return LINKED
    return USED if all(any(a <= first and last <= b for a, b in held) for first, last in spans) else PARTLY


def parts_of(entry: JobClip) -> tuple[BroughtInFile, ...]:
    """Return what was made of a clip as it is now, and is there."""
    return tuple(file for file in entry.brought if file.of == entry.content and file.path.exists())


def proxy_of(entry: JobClip) -> BroughtInFile | None:
    """Return the proxy of a clip as it is now, where it is there."""
    file = entry.proxy
    return file if file is not None and file.of == entry.content and file.path.exists() else None


def rows_of(folder: Path, entries: Iterable[JobClip]) -> list[JobClipStatus]:
    """Return the clips as they stand, and what of each is used in the job's timelines."""
    used = uses(folder)
    rows = []
    for entry in entries:
        spans = [
            pair
            for place in {str(entry.path), *(str(file.path) for file in entry.brought)}
            for pair in used.get(place, [])
        ]
        own = tuple(sorted(span for _, span in used.get(str(entry.path), [])))
        rows.append(
            JobClipStatus(entry, state_of(entry, own), sum((seconds for seconds, _ in spans), Fraction(0)), own)
        )
    return rows


def uses(folder: Path) -> dict[str, list[tuple[Fraction, Span]]]:
    """Return what each file is used for in the job's timelines, by its path: seconds of the timeline, and frames of
    the file.

    What cannot be read uses nothing.
    """
    results: dict[str, list[tuple[Fraction, Span]]] = {}
    for path in sorted((folder / TIMELINES).glob("*.otio")):
        try:
            timeline = read_list(path, Fraction(25)).timeline
        except QuarryError:
            continue
        for _, item in timeline.items:
            media = item.media
            if media is None or media.path is None:
                continue
            ends = item.begins, item.shows(item.end - 1, timeline.rate)
            span = math.floor(min(ends)) - media.first, math.floor(max(ends)) - media.first + 1
            results.setdefault(media.path, []).append((item.length / timeline.rate, span))
    return results


def joined(spans: Iterable[Span], handles: int, frames: int) -> list[Span]:
    """Return spans with so many frames more on each side, as far as there are any, joined where they meet."""
    results: list[Span] = []
    for first, last in sorted(spans):
        first, last = max(0, first - handles), min(frames, last + handles)
        if results and first <= results[-1][1]:
            results[-1] = results[-1][0], max(results[-1][1], last)
        elif first < last:
            results.append((first, last))
    return results


def class_of(entry: JobClip, clip: Clip, template: Template) -> tuple[Source | None, Match | None]:
    """Return the source class of a clip: the one a person chose, else the one it matches; and the match."""
    result = match(template, clip.format) if clip.format is not None else None
    chosen = next((source for source in template.sources if source.id == entry.source), None)
    return chosen or (result.source if result is not None else None), result


def bring_in(
    entry: JobClip,
    clip: Clip,
    source: Source,
    template: Template,
    folder: Path,
    on_progress: Callable[[float], None],
    span: Span | None = None,
) -> BroughtInFile:
    """Convert a clip, or a span of its frames, to the template's intermediate by the link of a source class, into
    the job.

    Return what was made. The file appears when it is whole. `on_progress` hears the share that is done, and may raise
    to stop; then nothing is left. Raises `NotPossible` where the link or the codec refuses, `MediaError` where the clip
    cannot be read or the disk is full.
    """
    return _converted(
        entry,
        clip,
        source,
        template,
        folder / BROUGHT_IN,
        template.working.format,
        template.intermediate.codec,
        on_progress,
        span,
    )


def make_proxy(
    entry: JobClip, clip: Clip, source: Source, template: Template, folder: Path, on_progress: Callable[[float], None]
) -> BroughtInFile:
    """Convert a clip to the template's proxy by its policy of a source class, into the job; as `bring_in`.

    Raises `NotPossible` where the template has no proxy, and what `bring_in` raises.
    """
    if template.proxy is None or template.proxy_format is None:
        raise NotPossible("the template has no proxy", subject=entry.path.name, remedy="give it one in Path")
    place = folder / BROUGHT_IN / PROXIES
    return _converted(
        entry, clip, source, template, place, template.proxy_format, template.proxy.codec, on_progress, None
    )


def _converted(
    entry: JobClip,
    clip: Clip,
    source: Source,
    template: Template,
    place: Path,
    fmt: SignalFormat,
    codec_id: str,
    on_progress: Callable[[float], None],
    span: Span | None,
) -> BroughtInFile:
    state = state_of(entry)
    if state in (MISSING, CHANGED):
        raise NotPossible(
            f"its file is {state}", subject=entry.path.name, remedy="look at it in Intake, or add it again"
        )
    codec = codecs()[codec_id]
    place.mkdir(exist_ok=True, parents=True)
    sound, rate = template.sound, clip.declared.rate or template.working.format.rate
    target = ConversionTarget(
        fmt,
        codec,
        source.policy_for(clip.path.name),
        source.cadence,
        sound.sample_rate,
        sound.bit_depth,
        template.timecode.drop,
    )
    seconds = (span[0] / rate, span[1] / rate) if span is not None else None
    converted = convert(
        clip,
        target,
        free_place(place, cleaned_name(entry.path.stem) or "clip", clip_suffix(codec)),
        lambda done, of, _speed: on_progress(done / max(1, of)),
        seconds,
    )
    return BroughtInFile(converted.path, entry.content, source.id, codec.id, span)

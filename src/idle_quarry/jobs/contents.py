"""What a job's own files hold against what its revision wants: its timelines' start and rate, its line-up clip."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

from idle_quarry.errors import MediaError, NotUnderstood, QuarryError
from idle_quarry.files import FileFacts
from idle_quarry.jobs.folder_plan import LINE_UP, TIMELINES, line_up_start
from idle_quarry.jobs.line_up import wanted_line_up
from idle_quarry.jobs.otio_reading import MOST_BYTES, values_of
from idle_quarry.media import inspect
from idle_quarry.media.clip import Clip
from idle_quarry.media.measurement.sound import heard
from idle_quarry.path.findings.sound import db
from idle_quarry.path.template import Template
from idle_quarry.signal.rates import nearest_named_rate, rate_text
from idle_quarry.signal.timecode import Timecode, start_timecode

#: A tone this near to the level wanted is at it, dB.
_AT_LEVEL = 0.1
#: A start beyond so many frames is none: days at the quickest rate.
_MOST_FRAMES = 1e9
#: What of a line-up clip is told by which words.
_TOLD = {
    "codec": "codec",
    "format": "format",
    "frames": "length",
    "start": "start",
    "bars": "bars",
    "level": "level",
    "sound": "sound",
}


def contents_against(folder: Path, template: Template, line_up: dict[str, Any]) -> Iterator[tuple[str, str]]:
    """Yield (relative path, sentence) for what is in a job's timelines and line-up and is not what its template wants.

    `line_up` is the record of the clip as it was made. Files that are not there are not this function's business.
    """
    yield from _timelines(folder, template)
    yield from _line_up(folder, template, line_up)


def _timelines(folder: Path, template: Template) -> Iterator[tuple[str, str]]:
    fmt = template.working.format
    try:
        timecode = start_timecode(template.timecode.start, template.timecode.drop, fmt.rate)
    except QuarryError:
        return
    for timeline in template.timelines:
        name = f"{TIMELINES}/{timeline.name}.otio"
        path = folder / name
        if not path.is_file():
            continue
        try:
            start = _start_in(path)
        except NotUnderstood as error:
            yield name, f"{timeline.name} cannot be read as a timeline: {error.what}"
            continue
        if start is None:
            yield name, f"{timeline.name} has no start; the revision starts at {timecode}"
            continue
        frames, rate = start
        if rate != fmt.rate:
            yield name, f"{timeline.name} counts at {rate_text(rate)}, the revision at {rate_text(fmt.rate)}"
        elif frames != timecode.frames:
            begins = Timecode(frames, rate, timecode.drop)
            yield name, f"{timeline.name} starts at {begins}, the revision at {timecode}"


def _start_in(path: Path) -> tuple[int, Fraction] | None:
    """Return where a timeline's file says that it starts: frames, and their rate. Raises `NotUnderstood`."""
    try:
        if path.stat().st_size > MOST_BYTES:
            raise NotUnderstood(f"larger than {MOST_BYTES // 1_000_000} MB")
        given = values_of(path.read_bytes())
    except OSError as error:
        raise NotUnderstood(error.strerror or "no file") from error
    if not isinstance(given, dict) or not str(given.get("OTIO_SCHEMA", "")).startswith("Timeline."):
        raise NotUnderstood("it holds none")
    start = given.get("global_start_time")
    if start is None:
        return None
    try:
        frames, double = float(start["value"]), float(start["rate"])
        # OpenTimelineIO's rates are doubles: the standard rate that is meant
        rate = nearest_named_rate(Fraction(double)) or Fraction(double).limit_denominator(1001)
        if rate <= 0 or abs(frames) > _MOST_FRAMES:
            raise NotUnderstood("its start is no time")
        return round(frames), rate
    except (TypeError, KeyError, ValueError, ArithmeticError) as error:
        raise NotUnderstood("its start is no time") from error


def _line_up(folder: Path, template: Template, results: dict[str, Any]) -> Iterator[tuple[str, str]]:
    place = folder / LINE_UP
    clips = sorted(path for path in place.iterdir() if path.is_file()) if place.is_dir() else []
    if not clips:
        return
    name = f"{LINE_UP}/{clips[0].name}"
    wanted = wanted_line_up(template)
    for key, lines in _TOLD.items():
        before = results.get(key)
        if before is not None and before != wanted[key]:
            yield name, f"the line-up's {lines} is {before}, the revision wants {wanted[key]}"
    try:
        clip, tone_dbfs = _clip_and_tone(clips[0])
    except MediaError as error:
        yield name, f"the line-up clip: {error.what}"
        return
    except OSError:  # it went in this moment
        return
    yield from ((name, text) for text in _in_the_file(clip, tone_dbfs, template))


def _read_clip_and_tone(path: Path) -> tuple[Clip, float | None]:
    """Return a line-up clip as it declares itself, and the level of its tone in dBFS. Raises `MediaError`."""
    clip = inspect(path)
    declared = clip.declared
    sound = heard(path, 0, declared.audio[0].sample_rate, declared.duration_s) if declared.audio else None
    tone = sound.channels[-1].tone if sound is not None and sound.channels else None
    return clip, None if tone is None else tone.level_dbfs


_clip_and_tone = FileFacts(_read_clip_and_tone)


def _in_the_file(clip: Clip, tone_dbfs: float | None, template: Template) -> Iterator[str]:
    """Yield what the clip itself says otherwise, whatever was recorded of it."""
    fmt, declared = template.intermediate_format, clip.declared
    start = str(line_up_start(template))
    if declared.timecode is not None and declared.timecode != start:
        yield f"the line-up's timecode is {declared.timecode}, the revision wants {start}"
    result = clip.format
    if result is not None and (result.raster.width, result.raster.height) != (fmt.raster.width, fmt.raster.height):
        yield f"the line-up is {result.raster.size_text}, the revision {fmt.raster.size_text}"
    if result is not None and result.rate != fmt.rate:
        yield f"the line-up runs at {rate_text(result.rate)}, the revision at {rate_text(fmt.rate)}"
    level = template.sound.line_up_dbfs
    if tone_dbfs is not None and abs(tone_dbfs - level) > _AT_LEVEL:
        yield f"the line-up's tone is at {db(round(tone_dbfs, 1))} dBFS, the revision wants {db(level)}"

"""A clip of a job as it is shown, in words."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from idle_quarry.errors import QuarryError
from idle_quarry.jobs.cutting.timeline_files import timelines_in
from idle_quarry.jobs.material import (
    BROUGHT,
    MISSING,
    PARTLY,
    USED,
    JobClip,
    JobClipStatus,
    Span,
    class_of,
    joined,
    parts_of,
    proxy_of,
)
from idle_quarry.media.clip import Clip
from idle_quarry.media.looking import look
from idle_quarry.media.stills import small_picture
from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import Source
from idle_quarry.signal.words import format_words

if TYPE_CHECKING:
    pass


#: The media files in a job's folders, and its timelines: relative paths, with size and time (ns).
Glance = tuple[dict[str, tuple[int, int]], dict[str, tuple[int, int]]]


@dataclass(frozen=True)
class MaterialRow:
    """A clip as it is shown: how it stands, what it is (None where it cannot be read), its class."""

    row: JobClipStatus
    clip: Clip | None
    source: Source | None
    fits: bool  #: whether it matches a class of the template by itself
    words: str  #: what it is, or why it cannot be read
    picture: bytes | None = None  #: a small one, PNG

    @property
    def convertible(self) -> bool:
        """Whether it has pictures in a format that is known."""
        return self.clip is not None and self.clip.format is not None

    @property
    def entry(self) -> JobClip:
        return self.row.entry


def used_spans(row: MaterialRow, clip: Clip) -> list[Span]:
    """Return the spans of a clip that are used and not brought in yet."""
    held = [file.span for file in parts_of(row.entry) if file.span is not None]
    spans = joined(row.row.spans, round(clip.declared.rate or 25), clip.declared.frames or 1)
    return [span for span in spans if not any(a <= span[0] and span[1] <= b for a, b in held)]


def shown(row: JobClipStatus, template: Template) -> MaterialRow:
    """Return a clip of a job as it is shown."""
    if row.state == MISSING:
        return MaterialRow(row, None, None, False, "its file is not there")
    try:
        clip = look(row.entry.path)
    except QuarryError as error:
        return MaterialRow(row, None, None, False, error.what)
    source, match = class_of(row.entry, clip, template)
    if clip.format is not None:
        words = format_words(clip.format, fields=True)
    else:
        words = "pictures in no format that is known" if clip.declared.has_picture else "sound alone"
    fits = match is not None and match.source is not None
    try:
        picture = small_picture(clip)
    except QuarryError:
        picture = None
    return MaterialRow(row, clip, source, fits, words, picture)


def used_words(row: JobClipStatus) -> str:
    """Return for how long timelines use a clip."""
    if not row.used:
        return "not used"
    minutes, seconds = divmod(float(row.used), 60)
    return f"{int(minutes)} min {seconds:.0f} s" if minutes else f"{seconds:.1f} s"


def brought_words(row: JobClipStatus) -> str:
    """Return how a clip stands, with what was made of it."""
    parts = parts_of(row.entry) if row.state in (BROUGHT, USED, PARTLY) else ()
    texts = [row.state, *([", ".join(file.path.name for file in parts)] if parts else [])]
    if proxy_of(row.entry) is not None:
        texts.append("proxy")
    return " · ".join(texts)


def timelines_of(folder: Path) -> dict[str, tuple[int, int]]:
    """Return a job's timelines as they lie there now: what uses its clips."""
    results = {}
    for path in timelines_in(folder):
        with contextlib.suppress(OSError):  # renamed in this moment: the next glance sees it
            status = path.stat()
            results[path.name] = status.st_size, status.st_mtime_ns
    return results

"""The door to lists of cuts: OpenTimelineIO, CMX 3600, AAF and plain tables, each as a timeline, with what it says
of its count.

Lists come from elsewhere: they are small or refused, what they name is not opened, and what cannot be read is one
sentence.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import opentimelineio as otio

from idle_quarry.errors import MediaError, NotUnderstood, QuarryError, one_line
from idle_quarry.jobs.conform.edl import read_edl
from idle_quarry.jobs.conform.table import read_table
from idle_quarry.jobs.cutting.otio_values import from_otio, own_facts
from idle_quarry.jobs.cutting.timeline import Timeline
from idle_quarry.jobs.otio_reading import MOST_AAF_BYTES, MOST_BYTES, aaf_as_otio, survived
from idle_quarry.signal.timecode import can_drop

#: Endings of lists, and what they are.
KINDS = {".otio": "otio", ".edl": "edl", ".aaf": "aaf", ".csv": "table", ".tsv": "table", ".txt": "table"}
#: Bytes a list has at the most.
_MOST = {"otio": MOST_BYTES, "edl": 16_000_000, "aaf": MOST_AAF_BYTES, "table": 16_000_000}


@dataclass(frozen=True)
class CutList:
    """A list read: its kind, its timeline, and what it says itself of its count (None where it says nothing)."""

    path: Path
    kind: str
    timeline: Timeline
    rate: Fraction | None
    drop: bool | None
    start: bool  #: whether it says where it starts
    lost: tuple[str, ...] = ()

    @property
    def count_unsaid(self) -> bool:
        """Whether it can be counted in two ways and does not say in which."""
        return self.kind == "edl" and self.drop is None and can_drop(self.timeline.rate)


def read_list(path: Path, otherwise: Fraction, drop: bool | None = None) -> CutList:
    """Return the list in a file; where it says no rate it is counted at `otherwise`, or the least that its numbers
    can be of, and `drop` is whether it drops numbers where it does not say that (CMX 3600).

    Raises `MediaError` where the file cannot be read, and `NotUnderstood` where it is no list, naming the line where
    there are lines.
    """
    kind = KINDS.get(path.suffix.casefold())
    if kind is None:
        raise NotUnderstood("not a list of cuts", subject=path.name, remedy=f"give one of {', '.join(KINDS)}")
    try:
        size = path.stat().st_size
        if not path.is_file():
            raise MediaError("not a file", subject=str(path))
        if size > _MOST[kind]:
            raise NotUnderstood(
                f"larger than {_MOST[kind] // 1_000_000} MB", subject=path.name, remedy="give a list, not its media"
            )
        data = path.read_bytes() if kind != "aaf" else b""
    except OSError as error:
        raise MediaError(f"cannot be read ({error.strerror})", subject=str(path)) from error
    try:
        if kind == "edl":
            read = read_edl(_text(data), otherwise, drop)
            return CutList(path, kind, read.timeline, read.rate, read.drop, True, read.lost)
        if kind == "table":
            return CutList(path, kind, read_table(_text(data), otherwise), None, None, False)
        return _foreign(path, kind, survived(data) if kind == "otio" else aaf_as_otio(path), otherwise)
    except QuarryError as error:
        text = f"{error.subject}: {error.what}" if error.subject else error.what
        raise NotUnderstood(text, subject=path.name, remedy=error.remedy) from error


def _text(data: bytes) -> str:
    for encoding in ("utf-8-sig", "cp1252", "latin-1"):
        try:
            return data.decode(encoding)
        except UnicodeDecodeError:
            continue
    raise NotUnderstood("not text")


def _foreign(path: Path, kind: str, data: bytes, otherwise: Fraction) -> CutList:
    """Return a list as OpenTimelineIO has it, of text that was survived."""
    timeline, result, more = timeline_in_text(data, otherwise)
    lost = [f"{more} further timelines in the file are not read"] if more else []
    lost += _what_is_lost(timeline)
    own = own_facts(result.metadata)
    start = result.global_start_time
    drop = bool(own["drop_frame"]) if "drop_frame" in own else None
    rate = None if start is None and not own and not timeline.end else timeline.rate
    return CutList(
        path, kind, timeline, rate, drop if can_drop(timeline.rate) else None, start is not None, tuple(lost)
    )


def timeline_in_text(data: bytes, otherwise: Fraction | None = None) -> tuple[Timeline, otio.schema.Timeline, int]:
    """Return the timeline in a text of OpenTimelineIO: ours, the library's own, and how many further ones there are.

    The library may end the process over it: texts from elsewhere are `survived` first. Raises `NotUnderstood`.
    """
    try:
        given = otio.adapters.read_from_string(data.decode(), "otio_json")
    except Exception as error:  # adapters raise whatever their libraries do
        raise NotUnderstood(f"cannot be read ({one_line(str(error) or type(error).__name__)[:120]})") from error
    result, more = _first_timeline(given)
    try:
        return from_otio(result, otherwise), result, more
    except (otio.exceptions.OTIOError, TypeError, ValueError, AttributeError, RuntimeError, ArithmeticError) as error:
        raise NotUnderstood(f"is damaged ({one_line(str(error))[:120]})") from error


def _first_timeline(given: Any) -> tuple[otio.schema.Timeline, int]:
    if isinstance(given, otio.schema.Timeline):
        return given, 0
    inside = [item for item in given if isinstance(item, otio.schema.Timeline)] if hasattr(given, "__iter__") else []
    if inside:
        return inside[0], len(inside) - 1
    result = otio.schema.Timeline(name=getattr(given, "name", ""))
    if isinstance(given, otio.schema.Stack):
        result.tracks = given
    elif isinstance(given, otio.schema.Track):
        result.tracks.append(given)
    else:
        raise NotUnderstood(f"holds no timeline, but {type(given).__name__}")
    return result, 0


def _what_is_lost(timeline: Timeline) -> list[str]:
    """Return what stays in the file and is not made here."""
    results = []
    for track, item in timeline.items:
        where = f"{track.name} at {timeline.timecode(item.at)}, {item.name}"
        if item.kind == "nested":
            results.append(f"{where}: a timeline within the timeline is kept whole, and not opened")
        if item.effects:
            results.append(f"{where}: {', '.join(item.effects)} kept, and not made here")
    for track in timeline.tracks:
        results += [
            f"{track.name} at {timeline.timecode(transition.at)}: {transition.kind or 'a transition'} kept, and its"
            " shape not made here"
            for transition in track.transitions
            if transition.kind != "SMPTE_Dissolve"
        ]
    return results

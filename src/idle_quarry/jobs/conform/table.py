"""A plain table of clips (CSV): a name, a tape, where it begins and ends; one clip after the other."""

from __future__ import annotations

import csv
import io
from fractions import Fraction

from idle_quarry.errors import NotUnderstood, QuarryError
from idle_quarry.jobs.conform.edl_events import least_rate
from idle_quarry.jobs.cutting.timeline import PICTURE, Media, Timeline, TimelineItem, Track
from idle_quarry.signal.rates import rate_text
from idle_quarry.signal.timecode import Timecode

_MOST_ROWS = 50_000
#: Headings as people write them → what stands below.
_HEADINGS = {
    "name": ("name", "clip", "clip name", "file", "file name"),
    "tape": ("tape", "reel", "tape name", "reel name"),
    "in": ("in", "source in", "start", "media start", "tc in"),
    "out": ("out", "source out", "end", "media end", "tc out"),
    "note": ("note", "notes", "comment", "comments"),
}


def read_table(text: str, otherwise: Fraction) -> Timeline:
    """Return a table's clips one after the other, counted at `otherwise` or the least rate that its timecodes can
    be of.

    `out` is the frame after the last. Raises `NotUnderstood`, naming the line.
    """
    try:
        shape = csv.Sniffer().sniff(text[:4096], delimiters=",;\t")
    except csv.Error:
        shape = csv.excel
    rows = csv.reader(io.StringIO(text, newline=""), shape)
    try:
        headings = [heading.strip().casefold().lstrip("\ufeff") for heading in next(rows, [])]
        where = {
            key: next((n for n, head in enumerate(headings) if head in names), None) for key, names in _HEADINGS.items()
        }
        missing = [key for key in ("name", "in", "out") if where[key] is None]
        if missing:
            raise NotUnderstood(
                f"no column for {', '.join(missing)}",
                subject="the table",
                remedy="its first line names the columns: name, tape, in, out",
            )
        rate, items, at = least_rate(text, otherwise), list[TimelineItem](), 0
        drop = rate == Fraction(30000, 1001) and ";" in text
        for row in rows:
            if not any(cell.strip() for cell in row):
                continue
            if len(items) >= _MOST_ROWS:
                raise NotUnderstood(f"more than {_MOST_ROWS} rows", subject="the table")
            cells = {key: row[n].strip() if n is not None and n < len(row) else "" for key, n in where.items()}
            first, last = (_count(cells[key], rate, drop, rows.line_num) for key in ("in", "out"))
            if last <= first:
                raise NotUnderstood("it ends before it begins", subject=f"line {rows.line_num}: {cells['name'][:40]}")
            media = Media(cells["name"], rate, None, cells["tape"] or None, 0, None, drop)
            items.append(
                TimelineItem(
                    len(items) + 1,
                    cells["name"],
                    at,
                    last - first,
                    media=media,
                    begins=Fraction(first),
                    note=cells["note"],
                )
            )
            at += last - first
    except csv.Error as error:
        raise NotUnderstood(f"not a table: {error}", subject=f"line {rows.line_num}") from error
    if not items:
        raise NotUnderstood("no clips are in it", subject="the table")
    track = Track("V", "V", PICTURE, tuple(items))
    return Timeline("table", rate, Timecode(0, rate, drop), (track,), issued=len(items))


def _count(text: str, rate: Fraction, drop: bool, line: int) -> int:
    try:
        return Timecode.from_text(text if drop else text.replace(";", ":"), rate).frames
    except QuarryError as error:
        raise NotUnderstood(
            f"no timecode at {rate_text(rate)}: {error.what}", subject=f"line {line}: {text[:20]!r}"
        ) from error


def write_table(timeline: Timeline) -> str:
    """Return a timeline's clips as a table: track, name, tape, in, out, place and end on the timeline, speed."""
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\n")
    rows.writerow(("track", "name", "tape", "in", "out", "record in", "record out", "speed", "note"))
    for track, item in timeline.items:
        if item.media is None:
            continue
        first, last = item.begins, item.shows(item.end, timeline.rate)
        rows.writerow(
            (
                track.name,
                item.name,
                item.media.tape or "",
                item.media.timecode(first),
                item.media.timecode(last),
                timeline.timecode(item.at),
                timeline.timecode(item.end),
                item.speed,
                item.note,
            )
        )
    return out.getvalue()

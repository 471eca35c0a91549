"""The intake report: what came in and where labels and pictures part, as HTML, PDF, CSV or JSON."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from idle_quarry.media.clip import Clip
from idle_quarry.media.words import active_text, fields_text, measured_lines, moments_text
from idle_quarry.paper import WritePdf, pages, write_paper
from idle_quarry.signal.words import format_words


@dataclass(frozen=True)
class FormatTotal:
    """Clips of one format: how many, how long, and their share of all durations."""

    format: str
    count: int
    seconds: float
    share: float


def totals(clips: Sequence[Clip]) -> list[FormatTotal]:
    """Return the formats of clips by share of duration, greatest first; clips without pictures are left out."""
    groups: dict[str, list[float]] = {}
    for clip in clips:
        if clip.declared.has_picture:
            words = format_words(clip.format, fields=True) if clip.format else "no signal format"
            groups.setdefault(words, []).append(clip.declared.duration_s or 0.0)
    whole = sum(sum(durations) for durations in groups.values())
    format_totals = [
        FormatTotal(
            words, len(durations), sum(durations), sum(durations) / whole if whole else len(durations) / len(clips)
        )
        for words, durations in groups.items()
    ]
    return sorted(format_totals, key=lambda total: -total.share)


def write_report(path: Path, clips: Sequence[Clip], write_pdf: WritePdf, against: str = "") -> None:
    """Write the report in the form that the suffix of `path` names, whole or not at all.

    Raises what `write_paper` raises.
    """
    write_paper(
        path,
        lambda: as_html(clips, against),
        lambda: as_csv(clips),
        lambda: [clip.to_json() for clip in clips],
        write_pdf,
    )


def as_html(clips: Sequence[Clip], against: str = "") -> str:
    """Return the report as a page."""
    rows = [
        {
            "name": clip.name,
            "words": format_words(clip.format, fields=True) if clip.format else "",
            "corrected": clip.corrected,
            "codec": " ".join(p for p in (clip.declared.codec, clip.declared.profile) if p),
            "timecode": clip.declared.timecode,
            "duration": clip.declared.duration_s,
            "wrong": [disagreement.text for disagreement in clip.disagreements],
            "measured": measured_lines(clip),
        }
        for clip in sorted(clips, key=lambda clip: not clip.disagreements)
    ]
    untrue = sum(bool(clip.disagreements) for clip in clips)
    text = datetime.now().astimezone().strftime("%Y-%m-%d %H:%M")
    return (
        pages("idle_quarry.media", "report_html")
        .get_template("intake.html")
        .render(clips=rows, totals=totals(clips), made=text, against=against, untrue=untrue)
    )


def as_csv(clips: Sequence[Clip]) -> str:
    """Return the report as a table, a row a clip."""
    text = io.StringIO()
    table = csv.writer(text)
    table.writerow(
        [
            "path",
            "format",
            "corrected",
            "declared_scan",
            "declared_order",
            "declared_rate",
            "measured",
            "moments",
            "confidence",
            "active_picture",
            "codec",
            "timecode",
            "frames",
            "duration_s",
            "disagreements",
        ]
    )
    for clip in clips:
        d, fields = clip.declared, clip.measured.fields if clip.measured else None
        table.writerow(
            [
                str(clip.path),
                format_words(clip.format, fields=True) if clip.format else "",
                "yes" if clip.corrected else "",
                d.scan,
                d.field_order or "",
                str(d.rate or ""),
                fields_text(fields),
                moments_text(fields),
                f"{fields.confidence:.2f}" if fields else "",
                active_text(clip),
                d.codec,
                d.timecode or "",
                d.frames or "",
                f"{d.duration_s:.3f}" if d.duration_s else "",
                " | ".join(disagreement.text for disagreement in clip.disagreements),
            ]
        )
    return text.getvalue()

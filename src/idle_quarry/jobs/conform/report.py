"""The report of a list: its frame against the template's, what is lost, and every event.

As a page, a table or a document.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from idle_quarry.jobs.conform.frame import frame_findings
from idle_quarry.jobs.conform.lists import CutList
from idle_quarry.jobs.conform.matching import Event, in_reels_counts, matched
from idle_quarry.jobs.conform.material import ClipOnDisk
from idle_quarry.paper import WritePdf, pages, write_paper
from idle_quarry.path.evaluation import Finding
from idle_quarry.path.template import Template
from idle_quarry.signal.rates import rate_fraction_text, rate_text
from idle_quarry.signal.timecode import Timecode


@dataclass(frozen=True)
class ConformReport:
    """A list held against a template and the clips there are."""

    cuts: CutList
    template: str
    findings: tuple[Finding, ...]
    events: tuple[Event, ...]

    @property
    def missing(self) -> tuple[Event, ...]:
        """The events that lack a clip they need."""
        return tuple(event for event in self.events if event.status == "missing" and event.matters)

    def counts(self) -> dict[str, int]:
        """Return how many events are of each status, what lacks and need not be there by itself."""
        results: dict[str, int] = {}
        for event in self.events:
            status = "missing that does not matter" if event.status == "missing" and not event.matters else event.status
            results[status] = results.get(status, 0) + 1
        return results

    def to_json(self) -> dict[str, Any]:
        """Return the document of the command line's contract."""
        cuts = self.cuts
        return {
            "name": cuts.timeline.name,
            "kind": cuts.kind,
            "rate": rate_fraction_text(cuts.rate) if cuts.rate is not None else None,
            "drop_frame": cuts.drop,
            "start": str(cuts.timeline.start) if cuts.start else None,
            "findings": [finding.to_json() for finding in self.findings],
            "lost": list(cuts.lost),
            "events": [event_json(cuts, event) for event in self.events],
        }


def conformed(cuts: CutList, template: Template, clips: Sequence[ClipOnDisk]) -> ConformReport:
    """Return a list held against a template and the clips there are."""
    events = matched(cuts.timeline, clips)
    events = in_reels_counts(events) if cuts.kind == "edl" else events
    return ConformReport(cuts, template.name, tuple(frame_findings(cuts, template)), tuple(events))


def event_json(cuts: CutList, event: Event) -> dict[str, Any]:
    """Return an event under the keys of the contract; timecodes are of the list's own count."""
    timeline, item = cuts.timeline, event.item
    first, last = source_times(cuts, event)
    return {
        "track": event.track.name,
        "kind": event.track.kind,
        "name": item.name,
        "tape": item.media.tape if item.media is not None else None,
        "source_in": str(first),
        "source_out": str(last),
        "record_in": str(timeline.timecode(item.at)),
        "record_out": str(timeline.timecode(item.end)),
        "speed": f"{event.speed.numerator}/{event.speed.denominator}",
        "status": event.status,
        "matters": event.matters,
        "media": str(event.clip.path) if event.clip is not None else None,
        "offset_frames": event.offset,
        "text": event.text,
    }


def source_times(cuts: CutList, event: Event) -> tuple[Timecode, Timecode]:
    """Return the timecodes of an event's source, the second that after its last frame."""
    timeline, item = cuts.timeline, event.item
    first, last = item.begins, item.shows(item.end, timeline.rate)
    if item.media is not None:
        return item.media.timecode(first), item.media.timecode(last)
    rate, drop = timeline.rate, timeline.start.drop
    begin = first.numerator // first.denominator
    return Timecode(begin, rate, drop), Timecode(begin + item.length, rate, drop)


def as_table(report: ConformReport) -> str:
    """Return the events as a table."""
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\n")
    documents = [event_json(report.cuts, event) for event in report.events]
    keys = list(documents[0]) if documents else ["track"]
    rows.writerow(keys)
    rows.writerows([["" if document[key] is None else document[key] for key in keys] for document in documents])
    return out.getvalue()


def as_html(report: ConformReport) -> str:
    """Return the report as a page; what lacks and matters stands first."""
    order = {"missing": 0, "offset": 1, "found elsewhere": 2, "found": 3, "no media needed": 4}
    events = sorted(report.events, key=lambda event: (order[event.status], not event.matters))
    cuts = report.cuts
    return (
        pages("idle_quarry.jobs", "papers_html")
        .get_template("cuts.html")
        .render(
            name=cuts.timeline.name,
            file=cuts.path.name,
            template=report.template,
            findings=report.findings,
            lost=cuts.lost,
            counts=report.counts(),
            made=datetime.now().astimezone().strftime("%Y-%m-%d %H:%M"),
            counted=rate_text(cuts.timeline.rate),
            events=[event_json(cuts, event) for event in events],
        )
    )


def write_report(path: Path, report: ConformReport, write_pdf: WritePdf) -> None:
    """Write the report in the form that the suffix of `path` names, whole or not at all.

    Raises what `write_paper` raises.
    """
    write_paper(path, lambda: as_html(report), lambda: as_table(report), report.to_json, write_pdf)

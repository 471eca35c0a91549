"""Lists of cuts on the command line."""

from __future__ import annotations

from argparse import Namespace as Options
from pathlib import Path

from idle_quarry.cli.command import argument, command
from idle_quarry.cli.output import Output, table


@command(
    "cuts read",
    argument("file", metavar="FILE", help="OpenTimelineIO, CMX 3600, AAF, or a table of clips (CSV)"),
    argument("--template", required=True, metavar="NAME"),
    argument("--media", action="append", default=[], metavar="FOLDER", help="where clips are looked for"),
    argument("--count", choices=("drop", "non-drop"), help="how a list counts that does not say it"),
    argument("--report", metavar="FILE", help="also write the report: .pdf, .html, .csv or .json"),
)
def cuts_read(options: Options, out: Output) -> int:
    """A list from elsewhere against a template and the clips of some folders; status 1 where it lacks what it needs."""
    from idle_quarry.cli.opening import opened, stored_of
    from idle_quarry.jobs.conform.lists import read_list
    from idle_quarry.jobs.conform.material import clips_in
    from idle_quarry.jobs.conform.report import conformed, event_json, write_report
    from idle_quarry.printing import write_pdf
    from idle_quarry.signal.rates import rate_text

    with opened(options) as library:
        template = stored_of(library, options.template).template
    drop = options.count == "drop" if options.count else None
    cuts = read_list(Path(options.file), template.working.format.rate, drop)
    clips, trouble = clips_in([Path(folder) for folder in options.media])
    report = conformed(cuts, template, clips)
    if options.report:
        write_report(Path(options.report), report, write_pdf)
    counts = ", ".join(f"{count} {status}" for status, count in report.counts().items())
    words = (
        rate_text(cuts.rate) if cuts.rate is not None else f"no rate said, counted at {rate_text(cuts.timeline.rate)}"
    )
    lines = [f"{cuts.timeline.name}: {words}; {counts or 'no events'}"]
    lines += [f"  {finding.severity}: {finding.text}" for finding in report.findings]
    lines += [f"  {text}" for text in (*cuts.lost, *trouble)]
    rows = [event_json(cuts, event) for event in report.events]
    lines += table(
        [
            [
                row["track"],
                row["record_in"],
                row["name"],
                row["tape"] or "",
                row["source_in"],
                row["status"],
                row["text"],
            ]
            for row in rows
        ]
    )
    out.show(report.to_json(), lines)
    return 1 if report.missing else 0

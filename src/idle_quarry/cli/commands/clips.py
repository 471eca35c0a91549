"""`inspect` and `check`: clips as they are, and against a template."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from idle_quarry.cli.command import argument, command
from idle_quarry.cli.findings import finding_lines
from idle_quarry.cli.opening import Options, opened, stored_of
from idle_quarry.cli.output import Output, complain
from idle_quarry.errors import MediaError

if TYPE_CHECKING:
    from idle_quarry.media import Clip


def _looked(given: list[str]) -> tuple[list[Clip], bool]:
    """Return the clips that paths name, in their order, and whether one could not be read; errors are printed."""
    from idle_quarry.media.looking import look_at_all

    paths = _media(given)
    results: dict[Path, Clip] = {}
    failed = False
    for path, answer in look_at_all(paths):
        if isinstance(answer, MediaError):
            failed = True
            complain(str(answer))
        else:
            results[path] = answer
            if answer.trouble:
                failed = True
                complain(f"{path}: {answer.trouble}")
    return [results[path] for path in paths if path in results], failed


@command(
    "inspect",
    argument("media", nargs="+", metavar="MEDIA"),
    argument("--report", metavar="FILE", help="also write the intake report: .pdf, .html, .csv or .json"),
)
def inspect(options: Options, out: Output) -> int:
    """What each clip declares, and what is measured in it."""
    from idle_quarry.media.words import measured_lines

    clips, failed = _looked(options.media)
    lines = []
    for clip in clips:
        d = clip.declared
        lines.append(f"{clip.name}: {clip.to_json()['format'] or 'no signal format'}")
        for key, value in d.to_json().items():
            if key == "audio":
                for audio in d.audio:
                    bits = f", {audio.bit_depth} bit" if audio.bit_depth else ""
                    lines.append(f"  {'audio':<16} {audio.layout}, {audio.sample_rate} Hz{bits}")
            elif value not in (None, "", [], 0):
                lines.append(f"  {key:<16} {value}")
        lines += [f"  measured: {text}" for text in measured_lines(clip)]
        lines += [f"  ≠ {disagreement.field}: {disagreement.text}" for disagreement in clip.disagreements]
    if options.report:
        from idle_quarry.media.report import write_report
        from idle_quarry.printing import write_pdf

        write_report(Path(options.report), clips, write_pdf)
    out.show([clip.to_json() for clip in clips], lines)
    return 2 if failed else 0


def _media(given: list[str]) -> list[Path]:
    """Return the clips that paths name: folders stand for the media in them, stills for their run."""
    from idle_quarry.media import MEDIA_SUFFIXES, grouped

    paths: list[Path] = []
    for name in given:
        if not name.strip():
            raise MediaError("no clip was named", remedy="give a file or a folder")
        path = Path(name)
        if path.is_dir():
            paths += sorted(p for p in path.rglob("*") if p.is_file() and p.suffix.lower() in MEDIA_SUFFIXES)
        else:
            paths.append(path)
    return grouped(paths)


@command("check", argument("media", nargs="+", metavar="MEDIA"), argument("--template", required=True, metavar="NAME"))
def check(options: Options, out: Output) -> int:
    """Clips against a template's source stations; 1 where one is not what the template expects."""
    from idle_quarry.media.against import against

    with opened(options) as library:
        template = stored_of(library, options.template).template
    clips, failed = _looked(options.media)
    document, lines, result = [], [], False
    for clip in clips:
        verdict = against(template, clip)
        result |= any(finding.severity != "note" for finding in verdict.findings)
        document.append(
            {
                "path": str(clip.path),
                "source": f"source:{verdict.source.id}" if verdict.source else None,
                "grade": verdict.grade,
                "steps": [step.to_json() for step in verdict.steps],
                "findings": [finding.to_json() for finding in verdict.findings],
            }
        )
        lines.append(
            f"{clip.name}: {verdict.source.name if verdict.source else 'no source of the template'}, {verdict.grade}"
        )
        lines += finding_lines(verdict.findings)
    out.show(document, lines)
    return 2 if failed else 1 if result else 0

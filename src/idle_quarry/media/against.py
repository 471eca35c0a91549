"""A clip against a template: its format against the sources, and what else in the file does not agree."""

from __future__ import annotations

from fractions import Fraction

from idle_quarry.media.clip import Clip
from idle_quarry.path.evaluation import SEVERITIES, Finding
from idle_quarry.path.grades import worst
from idle_quarry.path.matching import Match, match
from idle_quarry.path.policies import DEFAULT_POLICY
from idle_quarry.path.steps import LinkPlan, ScanMethod, ScanStep, plan
from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import Source
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rates import rate_text
from idle_quarry.signal.timecode import can_drop


def against(template: Template, clip: Clip) -> Match:
    """Return how `clip` stands to the template, with findings about format, timecode, sound and gaps."""
    declared = clip.declared
    more = _beside_the_picture(template, clip)
    if clip.format is None:
        nothing = LinkPlan("exact", (), None)  # sound alone: no picture is converted
        if declared.has_picture and declared.rate is None:
            text = "The stills say no rate; they will play at whatever rate they are read at."
            unknown = LinkPlan("broken", (), None)  # what it costs cannot be told before somebody says a rate
            return Match(None, unknown, (Finding("caution", "clip_no_rate", "working", text), *more))
        if declared.has_picture:
            text = "Its raster, rate and scan exclude one another; no signal format is like it."
            return Match(
                None, LinkPlan("broken", (), None), (Finding("stop", "clip_no_format", "working", text), *more)
            )
        return Match(None, nothing, tuple(more))
    result = match(template, clip.format, declared_psf_as_interlaced=not _scan_known(clip))
    fields = clip.measured.fields if clip.measured is not None else None
    expected = result.source is not None and result.source.cadence == (fields.cadence if fields is not None else "")
    if fields is not None and fields.scan == "pulldown" and fields.true_rate and not clip.corrected and not expected:
        result = _taken_apart(template, clip.format, result, fields.cadence or "2:3", fields.true_rate)
    findings = (*_untrue(clip, result.source), *result.findings, *more)
    gravest_first = sorted(findings, key=lambda finding: SEVERITIES.index(finding.severity))
    return Match(result.source, result.link, tuple(gravest_first))


def _taken_apart(template: Template, fmt: SignalFormat, result: Match, cadence: str, rate: Fraction) -> Match:
    """Return how a clip under pulldown stands to the template when its pictures are taken out of the cadence first."""
    whole = SignalFormat(fmt.raster, rate, "progressive", None, fmt.encoding)
    link = plan(whole, template.working.format, DEFAULT_POLICY)
    text = f"{cadence} pulldown is taken out: its {rate_text(rate)} pictures a second come back whole"
    out = ScanStep("clean", text, ScanMethod.TAKEN_OUT, cadence)
    link = LinkPlan(worst([out.grade, link.grade]), (out, *link.steps), link.placement)
    if result.source is None:
        lines = "; ".join(step.text for step in link.steps)
        cost = "stop" if link.grade == "broken" else "caution" if link.grade == "lossy" else "note"
        return Match(
            None,
            link,
            (Finding(cost, "clip_no_source", "working", f"It matches no source. Into the programme: {lines}."),),
        )
    words = (
        f"As {result.source.name} it would be deinterlaced. {text[0].upper()}{text[1:]}, where its cadence is taken out"
        " first."
    )
    return Match(
        result.source,
        result.link,
        (Finding("caution", "clip_pulldown", f"source:{result.source.id}", words), *result.findings),
    )


def _untrue(clip: Clip, source: Source | None) -> list[Finding]:
    """Return what the clip says untruly; what the template already expects of its source is only noted."""
    findings: list[Finding] = []
    if clip.corrected:
        return findings
    for disagreement in clip.disagreements:
        fmt = source.format if source is not None else None
        expected = fmt is not None and disagreement.measured in {
            "scan": (fmt.scan, "pulldown" if fmt.scan == "interlaced" else ""),
            "field_order": (fmt.field_order,),
            "range": (fmt.encoding.range,),
        }.get(disagreement.field, ())
        grave = disagreement.grave and not expected
        findings.append(
            Finding("caution" if grave else "note", f"clip_{disagreement.field}_untrue", "working", disagreement.text)
        )
    return findings


def _scan_known(clip: Clip) -> bool:
    """Return whether fields and PsF need not be told apart by guessing: somebody said it, or the pictures did."""
    fields = clip.measured.fields if clip.measured is not None else None
    return clip.corrected or (fields is not None and fields.scan != "undetermined")


def _beside_the_picture(template: Template, clip: Clip) -> list[Finding]:
    declared, findings = clip.declared, list[Finding]()
    psf = [source for source in template.sources if source.format.scan == "psf"]
    if (
        declared.scan == "interlaced"
        and not _scan_known(clip)
        and clip.format is not None
        and any(source.format.rate == declared.rate and source.format.raster == clip.format.raster for source in psf)
    ):
        text = "It is flagged interlaced, as PsF in files is; too little moves in it to tell which of the two it is."
        findings.append(Finding("note", "clip_psf_or_interlaced", f"source:{psf[0].id}", text))
    if declared.drop_frame and declared.rate is not None and not can_drop(declared.rate):
        text = f"Its timecode counts with drop-frame, which does not exist at {rate_text(declared.rate)}."
        findings.append(Finding("caution", "clip_drop_frame", "timecode", text))
    elif declared.drop_frame is not None and declared.drop_frame != template.timecode.drop:
        how = "with" if declared.drop_frame else "without"
        text = f"It counts {how} drop-frame, the template {'with' if template.timecode.drop else 'without'} it."
        findings.append(Finding("note", "clip_count_differs", "timecode", text))
    for audio in declared.audio[:1]:
        if audio.sample_rate != template.sound.sample_rate:
            text = (
                f"Its sound is at {audio.sample_rate / 1000:g} kHz, the programme at"
                f" {template.sound.sample_rate / 1000:g}."
            )
            findings.append(Finding("caution", "clip_sample_rate", "sound", text))
    if declared.rotation:
        shown = f"{declared.width} × {declared.height}"
        text = (
            f"It is turned by {declared.rotation}° to be shown, as {shown}: what ignores that shows it lying on its"
            " side."
        )
        if declared.rotation == 180:
            text = "It is turned by 180° to be shown: what ignores that shows it upside down."
        findings.append(Finding("note", "clip_turned", "working", text))
    if declared.alpha:
        kind = "" if declared.alpha == "unknown" else f" ({declared.alpha})"
        text = f"It has alpha{kind}, and the programme has none: its picture comes in, what it covers is lost."
        if declared.alpha == "premultiplied":
            text += " Its soft edges are mixed with black already."
        findings.append(Finding("caution", "clip_alpha", "working", text))
    if declared.gaps:
        first, last = declared.gaps[0]
        which = f"picture {first}" if first == last else f"pictures {first} to {last}"
        more = f" and {len(declared.gaps) - 1} more gaps" if len(declared.gaps) > 1 else ""
        findings.append(Finding("caution", "clip_gaps", "working", f"The run has gaps: {which}{more} missing."))
    return findings

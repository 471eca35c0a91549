"""A clip's format against a template: which source station it is, and what differs."""

from __future__ import annotations

from dataclasses import dataclass

from idle_quarry.path.evaluation import Finding
from idle_quarry.path.grades import GRADES, Step
from idle_quarry.path.policies import DEFAULT_POLICY
from idle_quarry.path.steps import ColourStep, DepthStep, LinkPlan, RangeStep, SamplingStep, ScanStep, plan
from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import Source
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rates import counterpart, rate_text
from idle_quarry.signal.words import format_words

#: Steps that leave a clip what it is: the same pictures at the same moments, coded otherwise.
_CODING_STEPS = (RangeStep, DepthStep, SamplingStep, ColourStep)


@dataclass(frozen=True)
class Match:
    """Which source a clip is (None for none), the steps from the clip to it (to working where none), and why."""

    source: Source | None
    link: LinkPlan
    findings: tuple[Finding, ...]

    @property
    def grade(self) -> str:
        return self.link.grade

    @property
    def steps(self) -> tuple[Step, ...]:
        return self.link.steps


def match(template: Template, fmt: SignalFormat, declared_psf_as_interlaced: bool = True) -> Match:
    """Return how a clip of `fmt` stands to the template's sources.

    Files flag PsF as interlaced: an interlaced clip fits a PsF source where `declared_psf_as_interlaced`.
    """
    best: tuple[tuple[int, int, int], Source, LinkPlan] | None = None
    for source in template.sources:
        wanted = source.format
        meant = fmt
        if declared_psf_as_interlaced and wanted.scan == "psf" and fmt.scan == "interlaced":
            meant = SignalFormat(fmt.raster, fmt.rate, "psf", fmt.field_order, fmt.encoding)
        link = plan(meant, wanted, DEFAULT_POLICY)
        foreign = sum(not isinstance(step, _CODING_STEPS) for step in link.steps)
        key = (foreign, GRADES.index(link.grade), len(link.steps))
        if best is None or key < best[0]:
            best = (key, source, link)
    if best is not None and (best[0][0] == 0 or _only_order(best[2])):
        _, source, link = best
        return Match(source, link, tuple(_differences(source, fmt, link)))
    link = plan(fmt, template.working.format, DEFAULT_POLICY)
    return Match(None, link, (_stranger(template, fmt, link, best[1] if best else None),))


def _only_order(link: LinkPlan) -> bool:
    foreign = [step for step in link.steps if not isinstance(step, _CODING_STEPS)]
    return all(isinstance(step, ScanStep) and step.field_order_changes for step in foreign)


def _differences(source: Source, fmt: SignalFormat, link: LinkPlan) -> list[Finding]:
    where = f"source:{source.id}"
    findings = []
    for step in link.steps:
        severity = "note" if step.grade in ("exact", "clean") else "caution"
        findings.append(Finding(severity, f"clip_{step.kind}", where, f"Not quite {source.name}: {step.text}."))
    return findings


def _stranger(template: Template, fmt: SignalFormat, link: LinkPlan, near: Source | None) -> Finding:
    words = format_words(fmt, fields=True)
    if near is not None and counterpart(fmt.rate) == near.format.rate:
        text = (
            f"{words} runs at {rate_text(fmt.rate)}, {near.name} at {rate_text(near.format.rate)}: they are not the"
            " same rate."
        )
        return Finding("caution", "clip_rate_near_miss", f"source:{near.id}", text)
    what = "; ".join(step.text for step in link.steps) or "the working format itself"
    severity = "stop" if link.grade == "broken" else "caution" if link.grade == "lossy" else "note"
    return Finding(severity, "clip_no_source", "working", f"{words} matches no source. Into the programme: {what}.")

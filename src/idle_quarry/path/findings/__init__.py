"""Findings: what must be said about an evaluated template, one module for each part of the job."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from idle_quarry.path.evaluation import SEVERITIES, Evaluation, Finding
from idle_quarry.path.findings import (
    coding,
    colour,
    declared,
    fields,
    folders_and_tracks,
    house,
    monitoring,
    picture,
    places,
    rates,
    recording,
    sound,
    timecode,
)

Finder = Callable[[Evaluation], Iterator[Finding]]

#: Every finder, in the order in which findings of one severity are shown.
FINDERS: tuple[Finder, ...] = (
    rates.find,
    fields.find,
    picture.find,
    colour.find,
    declared.find,
    coding.find,
    monitoring.find,
    timecode.find,
    sound.find,
    folders_and_tracks.find,
    places.find,
    recording.find,
    house.find,
)


def find(bare: Evaluation) -> tuple[Finding, ...]:
    """Return the findings of an evaluation that has none yet, gravest first."""
    findings = [finding for finder in FINDERS for finding in finder(bare)]
    return tuple(sorted(findings, key=lambda finding: SEVERITIES.index(finding.severity)))

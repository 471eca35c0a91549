"""What evaluating a template gives: stations, links with steps and grades, findings with remedies."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from idle_quarry.path.changes.edits import Edit
from idle_quarry.path.codecs import gb_per_hour
from idle_quarry.path.eyes import Eyes, cost_of
from idle_quarry.path.grades import Step, worst
from idle_quarry.path.house_entries import NO_HOUSE, HouseEntries
from idle_quarry.path.policies import Policy
from idle_quarry.path.registry import Codec
from idle_quarry.path.steps import LinkPlan
from idle_quarry.path.steps.pulldown import pictures_of
from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import StoragePlace
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.words import described_format

SEVERITIES = ("stop", "caution", "note")


@dataclass(frozen=True)
class Remedy:
    """What to click, and the edits it makes."""

    label: str
    edits: tuple[Edit, ...]


@dataclass(frozen=True)
class Finding:
    """Something the evaluation wants said: how grave, which kind, where (a station's id), in a sentence."""

    severity: str
    code: str
    where: str
    text: str
    remedy: Remedy | None = None
    numbers: dict[str, Any] = field(default_factory=dict, hash=False)
    others: tuple[Remedy, ...] = ()  #: further ways to cure it; the best that helps is offered

    def to_json(self) -> dict[str, Any]:
        return {
            "severity": self.severity,
            "code": self.code,
            "where": self.where,
            "text": self.text,
            "remedy": self.remedy.label if self.remedy else None,
            "numbers": self.numbers,
        }


@dataclass(frozen=True)
class Coding:
    """What a codec adds to a link: its grade, whether it can hold the format, and its data rate."""

    codec: Codec
    grade: str
    text: str
    mbps: float
    refusals: tuple[str, ...] = ()

    @property
    def gb_per_hour(self) -> float:
        return gb_per_hour(self.mbps)


@dataclass(frozen=True)
class Station:
    """A place on the path with one signal format. `place` is where its settings lie in the template."""

    id: str
    kind: str
    name: str
    format: SignalFormat
    place: str
    share: float | None = None
    codec: Codec | None = None
    eyes: Eyes = "one"

    def to_json(self) -> dict[str, Any]:
        return {
            "id": self.id,
            "kind": self.kind,
            "name": self.name,
            "format": described_format(self.format),
            "share": self.share,
            "codec": self.codec.id if self.codec else None,
        }


@dataclass(frozen=True)
class Link:
    """From one station to the next: the steps, what coding adds, and the grade of both."""

    source: str
    target: str
    plan: LinkPlan
    policy: Policy
    coding: Coding | None = None
    taken_out: str = ""  #: the cadence that is taken out of what comes in
    put_in: str = ""  #: the cadence that is put into what goes out
    eyes: tuple[Eyes, Eyes] = ("one", "one")  #: of its two ends

    def ends(self, source: SignalFormat, target: SignalFormat) -> tuple[SignalFormat, SignalFormat]:
        """Return the formats between which pictures are converted: without the cadences of the stations' own."""
        before = pictures_of(source, self.taken_out) if self.taken_out else None
        after = pictures_of(target, self.put_in) if self.put_in else None
        return before or source, after or target

    @property
    def grade(self) -> str:
        grades = [self.plan.grade, cost_of(*self.eyes)[0], *([self.coding.grade] if self.coding else [])]
        return worst(grades)

    @property
    def steps(self) -> tuple[Step, ...]:
        return self.plan.steps

    def to_json(self) -> dict[str, Any]:
        coding = None
        if self.coding:
            coding = {
                "codec": self.coding.codec.id,
                "grade": self.coding.grade,
                "text": self.coding.text,
                "mbps": round(self.coding.mbps, 3),
                "gb_per_hour": round(self.coding.gb_per_hour, 3),
            }
        return {
            "from": self.source,
            "to": self.target,
            "grade": self.grade,
            "steps": [step.to_json() for step in self.steps],
            "coding": coding,
        }


@dataclass(frozen=True)
class Evaluation:
    """Everything that follows from one template."""

    template: Template
    stations: tuple[Station, ...]
    links: tuple[Link, ...]
    findings: tuple[Finding, ...]
    #: What disks were measured to play on this machine, MB/s by the path of a place; empty where nothing was measured.
    measured: Mapping[str, float] = field(default_factory=dict, hash=False, compare=False)
    #: What the house has now of what the template carries copies of.
    house: HouseEntries = field(default=NO_HOUSE, hash=False, compare=False)

    def plays(self, place: StoragePlace) -> float | None:
        """Return what a place plays, MB/s: as measured here, else as the template says; None where neither is known."""
        return self.measured.get(place.path, place.plays_mb_s)

    @property
    def worst_grade(self) -> str:
        """The worst grade of any link but the proxy's, which is a stand-in and lossy by intent."""
        return worst(link.grade for link in self.links if link.target != "proxy")

    def station(self, ident: str) -> Station:
        """Return a station by id; raises `KeyError`."""
        for station in self.stations:
            if station.id == ident:
                return station
        raise KeyError(ident)

    def link_to(self, ident: str) -> Link | None:
        """Return the link that ends at a station, or None."""
        return next((link for link in self.links if link.target == ident), None)

    def link_of(self, ident: str) -> Link | None:
        """Return the link that belongs to a station: out of a source, into any other."""
        return next(
            (
                (link for link in self.links if link.source == ident or link.target == ident)
                if ident.startswith("source:")
                else (link for link in self.links if link.target == ident)
            ),
            None,
        )

    @property
    def trouble(self) -> tuple[int, ...]:
        """What the template suffers from, gravest first, to be compared: stops, broken links, cautions, lossy
        links, notes.
        """
        grades = [link.grade for link in self.links if link.target != "proxy"]
        stops, cautions, notes = (self.count(severity) for severity in SEVERITIES)
        return stops, grades.count("broken"), cautions, grades.count("lossy"), notes

    def count(self, severity: str) -> int:
        return sum(finding.severity == severity for finding in self.findings)

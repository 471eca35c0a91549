"""What the differences of two templates do: links that change their grade, steps and findings gained and lost."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import Any

from idle_quarry.errors import QuarryError
from idle_quarry.path.changes.edits import Change, Edit, changes, edited, plain, value_at
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.evaluation import Evaluation, Finding, Link
from idle_quarry.path.settings import label_of, settings_of
from idle_quarry.path.template import Template


@dataclass(frozen=True)
class LinkChange:
    """A link whose grade or steps differ; a grade is None where the link is only in the other."""

    name: str
    before: str | None
    after: str | None
    gained: tuple[str, ...]
    lost: tuple[str, ...]


@dataclass(frozen=True)
class Effect:
    """What follows when one template is put in another's place."""

    links: tuple[LinkChange, ...]
    gained: tuple[Finding, ...]
    lost: tuple[Finding, ...]
    gb_per_hour: float

    @property
    def nothing(self) -> bool:
        return not (self.links or self.gained or self.lost)

    @property
    def data_words(self) -> str:
        """How much more or less an hour of renders takes, in words; nothing where it is the same."""
        return f"{self.gb_per_hour:+.0f} GB an hour".replace("-", "−") if abs(self.gb_per_hour) >= 0.5 else ""

    def sentences(self) -> list[str]:
        """Return the effect in words, the gravest first."""
        texts = [
            f"{link.name}: {link.before or 'not there'} → {link.after or 'no longer there'}"
            for link in self.links
            if link.before != link.after
        ]
        texts += [
            f"{link.name}: {', '.join(link.gained) or 'no step'} in place of {', '.join(link.lost) or 'none'}"
            for link in self.links
            if link.before == link.after
        ]
        texts += [f"new {finding.severity}: {finding.text}" for finding in self.gained]
        texts += [f"gone, {finding.severity}: {finding.text}" for finding in self.lost]
        return texts


@dataclass(frozen=True)
class DifferenceRow:
    """One setting that differs: where, its name for people, both values in words, and what it does by itself.

    `effect` is None where the setting cannot be changed alone.
    """

    change: Change
    label: str
    a: str
    b: str
    effect: Effect | None


def effect(a: Evaluation, b: Evaluation) -> Effect:
    """Return what differs in what follows from `a` and from `b`."""
    gained, lost = _findings(b, a), _findings(a, b)
    return Effect(tuple(_links(a, b)), gained, lost, _gb_per_hour(b) - _gb_per_hour(a))


def _links(a: Evaluation, b: Evaluation) -> list[LinkChange]:
    old, new = ({(link.source, link.target): link for link in evaluation.links} for evaluation in (a, b))
    link_changes = []
    for key in [*old, *(key for key in new if key not in old)]:
        before, after = old.get(key), new.get(key)
        where = b if after is not None else a
        name = f"{where.station(key[0]).name} to {where.station(key[1]).name}"
        gained, lost = _steps(after, before), _steps(before, after)
        grades = before.grade if before else None, after.grade if after else None
        if grades[0] != grades[1] or gained or lost:
            link_changes.append(LinkChange(name, *grades, gained, lost))
    return link_changes


def _steps(of: Link | None, without: Link | None) -> tuple[str, ...]:
    """Return the steps of a link that another has not."""
    there = Counter(step.text for step in without.steps) if without else Counter()
    return tuple((Counter(step.text for step in of.steps) - there).elements()) if of else ()


def _findings(of: Evaluation, without: Evaluation) -> tuple[Finding, ...]:
    """Return the findings of one evaluation that another has not: of another kind, at another place, of another
    gravity.
    """
    there = Counter((finding.severity, finding.code, finding.where, finding.text) for finding in without.findings)
    findings = []
    for finding in of.findings:
        key = (finding.severity, finding.code, finding.where, finding.text)
        if there[key]:
            there[key] -= 1
        else:
            findings.append(finding)
    return tuple(findings)


def _gb_per_hour(of: Evaluation) -> float:
    link = of.link_to("intermediate")
    return link.coding.gb_per_hour if link is not None and link.coding is not None else 0.0


def compared(a: Template, b: Template) -> list[DifferenceRow]:
    """Return the settings in which two templates differ, each with what it does alone, in the order of the template."""
    start = evaluate(a, remedies=False)
    texts = ({setting.place: setting.text for setting in settings_of(template)} for template in (a, b))
    old, new = texts
    differences = []
    for change in changes(a, b):
        label = label_of(b if change.after is not None else a, change.place)
        try:
            alone = effect(start, evaluate(edited(a, Edit(change.place, change.after)), remedies=False))
        except QuarryError:
            alone = None
        differences.append(
            DifferenceRow(
                change,
                label,
                old.get(change.place) or _value_words(change.before),
                new.get(change.place) or _value_words(change.after),
                alone,
            )
        )
    return differences


def as_new(template: Template) -> list[DifferenceRow]:
    """Return every setting of a template as one that was not there before: what is looked at of a first revision."""
    return [
        DifferenceRow(
            Change(setting.place, None, setting.text), label_of(template, setting.place), "", setting.text, None
        )
        for setting in settings_of(template)
        if setting.text not in ("", "None", "none")
    ]


def said_value(template: Template, place: str) -> str:
    """Return the value at a place in a few words; "not there" where the template has no such place."""
    setting = next((setting for setting in settings_of(template) if setting.place == place), None)
    if setting is not None:
        return setting.text
    try:
        return _value_words(value_at(template, place))
    except QuarryError:
        return "not there"


def _value_words(value: Any) -> str:
    """Return a value in a few words, where it is no setting of a sheet."""
    if value is None:
        return "not there"
    if isinstance(value, tuple):
        return ", ".join(str(getattr(item, "name", None) or getattr(item, "id", item)) for item in value) or "none"
    name = getattr(value, "name", None)
    if name:
        return str(name)
    data = plain(value)
    if isinstance(data, dict):
        return ", ".join(f"{key} {item}" for key, item in data.items() if item not in (None, "", []))[:200]
    if isinstance(data, bool):
        return "yes" if data else "no"
    return "none" if data == "" else str(data)

"""What lies on the bench: one link of the open template, and where its policy stands in it."""

from __future__ import annotations

from dataclasses import dataclass

from idle_quarry.path.evaluation import Link, Station
from idle_quarry.path.policies import Policy
from idle_quarry.signal.formats import SignalFormat


@dataclass(frozen=True)
class Subject:
    """The link on the bench: its formats and policy, and where in the template the policy is (None where there is
    none).
    """

    name: str
    source: SignalFormat
    target: SignalFormat
    policy: Policy
    place: str | None
    source_id: str | None = None
    cadence: str = ""  #: the pulldown that is taken out of a clip before it is converted


def subject_of(link: Link, own: Station, source: SignalFormat, target: SignalFormat) -> Subject:
    """Return a link as a subject: where its policy stands in the template follows from its two ends."""
    kind, _, ident = link.source.partition(":")
    if kind == "source":
        return Subject(own.name, source, target, link.policy, f"sources.{ident}.policy", ident, link.taken_out)
    end, _, ident = link.target.partition(":")
    places = {
        "intermediate": "intermediate.policy",
        "monitor": "monitor.policy",
        "delivery": f"deliveries.{ident}.policy",
    }
    return Subject(own.name, source, target, link.policy, places.get(end))

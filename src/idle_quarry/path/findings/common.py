"""What the finders share: walking links with their stations, and saying names and numbers."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import NamedTuple

from idle_quarry.path.changes.edits import Edit
from idle_quarry.path.evaluation import Evaluation, Link, Remedy, Station


class JoinedLink(NamedTuple):
    """A link with its two stations; `own` is the one whose policy and settings the link's are."""

    link: Link
    source: Station
    target: Station
    own: Station


def joined(e: Evaluation) -> Iterator[JoinedLink]:
    """Yield every link with its stations, their pulldowns taken out."""
    by_id = {station.id: station for station in e.stations}
    for link in e.links:
        source, target = by_id[link.source], by_id[link.target]
        before, after = link.ends(source.format, target.format)
        source = source if before == source.format else replace(source, format=before)
        target = target if after == target.format else replace(target, format=after)
        yield JoinedLink(link, source, target, source if source.kind == "source" else target)


def remedy(label: str, *edits: tuple[str, object]) -> Remedy:
    """Return a remedy that makes `edits`, pairs of place and value."""
    return Remedy(label, tuple(Edit(place, value) for place, value in edits))


def wanted_by(e: Evaluation, setting: str) -> set[object]:
    """Return the values that the deliveries (those for the web aside, which follow) have of a setting."""
    return {getattr(d, setting) for d in e.template.deliveries if not d.for_web}


#: Said where deliveries want different things of one setting of the programme.
CANNOT_SUIT_BOTH = " Deliveries differ in it: the programme cannot suit both, so it is set per delivery."


def main_source(e: Evaluation) -> Station | None:
    """Return the source with the largest share, the first of equals."""
    sources = [station for station in e.stations if station.kind == "source"]
    return max(sources, key=lambda station: station.share or 0, default=None)

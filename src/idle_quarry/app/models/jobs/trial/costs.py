"""What a job's template does to its clips: the link out of each one's class, its grade, what is found there."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from idle_quarry.app.models.jobs.material.material_rows import MaterialRow
from idle_quarry.jobs.cutting.timeline import CLIP, PICTURE, TimelineItem, Track
from idle_quarry.jobs.material import MISSING
from idle_quarry.path.evaluation import Evaluation, Finding, Link
from idle_quarry.path.template_parts import Source

#: What can be looked for besides words.
LOSSY, OFF_SPEED, LACKING = "lossy conversion", "another speed", "no clip there"
NO_CLIP, NO_CLASS = "missing", "no class"


class Costs:
    """`known` is what is known of each file, by its path; before the clips were `looked` at none is missing yet."""

    def __init__(self, evaluation: Evaluation | None, known: Mapping[str, MaterialRow], *, looked: bool = True) -> None:
        self.evaluation, self._known, self._looked = evaluation, known, looked
        self._costs: dict[str | None, str] = {}  #: of media, by their path: asked for at every repaint

    def link_of(self, source: Source | None) -> Link | None:
        """Return the template's link out of a source class."""
        if source is None or self.evaluation is None:
            return None
        return self.evaluation.link_of(f"source:{source.id}")

    def findings_of(self, source: Source | None) -> list[Finding]:
        """Return what is found at a source class, gravest first."""
        if source is None or self.evaluation is None:
            return []
        return [finding for finding in self.evaluation.findings if finding.where == f"source:{source.id}"]

    def row_of(self, item: TimelineItem) -> MaterialRow | None:
        """Return what is known of an item's clip."""
        return self._known.get(item.media.path or "") if item.media is not None else None

    def cost_of(self, item: TimelineItem) -> str:
        """Return what the template does to an item: exact, clean, lossy, broken, or why that is not known.

        "" where it needs no clip.
        """
        if item.kind != CLIP:
            return ""
        path = item.media.path if item.media is not None else None
        if path not in self._costs:
            self._costs[path] = self._cost(path, self.row_of(item))
        return self._costs[path]

    def _cost(self, path: str | None, row: MaterialRow | None) -> str:
        if row is None:  # what only the timeline names is not looked for: it may name anything
            return NO_CLIP if self._looked else NO_CLASS
        if row.row.state == MISSING:
            return NO_CLIP
        if path != str(row.entry.path):
            return "exact"  # it was brought in: it is the intermediate already
        link = self.link_of(row.source)
        return link.grade if link is not None else NO_CLASS

    def wanted(self, words: str) -> Callable[[Track, TimelineItem], bool]:
        """Return whether an item is looked for: by name, class, note, or one of the findings."""
        text = words.strip().casefold()

        def by_words(_track: Track, item: TimelineItem) -> bool:
            row = self.row_of(item)
            source = row.source.name if row is not None and row.source is not None else ""
            return any(text in name.casefold() for name in (item.name, item.note, source))

        findings: dict[str, Callable[[Track, TimelineItem], bool]] = {
            LOSSY: lambda track, item: track.kind == PICTURE and self.cost_of(item) in ("lossy", "broken"),
            OFF_SPEED: lambda _track, item: item.kind == CLIP and item.speed != 1,
            LACKING: lambda _track, item: self.cost_of(item) == NO_CLIP,
        }
        return findings.get(text, by_words)

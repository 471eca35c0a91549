"""What lies under the playhead of a trial, and what the job's template does to it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from idle_quarry.app.destinations import ProveLink
from idle_quarry.app.models.jobs.material.material_rows import MaterialRow
from idle_quarry.app.models.jobs.trial.sources import canvas_words
from idle_quarry.jobs.cutting.at_frame import shown_at
from idle_quarry.jobs.cutting.timeline import TimelineItem, Track
from idle_quarry.path.policies import Policy

if TYPE_CHECKING:
    from idle_quarry.app.models.jobs.trial.trial import Trial


class UnderPlayhead:
    """The item under the playhead, its clip, and the class that converts it."""

    def __init__(self, trial: Trial) -> None:
        self._trial = trial

    def under(self) -> tuple[Track | None, TimelineItem | None, MaterialRow | None]:
        """Return what is under the playhead: its track, the item, and what is known of its clip.

        Of a clip only the last.
        """
        opened = self._trial.here
        if opened is None:
            return (
                None,
                None,
                self._trial.clips.known.get(str(self._trial.clip)) if self._trial.clip is not None else None,
            )
        shown = shown_at(opened.timeline, opened.frame)
        if shown is None:
            return None, None, None
        return shown.track, shown.item, self._trial.clips.costs.row_of(shown.item)

    def canvas_words(self) -> str:
        """Return what becomes of what is under the playhead in a canvas of another shape, "" in the working one."""
        opened, (_, item, row) = self._trial.here, self.under()
        if opened is None or opened.fit is None or item is None or row is None or row.clip is None:
            return ""
        return f"In {opened.path.stem}: {canvas_words(row.clip, opened.canvas, self.fitted(row), item.place)}."

    def fitted(self, row: MaterialRow) -> Policy:
        """Return the policy of a clip's class, with the fit of the timeline that is looked at."""
        policy, opened = row.source.policy if row.source is not None else Policy(), self._trial.here
        return policy.with_parts(fit=opened.fit) if opened is not None and opened.fit is not None else policy

    def convert_otherwise(self, source: str) -> None:
        """Convert the clip under the playhead as another class does; "" for the one that it matches by itself."""
        _, _, row = self.under()
        if row is not None:
            self._trial.material.choose_class([row.entry.path], source)

    def prove(self) -> None:
        """See in Proof what the template does to what is under the playhead."""
        record, (_, _, row) = self._trial.jobs.record, self.under()
        if record is None or row is None or row.source is None:
            return
        self._trial.door.open_stored(record.template_id, record.revision)
        self._trial.door.go(ProveLink(f"source:{row.source.id}", row.entry.path))

    def render_from_here(self) -> None:
        """Render the timeline that is looked at from the playhead on, then what lies before it."""
        opened = self._trial.here
        if opened is not None:
            self._trial.renders.render_from(opened.path.stem, opened.frame)

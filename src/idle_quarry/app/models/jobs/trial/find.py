"""Finding in a trial: the next item by words or by what the template does to it, and the one before."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from idle_quarry.app.models.jobs.trial.renders import NOT_RENDERED
from idle_quarry.jobs.cutting.at_frame import next_item

if TYPE_CHECKING:
    from idle_quarry.app.models.jobs.trial.trial import Trial


def find(trial: Trial, *, back: bool = False) -> None:
    """Go to the next item that is looked for, or the one before; round the end once."""
    opened, sought = trial.here, trial.sought.strip()
    if opened is None or not sought:
        return
    wanted = trial.clips.costs.wanted(sought)
    if sought.casefold() == NOT_RENDERED:
        wanted = partial(trial.pieces.lacks, opened)
    result = next_item(opened.timeline, opened.frame, wanted, back=back)
    if result is None:
        result = next_item(opened.timeline, opened.timeline.end + 1 if back else -1, wanted, back=back)
    if result is None:
        trial.door.say(f"Nothing here is “{sought}”.")
        return
    opened.choose(frozenset([result[1].ident]))
    trial.playhead.go(result[1].at)

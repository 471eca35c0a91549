"""The figures of the pictures on the bench, computed one after another; and where two pictures differ most."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.background.workers import Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.path.policies import Policy
from idle_quarry.proof.figures import Figure, PictureArea, greatest_difference

if TYPE_CHECKING:
    from idle_quarry.app.models.proof.bench import BenchPictures


class BenchFigures(QObject):
    """`changed`: figures were computed; `worst_place`: where two pictures differ most."""

    changed = Signal()
    worst_place = Signal(object)

    def __init__(self, pictures: BenchPictures) -> None:
        super().__init__(pictures)
        self._pictures = pictures
        self._figures: dict[tuple[Policy, int], list[Figure]] = {}
        self._figure_ticket: Ticket | None = None

    def forget(self) -> None:
        """Other material lies on the bench."""
        self._figures.clear()

    def measure(self) -> None:
        """Have the figures computed that are not there, one picture after another."""
        if self._pictures.bench is None or self._pictures.player.playing:
            return
        self.changed.emit()
        if self._figure_ticket is not None or not self._pictures.seen:
            return
        bench = self._pictures.bench
        stills = [bench.still_of(policy, self._pictures.index) for policy in self._pictures.compared.policies()]
        still = next((s for s in stills if s is not None and (s.policy, s.index) not in self._figures), None)
        if still is None:
            return
        key = still.policy, still.index

        def done(figures: list[Figure]) -> None:
            self._figure_ticket = None
            if bench is self._pictures.bench:
                self._figures[key] = figures
            self.measure()

        def failed(error: QuarryError) -> None:
            self._figure_ticket = None
            self._pictures.door.refuse(error)

        self._figure_ticket = self._pictures.door.workers.start(
            lambda _ticket: bench.figures(still, stills[0]), done, failed
        )

    def figures(self) -> list[list[Figure] | None]:
        """Return the figures of each picture, None where they are not computed yet."""
        return [self._figures.get((policy, self._pictures.index)) for policy in self._pictures.compared.policies()]

    def find_difference(self) -> None:
        """Find where the pictures differ most, and go there."""
        if self._pictures.bench is None:
            return
        stills = [
            self._pictures.bench.still_of(policy, self._pictures.index) for policy in self._pictures.compared.policies()
        ]
        ready = [still.shown for still in stills if still is not None]
        if len(ready) < 2:
            waits = len(self._pictures.compared.methods) > 1
            self._pictures.door.say(
                "The pictures are still being made." if waits else "Put another method beside this one first."
            )
            return
        self._pictures.door.workers.start(
            lambda _ticket: greatest_difference(ready), self._differ, self._pictures.door.refuse
        )

    def _differ(self, place: PictureArea) -> None:
        if place.amount == 0:
            self._pictures.door.say("These pictures are the same in every sample.")
            return
        self.worst_place.emit(place)
        self._pictures.door.say(
            f"They differ most around sample {place.x + place.width // 2}, line {place.y + place.height // 2}: "
            f"{place.amount:.1f} of 255 on the average of {place.width} × {place.height}."
        )


def alike(figures: list[list[Figure] | None]) -> list[Figure]:
    """Return the figures that say the same of every picture.

    None where there is only one, or one is not measured yet.
    """
    measured = [item for item in figures if item is not None]
    if len(measured) < max(2, len(figures)):
        return []
    texts = [{figure.name: figure.text for figure in figures} for figures in measured]
    return [figure for figure in measured[0] if all(text.get(figure.name) == figure.text for text in texts)]


def is_best(figure: Figure, figures: list[list[Figure] | None]) -> bool:
    """Return whether a figure is better than another picture's, and none is better."""
    same = [other for item in figures if item for other in item if other.name == figure.name]
    values = [other.value for other in same]
    if not figure.better or len({other.text for other in same}) < 2:
        return False
    return figure.value == (max(values) if figure.better == "more" else min(values))

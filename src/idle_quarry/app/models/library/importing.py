"""What a file offers: each template with where it comes from, what it would collide with, and what is to be done
with it.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.destinations import ShowShelfPage, ShowTemplate
from idle_quarry.counting import counted
from idle_quarry.errors import QuarryError
from idle_quarry.library.files.bundles import BundledTemplate, offered
from idle_quarry.library.files.importing import DECISIONS, Collision, collision
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.evaluation import Evaluation
from idle_quarry.signal.words import format_words

if TYPE_CHECKING:
    from idle_quarry.app.door import Door


@dataclass(frozen=True)
class OfferRow:
    """One template of a file: its path, and how it stands to the shelf it is to be put on."""

    offer: BundledTemplate
    evaluation: Evaluation | None
    collision: Collision | None = None

    @property
    def doubtful(self) -> bool:
        """Whether it was changed since it was exported."""
        return self.offer.exchanged is not None and self.offer.exchanged.genuine is False

    def what_words(self) -> str:
        """Return its name, format and findings; or why it cannot be read."""
        exchanged = self.offer.exchanged
        if exchanged is None or self.evaluation is None:
            return f"{self.offer.member}\n{self.offer.trouble}"
        counts = ((self.evaluation.count(severity), severity) for severity in ("stop", "caution"))
        text = ", ".join(f"{count} {word}{'s' if count > 1 else ''}" for count, word in counts if count)
        words = format_words(exchanged.template.working.format)
        worst = f"worst link {self.evaluation.worst_grade}"
        return f"{exchanged.template.name}\n{words} · {worst}\n{text or 'no stops, no cautions'}"

    def origin_words(self) -> str:
        """Return where it comes from, and whether it is as it was exported."""
        exchanged = self.offer.exchanged
        if exchanged is None:
            return ""
        author, number, time = (str(exchanged.origin.get(key, ""))[:60] for key in ("author", "revision", "time"))
        came = "where it comes from is not written in it"
        if author and number:
            came = f"revision {number} by {author}, {time[:10]}"
        genuine = {
            True: "unchanged since export",
            False: "changed since export",
            None: "without a hash: whether it was changed cannot be checked",
        }[exchanged.genuine]
        return f"{came}\n{genuine}"

    def decisions(self) -> list[tuple[str, str]]:
        """Return what can be done with it, in words, with the decision; one alone is none."""
        return (
            [(DECISIONS[decision], decision) for decision in self.collision.decisions]
            if self.collision is not None
            else []
        )


class Importing(QObject):
    """`changed`: another file, or another shelf; `counted`: something was decided."""

    changed = Signal()
    counted = Signal()

    def __init__(self, door: Door) -> None:
        super().__init__()
        self.door = door
        self.path: Path | None = None
        self.shelf = "own"
        self.rows: list[OfferRow] = []
        self.decided: list[str] = []

    def open(self, path: Path) -> None:
        """Read a file off the interface thread; its page is shown when it can be looked at."""
        self.path = path

        def work(_ticket: object) -> list[OfferRow]:
            return [
                OfferRow(bundled, evaluate(bundled.exchanged.template, remedies=False) if bundled.exchanged else None)
                for bundled in offered(path)
            ]

        def done(rows: list[OfferRow]) -> None:
            if path == self.path:
                self.rows = rows
                self._compare()
                self.door.go(ShowShelfPage("importing"))

        self.door.workers.start(work, done, self.door.refuse)

    def put_on(self, shelf: str) -> None:
        """Compare what is offered with another shelf."""
        self.shelf = shelf
        self._compare()

    def _compare(self) -> None:
        """Compare what is offered with the shelf it is to be put on, and propose what to do."""
        library = self.door.library
        try:
            self.rows = [
                OfferRow(row.offer, row.evaluation, collision(library, row.offer, self.shelf)) for row in self.rows
            ]
        except QuarryError as error:
            self.door.refuse(error)
            return
        self.decided = [(row.decisions() or [("", "leave")])[0][1] for row in self.rows]
        self.changed.emit()

    def decide(self, row: int, decision: str) -> None:
        """Say what is to be done with a row."""
        self.decided[row] = decision
        self.counted.emit()

    @property
    def wanted(self) -> int:
        """How many are to be taken."""
        return sum(decision != "leave" for decision in self.decided)

    def title_words(self) -> str:
        assert self.path is not None
        return f"{self.path.name}: {counted(len(self.rows), 'template')}"

    def sum_words(self) -> str:
        doubtful = sum(row.doubtful or row.offer.exchanged is None for row in self.rows)
        more = f" · {doubtful} cannot be trusted or read" if doubtful else ""
        left = len(self.rows) - self.wanted
        return f"{self.wanted} to be imported, {left} left{more}. Nothing is written before you press Import."

    def verb_words(self) -> str:
        count = self.wanted
        return f"Import {counted(count, 'template')}" if count else "Import none"

    def take(self) -> None:
        """Take what was decided; what is refused is said, the rest is taken."""
        assert self.path is not None
        offers = [(row.offer, decision) for row, decision in zip(self.rows, self.decided, strict=True)]
        self.door.acts.take(offers, self.shelf, self.path.name, self._show)

    def _show(self, template_id: str) -> None:
        self.door.go(ShowTemplate(template_id))

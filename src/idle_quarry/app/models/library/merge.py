"""Two drafts of one template, and the one that is made of both: conflicts are chosen by whoever merges."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.destinations import ShowTemplate
from idle_quarry.app.questions import Answered, Question
from idle_quarry.errors import QuarryError
from idle_quarry.library import StoredTemplate
from idle_quarry.path.changes.effects import said_value
from idle_quarry.path.changes.merging import MergeResult, Side, merge
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.evaluation import Evaluation
from idle_quarry.path.settings import label_of

if TYPE_CHECKING:
    from idle_quarry.app.door import Door


@dataclass(frozen=True)
class Drafts:
    """The revision both began from, and the two drafts."""

    base: StoredTemplate
    left: StoredTemplate
    right: StoredTemplate


@dataclass(frozen=True)
class MergeRow:
    """A setting that was changed: as it began, in the left and the right draft ("" where it is not the draft's)."""

    place: str
    label: str
    began: str
    left: str
    right: str
    conflict: bool


class Merge(QObject):
    """`changed`: other drafts; `worked_out`: something was chosen."""

    changed = Signal()
    worked_out = Signal()
    asked = Signal(object)

    def __init__(self, door: Door) -> None:
        super().__init__()
        self.door = door
        self.drafts: Drafts | None = None
        self.choices: dict[str, Side] = {}
        self.result: MergeResult | None = None
        self.refusal = ""
        self.evaluation: Evaluation | None = None

    def show_drafts(self, template_id: str, a: int, b: int) -> bool:
        """Look at two drafts of a template; return whether they could be read."""
        try:
            library = self.door.library
            numbers = library.common_base(template_id, a, b), a, b
            self.drafts = Drafts(*(library.stored(template_id, number) for number in numbers))
        except QuarryError as error:
            self.door.refuse(error)
            return False
        self.choices = {}
        self._work_out()
        self.changed.emit()
        return True

    def choose(self, place: str, side: Side) -> None:
        """Take one draft's value for a setting that both changed."""
        self.choices[place] = side
        self._work_out()
        self.worked_out.emit()

    def _work_out(self) -> None:
        assert self.drafts is not None
        drafts = self.drafts
        try:
            self.result = merge(drafts.base.template, drafts.left.template, drafts.right.template, self.choices)
        except QuarryError as error:
            self.result, self.refusal = None, str(error)
            return
        self.refusal = ""
        self.evaluation = evaluate(self.result.template)

    @property
    def undecided(self) -> int:
        """How many settings are still to be chosen."""
        return (
            sum(conflict.place not in self.choices for conflict in self.result.conflicts)
            if self.result is not None
            else 0
        )

    @property
    def can_be_saved(self) -> bool:
        return self.result is not None and not self.undecided

    # -- in words ------------------------------------------------------------------------------------------

    def title_words(self) -> str:
        assert self.drafts is not None
        return f"{self.drafts.left.name}: two drafts of revision {self.drafts.base.revision.number}"

    def sum_words(self) -> str:
        """Return how much goes in, and what is to be chosen."""
        if self.result is None:
            return "The two cannot be put together as they are."
        count = len(self.result.from_mine) + len(self.result.from_theirs)
        text = "1 change goes in" if count == 1 else f"{count} changes go in"
        left = self.undecided
        return text + (f" · {left} to be chosen: changed differently in both drafts" if left else "")

    def heads(self) -> tuple[str, str, str, str]:
        """Return the heads of the table."""
        assert self.drafts is not None
        left, right = (f"{s.revision.number}, {s.revision.author}" for s in (self.drafts.left, self.drafts.right))
        return "Setting", f"Began as, revision {self.drafts.base.revision.number}", left, right

    def rows(self) -> list[MergeRow]:
        """Return every setting that either draft changed, conflicts first."""
        if self.result is None or self.drafts is None:
            return []
        base, left, right = (stored.template for stored in (self.drafts.base, self.drafts.left, self.drafts.right))
        merge_rows = []
        for places, in_left, in_right in (
            ([conflict.place for conflict in self.result.conflicts], True, True),
            (self.result.from_mine, True, False),
            (self.result.from_theirs, False, True),
        ):
            for place in places:
                merge_rows.append(
                    MergeRow(
                        place,
                        self._label(place),
                        said_value(base, place),
                        said_value(left, place) if in_left else "",
                        said_value(right, place) if in_right else "",
                        in_left and in_right,
                    )
                )
        return merge_rows

    def _label(self, place: str) -> str:
        assert self.drafts is not None
        drafts = self.drafts
        labels = (label_of(stored.template, place) for stored in (drafts.left, drafts.right, drafts.base))
        return next(filter(None, labels), place)

    # -- doing -----------------------------------------------------------------------------------------------

    def ask_save(self) -> None:
        """Ask for a note and save the merged draft."""
        drafts = self.drafts
        if drafts is None or self.result is None or not self.can_be_saved:
            return
        template = self.result.template

        def accept(note: str, answered: Answered) -> None:
            self.door.acts.merge(drafts.left, drafts.right, template, note, self._saved, answered)

        note = f"merged from {drafts.left.revision.number} and {drafts.right.revision.number}"
        self.asked.emit(Question("What is new:", "Save", accept, note))

    def _saved(self, template_id: str) -> None:
        self.door.go(ShowTemplate(template_id))


def draft_words(stored: StoredTemplate) -> str:
    """Return whose draft it is, with its note."""
    revision = stored.revision
    note = f", “{revision.note}”" if revision.note else ""
    return f"Revision {revision.number} by {revision.author}, {revision.time[:10]}{note}"

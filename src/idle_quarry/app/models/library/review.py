"""Two revisions beside one another: what differs and what that does, what was said of the second, what may be done
with it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.models.library.deciding import deciding
from idle_quarry.app.models.library.remarks import place_words, remark_words
from idle_quarry.errors import QuarryError
from idle_quarry.library import StoredTemplate
from idle_quarry.path.changes.effects import DifferenceRow, as_new, compared, effect
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.evaluation import Evaluation

if TYPE_CHECKING:
    from idle_quarry.app.door import Door


#: What is to be known of an approval in a library that is a file.
_UNPROVED = (
    "In a library file nobody proves their name: whoever sits here has chosen it. On a server the name is the login's; "
    "a house rule (Ctrl+K) can take the system's accounts here."
)
_BY_LOGIN = "Names are those of the system's accounts here: yours is {}."


@dataclass(frozen=True)
class Compare:
    """What was computed of a pair."""

    left: Evaluation
    right: Evaluation
    rows: list[DifferenceRow]


@dataclass(frozen=True)
class RevisionDiscussion:
    """What was said and done with the second revision: each in words, whether it is only history.

    And what may be done.
    """

    remarks: tuple[tuple[str, bool], ...] = ()
    reviewed: bool = False
    may_approve: bool = False
    rule: str = ""


class Review(QObject):
    """`changed`: another pair, or what was computed of it; `said_changed`: something was said or done."""

    changed = Signal()
    said_changed = Signal()
    asked = Signal(object)

    def __init__(self, door: Door) -> None:
        super().__init__()
        self.door = door
        self.pair: tuple[StoredTemplate, StoredTemplate] | None = None
        self.compare: Compare | None = None  #: None while it is being computed
        self.discussion = RevisionDiscussion()
        door.shelves_changed.connect(self._read_said)

    def show_pair(self, a: StoredTemplate, b: StoredTemplate) -> None:
        """Look at two revisions, of one template or of two; what is computed of them comes off the interface thread."""
        self.pair, self.compare = (a, b), None
        self._read_said()
        self.changed.emit()

        first = self.first

        def work(_ticket: object) -> Compare:
            left, right = (evaluate(stored.template, remedies=False) for stored in (a, b))
            return Compare(left, right, as_new(b.template) if first else compared(a.template, b.template))

        def done(compare: Compare) -> None:
            if self.pair == (a, b):
                self.compare = compare
                self.changed.emit()

        self.door.workers.start(work, done, self.door.refuse)

    def _read_said(self) -> None:
        """Read what was said and done once more, and what may be done now."""
        if self.pair is None:
            return
        stored = self.pair[1]
        key, person = stored.revision, self.door.library.person
        try:
            library = self.door.library
            remarks = [remark for remark in library.remarks(key.template_id) if remark.number == key.number]
            alone, by_login = library.one_person(), library.names_by_login()
            now = next(
                (revision for revision in library.revisions(key.template_id) if revision.number == key.number), key
            )
            authors = library.authors(key.template_id, key.number) if now.state == "in review" else frozenset()
        except QuarryError as error:
            self.door.refuse(error)
            return
        own = person in authors and not alone
        rule = "In this house one person may approve alone." if alone else ""
        if own:
            rule = "You saved this revision: another person approves it."
            if now.author != person:
                rule = "Part of this revision is yours: somebody who wrote none of it approves it."
        if now.state == "in review" and not self.door.library.at_hand:
            rule = f"{rule} {_BY_LOGIN.format(person) if by_login else _UNPROVED}".strip()
        lines = tuple((remark_words(stored, remark), remark.act != "comment") for remark in remarks)
        self.discussion = RevisionDiscussion(lines, now.state == "in review", not own, rule)
        self.said_changed.emit()

    # -- in words --------------------------------------------------------------------------------------------

    @property
    def first(self) -> bool:
        """Whether it is a first revision that is looked at: nothing was before it, and all of it is new."""
        return self.pair is not None and self.pair[0].revision == self.pair[1].revision

    @property
    def _one(self) -> bool:
        """Whether both are revisions of one template."""
        assert self.pair is not None
        return self.pair[0].revision.template_id == self.pair[1].revision.template_id

    def title_words(self) -> str:
        """Return what is compared with what."""
        assert self.pair is not None
        if self.first:
            return f"{self.pair[1].name}: revision {self.pair[1].revision.number}, with none before it"
        if self._one:
            a, b = (f"revision {stored.revision.number}" for stored in self.pair)
            return f"{self.pair[1].name}: {b} beside {a}"
        a, b = (f"{stored.name}, revision {stored.revision.number}" for stored in self.pair)
        return f"{b} beside {a}"

    def column_words(self) -> tuple[str, str]:
        """Return the heads of the two columns of values."""
        assert self.pair is not None
        if self.first:
            return "", "Value"
        a, b = (f"Revision {stored.revision.number}" if self._one else stored.name for stored in self.pair)
        return a, b

    def sum_words(self) -> str:
        """Return what differs in all, and what comes of it."""
        if self.compare is None:
            return "being compared"
        if self.first:
            findings = [finding for finding in self.compare.right.findings if finding.severity != "note"]
            counted = _counted(len(findings), "finding", "findings") if findings else "no findings"
            worst = "; ".join(finding.text.rstrip(".") for finding in findings[:2])
            return f"all of it is new: {len(self.compare.rows)} settings · {counted}{f': {worst}' if worst else ''}"
        rows, whole = self.compare.rows, effect(self.compare.left, self.compare.right)
        parts = [_counted(len(rows), "setting differs", "settings differ")]
        grades = sum(link.before != link.after for link in whole.links)
        if grades:
            parts.append(_counted(grades, "link changes its cost", "links change their cost"))
        if whole.gained:
            parts.append(_counted(len(whole.gained), "new finding", "new findings"))
        if whole.lost:
            parts.append(_counted(len(whole.lost), "finding goes", "findings go"))
        if whole.nothing:
            parts.append("no link and no finding changes")
        if whole.data_words:
            parts.append(whole.data_words)
        return " · ".join(parts)

    def places(self) -> list[tuple[str, str]]:
        """Return what a comment can be about, in words, with its place."""
        assert self.pair is not None
        stored = self.pair[1]
        path = evaluate(stored.template, remedies=False)
        results = [("the whole revision", "")]
        results += [(f"station {station.name}", f"station {station.id}") for station in path.stations]
        links = [f"link {link.source} {link.target}" for link in path.links]
        return [*results, *((place_words(stored, place), place) for place in links)]

    def place_words(self, place: str) -> str:
        """Return a place of the second revision in words."""
        assert self.pair is not None
        return place_words(self.pair[1], place)

    # -- doing -------------------------------------------------------------------------------------------------

    def comment(self, place: str, text: str, done: Callable[[], object]) -> None:
        """Say something of the second revision; `done` is called when it was taken."""
        if self.pair is not None:
            self.door.acts.comment(self.pair[1].revision, place, text, done)

    def act(self, act: str) -> None:
        """Approve the second revision, or send it back, after what goes with it was asked."""
        if self.pair is not None:
            deciding(self.door, self.asked.emit, self.pair[1].name, self.pair[1].revision, act)


def pair_words(stored: StoredTemplate) -> str:
    """Return what stands over a strip: whose revision it is, in which state, with its note."""
    revision = stored.revision
    note = f", “{revision.note}”" if revision.note else ""
    return f"{stored.name}, revision {revision.number}: {revision.state}, {revision.author} {revision.time[:10]}{note}"


def _counted(count: int, one: str, more: str) -> str:
    return f"{count} {one if count == 1 else more}"

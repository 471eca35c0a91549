"""What may be done with a revision: which acts lead from which state to which, and who may do them."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from idle_quarry.errors import LibraryError

#: The setting that says how many people an approval takes.
RULE = "approval"
#: The setting of a library file that says whose name counts, and its value where that is the system's account.
NAMES, BY_LOGIN = "names", "login"


@dataclass(frozen=True)
class ReviewAct:
    """Something done with a revision: from which states, to which, and how it is told."""

    states: tuple[str, ...]
    state: str
    participle: str


ACTS = {
    "propose": ReviewAct(("draft",), "in review", "sent to review"),
    "approve": ReviewAct(("in review",), "approved", "approved"),
    "send back": ReviewAct(("in review",), "draft", "sent back"),
    "withdraw": ReviewAct(("draft", "in review", "approved"), "withdrawn", "withdrawn"),
    "bring back": ReviewAct(("withdrawn",), "draft", "brought back"),
}
COMMENT = "comment"


class StopsUnanswered(LibraryError):
    """A revision with stops is approved only with an answer to each: `stops` are their sentences."""

    def __init__(self, stops: Sequence[str], answered: int, *, subject: str) -> None:
        self.stops = tuple(stops)
        count = "a stop" if len(stops) == 1 else f"{len(stops)} stops"
        super().__init__(
            f"has {count}, {answered or 'none'} answered: {stops[answered] if answered < len(stops) else stops[0]}",
            subject=subject,
            remedy="say of each why it is right all the same, or put it right first",
        )


def resulting_state(
    act: str, state: str, authors: Collection[str], person: str, *, one_person: bool, subject: str
) -> str:
    """Return the state a revision has after `act`; `authors` are all who wrote what is not approved of it.

    Raises `LibraryError` where the act does not go with the state, or one of its authors would approve it in a house
    where that takes another.
    """
    known = ACTS[act]
    states = (*known.states, "draft") if act == "approve" and one_person else known.states
    if state not in states:
        remedy = {"approve": "send it to review first", "send back": "only what is in review can be sent back"}
        raise LibraryError(f"is {state}, and cannot be {known.participle}", subject=subject, remedy=remedy.get(act, ""))
    if act == "approve" and not one_person and person in authors:
        who = "its author" if len(authors) == 1 else f"{person}, one of its authors,"
        raise LibraryError(
            f"{who} may not approve it",
            subject=subject,
            remedy="ask another person, or set the house to one-person approval",
        )
    return known.state

"""What may be done with a revision: which acts lead from which state to which, and who may do them."""

from __future__ import annotations

from dataclasses import dataclass

from idle_quarry.errors import LibraryError

#: The setting that says how many people an approval takes.
RULE = "approval"


@dataclass(frozen=True)
class Act:
    """Something done with a revision: from which states, to which, and how it is told."""

    states: tuple[str, ...]
    state: str
    told: str


ACTS = {
    "propose": Act(("draft",), "in review", "sent to review"),
    "approve": Act(("in review",), "approved", "approved"),
    "send back": Act(("in review",), "draft", "sent back"),
    "withdraw": Act(("draft", "in review", "approved"), "withdrawn", "withdrawn"),
    "bring back": Act(("withdrawn",), "draft", "brought back"),
}
COMMENT = "comment"


def resulting_state(act: str, state: str, author: str, person: str, *, one_person: bool, subject: str) -> str:
    """Return the state a revision has after `act`.

    Raises `LibraryError` where the act does not go with the state, or its author would approve it in a house where
    that takes another.
    """
    known = ACTS[act]
    states = (*known.states, "draft") if act == "approve" and one_person else known.states
    if state not in states:
        remedy = {"approve": "send it to review first", "send back": "only what is in review can be sent back"}
        raise LibraryError(f"is {state}, and cannot be {known.told}", subject=subject, remedy=remedy.get(act, ""))
    if act == "approve" and not one_person and author == person:
        raise LibraryError(
            "its author may not approve it", subject=subject,
            remedy="ask another person, or set the house to one-person approval",
        )  # fmt: skip
    return known.state

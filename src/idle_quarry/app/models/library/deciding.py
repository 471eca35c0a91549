"""Asking, in place, for what goes with an act on a revision: a note, and where it is approved an answer to each
stop.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from idle_quarry.app.questions import Answered, Question
from idle_quarry.errors import QuarryError
from idle_quarry.library import Revision
from idle_quarry.library.said import stops_of

if TYPE_CHECKING:
    from idle_quarry.app.door import Door

_ASKED = {
    "propose": ("Send to review", "What is to be looked at:"),
    "approve": ("Approve", "What was looked at:"),
    "send back": ("Send back", "What is to be done first:"),
    "withdraw": ("Withdraw", "Why it is withdrawn:"),
    "bring back": ("Bring back", "Why it is back:"),
}


def deciding(
    door: Door,
    ask: Callable[[Question], object],
    name: str,
    revision: Revision,
    act: str,
    done: Callable[[], object] = lambda: None,
) -> None:
    """Ask for what goes with `act`, one question after the other, and carry it out.

    `done` when the state has changed.
    """
    stops: list[str] = []
    if act == "approve":
        try:
            stops = stops_of(door.stored(revision).template)
        except QuarryError as error:
            door.refuse(error)
            return
    verb, question = _ASKED[act]

    def ask_next(answers: tuple[str, ...]) -> None:
        if len(answers) == len(stops):
            ask(Question(question, verb, lambda note, answered: carry_out(note, answers, answered)))
            return

        def answer(text: str, answered: Answered) -> None:
            if not text:
                answered("Say why it is right all the same, or put it right first.")
                return
            answered(None)
            ask_next((*answers, text))

        number = f"Stop {len(answers) + 1} of {len(stops)}: " if len(stops) > 1 else "Stop: "
        ask(Question(f"{number}{stops[len(answers)]} Why is it right all the same:", "Next", answer))

    def carry_out(note: str, answers: tuple[str, ...], answered: Answered) -> None:
        if act == "send back" and not note:
            answered("Say why, so that it can be put right.")
            return
        door.acts.review(name, revision, act, note, answers, done, answered)

    ask_next(())

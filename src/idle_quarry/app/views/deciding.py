"""Asking, in place, for what goes with an act on a revision: a note, and where it is approved an answer to each stop."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QTimer

from idle_quarry.app.desk import Desk
from idle_quarry.app.widgets.basics import AskBar
from idle_quarry.errors import QuarryError
from idle_quarry.library import Revision
from idle_quarry.library.reviewing import ACTS
from idle_quarry.library.store import stops_of

_ASKED = {
    "propose": ("Send to review", "What is to be looked at:"),
    "approve": ("Approve", "What was looked at:"),
    "send back": ("Send back", "What is to be done first:"),
    "withdraw": ("Withdraw", "Why it is withdrawn:"),
    "bring back": ("Bring back", "Why it is back:"),
}


def ask_act(desk: Desk, bar: AskBar, name: str, revision: Revision, act: str, done: Callable[[], object]) -> None:
    """Ask for what goes with `act`, and carry it out; `done` is called when the state has changed."""
    stops: list[str] = []
    if act == "approve":
        try:
            stops = stops_of(desk.stored(revision).template)
        except QuarryError as error:
            desk.refuse(error)
            return
    _ask_next(desk, bar, name, revision, act, done, stops, ())


def _ask_next(
    desk: Desk, bar: AskBar, name: str, revision: Revision, act: str, done: Callable[[], object],
    stops: list[str], answers: tuple[str, ...],
) -> None:  # fmt: skip
    verb, question = _ASKED[act]
    if len(answers) < len(stops):
        number = f"Stop {len(answers) + 1} of {len(stops)}: " if len(stops) > 1 else "Stop: "

        def answer(text: str) -> str | None:
            if not text:
                return "Say why it is right all the same, or put it right first."
            further = partial(_ask_next, desk, bar, name, revision, act, done, stops, (*answers, text))
            QTimer.singleShot(0, bar, further)  # the bar closes after this answer
            return None

        bar.ask_text(f"{number}{stops[len(answers)]} Why is it right all the same:", "", "Next", answer)
        return

    def accept(note: str) -> str | None:
        if act == "send back" and not note:
            return "Say why, so that it can be put right."
        try:
            desk.library.review(revision.template_id, revision.number, act, note, answers=answers)
        except QuarryError as error:
            return str(error)
        desk.say(f"{name}, revision {revision.number}: {ACTS[act].told}.")
        desk.shelves_changed.emit()
        done()
        return None

    bar.ask_text(question, "", verb, accept)

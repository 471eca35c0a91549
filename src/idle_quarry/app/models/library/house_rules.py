"""What the house has settled of its library: who approves, and whose name counts."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from idle_quarry.app.questions import Choice

if TYPE_CHECKING:
    from idle_quarry.app.door import Door


class HouseRules:
    """Asks for a rule of the house, which its people share."""

    def __init__(self, door: Door, ask: Callable[[Choice], object]) -> None:
        self._door, self._ask = door, ask

    def ask_rule(self) -> None:
        """Ask how many people an approval takes in this house."""
        alone = self._door.read(lambda library: library.one_person())
        if alone is None:
            return
        now = "one person may approve alone" if alone else "another person than the author approves"
        acts = self._door.acts
        two, one = (
            {"Another than the author": lambda: acts.set_rule(alone=False)},
            {"One person alone": lambda: acts.set_rule(alone=True)},
        )
        answers = {**(one | two if alone else two | one), "Leave it": lambda: None}
        self._ask(Choice(f"Who approves a revision in this house? Now {now}.", answers))

    def ask_names(self) -> None:
        """Ask whose names count in this library's file."""
        by_login = self._door.read(lambda library: library.names_by_login())
        if by_login is None:
            return
        now = (
            "people are called as their accounts on the system are"
            if by_login
            else "people choose what they are called"
        )
        acts = self._door.acts
        account, chosen = (
            {"The system's accounts": lambda: acts.set_names(by_login=True)},
            {"The name in the profile": lambda: acts.set_names(by_login=False)},
        )
        answers = {**(account | chosen if by_login else chosen | account), "Leave it": lambda: None}
        self._ask(Choice(f"Whose name counts in this library's file? Now {now}.", answers))

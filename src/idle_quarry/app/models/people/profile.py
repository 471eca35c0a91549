"""The profile: who works here, how the window looks to them, which keys they use, where their things are put."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.command import Command, conflicts
from idle_quarry.app.preferences import Preferences, initials_of
from idle_quarry.app.profiles import called, exported, imported, keep, profiles
from idle_quarry.app.questions import Answered, Choice, Question
from idle_quarry.errors import QuarryError
from idle_quarry.path.names import text_refused

if TYPE_CHECKING:
    from idle_quarry.app.door import Door


@dataclass(frozen=True)
class KeyRow:
    """A command with its key now, and what is to be said of it; `shared` where another command has the same."""

    name: str
    now: str
    words: str
    shared: bool


class Profile(QObject):
    """`changed`: another person, or another choice; `keys_changed`; `asked`: a question is to be put in place."""

    changed = Signal()
    keys_changed = Signal()
    asked = Signal(object)

    def __init__(self, door: Door) -> None:
        super().__init__()
        self.door = door
        self.commands: list[Command] = []  #: what the window can do, whose keys are chosen here

    @property
    def preferences(self) -> Preferences:
        return self.door.preferences

    @property
    def person(self) -> str:
        return self.preferences.name or self.door.library.person

    @property
    def initials(self) -> str:
        return self.preferences.initials or initials_of(self.person)

    @property
    def renamable(self) -> bool:
        """Whether the name can be another: a server knows its people by their own."""
        return not self.door.library.at_hand

    def people(self) -> list[str]:
        """Return who has a profile on this machine, whoever works now first."""
        return list(dict.fromkeys([self.person, *profiles()]))

    # -- looks -------------------------------------------------------------------------------------------------

    def dress(self, brightness: str, percent: int) -> None:
        """Take a brightness and a text size, in place."""
        self.preferences.brightness, self.preferences.text_percent = brightness, percent
        theme.wear(brightness, percent)
        self.changed.emit()

    # -- choices -----------------------------------------------------------------------------------------------

    def choose(self, *, initials: str, jobs: str, work: str, export: str) -> None:
        """Take over what was typed, and keep it."""
        for text in (initials, jobs, work, export):
            why = text_refused(text)
            if why is not None:
                self.door.say(f"{text.strip()[:60]!r} cannot be taken: {why}.", refusal=True)
                self.changed.emit()
                return
        chosen = self.preferences
        chosen.initials = initials.strip() or initials_of(self.person)
        chosen.jobs_folder, chosen.work_folder, chosen.export_folder = jobs.strip(), work.strip(), export.strip()
        self._keep()

    def _keep(self) -> None:
        self.preferences.save()
        if self.preferences.name:
            try:
                keep(self.preferences)
            except QuarryError as error:
                self.door.refuse(error)

    def choose_house(self, text: str) -> None:
        """Take over the address of the house's server; one that is none, or that says a password, is refused."""
        from idle_quarry.library.server.opening import address

        text = text.strip()
        if text == self.preferences.house:
            return
        try:
            url = address(text) if text else None
        except QuarryError as error:
            self.door.refuse(error)
            return
        if url is not None and url.password:
            self.door.say(
                "A password is not kept here: write it into ~/.pgpass, which only you may read.", refusal=True
            )
            self.changed.emit()
            return
        self.preferences.house = text
        self._keep()
        whose = "The house's library" if text else "This machine's own library"
        self.door.say(f"{whose} is opened from the next start on.")

    def lend(self, when: str, hours: str) -> None:
        """Lend this machine to the others of the house, or no longer, and keep that."""
        self.door.lending.lend(when, hours)
        self._keep()

    # -- keys ----------------------------------------------------------------------------------------------------

    def keys(self) -> dict[str, tuple[str, str]]:
        """Return the keys of the commands by name: the program's own, and what this person has."""
        chosen = self.preferences.shortcuts
        return {command.name: (command.key, chosen.get(command.name, command.key)) for command in self.commands}

    def key_rows(self) -> list[KeyRow]:
        """Return each command with its key, and what is to be said of it."""
        keys = self.keys()
        shared = conflicts({name: now for name, (_, now) in keys.items()})
        rows = []
        for name, (own, now) in keys.items():
            text = f"the program's own is {own or 'none'}" if now != own else ""
            rows.append(
                KeyRow(name, now, f"also: {', '.join(shared[name])}" if name in shared else text, name in shared)
            )
        return rows

    def note_words(self) -> str:
        """Return how many commands share a key."""
        count = sum(row.shared for row in self.key_rows())
        return f"{count} commands share a key: it does nothing until they differ." if count else ""

    def set_key(self, name: str, key: str) -> None:
        """Give a command a key of one's own."""
        if key == self.keys()[name][0]:
            self.preferences.shortcuts.pop(name, None)
        else:
            self.preferences.shortcuts[name] = key
        self._keep()
        self.keys_changed.emit()

    def keys_back(self) -> None:
        """Take the program's own keys again."""
        self.preferences.shortcuts = {}
        self._keep()
        self.keys_changed.emit()

    # -- people ----------------------------------------------------------------------------------------------------

    def rename(self, name: str) -> None:
        """Call whoever works here otherwise."""
        name = name.strip()
        if not name or name == self.door.library.person or not self.renamable:
            return
        why = text_refused(name)
        if why is not None or name in profiles():
            there = f"There is a profile called {name}: choose it above, or choose another name."
            self.door.say(there if why is None else f"This name cannot be taken: {why}.", refusal=True)
            self.changed.emit()
            return
        self.preferences.name, self.preferences.initials = name, initials_of(name)
        self._keep()
        self.door.change_person(name)
        self.changed.emit()

    def switch(self, name: str) -> None:
        """Let another person sit down."""
        if name == self.person:
            return
        try:
            other = called(name)
        except QuarryError as error:
            self.door.refuse(error)
            self.changed.emit()
            return
        self._sit_down(other)

    def _sit_down(self, other: Preferences) -> None:
        self._keep()
        other.geometry = self.preferences.geometry  # the window stays where it is
        self.door.preferences = other
        other.save()
        if other.name and self.renamable:
            self.door.change_person(other.name)
        self.dress(other.brightness, other.text_percent)
        self.keys_changed.emit()

    def ask_new(self) -> None:
        """Ask for a name, and make a profile."""

        def accept(name: str, answered: Answered) -> None:
            if not name:
                answered("Type a name.")
            elif (why := text_refused(name)) is not None:
                answered(f"This name cannot be taken: {why}.")
            elif name in profiles():
                answered(f"There is a profile called {name} already.")
            else:
                self._make(name[:80], answered)

        self.asked.emit(Question("Name of the person:", "Make the profile", accept))

    def _make(self, name: str, answered: Answered) -> None:
        preferences = Preferences(name=name, initials=initials_of(name), brightness=self.preferences.brightness)
        try:
            if not self.preferences.name:
                self.preferences.name = self.door.library.person
            keep(self.preferences)
            keep(preferences)
        except QuarryError as error:
            answered(str(error))
            return
        answered(None)
        self._sit_down(preferences)

    def export_to(self, path: Path) -> None:
        """Write the profile to a file, to be carried to another machine."""
        if not self.preferences.name:
            self.preferences.name = self.door.library.person
        try:
            exported(self.preferences, path)
        except QuarryError as error:
            self.door.refuse(error)
            return
        self.door.say(f"{self.preferences.name}'s profile is in {path.name}.")

    def import_from(self, path: Path) -> None:
        """Take the profile in a file and sit down with it; one of the same name here is asked about first."""
        try:
            preferences = imported(path)
        except QuarryError as error:
            self.door.refuse(error)
            return
        if not preferences.name:
            self.door.say(f"{path.name}: the profile has no name.", refusal=True)
            return

        def take() -> None:
            try:
                keep(preferences)
            except QuarryError as error:
                self.door.refuse(error)
                return
            self._sit_down(preferences)

        if preferences.name in profiles():
            answers: dict[str, Callable[[], object]] = {"Leave it": lambda: None, "Replace it": take}
            self.asked.emit(Choice(f"There is a profile called {preferences.name} here already.", answers))
        else:
            take()

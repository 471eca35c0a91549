"""The profile: who works here, how the window looks to them, which keys they use, where their things are put."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QKeySequenceEdit,
    QLineEdit,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.commands import conflicts
from idle_quarry.app.desk import Desk
from idle_quarry.app.preferences import Preferences, initials_of
from idle_quarry.app.profiles import called, exported, imported, kept, profiles
from idle_quarry.app.sizes import sized
from idle_quarry.app.theme import BRIGHTNESSES, TEXT_SIZES
from idle_quarry.app.widgets.basics import AskBar, button, fit_rows, label, wrapped_table
from idle_quarry.app.widgets.tinted import tint
from idle_quarry.errors import QuarryError

#: The keys of commands by name: the program's own, and what they are now.
Keys = Mapping[str, tuple[str, str]]


class ProfilePage(QWidget):
    """`dressed` when brightness or text changed, `keys_changed` when a key did, `switched` when another person sits down."""

    dressed = Signal(str, int)
    keys_changed = Signal()
    switched = Signal()
    closed = Signal()

    def __init__(self, desk: Desk, keys: Callable[[], Keys]) -> None:
        super().__init__()
        self.desk = desk
        self._keys = keys
        self.profile = QComboBox()
        self.profile.setAccessibleName("Profile")
        self.profile.activated.connect(self._switch)
        self.name, self.initials = QLineEdit(), QLineEdit()
        self.name.setMaxLength(80)
        self.initials.setMaxLength(4)
        self.brightness, self.text = QComboBox(), QComboBox()
        self.brightness.addItems(list(BRIGHTNESSES))
        for percent in TEXT_SIZES:
            self.text.addItem(f"{percent} %", percent)
        self.jobs, self.work, self.export, self.house = QLineEdit(), QLineEdit(), QLineEdit(), QLineEdit()
        self.house.setPlaceholderText("this machine's own")
        self._form: list[tuple[str, QWidget, str]] = [
            ("Name", self.name, "as it stands on what you save and say"),
            ("Initials", self.initials, "where there is little room"),
            ("Brightness", self.brightness, "for a dark suite, a dim room or an office"),
            ("Text size", self.text, ""),
            ("New jobs go to", self.jobs, "proposed where a job is started"),
            ("Work is kept in", self.work, "proposed for the standard set of a house"),
            ("Files go to", self.export, "proposed where something is exported"),
            ("House library", self.house, "a server's address, from the next start on"),
        ]
        self.table = wrapped_table("Keys", {"Command": 0, "Key": 190, "": 250})
        self._note = label(role="refusal", wrap=True)
        self.ask = AskBar()
        self._build()
        self.first_focus = self.name
        self.name.editingFinished.connect(self._renamed)
        self.initials.editingFinished.connect(self._take)
        for line in (self.jobs, self.work, self.export):
            line.editingFinished.connect(self._take)
        self.house.editingFinished.connect(self._house_changed)
        for box in (self.brightness, self.text):
            box.activated.connect(lambda _i: self.dressed.emit(self.brightness.currentText(), self.text.currentData()))

    def _build(self) -> None:
        head = QHBoxLayout()
        sized(head).setContentsMargins(24, 12, 16, 4)
        sized(head).setSpacing(7)
        names = QVBoxLayout()
        names.addWidget(label("Profile", "title"))
        names.addWidget(label("What a person has chosen for themselves. None of it changes a template.", "dust"))
        head.addLayout(names, 1)
        for each in (
            button("New profile", self._ask_new),
            button("Load from a file", self._import_asked),
            button("Write to a file", self._export_asked),
            button("Back to work", self.closed.emit, tip="Esc"),
        ):
            head.addWidget(each)
        form = QFormLayout()
        sized(form).setHorizontalSpacing(14)
        sized(form).setVerticalSpacing(6)
        form.addRow(label("Who is here", "dust"), self.profile)
        for text, widget, follows in self._form:
            widget.setAccessibleName(text)
            form.addRow(label(text, "dust"), widget)
            if follows:
                form.addRow("", label(follows, "dust"))
        left = QWidget()
        sized(left).setMaximumWidth(480)
        column = QVBoxLayout(left)
        sized(column).setContentsMargins(24, 8, 12, 12)
        column.addLayout(form)
        column.addStretch(1)
        keys = QVBoxLayout()
        sized(keys).setContentsMargins(12, 8, 16, 12)
        row = QHBoxLayout()
        row.addWidget(label("Keys", "head"))
        row.addWidget(self._note, 1)
        row.addWidget(button("Put all keys back", self._keys_back))
        keys.addLayout(row)
        keys.addWidget(self.table, 1)
        both = QHBoxLayout()
        both.addWidget(left)
        both.addLayout(keys, 1)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addLayout(head)
        outer.addWidget(self.ask)
        outer.addLayout(both, 1)

    # -- showing ---------------------------------------------------------------------------------------

    def fill(self) -> None:
        """Show the preferences as they are."""
        p = self.desk.preferences
        person = p.name or self.desk.library.person
        self.profile.clear()
        for name in dict.fromkeys([person, *profiles()]):
            self.profile.addItem(name)
        self.profile.setCurrentText(person)
        self.name.setText(person)
        self.name.setReadOnly(self.desk.library.at_hand)  # a server knows its people by their own names
        self.name.setToolTip("the server knows you by this name" if self.desk.library.at_hand else "")
        self.initials.setText(p.initials or initials_of(person))
        self.brightness.setCurrentText(p.brightness)
        self.text.setCurrentIndex(max(0, self.text.findData(p.text_percent)))
        texts = (p.jobs_folder, p.work_folder, p.export_folder, p.house)
        for line, text in zip((self.jobs, self.work, self.export, self.house), texts, strict=True):
            line.setText(text)
        self._fill_keys()

    def _fill_keys(self) -> None:
        keys = self._keys()
        self.table.setRowCount(0)
        self.table.setRowCount(len(keys))
        for row, (name, (own, now)) in enumerate(keys.items()):
            self.table.setItem(row, 0, QTableWidgetItem(name))
            edit = QKeySequenceEdit(QKeySequence(now))
            edit.setMaximumSequenceLength(1)
            edit.setClearButtonEnabled(True)
            edit.setAccessibleName(f"Key of {name}")
            edit.editingFinished.connect(lambda name=name, edit=edit: self._key_changed(name, edit))
            line = edit.findChild(QLineEdit)
            if line is not None:
                line.setAccessibleName(f"Key of {name}")
                line.setPlaceholderText("press a key")
            self.table.setCellWidget(row, 1, edit)
            self.table.setItem(row, 2, QTableWidgetItem(""))
            if now != own:
                self._said(row, f"the program's own is {own or 'none'}", "dust")
        self._show_conflicts()
        fit_rows(self.table)

    def _said(self, row: int, text: str, role: str) -> None:
        item = self.table.item(row, 2)
        if item is not None:
            item.setText(text)
            tint(item, role)

    def _show_conflicts(self) -> None:
        keys = self._keys()
        found = conflicts({name: now for name, (_, now) in keys.items()})
        for row, (name, (own, now)) in enumerate(keys.items()):
            if name in found:
                self._said(row, f"also: {', '.join(found[name])}", "oxide")
            else:
                self._said(row, f"the program's own is {own or 'none'}" if now != own else "", "dust")
        count = len(found)
        self._note.setText(f"{count} commands share a key: it does nothing until they differ." if count else "")

    # -- changing --------------------------------------------------------------------------------------

    def _take(self) -> None:
        """Take over what was typed, and keep it."""
        p = self.desk.preferences
        p.initials = self.initials.text().strip() or initials_of(self.name.text())
        p.jobs_folder, p.work_folder = self.jobs.text().strip(), self.work.text().strip()
        p.export_folder = self.export.text().strip()
        self._keep()

    def _house_changed(self) -> None:
        """Take over the address of the house's server; one that is none, or that says a password, is refused."""
        from idle_quarry.library.server.opening import address, shown

        text = self.house.text().strip()
        if text == self.desk.preferences.house:
            return
        try:
            url = address(text) if text else None
        except QuarryError as error:
            self.desk.refuse(error)
            return
        if url is not None and url.password:
            self.desk.say(
                "A password is not kept here: write it into ~/.pgpass, which only you may read.", refusal=True
            )
            self.house.setText(shown(url))
            return
        self.desk.preferences.house = text
        self._keep()
        self.desk.say(
            "The house's library is opened from the next start on."
            if text
            else "This machine's own library is opened from the next start on."
        )

    def _keep(self) -> None:
        self.desk.preferences.save()
        if self.desk.preferences.name:
            try:
                kept(self.desk.preferences)
            except QuarryError as error:
                self.desk.refuse(error)

    def _renamed(self) -> None:
        name = self.name.text().strip()
        if not name or name == self.desk.library.person or self.desk.library.at_hand:
            return
        if name in profiles():
            self.desk.say(f"There is a profile called {name}: choose it above, or choose another name.", refusal=True)
            self.name.setText(self.desk.library.person)
            return
        self.desk.preferences.name = name
        self.desk.preferences.initials = initials_of(name)
        self._keep()
        self.desk.change_person(name)
        self.switched.emit()

    def _key_changed(self, name: str, edit: QKeySequenceEdit) -> None:
        own = self._keys()[name][0]
        text = edit.keySequence().toString()
        if text == own:
            self.desk.preferences.shortcuts.pop(name, None)
        else:
            self.desk.preferences.shortcuts[name] = text
        self._keep()
        self.keys_changed.emit()
        self._show_conflicts()

    def _keys_back(self) -> None:
        self.desk.preferences.shortcuts = {}
        self._keep()
        self.keys_changed.emit()
        self._fill_keys()

    # -- people ----------------------------------------------------------------------------------------

    def _switch(self) -> None:
        name = self.profile.currentText()
        if name == (self.desk.preferences.name or self.desk.library.person):
            return
        try:
            other = called(name)
        except QuarryError as error:
            self.desk.refuse(error)
            self.fill()
            return
        self._sit_down(other)

    def _sit_down(self, other: Preferences) -> None:
        self._take()
        other.geometry = self.desk.preferences.geometry  # the window stays where it is
        self.desk.preferences = other
        other.save()
        if other.name and not self.desk.library.at_hand:
            self.desk.change_person(other.name)
        self.switched.emit()

    def _ask_new(self) -> None:
        def accept(name: str) -> str | None:
            if not name:
                return "Type a name."
            if name in profiles():
                return f"There is a profile called {name} already."
            made = Preferences(name=name[:80], initials=initials_of(name), brightness=self.desk.preferences.brightness)
            try:
                if not self.desk.preferences.name:
                    self.desk.preferences.name = self.desk.library.person
                kept(self.desk.preferences)
                kept(made)
            except QuarryError as error:
                return str(error)
            self._sit_down(made)
            return None

        self.ask.ask_text("Name of the person:", "", "Make the profile", accept)

    def _export_asked(self) -> None:
        start = str(Path(self.desk.preferences.export_folder or Path.home()) / f"{self.name.text()} profile.json")
        name, _kind = QFileDialog.getSaveFileName(self, "Profile", start, "Profile (*.json)")
        if name:
            self.export_to(Path(name))

    def export_to(self, path: Path) -> None:
        """Write the profile to a file, to be carried to another machine."""
        self._take()
        if not self.desk.preferences.name:
            self.desk.preferences.name = self.desk.library.person
        try:
            exported(self.desk.preferences, path)
        except QuarryError as error:
            self.desk.refuse(error)
            return
        self.desk.say(f"{self.desk.preferences.name}'s profile is in {path.name}.")

    def _import_asked(self) -> None:
        name, _kind = QFileDialog.getOpenFileName(
            self, "Profile", self.desk.preferences.export_folder, "Profile (*.json)"
        )
        if name:
            self.import_from(Path(name))

    def import_from(self, path: Path) -> None:
        """Take the profile in a file and sit down with it; one of the same name here is asked about first."""
        try:
            found = imported(path)
        except QuarryError as error:
            self.desk.refuse(error)
            return
        if not found.name:
            self.desk.say(f"{path.name}: the profile has no name.", refusal=True)
            return

        def take() -> None:
            try:
                kept(found)
            except QuarryError as error:
                self.desk.refuse(error)
                return
            self._sit_down(found)

        if found.name in profiles():
            self.ask.ask_choice(
                f"There is a profile called {found.name} here already.", {"Leave it": lambda: None, "Replace it": take}
            )
        else:
            take()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.closed.emit()
        else:
            super().keyPressEvent(event)

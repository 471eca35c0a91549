"""The profile's page: who works here, how the window looks to them, where their things are put, which keys they use."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QComboBox, QFileDialog, QFormLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import BRIGHTNESSES, TEXT_SIZES
from idle_quarry.app.desk import Desk
from idle_quarry.app.lending_model import WHEN
from idle_quarry.app.views.profile.keys import KeyTable
from idle_quarry.app.widgets.basic.ask_bar import AskBar
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.pages import page_head
from idle_quarry.path.names import cleaned_name

_FILES = "Profile (*.json)"


class ProfileView(QWidget):
    """Shows the profile, and forwards what is chosen."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.model = desk, desk.profile
        self.profile = QComboBox()
        self.profile.setAccessibleName("Profile")
        self.name, self.initials = QLineEdit(maxLength=80), QLineEdit(maxLength=4)
        self.brightness, self.text = QComboBox(), QComboBox()
        self.brightness.addItems(list(BRIGHTNESSES))
        for percent in TEXT_SIZES:
            self.text.addItem(f"{percent} %", percent)
        self.jobs, self.work, self.export, self.house = QLineEdit(), QLineEdit(), QLineEdit(), QLineEdit()
        self.house.setPlaceholderText("this machine's own")
        self.lend, self.lend_hours, self.lent = QComboBox(), QLineEdit(maxLength=12), label("", "dust")
        self.lend.addItems(WHEN)
        self.lend.setToolTip("it renders, makes and verifies for other rooms")
        self.lend_hours.setPlaceholderText("at any hour; 19-7 for the night")
        self.keys = KeyTable(self.model)
        self.ask = AskBar()
        self._build()
        self.first_focus = self.name
        self._connect()
        self._show()

    def _build(self) -> None:
        about = label("What a person has chosen for themselves. None of it changes a template.", "dust")
        head = page_head(
            label("Profile", "title"),
            about,
            button("New profile", self.model.ask_new),
            button("Load from a file", self._ask_import),
            button("Write to a file", self._ask_export),
            button("Back to work", self._back, tip="Esc"),
        )
        form = QFormLayout()
        sized(form).setHorizontalSpacing(14)
        sized(form).setVerticalSpacing(6)
        form.addRow(label("Who is here", "dust"), self.profile)
        for text, widget, follows in (
            ("Name", self.name, "as it stands on what you save and say"),
            ("Initials", self.initials, "where there is little room"),
            ("Brightness", self.brightness, "for a dark suite, a dim room or an office"),
            ("Text size", self.text, ""),
            ("New jobs go to", self.jobs, "proposed where a job is started"),
            ("Work is kept in", self.work, "proposed for the standard set of a house"),
            ("Files go to", self.export, "proposed where something is exported"),
            ("House library", self.house, "a server's address, from the next start on"),
            ("Lend this machine", self.lend, ""),
            ("Between", self.lend_hours, ""),
        ):
            widget.setAccessibleName(text)
            form.addRow(label(text, "dust"), widget)
            if follows:
                form.addRow("", label(follows, "dust"))
        form.addRow("", self.lent)
        for row in (self.lend, self.lend_hours, self.lent):
            form.setRowVisible(row, self.desk.lending.possible)
        left = QWidget()
        sized(left).setMaximumWidth(480)
        column = QVBoxLayout(left)
        sized(column).setContentsMargins(24, 8, 12, 12)
        column.addLayout(form)
        column.addStretch(1)
        both = QHBoxLayout()
        both.addWidget(left)
        both.addWidget(self.keys, 1)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addLayout(head)
        outer.addWidget(self.ask)
        outer.addLayout(both, 1)

    def _connect(self) -> None:
        model = self.model
        self.profile.textActivated.connect(model.switch)
        self.name.editingFinished.connect(lambda: model.rename(self.name.text()))
        for line in (self.initials, self.jobs, self.work, self.export):
            line.editingFinished.connect(self._chosen)
        self.house.editingFinished.connect(lambda: model.choose_house(self.house.text()))
        for box in (self.brightness, self.text):
            box.activated.connect(lambda _i: model.dress(self.brightness.currentText(), self.text.currentData()))
        self.lend.activated.connect(lambda _i: self._lend())
        self.lend_hours.editingFinished.connect(self._lend)
        self.desk.lending.changed.connect(self._show_lent)
        model.changed.connect(self._show)
        model.asked.connect(self.ask.put)

    def _show(self) -> None:
        model, chosen = self.model, self.model.preferences
        self.profile.clear()
        self.profile.addItems(model.people())
        self.profile.setCurrentText(model.person)
        self.name.setText(model.person)
        self.name.setReadOnly(not model.renamable)
        self.name.setToolTip("" if model.renamable else "the server knows you by this name")
        self.initials.setText(model.initials)
        self.brightness.setCurrentText(chosen.brightness)
        self.text.setCurrentIndex(max(0, self.text.findData(chosen.text_percent)))
        texts = (chosen.jobs_folder, chosen.work_folder, chosen.export_folder, chosen.house)
        for line, text in zip((self.jobs, self.work, self.export, self.house), texts, strict=True):
            line.setText(text)

        self._show_lent()

    def _show_lent(self) -> None:
        chosen = self.model.preferences
        self.lend.setCurrentText(chosen.lend)
        self.lend_hours.setText(chosen.lend_hours)
        self.lent.setText(self.desk.lending.words)

    def _lend(self) -> None:
        chosen = self.model.preferences
        if (self.lend.currentText(), self.lend_hours.text().strip()) != (chosen.lend, chosen.lend_hours):
            self.model.lend(self.lend.currentText(), self.lend_hours.text())

    def _chosen(self) -> None:
        self.model.choose(
            initials=self.initials.text(), jobs=self.jobs.text(), work=self.work.text(), export=self.export.text()
        )

    def _back(self) -> None:
        self.desk.view_wanted.emit("Library")

    def _ask_export(self) -> None:
        folder = Path(self.model.preferences.export_folder or Path.home())
        name, _kind = QFileDialog.getSaveFileName(
            self, "Profile", str(folder / f"{cleaned_name(self.model.person)} profile.json"), _FILES
        )
        if name:
            self.model.export_to(Path(name))

    def _ask_import(self) -> None:
        name, _kind = QFileDialog.getOpenFileName(self, "Profile", self.model.preferences.export_folder, _FILES)
        if name:
            self.model.import_from(Path(name))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self._back()
        else:
            super().keyPressEvent(event)

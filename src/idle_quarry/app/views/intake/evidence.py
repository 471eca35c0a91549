"""The evidence for the chosen clip: its picture, and beside it facts, levels, or sound."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.desk import Desk
from idle_quarry.app.models.intake.rows import ClipRow
from idle_quarry.app.models.intake.scrubber import FIELDS, WOVEN
from idle_quarry.app.views.intake.facts import facts_widget
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.tabs import Tabs
from idle_quarry.app.widgets.pictures.clip_picture import ClipPicture
from idle_quarry.app.widgets.signal.scopes import LevelScopes, SoundLevels
from idle_quarry.app.widgets.templates.readings import offer_readings
from idle_quarry.errors import QuarryError
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.words import format_from_words, format_words

KINDS = ("Facts", "Levels", "Sound")


class ClipEvidence(QWidget):
    """Everything computed from one clip; a format that somebody knows better is typed here."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.model = desk, desk.intake
        self.picture = ClipPicture(self.model.scrubber)
        self.scopes = LevelScopes()
        self.sound = SoundLevels()
        self.facts = QScrollArea()
        self.facts.setWidgetResizable(True)
        self.facts.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.model.scrubber.decoded.connect(self.scopes.show_seen)
        self._stack = QStackedWidget()
        for widget in (self.facts, self.scopes, self.sound):
            self._stack.addWidget(widget)
        row = QHBoxLayout(self)
        sized(row).setContentsMargins(12, 0, 12, 8)
        sized(row).setSpacing(12)
        left = QVBoxLayout()
        sized(left).setSpacing(3)
        left.addLayout(self._modes())
        left.addWidget(self.picture, 1)
        right = QVBoxLayout()
        sized(right).setSpacing(3)
        right.addLayout(self._tabs())
        right.addWidget(self._stack, 1)
        row.addLayout(left, 36)
        row.addLayout(right, 64)

    def _modes(self) -> QHBoxLayout:
        line = QHBoxLayout()
        self.modes = Tabs(("Woven", "Fields"))
        self.modes.chosen.connect(lambda name: self.model.scrubber.set_mode(FIELDS if name == "Fields" else WOVEN))
        line.addWidget(self.modes)
        self.model.scrubber.decoded.connect(self._show_mode)
        line.addStretch(1)
        self.back = button("‹", lambda: self.model.scrubber.step(-1), quiet=True, tip="one frame or field back (Left)")
        self.on = button("›", lambda: self.model.scrubber.step(1), quiet=True, tip="one frame or field on (Right)")
        self.back.setAccessibleName("Step back")
        self.on.setAccessibleName("Step on")
        line.addWidget(self.back)
        line.addWidget(self.on)
        return line

    def _show_mode(self, _seen: object = None) -> None:
        self.modes.show_on("Fields" if self.model.scrubber.mode == FIELDS else "Woven")

    def _tabs(self) -> QHBoxLayout:
        line = QHBoxLayout()
        self.tabs = Tabs(KINDS)
        self.tabs.chosen.connect(lambda name: self._stack.setCurrentIndex(KINDS.index(name)))
        line.addWidget(self.tabs)
        line.addStretch(1)
        line.addWidget(label("Read as", "dust"))
        self.whole_sound = button(
            "Measure the whole sound",
            self.model.hear_whole_sound,
            quiet=True,
            tip="loudness and true peak of all of it, as R 128 integrates a programme",
        )
        line.insertWidget(line.count() - 1, self.whole_sound)
        self.taken_as = QLineEdit()
        self.taken_as.setAccessibleName("Read as: the clip's format in words")
        self.taken_as.setToolTip("Type another format where you know better; it is kept with the clip.")
        sized(self.taken_as).setMinimumWidth(230)
        self.taken_as.editingFinished.connect(self._typed)
        line.addWidget(self.taken_as)
        self.put_back = button("As measured", lambda: self.model.correct(None), quiet=True)
        line.addWidget(self.put_back)
        return line

    def show_row(self, row: ClipRow | None) -> None:
        """Show another clip, or nothing."""
        clip = row.clip if row is not None else None
        if clip is None or self.model.scrubber.clip is None or self.model.scrubber.clip.path != clip.path:
            self.model.scrubber.show_clip(clip)
            self.scopes.show_seen(None)
        self.sound.show_clip(clip)
        self.whole_sound.setVisible(self.model.sound_is_of_windows())
        widget = facts_widget(row) if row is not None else QWidget()
        self.facts.setWidget(widget)
        widget.setAutoFillBackground(False)
        self._format = clip.format if clip is not None else None
        self.taken_as.setText(format_words(self._format) if self._format else "")
        self.taken_as.setEnabled(clip is not None and clip.declared.has_picture)
        self.taken_as.setToolTip("Type another format where you know better; it is kept with the clip.")
        self.put_back.setVisible(clip is not None and clip.corrected)

    def _typed(self) -> None:
        text = self.taken_as.text().strip()
        if not text or (self._format is not None and text == format_words(self._format)):
            return
        try:
            fmt: SignalFormat = format_from_words(text, self.desk.house.value.sixty)
        except QuarryError as error:
            self.desk.refuse(error)
            self.taken_as.setText(format_words(self._format) if self._format else "")
            offer_readings(error, self.taken_as, self._typed)
            return
        if fmt != self._format:
            self.model.correct(fmt)

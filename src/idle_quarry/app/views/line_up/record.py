"""Line-up, Record: a tape deck with its transport, what is recorded where, and the takes."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.roles import as_role, on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.models.line_up.deck import DeckModel
from idle_quarry.app.views.line_up.output import OutputChoice
from idle_quarry.app.views.line_up.takes import TakesColumn
from idle_quarry.app.widgets.basic.ask_bar import AskBar
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import OneLine, label
from idle_quarry.app.widgets.pictures.monitor_face import MonitorFace


class RecordPage(QWidget):
    """Shows the model, and forwards. J K L play back, stop and play, faster each time; I and O mark in and out."""

    guide_section = "Record from a deck"

    def __init__(self, model: DeckModel) -> None:
        super().__init__()
        self.model = model
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.ask = AskBar()
        self.deck, self.takes = DeckColumn(model), TakesColumn(model)
        columns = QHBoxLayout()
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(0)
        for column, ground, share in ((self.deck, "surround", 46), (self.takes, "bench", 54)):
            on(column, ground)
            columns.addWidget(column, share)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(self.ask)
        outer.addLayout(columns, 1)
        model.recording.asked.connect(self.ask.put)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        model, large = self.model, event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        acts: dict[Qt.Key, Callable[[], object]] = {
            Qt.Key.Key_J: partial(model.shuttle, -1),
            Qt.Key.Key_K: model.stop,
            Qt.Key.Key_L: partial(model.shuttle, 1),
            Qt.Key.Key_I: partial(model.recording.mark, "in"),
            Qt.Key.Key_O: partial(model.recording.mark, "out"),
            Qt.Key.Key_Left: partial(model.step, -25 if large else -1),
            Qt.Key.Key_Right: partial(model.step, 25 if large else 1),
            Qt.Key.Key_R: model.recording.record,
        }
        act = acts.get(Qt.Key(event.key()))
        if act is None:
            super().keyPressEvent(event)
        else:
            act()


class DeckColumn(QWidget):
    """The tape: its picture as the line brings it, its timecode, the transport and the marks."""

    def __init__(self, model: DeckModel) -> None:
        super().__init__()
        self.model = model
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        sized(grid).setSpacing(6)
        grid.setColumnStretch(2, 1)
        self.tape = OutputChoice(grid, "Tape", lambda value: self._tape(str(value)))
        self.worn = QCheckBox("A worn tape: drop-outs, and a break in its timecode")
        self.worn.toggled.connect(model.wear_out)
        self.face = MonitorFace("What the deck plays")
        self.clock, self.state = label("", "clock"), OneLine("dust")
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName("Place on the tape")
        self.slider.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.slider.sliderMoved.connect(model.go)
        row = QHBoxLayout()
        sized(row).setSpacing(4)
        self.back_button = button("Back", partial(model.shuttle, -1), tip="J: back, faster each time")
        self.stop_button = button("Stop", model.stop, tip="K")
        self.play_button = button("Play", partial(model.shuttle, 1), tip="L: play, faster each time", main=True)
        for item in (self.back_button, self.stop_button, self.play_button):
            row.addWidget(item)
        for text, by, name in (("‹", -1, "Step back"), ("›", 1, "Step on")):
            result = button(text, partial(model.step, by), quiet=True)
            result.setAccessibleName(name)
            row.addWidget(result)
        row.addWidget(self.slider, 1)
        self.marks: dict[str, QLineEdit] = {}
        marks = QHBoxLayout()
        sized(marks).setSpacing(6)
        for which, key in (("in", "I"), ("out", "O")):
            line = QLineEdit()
            line.setAccessibleName(f"Mark {which}")
            line.setPlaceholderText("by hand")
            sized(line).setFixedWidth(110)
            line.editingFinished.connect(partial(self._typed, which))
            self.marks[which] = line
            marks.addWidget(button(f"Mark {which}", partial(model.recording.mark, which), tip=key))
            marks.addWidget(line)
        marks.addStretch(1)
        column = QVBoxLayout(self)
        sized(column).setContentsMargins(16, 8, 14, 10)
        sized(column).setSpacing(6)
        column.addLayout(grid)
        column.addWidget(self.worn)
        column.addWidget(self.face, 1)
        column.addWidget(self.clock, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addWidget(self.state)
        column.addLayout(row)
        column.addLayout(marks)
        model.changed.connect(self._show)
        model.recording.changed.connect(self._show)
        model.seen_changed.connect(self._show_seen)
        self._show()

    def _tape(self, value: str) -> None:
        if value:
            self.model.put_in(Path(value))
            return
        name, _kind = QFileDialog.getOpenFileName(self, "A clip to put in as a tape", str(Path.home()))
        if name:
            self.model.put_in(Path(name))
        else:
            self._show()

    def _typed(self, which: str) -> None:
        now = self.model.recording.mark_in if which == "in" else self.model.recording.mark_out
        text = self.marks[which].text()
        if text != (str(now) if now is not None else ""):
            self.model.recording.mark(which, text)

    def _show(self) -> None:
        model = self.model
        offered = {str(path): name for path, name in model.offered().items()} | {"": "Another clip…"}
        self.tape.show(offered, str(model.clip.path) if model.clip is not None else "none", model.tape_words())
        self.worn.setChecked(model.worn)
        for which, moment in (("in", model.recording.mark_in), ("out", model.recording.mark_out)):
            self.marks[which].setText(str(moment) if moment is not None else "")
        there = model.clip is not None
        for widget in (self.worn, self.back_button, self.stop_button, self.play_button, self.slider):
            widget.setEnabled(there)
        self._show_seen()

    def _show_seen(self) -> None:
        model, snapshot = self.model, self.model.seen
        aspect = float(model.format.raster.display_aspect) if model.format is not None else 16 / 9
        harmed = snapshot is not None and any(fault.kind in ("crc", "edh") for fault in snapshot.faults)
        self.face.show_face(
            snapshot.picture if snapshot is not None else None, aspect, "not as meant" if harmed else "", ""
        )
        self.clock.setText(str(snapshot.status.timecode) if snapshot is not None else "––:––:––:––")
        self.state.setText(model.state_words())
        as_role(self.state, "refusal" if snapshot is not None and snapshot.armed else "dust")
        if snapshot is not None and not self.slider.isSliderDown():
            self.slider.setRange(0, max(0, snapshot.status.frames - 1))
            self.slider.setValue(snapshot.status.at)

"""Line-up, the left column: the frame on the wire, what a packet says, and what is sent with what follows from it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QFileDialog, QGridLayout, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.models.line_up.line_up import LineUp
from idle_quarry.app.models.line_up.options import SENT_SOUNDS, send_with
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import OneLine, label
from idle_quarry.app.widgets.basic.pages import fill_scrolled
from idle_quarry.app.widgets.basic.progress_bar import ProgressBar
from idle_quarry.app.widgets.signal.wire_map import Legend, WireMap
from idle_quarry.signal.words import format_words
from idle_quarry.sound.meters import PEAK_TYPES


class OutputChoice:
    """A row of the sheet: what it is, its choices, what follows."""

    def __init__(self, grid: QGridLayout, name: str, chosen: Callable[[object], object]) -> None:
        row = grid.rowCount()
        self.box = QComboBox()
        self.box.setAccessibleName(name)
        self.box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.box.setMinimumContentsLength(8)
        self.box.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.box.activated.connect(lambda index: chosen(self.box.itemData(index)))
        self.follows = label(role="dust", wrap=True)
        grid.addWidget(label(name, "dust"), row, 0)
        grid.addWidget(self.box, row, 1)
        grid.addWidget(self.follows, row, 2)

    def show(self, choices: Mapping[Any, str], now: object, follows: str) -> None:
        if [self.box.itemData(n) for n in range(self.box.count())] != list(choices) or [
            self.box.itemText(n) for n in range(self.box.count())
        ] != list(choices.values()):
            self.box.clear()
            for value, text in choices.items():
                self.box.addItem(text, value)
        at = list(choices).index(now) if now in choices else -1
        if self.box.currentIndex() != at:
            self.box.setCurrentIndex(at)
        self.follows.setText(follows)


class OutputColumn(QWidget):
    """Shows the model, and forwards."""

    def __init__(self, model: LineUp) -> None:
        super().__init__()
        self.model = model
        self.wire_about = OneLine("dust")
        self.wire = WireMap()
        self.wire.chosen.connect(model.tell)
        self.packet_title, self.packet_text, self.packet_words = (
            OneLine("head"),
            label(role="dust", wrap=True),
            OneLine("dust"),
        )
        self.packet_text.setAlignment(Qt.AlignmentFlag.AlignTop)
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        sized(grid).setSpacing(6)
        grid.setColumnStretch(1, 6)
        grid.setColumnStretch(2, 7)
        self.monitor = OutputChoice(grid, "Monitor", lambda value: model.options.set_monitor(str(value)))
        self.output = OutputChoice(grid, "Output", self._send_format)
        self.interface = OutputChoice(grid, "Interface", lambda value: send_with(model, "interface", str(value)))
        self.identifier = OutputChoice(grid, "Identifier", lambda value: send_with(model, "payload", str(value)))
        self.picture = OutputChoice(grid, "Picture", lambda value: send_with(model, "picture", str(value)))
        self.sound = OutputChoice(grid, "Sound", lambda value: send_with(model, "sound", str(value)))
        self.meter = OutputChoice(grid, "Meter", lambda value: model.read_by(str(value)))
        self.listen = OutputChoice(grid, "Listen", lambda value: model.listen(int(str(value))))
        self.cure = button("", self._cure)
        playing = model.playing_out
        self.measure_button = button(
            "Measure a recording",
            self._measure,
            quiet=True,
            tip="how far flash and pip part in a clip that was recorded of them",
        )
        self.progress = ProgressBar()
        playing.progressed.connect(self.progress.step)
        playing.changed.connect(self._show_playing)
        model.clip_asked.connect(self._ask_clip)
        column = QVBoxLayout()
        sized(column).setSpacing(6)
        column.addWidget(_titled("On the wire", self.wire_about))
        column.addWidget(self.wire)
        column.addWidget(Legend())
        column.addWidget(self.packet_title)
        column.addWidget(self.packet_text)
        column.addWidget(self.packet_words)
        column.addLayout(grid)
        foot = QHBoxLayout()
        sized(foot).setSpacing(6)
        for item in (self.cure, self.measure_button):
            foot.addWidget(item)
        foot.addStretch(1)
        column.addLayout(foot)
        column.addWidget(self.progress)
        column.addStretch(1)
        fill_scrolled(self, column, (16, 8, 12, 8))
        model.changed.connect(self._show_settings)
        model.arrived.connect(self._show_frame)
        model.packet_changed.connect(self._show_frame)
        self._show_settings()
        self._show_frame()

    def _send_format(self, value: object) -> None:
        for fmt in self.model.options.formats():
            if format_words(fmt) == value:
                self.model.options.set_format(fmt)
                return

    def _cure(self) -> None:
        cure = self.model.options.remedy()
        if cure is not None:
            self.model.options.set_format(cure[1])

    def _ask_clip(self) -> None:
        name, _kind = QFileDialog.getOpenFileName(
            self, "A clip to send through the template's monitor link", str(Path.home())
        )
        if name:
            self.model.send_clip(Path(name))

    def _measure(self) -> None:
        name, _kind = QFileDialog.getOpenFileName(self, "A recording of Flash and pip", str(Path.home()))
        if name:
            self.model.playing_out.measure_recorded(Path(name))

    def _show_playing(self) -> None:
        playing = self.model.playing_out
        if playing.writing is None:
            self.progress.hide()
        else:
            self.progress.begin("writing", playing.cancel)

    def _show_settings(self) -> None:
        model, fmt = self.model, self.model.format
        self.monitor.show(
            {ident: monitor.name for ident, monitor in model.options.known().items()},
            model.monitor.id if model.monitor else "",
            model.monitor.kind if model.monitor else "",
        )
        self.output.show(
            {format_words(fmt): format_words(fmt) for fmt in model.options.formats()},
            format_words(fmt) if fmt is not None else "",
            model.words.format(),
        )
        ways = dict(model.options.interfaces())
        self.interface.show(ways, model.interface or next(iter(ways), ""), model.words.interface())
        self.identifier.show({"yes": "Sent", "no": "Not sent"}, "yes" if model.payload else "no", model.words.payload())
        self.picture.show(model.options.pictures(), model.picture, model.words.picture())
        sounds = {model.sound: "The clip's own"} if model.picture == "clip" else SENT_SOUNDS
        self.sound.show(sounds, model.sound, model.words.sound())
        self.meter.show(
            {
                peak_type.id: f"IEC 60268-10 {peak_type.id}" if peak_type.id != "dBFS" else "Full scale"
                for peak_type in PEAK_TYPES.values()
            },
            model.meter,
            model.words.meter(),
        )
        self.listen.show(model.options.pairs(), -1 if model.heard is None else model.heard, model.words.heard())
        self.measure_button.setVisible(model.picture == "flash")
        cure = model.options.remedy()
        self.cure.setVisible(cure is not None)
        if cure is not None:
            self.cure.setText(cure[0])
            self.cure.setAccessibleName(cure[0])
        if model.looked is None:
            self._show_frame()

    def _show_frame(self) -> None:
        model = self.model
        self.wire.show_frame(model.looked.frame if model.looked is not None else None, model.packet)
        self.wire_about.setText(model.words.interface() + (", as received" if model.looked is not None else ""))
        description = model.packet_told()
        self.packet_title.setText(description.title if description is not None else "")
        self.packet_text.setText(description.text if description is not None else "")
        self.packet_words.setText(description.words if description is not None else "")
        self.interface.follows.setText(model.words.interface())
        self.sound.follows.setText(model.words.sound())
        self.listen.follows.setText(model.words.heard())


def _titled(title: str, about: OneLine) -> QWidget:
    widget = QWidget()
    row = QGridLayout(widget)
    row.setContentsMargins(0, 0, 0, 0)
    sized(row).setSpacing(8)
    row.addWidget(label(title, "head"), 0, 0)
    row.addWidget(about, 0, 1)
    row.setColumnStretch(1, 1)
    return widget

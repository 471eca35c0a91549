"""The transport below the pictures: playing, stepping, scrubbing, which picture it is, and what is done with this
clip.
"""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QSlider, QWidget

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.models.proof.bench import BenchPictures
from idle_quarry.app.models.proof.player import SPEEDS
from idle_quarry.app.widgets.basic.boxes import choice_box
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label


class Transport(QWidget):
    """Shows where the model is in time, and forwards."""

    def __init__(self, model: BenchPictures) -> None:
        super().__init__()
        self.model = model
        player = model.player
        self.play_button = button("Play", player.toggle, tip="Space")
        self.back = button("‹", lambda: model.step(-1), quiet=True, tip="one picture back (Left)")
        self.on = button("›", lambda: model.step(1), quiet=True, tip="one picture on (Right)")
        self.back.setAccessibleName("Step back")
        self.on.setAccessibleName("Step on")
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName("Picture")
        sized(self.slider).setMinimumWidth(160)
        self.slider.valueChanged.connect(self._slid)
        self.field_box = choice_box("Fields", {"whole frames": False, "field by field": True}, model.by_field)
        self.speed_box = choice_box("Speed", SPEEDS, player.play_at)
        self.where, self.values = label(role="dust"), label(role="dust")
        self.zoom_line = QLineEdit()
        self.zoom_line.setAccessibleName("Zoom of this clip")
        self.zoom_line.setToolTip("enlarges or reduces this clip alone, on top of how its source is fitted")
        sized(self.zoom_line).setFixedWidth(70)
        self.zoom_line.editingFinished.connect(self._zoom_typed)
        self.except_button = button(
            "Except this clip",
            model.taking.toggle_exception,
            quiet=True,
            tip="this clip keeps methods of its own, the rest of its source stays as it is",
        )
        self.differ_button = button(
            "Greatest difference", model.measured.find_difference, tip="go to where the pictures differ most (D)"
        )
        row = QHBoxLayout(self)
        sized(row).setContentsMargins(12, 0, 12, 0)
        sized(row).setSpacing(4)
        for widget in (
            self.play_button,
            self.back,
            self.on,
            self.slider,
            self.field_box,
            self.speed_box,
            self.where,
        ):
            row.addWidget(widget)
        row.addStretch(1)
        for end in (self.values, self.zoom_line, self.except_button, self.differ_button):
            row.addWidget(end)
        model.methods_changed.connect(self._show)
        model.pictures_changed.connect(self._show_where)
        player.changed.connect(self._show_playing)
        self._show()

    def _show(self) -> None:
        model = self.model
        there, excepted = bool(model.compared.methods), model.taking.exception() if model.bench is not None else None
        for widget in (self.play_button, self.back, self.on, self.slider, self.speed_box, self.differ_button):
            widget.setVisible(there)
        self.field_box.setVisible(there and model.bench is not None and model.bench.target.scan == "interlaced")
        self.differ_button.setEnabled(len(model.compared.methods) > 1)
        self.except_button.setVisible(there and model.taking.may_except)
        self.except_button.setText("Like the rest" if excepted else "Except this clip")
        self.zoom_line.setVisible(there and model.taking.may_except and excepted is not None)
        self.zoom_line.setText(f"{excepted.policy.zoom:g} %" if excepted else "")
        self._show_where()

    def _show_where(self) -> None:
        model = self.model
        self.slider.blockSignals(True)
        self.slider.setRange(0, model.last)
        self.slider.setValue(model.index)
        self.slider.blockSignals(False)
        self.field_box.setCurrentIndex(0 if model.field is None else 1)
        self.where.setText(model.words.where_words())

    def _show_playing(self) -> None:
        self.play_button.setText("Stop" if self.model.player.playing else "Play")
        self._show_where()

    def _slid(self, value: int) -> None:
        if value != self.model.index:
            self.model.player.stop()
            self.model.go(value)

    def _zoom_typed(self) -> None:
        excepted = self.model.taking.exception()
        if not self.model.taking.set_zoom(self.zoom_line.text()) and excepted is not None:
            self.zoom_line.setText(f"{excepted.policy.zoom:g} %")

"""Line-up, the right column: scopes, meters and faults of what was received."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from idle_quarry.app.appearance.roles import as_role
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.models.line_up.line_up import LineUp
from idle_quarry.app.widgets.basic.labels import OneLine, label
from idle_quarry.app.widgets.basic.pages import fill_scrolled
from idle_quarry.app.widgets.basic.tabs import Tabs
from idle_quarry.app.widgets.signal.line_scopes import LineScopes
from idle_quarry.app.widgets.signal.sound_meters import SoundMeters, loudness_words

#: What the waveform is of.
WAVES = ("Luma", "R′G′B′")
#: Faults that are listed one by one.
_LISTED = 4


class ReceivedColumn(QWidget):
    """Shows the model."""

    def __init__(self, model: LineUp) -> None:
        super().__init__()
        self.model = model
        self.scopes, self.meters = LineScopes(), SoundMeters()
        self.about = OneLine("dust")
        self.sound_about, self.loudness = OneLine("dust"), OneLine("dust")
        self.faults = [OneLine("dust") for _ in range(_LISTED)]
        column = QVBoxLayout()
        sized(column).setSpacing(6)
        head = QHBoxLayout()
        sized(head).setSpacing(8)
        head.addWidget(label("Received", "head"))
        head.addWidget(self.about, 1)
        self.waves = Tabs(WAVES, "Waveform of {}")
        self.waves.chosen.connect(lambda name: model.show_parade(name == WAVES[1]))
        head.addWidget(self.waves)
        column.addLayout(head)
        column.addWidget(self.scopes, 6)
        column.addWidget(label("Sound", "head"))
        column.addWidget(self.sound_about)
        column.addWidget(self.meters, 5)
        column.addWidget(self.loudness)
        column.addWidget(label("Faults in the last minute", "head"))
        for fault in self.faults:
            column.addWidget(fault)
        fill_scrolled(self, column, (12, 8, 16, 8))
        model.changed.connect(self._show)
        model.arrived.connect(self._show)
        self._show()

    def _show(self) -> None:
        model = self.model
        self.waves.show_on(WAVES[model.parade])
        self.about.setText(model.words.rate())
        self.scopes.show_looked(model.looked)
        self.meters.show_looked(model.looked)
        self.sound_about.setText(model.words.sound() if model.looked is not None else "")
        self.loudness.setText(loudness_words(model.looked))
        text = model.words.faults()
        lines = (
            text[:_LISTED] if len(text) <= _LISTED else [*text[: _LISTED - 1], f"and {len(text) - _LISTED + 1} more"]
        )
        lines = lines or (["none"] if model.looked is not None else [])
        for number, fault in enumerate(self.faults):
            fault.setText(lines[number] if number < len(lines) else "")
            as_role(fault, "refusal" if text and number < len(lines) else "good" if not text else "dust")

"""Line-up, Record, the right half: what is recorded where, and the takes with what happened in them."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.models.line_up.deck import DeckModel
from idle_quarry.app.views.line_up.output import OutputChoice
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.tables import fit_rows, words_list, wrapped_table

_BREAKS = {"new clip": "Begin a new clip", "go on": "Go on, and note it", "stop": "Stop"}
_COLUMNS = {"Take": 150, "From": 92, "To": 92, "Frames": 62, "Drop-outs": 74, "Breaks": 60, "Its file": 0}


class TakesColumn(QWidget):
    """What is recorded where, and the takes with what happened in them."""

    def __init__(self, deck: DeckModel) -> None:
        super().__init__()
        model = deck.recording
        self.deck, self.model = deck, model
        self.name, self.folder = QLineEdit(), QLineEdit()
        for line, name in ((self.name, "Name of the take"), (self.folder, "Recording place")):
            line.setAccessibleName(name)
        self.name.editingFinished.connect(lambda: model.want(name=self.name.text()))
        self.folder.editingFinished.connect(lambda: model.want(folder=self.folder.text()))
        self.folder_button = button("Choose", self._ask_folder, quiet=True)
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        sized(grid).setSpacing(6)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(2, 1)
        grid.addWidget(label("Name", "dust"), 0, 0)
        grid.addWidget(self.name, 0, 1)
        grid.addWidget(label("Kept in", "dust"), 1, 0)
        grid.addWidget(self.folder, 1, 1)
        grid.addWidget(self.folder_button, 1, 2, Qt.AlignmentFlag.AlignLeft)
        self.codec = OutputChoice(grid, "Codec", lambda value: model.want(codec=str(value)))
        self.breaks = OutputChoice(grid, "At a break", lambda value: model.want(on_break=str(value)))
        self.record_button = button("Record", self._record, main=True)
        self.keep_button = button("End the take", partial(model.end, True))
        self.cancel_button = button("Cancel", model.ask_cancel, quiet=True)
        self.why = label(role="dust", wrap=True)
        row = QHBoxLayout()
        sized(row).setSpacing(6)
        row.addWidget(self.record_button)
        row.addWidget(self.keep_button)
        row.addWidget(self.cancel_button)
        row.addWidget(self.why, 1)
        self.table = wrapped_table("Takes", _COLUMNS)
        self.table.itemSelectionChanged.connect(self._show_events)
        self.table.cellActivated.connect(lambda number, _column: model.open_take(number))
        self.events = words_list()
        self.intake_button = button("Show in Intake", self._open, quiet=True)
        foot = QHBoxLayout()
        foot.addWidget(label("What happened in it", "head"))
        foot.addStretch(1)
        foot.addWidget(self.intake_button)
        column = QVBoxLayout(self)
        sized(column).setContentsMargins(14, 8, 16, 10)
        sized(column).setSpacing(6)
        column.addWidget(label("Recording", "head"))
        column.addLayout(grid)
        column.addLayout(row)
        column.addWidget(label("Takes", "head"))
        column.addWidget(self.table, 3)
        column.addLayout(foot)
        column.addWidget(self.events, 2)
        model.changed.connect(self._show)
        deck.seen_changed.connect(self._show_recording)
        model.folder_asked.connect(self._ask_folder)
        self._show()

    def _record(self) -> None:
        self.model.want(name=self.name.text(), folder=self.folder.text())
        self.model.record()

    def _ask_folder(self) -> None:
        path = QFileDialog.getExistingDirectory(self, "Where takes are kept", self.folder.text() or str(Path.home()))
        if path:
            self.model.want(folder=path)

    def _open(self) -> None:
        if self.table.currentRow() >= 0:
            self.model.open_take(self.table.currentRow())

    def _show(self) -> None:
        model = self.model
        for line, text in ((self.name, model.name), (self.folder, model.folder)):
            if not line.hasFocus() or not line.text():
                line.setText(text)
        self.codec.show(model.codecs(), model.codec, model.codec_words())
        own = model.input
        self.breaks.show(_BREAKS, model.on_break, f"by {own.name}" if own is not None else "")
        self.table.setRowCount(len(model.takes))
        for number, kept_take in enumerate(model.takes):
            take = kept_take.take
            breaks = sum(1 for event in take.events if event.kind == "timecode break")
            cells = (
                take.name,
                str(take.first or "none"),
                str(take.last or "none"),
                f"{take.frames}",
                f"{take.drop_outs}",
                f"{breaks}",
                kept_take.words(),
            )
            for at, text in enumerate(cells):
                self.table.setItem(number, at, QTableWidgetItem(text))
        fit_rows(self.table)
        if model.takes and self.table.currentRow() < 0:
            self.table.selectRow(0)
        self._show_events()
        self._show_recording()

    def _show_events(self) -> None:
        number = self.table.currentRow()
        self.events.clear()
        there = 0 <= number < len(self.model.takes)
        self.intake_button.setVisible(there)
        if there:
            events = self.model.takes[number].take.events
            texts = [f"{event.timecode or f'frame {event.frame}'}  {event.kind}: {event.text}" for event in events]
            self.events.addItems(texts or ["no drop-out, no break"])

    def _show_recording(self) -> None:
        model = self.model
        running = self.deck.seen is not None and self.deck.seen.armed
        why = model.why_not()
        self.record_button.setEnabled(not running and not why)
        self.record_button.setVisible(not running)
        self.keep_button.setVisible(running and self.deck.take is not None)
        self.cancel_button.setVisible(running)
        self.why.setText("" if running else why or self._how())

    def _how(self) -> str:
        model = self.model
        if model.mark_in is None:
            return (
                "From where the tape is, until the take is ended"
                if model.mark_out is None
                else f"Until {model.mark_out}"
            )
        return f"From {model.mark_in}" + (
            f" to {model.mark_out}" if model.mark_out is not None else ", until the take is ended"
        )

"""Proof, disks: the places of the template as they are on this machine, and what the program itself keeps."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.roles import on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.models.proof.disks import Disks, PlaceStatus, bytes_words
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.progress_bar import ProgressBar
from idle_quarry.counting import counted
from idle_quarry.proof.disks import KeptData

_NOTE = "Speeds are measured with a file of up to 1 GB that has no name and is gone whatever happens."


class DisksPage(QWidget):
    """Shows places and disks of the model, and forwards."""

    def __init__(self, model: Disks) -> None:
        super().__init__()
        self.model = model
        self.rows: dict[str, PlaceRow] = {}
        self.clear_buttons: dict[str, QPushButton] = {}
        self.progress = ProgressBar()
        sized(self.progress).setContentsMargins(16, 0, 16, 4)
        self._inside = QScrollArea()
        self._inside.setWidgetResizable(True)
        self._inside.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.other_button = button("Another folder", self._ask_folder)
        head = QHBoxLayout()
        sized(head).setContentsMargins(16, 5, 16, 0)
        head.addWidget(label(_NOTE, "dust", wrap=True), 1)
        head.addWidget(self.other_button)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        sized(column).setSpacing(4)
        column.addLayout(head)
        column.addWidget(self.progress)
        column.addWidget(self._inside, 1)
        model.changed.connect(self._show)
        model.progressed.connect(self._show_progress)

    def _show(self) -> None:
        body = QWidget()
        column = QVBoxLayout(body)
        sized(column).setContentsMargins(16, 0, 16, 8)
        sized(column).setSpacing(6)
        self.rows = {}
        for place_status in self.model.places:
            self.rows[place_status.key] = row = PlaceRow(self.model, place_status)
            column.addWidget(row)
        if not self.rows:
            text = "The template names no places yet: add them in its Path, or look at another folder here."
            column.addWidget(label(text, "dust"))
        column.addWidget(self._data_card(self.model.program_data))
        column.addStretch(1)
        self._inside.setWidget(body)
        body.setAutoFillBackground(False)

    def _show_progress(self, what: str, share: float) -> None:
        if not what:
            self.progress.hide()
        elif self.progress.isHidden():
            self.progress.begin(what, self.model.cancel)
        else:
            self.progress.step(what, share)

    def _data_card(self, rows: list[KeptData]) -> QWidget:
        box = QFrame()
        on(box, "bench")
        grid = QGridLayout(box)
        sized(grid).setContentsMargins(12, 6, 12, 6)
        sized(grid).setHorizontalSpacing(18)
        grid.addWidget(label("What the program keeps", "head"), 0, 0, 1, 4)
        self.clear_buttons = {}
        for number, holding in enumerate(rows, 1):
            grid.addWidget(label(holding.job or "This machine's memory", "dust"), number, 0)
            grid.addWidget(label(holding.name), number, 1)
            size = label(f"{bytes_words(holding.bytes)} in {counted(holding.files, 'file')}")
            size.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            grid.addWidget(size, number, 2)
            if holding.clearable:
                result = button("Clear", partial(self.model.clear, holding), quiet=True)
                result.setEnabled(holding.bytes > 0)
                result.setAccessibleName(f"Clear {holding.name}")
                self.clear_buttons[holding.name] = result
                grid.addWidget(result, number, 3)
        grid.setColumnStretch(1, 1)
        return box

    def _ask_folder(self) -> None:
        path = QFileDialog.getExistingDirectory(self, "A folder on the disk to look at", str(Path.home()))
        if path:
            self.model.look_at(Path(path))


class PlaceRow(QFrame):
    """One place: what it lies on, what fits, how fast it is, and how many streams of which codec it plays."""

    def __init__(self, model: Disks, place_status: PlaceStatus) -> None:
        super().__init__()
        on(self, "bench")
        self.status = place_status
        self.take_button = button("Put into the template", partial(model.put_in, place_status), quiet=True)
        self.take_button.setVisible(place_status.can_be_put_in)
        self.measure_button = button(
            "Measure again" if place_status.speed else "Measure", partial(model.measure, place_status.path)
        )
        self.measure_button.setEnabled(place_status.there)
        head = QHBoxLayout()
        head.addWidget(label(place_status.name_words(), "head"))
        head.addWidget(label(str(place_status.path), "dust"))
        head.addStretch(1)
        head.addWidget(self.take_button)
        head.addWidget(self.measure_button)
        column = QVBoxLayout(self)
        sized(column).setContentsMargins(12, 6, 12, 7)
        sized(column).setSpacing(2)
        column.addLayout(head)
        for text, role in place_status.lines():
            column.addWidget(label(text, role, wrap=True))

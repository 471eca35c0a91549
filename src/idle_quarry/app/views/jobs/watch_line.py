"""A folder that is watched, on the page of a job's hand-over: the button that begins and ends it, and the line that
says so.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QFileDialog

from idle_quarry.app.models.jobs.handover.watched_folder import WatchedFolder
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import OneLine
from idle_quarry.jobs.folder_plan import FOR_DELIVERIES
from idle_quarry.path.template_parts import Delivery


class WatchLine(OneLine):
    """The line; `button` belongs among what can be done. `delivery` tells what arriving files are held against."""

    def __init__(self, model: WatchedFolder, delivery: Callable[[], Delivery | None]) -> None:
        super().__init__("dust")
        self._model, self._delivery = model, delivery
        self.button = button(
            "Watch a folder", self._toggle, tip="what arrives in it is verified against the delivery that is chosen"
        )
        model.changed.connect(self._show)
        self._show()

    def _toggle(self) -> None:
        delivery = self._delivery()
        if self._model.folder is not None or delivery is None:
            self._model.watch(None)
            return
        folder = QFileDialog.getExistingDirectory(
            self, f"Watch for {delivery.name}", self._model.folder_for(FOR_DELIVERIES)
        )
        if folder:
            self._model.watch(Path(folder), delivery)

    def _show(self) -> None:
        self.setText(self._model.words)
        self.setVisible(bool(self._model.words))
        self.button.setText("Stop watching" if self._model.folder is not None else "Watch a folder")

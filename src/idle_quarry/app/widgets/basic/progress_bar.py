"""The bar that says how far long work is."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QProgressBar,
)

from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label


class ProgressBar(QFrame):
    """How far long work is, with its time left and Cancel."""

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self._what = label(role="dust")
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.setRange(0, 1000)
        self._cancel = button("Cancel", lambda: None)
        row.addWidget(self._what)
        row.addWidget(self._bar, 1)
        row.addWidget(self._cancel)
        self._stop: Callable[[], None] | None = None
        self._cancel.clicked.connect(lambda: self._stop() if self._stop else None)
        self.hide()

    def begin(self, what: str, cancel: Callable[[], None]) -> None:
        self._stop = cancel
        self.step(what, 0.0)
        self.show()

    def step(self, what: str, share: float, left_s: float | None = None) -> None:
        left = f" · {left_s:.0f} s left" if left_s is not None and left_s >= 1 else ""
        self._what.setText(what + left)
        self._bar.setValue(int(share * 1000))

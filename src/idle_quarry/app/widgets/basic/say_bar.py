"""The bar that says what happened."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
)

from idle_quarry.app.appearance.roles import as_role, on
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label


class SayBar(QFrame):
    """Says what happened in one sentence, and goes by itself; a refusal stays until it is closed."""

    def __init__(self) -> None:
        super().__init__()
        on(self, "bench")
        row = QHBoxLayout(self)
        sized(row).setContentsMargins(16, 4, 10, 4)
        self._text = label(wrap=True)
        self._act = button("", lambda: None, quiet=True)
        self._close = button("Close", self.hide, quiet=True)
        row.addWidget(self._text, 1)
        row.addWidget(self._act)
        row.addWidget(self._close)
        self._timer = QTimer(self, singleShot=True, interval=9000)
        self._timer.timeout.connect(self.hide)
        self._action: Callable[[], object] | None = None
        self._act.clicked.connect(self._acted)
        self.hide()

    @property
    def text(self) -> str:
        return self._text.text()

    def say(self, text: str, *, refusal: bool = False, action: tuple[str, Callable[[], object]] | None = None) -> None:
        """Say a sentence; `action` is a word to click and what it does."""
        self._text.setText(text)
        as_role(self._text, "refusal" if refusal else "")
        self._action = action[1] if action else None
        self._act.setVisible(action is not None)
        if action:
            self._act.setText(action[0])
            self._act.setAccessibleName(action[0])
        self.show()
        self._timer.stop()
        if not refusal and action is None:
            self._timer.start()

    def _acted(self) -> None:
        self.hide()
        if self._action is not None:
            self._action()

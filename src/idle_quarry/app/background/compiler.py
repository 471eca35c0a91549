"""Compiling the loops over pictures behind the window, in the first minute of the first start."""

from __future__ import annotations

import subprocess

from PySide6.QtCore import QObject, QTimer, Signal

from idle_quarry.compiling import ahead

_LOOK_MS = 400


class Compiler(QObject):
    """`changed`: compiling has begun, or is over. What needs a loop meanwhile waits for it by itself."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._processes: list[subprocess.Popen[bytes]] = []
        self._timer = QTimer(self, interval=_LOOK_MS)
        self._timer.timeout.connect(self._look)

    @property
    def words(self) -> str:
        """What whoever waits for pictures is told; "" where nothing is being compiled."""
        if not self._processes:
            return ""
        return (
            "Picture conversion is being prepared for this machine, once: half a minute. What needs it waits so long."
        )

    def begin(self) -> None:
        """Compile what is not compiled yet."""
        if not self._processes and not ahead.is_done():
            self._processes = ahead.begin()
            self._timer.start()
            self.changed.emit()

    def _look(self) -> None:
        self._processes = [process for process in self._processes if process.poll() is None]
        if not self._processes:
            self._timer.stop()
            self.changed.emit()

    def close(self) -> None:
        """Let go: what is being compiled is finished for the next start."""
        self._timer.stop()

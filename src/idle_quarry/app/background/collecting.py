"""Python's cycle collector, run on the interface thread alone.

Left to itself it runs on whichever thread allocates next. A window caught in a cycle would then be destroyed on a
worker's thread, and Qt's objects may be destroyed only on the thread that made them: the program crashes, now and then.
"""

from __future__ import annotations

import gc

from PySide6.QtCore import QObject, QTimer

#: Objects made since the last collection that are worth one; Python's own first threshold is 700.
_WORTH = 5000


class Collector(QObject):
    """Collects now and then while the event loop runs; turns Python's own timing off."""

    def __init__(self) -> None:
        super().__init__()
        gc.disable()
        self._rounds = 0
        self._timer = QTimer(self, interval=500)
        self._timer.timeout.connect(self.look)
        self._timer.start()

    def look(self) -> None:
        """Collect where enough was made: the young, and every tenth time the old."""
        if gc.get_count()[0] < _WORTH:
            return
        self._rounds += 1
        gc.collect(2 if self._rounds % 10 == 0 else 1)

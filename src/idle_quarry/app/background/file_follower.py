"""Noticing what other programs save in the library's file: its stamps are looked at every second."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, QTimer

_EVERY_MS = 1000


def stamps(place: Path | str) -> tuple[tuple[int, int], ...]:
    """Return time (ns) and size of a library's file and of the log of its writes, as far as they are there."""
    results = []
    for path in (Path(place), Path(f"{place}-wal")):
        try:
            stat = path.stat()
        except OSError:
            continue
        if stat.st_size:  # a log that is empty was only opened
            results.append((stat.st_mtime_ns, stat.st_size))
    return tuple(results)


class FileFollower(QObject):
    """Calls `changed` when a library's file, or the log of its writes, is another than at the last look."""

    def __init__(self, place: Path, changed: Callable[[], object]) -> None:
        super().__init__()
        self._place = place
        self._changed = changed
        self._seen = stamps(place)
        self._timer = QTimer(self, interval=_EVERY_MS)
        self._timer.timeout.connect(self._look)
        self._timer.start()

    def _look(self) -> None:
        now = stamps(self._place)
        if now != self._seen:
            self._seen = now
            self._changed()

    def close(self) -> None:
        """Stop looking."""
        self._timer.stop()

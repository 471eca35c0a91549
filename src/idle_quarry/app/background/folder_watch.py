"""A watched folder: clips are announced once they are finished, that is, once they have stopped growing."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from idle_quarry.app.background.workers import Ticket, Workers
from idle_quarry.errors import MediaError, QuarryError
from idle_quarry.media.names import MEDIA_SUFFIXES

#: How often sizes are looked at, and how many looks in a row must agree.
_EVERY_MS, _LOOKS = 700, 3

#: Size and time of change (ns) of each clip.
Seen = dict[Path, tuple[int, int]]


def _look(folder: Path, _ticket: Ticket) -> Seen:
    """Return the clips of a folder with their sizes and times. Raises `MediaError` where it cannot be read."""
    results: Seen = {}
    try:
        for path in folder.iterdir():
            if path.suffix.lower() in MEDIA_SUFFIXES and not path.name.startswith(".") and path.is_file():
                stat = path.stat()
                results[path] = (stat.st_size, stat.st_mtime_ns)
    except OSError as error:
        raise MediaError(
            "cannot be watched any more: it is gone or closed to this user", subject=str(folder)
        ) from error
    return results


class FolderWatch(QObject):
    """Watches one folder (not those in it). `arrived` brings finished clips that were not there at the beginning."""

    arrived = Signal(list)
    lost = Signal(object)

    def __init__(self, folder: Path, workers: Workers, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.folder = folder
        self._workers = workers
        self._known: set[Path] | None = None
        self._before: Seen = {}
        self._looks: dict[Path, int] = {}
        self._timer = QTimer(self, singleShot=True, interval=_EVERY_MS)
        self._timer.timeout.connect(self._start)
        self._start()

    @property
    def ready(self) -> bool:
        """Whether it knows what was there at the beginning."""
        return self._known is not None

    def stop(self) -> None:
        """Watch no longer."""
        self._timer.stop()
        self._timer.blockSignals(True)

    def _start(self) -> None:
        self._workers.start(partial(_look, self.folder), self._looked, self._failed, quiet=True)

    def _failed(self, error: QuarryError) -> None:
        self.stop()
        self.lost.emit(error)

    def _looked(self, there: Seen) -> None:
        if self._known is None:
            self._known = set(there)
        finished = []
        for path, state in there.items():
            if path in self._known:
                continue
            self._looks[path] = self._looks.get(path, 0) + 1 if self._before.get(path) == state else 1
            if self._looks[path] >= _LOOKS and state[0]:
                finished.append(path)
        self._before = there
        self._known.update(finished)
        self._timer.start()
        if finished:
            self.arrived.emit(sorted(finished))

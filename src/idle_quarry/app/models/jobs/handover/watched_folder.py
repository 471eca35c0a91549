"""A folder that is watched: what arrives in it is verified as soon as it has stopped growing."""

from __future__ import annotations

import contextlib
import stat
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from idle_quarry.errors import JobError, QuarryError
from idle_quarry.media.names import MEDIA_SUFFIXES

if TYPE_CHECKING:
    from idle_quarry.app.models.jobs.handover.handover import Handover
    from idle_quarry.path.template_parts import Delivery

#: Milliseconds between two looks; what is the same in two of them has arrived.
_LOOK_MS = 2500
#: A file as it was found: where, bytes, and when it was last written to.
_FileState = tuple[Path, int, int]


class WatchedFolder(QObject):
    """`changed`: another folder is watched, or none."""

    changed = Signal()

    def __init__(self, handover: Handover) -> None:
        super().__init__()
        self._handover = handover
        self.folder: Path | None = None
        self._delivery: Delivery | None = None
        self._before: set[_FileState] = set()
        self._queued: set[_FileState] = set()
        self._looking = False
        self.trouble = ""  #: why the folder cannot be looked into just now; it is tried again
        #: Returns the job's folder for a use, where a dialog begins.
        self.folder_for = handover.folder_for
        self._tick = QTimer(self, interval=_LOOK_MS)
        self._tick.timeout.connect(self.look)

    @property
    def words(self) -> str:
        """What is watched, "" where nothing is."""
        if self.folder is None or self._delivery is None:
            return ""
        words = f"Watching {self.folder}: what arrives there is held against {self._delivery.name}."
        return f"{words} It {self.trouble}; it is looked at again and again." if self.trouble else words

    def watch(self, folder: Path | None, delivery: Delivery | None = None) -> None:
        """Watch a folder for files of a delivery; none: no longer."""
        self.folder, self._delivery = folder, delivery
        self._before, self._queued, self.trouble = set(), set(), ""
        if folder is None:
            self._tick.stop()
        else:
            self._tick.start()
            self.look()
        self.changed.emit()

    def look(self) -> None:
        """See what is there, off the interface thread; what has arrived is verified when nothing else is under way."""
        folder, handover = self.folder, self._handover
        if folder is None or self._looking or handover.doing:
            return
        self._looking = True

        def done(files: set[_FileState]) -> None:
            self._looking = False
            self._show_trouble("")
            if self.folder != folder or self._delivery is None or handover.doing:
                return
            arrived = sorted(files & self._before - self._queued)
            self._before = files
            if arrived:
                self._queued.update(arrived)
                handover.verify([path for path, _size, _when in arrived], self._delivery)

        def refused(error: QuarryError) -> None:
            self._looking = False
            self._show_trouble(error.what)

        handover.door.workers.start(lambda _ticket: _files_in(folder), done, refused, quiet=True)

    def _show_trouble(self, trouble: str) -> None:
        if trouble != self.trouble:
            self.trouble = trouble
            self.changed.emit()


def _files_in(folder: Path) -> set[_FileState]:
    """Return the media files in a folder, no folders, pipes and links to nothing.

    Raises `JobError` where it cannot be read.
    """
    try:
        paths = [path for path in folder.iterdir() if path.suffix.lower() in MEDIA_SUFFIXES and path.name[0] != "."]
    except OSError as error:
        raise JobError(f"cannot be read just now ({error.strerror})", subject=folder.name) from error
    results = set()
    for path in paths:
        with contextlib.suppress(OSError):
            value = path.stat()
            if stat.S_ISREG(value.st_mode) and value.st_size:
                results.add((path, value.st_size, value.st_mtime_ns))
    return results

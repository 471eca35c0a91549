"""What Line-up writes and measures: words played out into a file, and a recording of flash and pip."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.background.workers import Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.line.writing.feed import play_out
from idle_quarry.media import inspect
from idle_quarry.media.measurement.sync import flash_and_pip

if TYPE_CHECKING:
    from idle_quarry.app.models.line_up.line_up import LineUp


class SignalFileWriter(QObject):
    """`changed`: writing began or ended, or something was measured; `progressed`: how far writing is."""

    changed = Signal()
    progressed = Signal(str, float)

    def __init__(self, line_up: LineUp) -> None:
        super().__init__(line_up)
        self._line_up = line_up
        self.writing: Ticket | None = None

    def play_out(self, path: Path) -> None:
        """Write what is sent as words into a file: the whole clip, or two seconds of a test picture."""
        setup = self._line_up.wanted
        if setup is None or self.writing is not None:
            return
        frames = 0 if setup.clip is not None else int(2 * setup.format.rate)

        def work(ticket: Ticket) -> list[Path]:
            return play_out(setup, path, frames, lambda done, of: ticket.progress(f"writing {path.name}", done / of))

        self.writing = self._line_up.door.workers.start(work, self._written, self._not_written, self.progressed.emit)
        self.changed.emit()

    def _written(self, paths: list[Path]) -> None:
        self.writing = None
        self._line_up.door.say(f"Written as words: {', '.join(str(path) for path in paths)}")
        self.changed.emit()

    def _not_written(self, error: QuarryError) -> None:
        self.writing = None
        self._line_up.door.refuse(error)
        self.changed.emit()

    def cancel(self) -> None:
        """Stop writing; nothing is left of it."""
        if self.writing is not None:
            self.writing.cancel()

    def measure_recorded(self, path: Path) -> None:
        """Measure how far flash and pip part in a recording of them."""

        def work(ticket: Ticket) -> str:
            ticket.progress(path.name, 0.0)
            clip = inspect(path)
            return f"{path.name}: {flash_and_pip(path, clip.declared).words()}"

        self._line_up.door.workers.start(work, self._measured, self._line_up.door.refuse)

    def _measured(self, words: str) -> None:
        self._line_up.door.say(words)
        self.changed.emit()

"""The settings of all templates as columns, read off the interface thread when somebody first searches by one."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.errors import QuarryError
from idle_quarry.library.setting_index import SettingIndex

if TYPE_CHECKING:
    from idle_quarry.app.door import Door


class SettingsRead(QObject):
    """`read`: the columns are as the shelves are now."""

    read = Signal()

    def __init__(self, door: Door) -> None:
        super().__init__()
        self._door = door
        self.columns = SettingIndex(door.library)
        self._reading = False
        self._again = False
        door.shelves_changed.connect(self._follow)

    @property
    def ready(self) -> bool:
        return self.columns.followed

    def want(self) -> None:
        """Have them read, if they never were."""
        if not self.ready:
            self._read()

    def _follow(self) -> None:
        if self.ready or self._reading:  # else nobody asked yet
            self._read()

    def _read(self) -> None:
        self._again = self._reading
        if not self._reading:
            self._reading = True
            self._door.workers.start(lambda _ticket: self.columns.follow(), self._done, self._failed)

    def _done(self, _none: None) -> None:
        self._reading = False
        self.read.emit()
        if self._again:
            self._read()

    def _failed(self, error: QuarryError) -> None:
        self._reading = False
        self._door.refuse(error)

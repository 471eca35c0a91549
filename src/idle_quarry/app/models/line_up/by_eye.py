"""Setting black and white by eye: which step it is, and what is sent meanwhile."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from idle_quarry.line.devices.by_eye import Step, steps_for
from idle_quarry.signal.colour import is_hdr

if TYPE_CHECKING:
    from idle_quarry.app.models.line_up.line_up import LineUp


class ByEye(QObject):
    """`changed`: it began, went on or ended."""

    changed = Signal()

    def __init__(self, line_up: LineUp) -> None:
        super().__init__(line_up)
        self._line_up = line_up
        self.on = False
        self.number = 0
        self._before = "bars"

    def steps(self) -> tuple[Step, ...]:
        """Return the steps for the template's monitor and what it is sent."""
        fmt, monitor = self._line_up.format, self._line_up.monitor
        hdr = fmt is not None and is_hdr(fmt.encoding.transfer)
        return steps_for(monitor.device if monitor is not None else "panel", hdr)

    @property
    def step(self) -> Step:
        steps = self.steps()
        return steps[min(self.number, len(steps) - 1)]

    def words(self) -> str:
        """Return which step it is of how many."""
        return f"{self.number + 1} of {len(self.steps())} · {self.step.title}"

    def begin(self) -> None:
        """Begin with the first step."""
        if not self.on:
            self._before = self._line_up.picture
        self.on, self.number = True, 0
        self._send()

    def go(self, by: int) -> None:
        """Go a step on or back; behind the last it ends."""
        if not self.on:
            return
        if self.number + by >= len(self.steps()):
            self.end()
            return
        self.number = max(0, self.number + by)
        self._send()

    def end(self) -> None:
        """End, and send again what was sent before."""
        self.on = False
        self._line_up.send(picture=self._before)
        self.changed.emit()

    def _send(self) -> None:
        self._line_up.send(picture=self.step.picture)
        self.changed.emit()

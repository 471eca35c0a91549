"""A clip: what its file declares, what was measured in it, and where the two part."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from idle_quarry.media.declared import DeclaredProperties
from idle_quarry.media.measurement.results import Disagreement, Measurement
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.words import format_words


@dataclass(frozen=True)
class Clip:
    """A clip looked at: where it is, how it is called, what it declares and, where it was measured, what it is.

    `format` is the signal format it is taken as: as corrected by hand, else as measured, else as declared.
    `trouble` says why it was not measured, where that was tried.
    """

    path: Path
    name: str
    declared: DeclaredProperties
    format: SignalFormat | None = None
    measured: Measurement | None = None
    disagreements: tuple[Disagreement, ...] = ()
    corrected: bool = False
    trouble: str = ""

    def to_json(self) -> dict[str, Any]:
        """Return the clip under the keys of the command line's contract."""
        return {
            "path": str(self.path),
            "declared": self.declared.to_json(),
            "measured": self.measured.to_json() if self.measured is not None else None,
            "format": format_words(self.format, fields=True) if self.format else "",
            "corrected": self.corrected,
            "disagreements": [disagreement.to_json() for disagreement in self.disagreements],
        }

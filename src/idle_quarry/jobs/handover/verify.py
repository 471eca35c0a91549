"""A file against a delivery's spec: every check with what is wanted, what was found, where, by which clause, and
the verdict.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from idle_quarry.jobs.handover.check_table import CHECKS
from idle_quarry.jobs.handover.checks import (
    PASSES,
    Check,
    CheckedFile,
    worst,
)
from idle_quarry.jobs.handover.picture_checks import wrapping
from idle_quarry.jobs.handover.sound_checks import mix_of
from idle_quarry.media.clip import Clip
from idle_quarry.media.whole.measure import FileMeasurement, MeasureOptions, measure_file
from idle_quarry.path.entries.delivery import DeliverySpec, limit_of
from idle_quarry.path.entries.programme import ProgrammeLayout
from idle_quarry.path.registry import deliveries, programme_layouts
from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import Delivery


@dataclass(frozen=True)
class Verification:
    """What came of verifying a file: the file's hash, what it was held against, each check, and what was measured."""

    path: Path
    clip: Clip
    measurement: FileMeasurement
    delivery: Delivery
    template: str
    revision: int
    checks: tuple[Check, ...]

    @property
    def verdict(self) -> str:
        """The gravest of all verdicts: "fails", "look" or "passes"."""
        return worst(check.verdict for check in self.checks)

    def to_json(self) -> dict[str, Any]:
        """Return it under the keys of the command line's contract."""
        return {
            "path": str(self.path),
            "sha256": self.measurement.sha256,
            "delivery": self.delivery.id,
            "template": self.template,
            "revision": self.revision,
            "verdict": self.verdict,
            "checks": [check.to_json() for check in self.checks],
        }


def spec_of(delivery: Delivery) -> DeliverySpec | None:
    """Return the spec that a delivery was made of, None where it has none."""
    known = deliveries()
    return known[delivery.standard] if delivery.standard is not None and delivery.standard in known else None


def layout_of(delivery: Delivery) -> ProgrammeLayout | None:
    """Return a delivery's layout in time, None where it has none."""
    return programme_layouts()[delivery.programme] if delivery.programme else None


def measure_options_of(delivery: Delivery) -> MeasureOptions:
    """Return how a file is measured that is held against a delivery."""
    layout, spec = layout_of(delivery), spec_of(delivery)
    breaks = layout is not None and any(item.what == "break" for item in layout.items)
    least = limit_of(spec, "gamut").least
    return MeasureOptions(mix_of(delivery), breaks, (100.0 if least is None else least) / 100)


def wrapping_of(delivery: Delivery) -> str:
    """Return the suffix that a delivery's file has."""
    return wrapping(delivery, spec_of(delivery))


def verify(
    path: Path,
    template: Template,
    delivery: Delivery,
    revision: int,
    on_progress: Callable[[str, float], None] | None = None,
) -> Verification:
    """Hold a whole file against a delivery. `on_progress` hears what is under way, and may raise to stop.

    Raises `MediaError` where the file cannot be read or has no pictures.
    """
    clip, measurement = measure_file(path, measure_options_of(delivery), on_progress)
    checked_file = CheckedFile(path, clip, measurement, template, delivery, spec_of(delivery), layout_of(delivery))
    checks = tuple(row.check(checked_file) for row in CHECKS)
    return Verification(path, clip, measurement, delivery, template.name, revision, checks)


def failed_first(checks: Iterable[Check]) -> list[Check]:
    """Return checks with those that fail first, then those to be looked at, the rest in their order."""
    grave = {"fails": 0, "look": 1, PASSES: 2}
    return sorted(checks, key=lambda check: grave.get(check.verdict, 3))

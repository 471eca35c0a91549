"""What a link costs, in four grades, and the step that costs it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, fields
from fractions import Fraction
from typing import Any, ClassVar

#: From nothing lost to not possible. exact: bit for bit; clean: loses nothing that can be seen or undone.
GRADES = ("exact", "clean", "lossy", "broken")
_RANK = {grade: rank for rank, grade in enumerate(GRADES)}

#: Step kinds in the order in which a conversion performs them.
STEP_KINDS = ("scan", "rate", "fit", "colour", "range", "depth", "sampling")


def worst(grades: Iterable[str]) -> str:
    """Return the worst of `grades`; "exact" where there are none."""
    return max(grades, key=_RANK.__getitem__, default="exact")


@dataclass(frozen=True)
class Step:
    """One conversion in a link: its grade and a sentence. Each kind of step is a class of its own, with its figures."""

    kind: ClassVar[str]

    grade: str
    text: str

    @property
    def numbers(self) -> dict[str, Any]:
        """Return the figures of the step under the names of the command line's contract."""
        return {field.name: getattr(self, field.name) for field in fields(self) if field.name not in ("grade", "text")}

    def to_json(self) -> dict[str, Any]:
        """Return the step as plain values; fractions become "n/d"."""
        numbers = {
            key: f"{v.numerator}/{v.denominator}" if isinstance(v, Fraction) else v for key, v in self.numbers.items()
        }
        return {"kind": self.kind, "grade": self.grade, "text": self.text, **numbers}


def percent(share: float, digits: int = 1) -> str:
    """Return a share as people read it: 0.25 → "25 %", 0.2308 → "23.1 %"."""
    text = f"{share * 100:.{digits}f}"
    return (text.rstrip("0").rstrip(".") if "." in text else text) + " %"

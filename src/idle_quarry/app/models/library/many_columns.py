"""The columns of the table of templates, and what can be changed in them."""

from __future__ import annotations

import contextlib
import re
from dataclasses import dataclass
from functools import lru_cache

#: The columns at first; the template's name stands before them.
COLUMNS = ("working.format", "intermediate.codec", "monitor.monitor", "deliveries.format", "territory")
MOST_COLUMNS = 12
_NUMBERS = re.compile(r"([0-9]+(?:\.[0-9]+)?)")


@dataclass(frozen=True)
class SettingOffer:
    """A setting that can be changed in the chosen templates: its place, its name for people, what can be chosen."""

    place: str
    label: str
    choices: tuple[str, ...]
    free: bool


@lru_cache(maxsize=32768)
def natural(text: str) -> tuple[tuple[bool, float, str], ...]:
    """Return a key that sorts numbers, and those in a text, as numbers: −20 before −18, "take 2" before "take 10"."""
    with contextlib.suppress(ValueError):
        return ((False, float(text), ""),)
    parts = _NUMBERS.split(text.lower())
    return tuple((True, 0.0, part) if n % 2 == 0 else (False, float(part), "") for n, part in enumerate(parts) if part)

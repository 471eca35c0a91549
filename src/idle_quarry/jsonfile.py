"""Small notes of this machine: a list of plain entries in one JSON file; a damaged or missing one counts as empty."""

from __future__ import annotations

import contextlib
import json
import math
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from idle_quarry.files import written_whole


def strict_json(text: str | bytes) -> Any:
    """Return the JSON in a text, in which every number is one: NaN, Infinity and 1e999 are refused.

    Raises `ValueError`.
    """
    return json.loads(text, parse_constant=_no_number, parse_float=_finite)


def _no_number(name: str) -> float:
    raise ValueError(f"{name} is no number")


def _finite(text: str) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise ValueError(f"{text[:20]} is beyond every number")
    return value


def read_entries(path: Path) -> list[dict[str, Any]]:
    """Return the entries of a note."""
    try:
        data = json.loads(path.read_bytes())
    except (OSError, ValueError):
        return []
    return [entry for entry in data if isinstance(entry, dict)] if isinstance(data, list) else []


def write_entries(path: Path, entries: Sequence[dict[str, Any]]) -> None:
    """Write a note, whole or not at all; on a full or read-only disk nothing is kept, and that is no error."""
    with contextlib.suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        written_whole(path, json.dumps(list(entries), indent=1, ensure_ascii=False).encode())

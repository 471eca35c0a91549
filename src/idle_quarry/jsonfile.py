"""Small notes of this machine: a list of plain entries in one JSON file; a damaged or missing one counts as empty."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from idle_quarry.files import written_whole


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

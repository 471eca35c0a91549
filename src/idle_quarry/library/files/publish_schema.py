"""Writes the published schemas into a folder: `python -m idle_quarry.library.files.publish_schema docs`."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

from idle_quarry.library.files.exchange import schema
from idle_quarry.library.house_entries import schema_of
from idle_quarry.path.entries import KINDS


def published() -> dict[str, dict[str, Any]]:
    """Return every published schema by its file's name."""
    return {"template.schema.json": schema()} | {f"schemas/{kind}.schema.json": schema_of(kind) for kind in KINDS}


if __name__ == "__main__":
    for name, data in published().items():
        path = Path(sys.argv[1]) / name
        path.parent.mkdir(exist_ok=True)
        path.write_text(json.dumps(data, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")

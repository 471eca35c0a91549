"""Writes the published schema: `python -m idle_quarry.library.publish_schema docs/template.schema.json`."""

from __future__ import annotations

import json
import sys
from pathlib import Path

from idle_quarry.library.exchange import schema

if __name__ == "__main__":
    Path(sys.argv[1]).write_text(json.dumps(schema(), indent=1, ensure_ascii=False) + "\n", encoding="utf-8")

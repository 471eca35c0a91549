"""What the command line prints: one JSON document, or lines for people."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from idle_quarry.errors import one_line


@dataclass(frozen=True)
class Output:
    """Prints either the document or the lines that say the same."""

    as_json: bool

    def show(self, document: Any, lines: Iterable[str]) -> None:
        """Print `document` as JSON, or `lines`, as asked for."""
        if self.as_json:
            print(json.dumps(document, ensure_ascii=False, indent=2))
        else:
            for line in lines:
                print(one_line(line))


def complain(text: str) -> None:
    """Print one line on standard error."""
    print(f"idle-quarry: {one_line(text)}", file=sys.stderr)


def table(rows: Sequence[Sequence[str]]) -> list[str]:
    """Return rows as lines with aligned columns."""
    if not rows:
        return []
    widths = [max(len(row[i]) for row in rows) for i in range(len(rows[0]))]
    return ["  ".join(cell.ljust(width) for cell, width in zip(row, widths, strict=True)).rstrip() for row in rows]

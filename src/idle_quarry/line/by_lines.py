"""Loops over the lines of a frame, shared out to as many threads as there are processors."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from idle_quarry.picture.strips import by_rows


def by_lines(loop: Callable[..., None], lines: int, *given: Any) -> None:
    """Call `loop` with the first line and the line after the last of each part, and with what else is given."""
    by_rows(lines, lambda first, last: loop(first, last, *given))

"""What a person at a terminal is told while something is under way: one line, written over itself."""

from __future__ import annotations

import sys
from collections.abc import Callable
from time import monotonic

#: How often, seconds.
_EVERY_S = 0.5


def progress() -> Callable[[str], None] | None:
    """Return what says a line in place of the last, now and then; None where nobody looks."""
    if not sys.stderr.isatty():
        return None
    last = monotonic()

    def show_line(line: str) -> None:
        nonlocal last
        if monotonic() - last > _EVERY_S:
            last = monotonic()
            print(f"\r{line}\x1b[K", end="", file=sys.stderr, flush=True)

    return show_line


def shares() -> Callable[[str, float], None] | None:
    """Return what says what is under way and the share that is done; None where nobody looks."""
    say = progress()
    return None if say is None else lambda what, share: say(f"{what}, {100 * share:.0f} %")


def ended() -> None:
    """Leave the line that was written over."""
    if sys.stderr.isatty():
        print(file=sys.stderr)

"""Counts in words."""

from __future__ import annotations


def counted(count: int, one: str, several: str = "") -> str:
    """Return a count with its noun: "1 clip", "2 clips"; `several` where the plural is not made by an s.

    >>> counted(1, "entry", "entries"), counted(0, "clip")
    ('1 entry', '0 clips')
    """
    return f"{count} {one if count == 1 else several or one + 's'}"

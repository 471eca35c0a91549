"""Clips: what they declare, how they are encoded."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from idle_quarry.media.names import MEDIA_SUFFIXES

if TYPE_CHECKING:
    from idle_quarry.media.declared import Clip, Declared, inspect
    from idle_quarry.media.sequences import grouped

__all__ = ["MEDIA_SUFFIXES", "Clip", "Declared", "grouped", "inspect"]


def __getattr__(name: str) -> Any:
    """Read FFmpeg's libraries (a quarter of a second) when something of them is first asked for."""
    if name in ("Clip", "Declared", "inspect"):
        from idle_quarry.media import declared

        return getattr(declared, name)
    if name == "grouped":
        from idle_quarry.media.sequences import grouped

        return grouped
    raise AttributeError(name)

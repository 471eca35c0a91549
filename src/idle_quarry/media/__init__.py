"""Clips: what they declare, how they are encoded."""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

from idle_quarry.media.names import MEDIA_SUFFIXES

if TYPE_CHECKING:
    from idle_quarry.media.clip import Clip
    from idle_quarry.media.declared import DeclaredProperties
    from idle_quarry.media.inspecting import inspect
    from idle_quarry.media.sequences import grouped

__all__ = ["MEDIA_SUFFIXES", "Clip", "DeclaredProperties", "grouped", "inspect"]

_HOMES = {"Clip": "clip", "DeclaredProperties": "declared", "inspect": "inspecting", "grouped": "sequences"}


def __getattr__(name: str) -> Any:
    """Read FFmpeg's libraries (a quarter of a second) when something of them is first asked for."""
    if name in _HOMES:
        return getattr(import_module(f"idle_quarry.media.{_HOMES[name]}"), name)
    raise AttributeError(name)

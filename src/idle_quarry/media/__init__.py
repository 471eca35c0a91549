"""Clips: what they declare, how they are encoded."""

from idle_quarry.media.declared import MEDIA_SUFFIXES, Clip, Declared, inspect
from idle_quarry.media.sequences import grouped

__all__ = ["MEDIA_SUFFIXES", "Clip", "Declared", "grouped", "inspect"]

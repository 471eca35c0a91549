"""Files that clips come from."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from idle_quarry.errors import QuarryError
from idle_quarry.media import MEDIA_SUFFIXES, Clip
from idle_quarry.media.stills import small_picture

if TYPE_CHECKING:
    pass


def media_in(paths: list[Path]) -> list[Path]:
    """Return the clips among files and in folders."""
    results: list[Path] = []
    for path in paths:
        if path.is_dir():
            results += sorted(p for p in path.rglob("*") if p.suffix.lower() in MEDIA_SUFFIXES and p.is_file())
        else:
            results.append(path)
    return results


def picture_of(clip: Clip) -> bytes | None:
    """Return a small picture of a clip as PNG, None where it has none."""
    try:
        return small_picture(clip)
    except QuarryError:
        return None

"""File names of media."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from idle_quarry.path.registry import Codec

STILL_SUFFIXES = (".dpx", ".exr", ".tif", ".tiff", ".png")
MEDIA_SUFFIXES = frozenset(
    [
        *[
            ".mov",
            ".mxf",
            ".mp4",
            ".m4v",
            ".mkv",
            ".mpg",
            ".mpeg",
            ".m2v",
            ".vob",
            ".ts",
            ".m2ts",
            ".mts",
            ".dv",
            ".wav",
            ".bwf",
            ".avi",
            ".webm",
        ],
        *STILL_SUFFIXES,
    ]
)


def shown_name(path: Path) -> str:
    """Return a file's name as it can be shown and kept: bytes that are no UTF-8 become the sign for what cannot be
    read.
    """
    return path.name.encode("utf-8", "surrogateescape").decode("utf-8", "replace")


def free_path(path: Path) -> Path:
    """Return a path at which nothing is: this one, or its name with the lowest number from 2 on that is free."""
    result, number = path, 2
    while result.exists() or result.is_symlink():
        result, number = path.with_name(f"{path.stem} {number}{path.suffix}"), number + 1
    return result


def clip_suffix(codec: Codec) -> str:
    """Return the file suffix of a clip in this codec."""
    return "." + codec.containers[0]

"""File names of media."""

from __future__ import annotations

from pathlib import Path

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
    """Return a file's name as it can be shown and kept: bytes that are no UTF-8 become the sign for what cannot be read."""
    return path.name.encode("utf-8", "surrogateescape").decode("utf-8", "replace")

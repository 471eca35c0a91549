"""File names of media."""

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

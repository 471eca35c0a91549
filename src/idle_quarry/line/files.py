"""Files of words: 16 bits each, lowest byte first, in the order of the multiplex.

Several links one file each, numbered.
"""

from __future__ import annotations

import contextlib
import secrets
from collections.abc import Callable, Iterable, Sequence
from contextlib import ExitStack
from pathlib import Path

import numpy as np

from idle_quarry.errors import MediaError
from idle_quarry.line.words import Words


def link_paths(path: Path, links: int) -> list[Path]:
    """Return a file for each link: the path itself for one, else numbered from 1 before the suffix."""
    if links == 1:
        return [path]
    return [path.with_name(f"{path.stem}.{n + 1}{path.suffix}") for n in range(links)]


def write_words(
    path: Path, links: int, frames: Iterable[Sequence[Words]], *, on_progress: Callable[[int], None] | None = None
) -> list[Path]:
    """Write frames to files, one for each link; nothing is left of a write that fails.

    Parameters
    ----------
    path
        The file, or what the files of several links are named after.
    links
        How many links there are.
    frames
        For each frame an array of words (uint16) a link.
    on_progress
        Hears how many frames are written.

    Returns
    -------
    list of Path
        The files.

    Raises
    ------
    MediaError
        Where the disk refuses.
    """
    paths = link_paths(path, links)
    parts = [path.with_name(f".{path.name[:40]}.{secrets.token_hex(6)}.part") for path in paths]
    try:
        with ExitStack() as stack:
            files = [stack.enter_context(path.open("xb")) for path in parts]
            for number, frame in enumerate(frames, 1):
                for file, words in zip(files, frame, strict=True):
                    file.write(np.ascontiguousarray(words, "<u2").data)
                if on_progress is not None:
                    on_progress(number)
        for part, item in zip(parts, paths, strict=True):
            part.replace(item)
    except OSError as error:
        raise MediaError(
            f"could not be written: {error.strerror}", subject=str(path), remedy="choose a folder with room"
        ) from error
    finally:
        for part in parts:
            with contextlib.suppress(OSError):
                part.unlink()
    return paths


def read_links(path: Path) -> list[Words]:
    """Return the words of a file, and where it is the first of four numbered ones those of its three fellows,
    without loading them.

    Raises `MediaError` where one cannot be read or is no whole number of words.
    """
    paths = [path]
    if path.suffixes and path.stem.endswith(".1"):
        paths = link_paths(path.with_name(path.stem.removesuffix(".1") + path.suffix), 4)
        paths = paths if all(path.exists() for path in paths) else [path]
    elif not path.exists() and link_paths(path, 4)[0].exists():
        paths = link_paths(path, 4)
    results = []
    for item in paths:
        try:
            size = item.stat().st_size
            if size % 2 or not size:
                raise MediaError(
                    "is no file of 16-bit words", subject=str(item), remedy="give one that `line write` made"
                )
            results.append(np.memmap(item, "<u2", "r"))
        except OSError as error:
            raise MediaError(f"could not be read: {error.strerror}", subject=str(item)) from error
    shortest = min(len(item) for item in results)
    return [item[:shortest] for item in results]

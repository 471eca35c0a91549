"""The clips there are, as lists are matched with them: name, tape, rate, and which timecodes they hold."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av

from idle_quarry.errors import MediaError, QuarryError
from idle_quarry.media import inspect
from idle_quarry.media.declared import DeclaredProperties
from idle_quarry.media.names import MEDIA_SUFFIXES
from idle_quarry.signal.timecode import can_drop, start_timecode

#: Under which names programs write a tape's name into a file.
_TAPE_TAGS = ("reel_name", "reel", "tape", "tape_name", "com.apple.quicktime.reelname", "timecode_reel")
#: Files that are looked through at the most.
_MOST_FILES = 100_000


@dataclass(frozen=True)
class ClipOnDisk:
    """A clip on a disk: where it lies, its tape where it says one, its rate, the first frame of its count, how many
    there are.
    """

    path: Path
    tape: str | None
    rate: Fraction
    first: int
    frames: int
    drop: bool = False
    picture: bool = True

    @property
    def name(self) -> str:
        return self.path.stem


def clips_in(
    folders: Iterable[Path], on_progress: Callable[[int], object] | None = None
) -> tuple[list[ClipOnDisk], list[str]]:
    """Return the clips below folders, and a sentence for each file that cannot be read.

    `on_progress` hears how many were looked at.

    Raises `MediaError` where a folder is none.
    """
    clips, trouble, looked = list[ClipOnDisk](), list[str](), 0
    for folder in folders:
        if not folder.is_dir():
            raise MediaError("no such folder", subject=str(folder), remedy="say where the clips are")
        for path in sorted(folder.rglob("*")):
            if path.suffix.casefold() not in MEDIA_SUFFIXES or not path.is_file() or looked >= _MOST_FILES:
                continue
            looked += 1
            try:
                clips.append(clip_of(path))
            except QuarryError as error:
                trouble.append(str(error))
            if on_progress is not None:
                on_progress(looked)
    return clips, trouble


def clip_of(path: Path) -> ClipOnDisk:
    """Return a file as a clip. Raises `MediaError` where it cannot be read."""
    declared = inspect(path).declared
    rate, first, frames, drop = count_of(declared)
    return ClipOnDisk(path, _tape(path), rate, first, frames, drop, declared.has_picture)


def count_of(declared: DeclaredProperties) -> tuple[Fraction, int, int, bool]:
    """Return a file's rate, the first frame of its count, how many there are, and whether it drops numbers."""
    rate = declared.rate or Fraction(25)
    drop = bool(declared.drop_frame) and can_drop(rate)
    first = 0
    if declared.timecode:
        try:
            first = start_timecode(declared.timecode, drop, rate).frames
        except QuarryError:
            first = 0  # what is written there is none of this rate: nothing can be matched by it
    frames = declared.frames or round((declared.duration_s or 0) * rate)
    return rate, first, max(1, frames), drop


def _tape(path: Path) -> str | None:
    try:
        with av.open(str(path)) as container:
            for tags in (container.metadata, *(stream.metadata for stream in container.streams)):
                for key, value in tags.items():
                    if key.casefold() in _TAPE_TAGS and value.strip():
                        return value.strip()
    except (av.FFmpegError, OSError):
        return None
    return None

"""Files written whole or not at all: beside, flushed, renamed."""

from __future__ import annotations

import contextlib
import hashlib
import os
import secrets
from collections.abc import Callable
from itertools import count
from pathlib import Path

_BLOCK = 8 << 20


def written_whole(path: Path, data: bytes) -> None:
    """Write `data` to `path`, replacing it at once; a crash leaves the old file or the new. Raises `OSError`.

    Who may read it the user's umask says, as of anything else the user makes.
    """
    part = path.with_name(f".{path.name[:40]}.{secrets.token_hex(6)}.part")
    try:
        with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o666), "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        part.replace(path)
    except BaseException:
        with contextlib.suppress(OSError):
            part.unlink()
        raise


def synced(path: Path) -> None:
    """Have a file on its disk before this returns. Raises `OSError`."""
    with path.open("rb") as file:
        os.fsync(file.fileno())


def free_place(folder: Path, stem: str, suffix: str) -> Path:
    """Return a path in a folder, numbered where it must be, at which nothing lies, nor a folder of its name without the suffix."""
    for number in count(1):
        path = folder / f"{stem}{f' {number}' if number > 1 else ''}{suffix}"
        if not path.exists() and not path.with_suffix("").exists():
            break
    return path


def is_there(path: Path) -> bool:
    """Return whether something lies at a path; at one that no file system could hold, nothing does."""
    try:
        return path.exists()
    except (OSError, ValueError):
        return False


def is_folder(path: Path) -> bool:
    """Return whether a path is a folder; one that no file system could hold (a name too long, a NUL) is none."""
    try:
        return path.is_dir()
    except (OSError, ValueError):
        return False


def sha256_of(path: Path, told: Callable[[int], object] = lambda _done: None) -> str:
    """Return the SHA-256 of a file in hex. `told` hears how many bytes are read, and may raise to stop. Raises `OSError`."""
    digest, done = hashlib.sha256(), 0
    with path.open("rb") as file:
        while block := file.read(_BLOCK):
            digest.update(block)
            done += len(block)
            told(done)
    return digest.hexdigest()

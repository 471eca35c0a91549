"""Files written whole or not at all: beside, flushed, renamed."""

from __future__ import annotations

import contextlib
import hashlib
import os
import tempfile
from pathlib import Path


def written_whole(path: Path, data: bytes) -> None:
    """Write `data` to `path`, replacing it at once; a crash leaves the old file or the new. Raises `OSError`."""
    handle, name = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name[:40]}.", suffix=".part")
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        Path(name).chmod(0o644)
        Path(name).replace(path)
    except BaseException:
        with contextlib.suppress(OSError):
            Path(name).unlink()
        raise


def sha256_of(path: Path) -> str:
    """Return the SHA-256 of a file in hex. Raises `OSError`."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()

"""Reports of what nobody foresaw: a traceback a file, in the user's own folder, the newest twenty kept."""

from __future__ import annotations

import contextlib
import os
import traceback
from datetime import UTC, datetime
from pathlib import Path

from idle_quarry.places import memory_folder

_MOST = 20


def kept_report(error: BaseException) -> Path | None:
    """Write what led to an error where only this user reads it; return the file, None where the disk refuses."""
    folder = memory_folder() / "reports"
    stamp = datetime.now(UTC).strftime("%Y-%m-%d %H.%M.%S.%f")
    path = folder / f"{stamp} {type(error).__name__}.txt"
    text = "".join(traceback.format_exception(error))
    with contextlib.suppress(OSError):
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        with os.fdopen(
            os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w", encoding="utf-8", errors="backslashreplace"
        ) as file:
            file.write(text)
        for old in sorted(folder.glob("*.txt"))[:-_MOST]:
            old.unlink(missing_ok=True)
        return path
    return None


def unforeseen(error: BaseException) -> str:
    """Keep a report of an error and return the one sentence that says so."""
    path = kept_report(error)
    where = f"; the report is {path}" if path is not None else ""
    return f"something unforeseen went wrong ({type(error).__name__}){where}"

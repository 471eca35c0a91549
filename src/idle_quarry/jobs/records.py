"""The one way in which a record of a job is changed: read, changed and written while nobody else can, in any room."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TypeVar

from idle_quarry.errors import JobError
from idle_quarry.files import locked

Record = TypeVar("Record")


@contextlib.contextmanager
def changing(folder: Path) -> Iterator[None]:
    """Hold the records of a job. It does not nest. Raises `JobError` where the folder is not there."""
    with contextlib.ExitStack() as stack:
        try:
            stack.enter_context(locked(folder))
        except OSError as error:
            raise JobError(f"its records cannot be changed ({error.strerror})", subject=str(folder)) from error
        yield


def changed(
    folder: Path,
    read: Callable[[Path], Record],
    change: Callable[[Record], Record],
    write: Callable[[Path, Record], None],
) -> Record:
    """Return a record after `change`, and keep it where it is another; changes made at once are all kept.

    Raises `JobError` where it cannot be read or kept, and what `change` raises.
    """
    with changing(folder):
        before = read(folder)
        after = change(before)
        if after != before:
            write(folder, after)
        return after

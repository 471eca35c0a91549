"""The seal of a hand-over: an ASC Media Hash List beside it, made by the list's own library."""

from __future__ import annotations

import contextlib
import io
import logging
from pathlib import Path

from idle_quarry.errors import JobError

#: Digests that are listed: the one that receivers ask for, and a quick one.
_FORMATS = ("xxh64", "md5")


def sealed(path: Path) -> None:
    """Add a file to the hash list of its folder, as another generation where there is one. Raises `JobError`."""
    from ascmhl.commands import create_for_single_files_subcommand  # slow to read

    logging.getLogger("ascmhl").setLevel(logging.ERROR)
    try:
        with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
            nobody: tuple[None, ...] = (None,) * 6  # who sealed it, where, and why, are in the report
            create_for_single_files_subcommand(str(path.parent), False, False, _FORMATS, (str(path),), *nobody)
    except (OSError, ValueError, AssertionError, SystemExit) as error:
        raise JobError(f"its hash list could not be written ({error})", subject=str(path.parent)) from error

"""Places that several machines reach, each under a path of its own: proved by a file that lies in the place itself.

A path in a task is said as a place and the way inside it. A machine takes a task only where it finds, for each place,
the very file: under the path that was given to it, or under the one that the place has where the task was added.
"""

from __future__ import annotations

import json
import secrets
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any

from idle_quarry.errors import JobError, NotPossible
from idle_quarry.files import is_folder, read_plain, written_whole

#: What lies in a place, and proves it.
PROOF = ".quarry-place.json"
_KIND, _FORMAT = "idle-quarry place", 1
_MOST_BYTES = 10_000


class NotReachable(NotPossible):
    """A place is not there on this machine, or it is another."""


@dataclass(frozen=True)
class SharedFolder:
    """A folder that is marked: what it is known by on all machines, and where it lies on this one."""

    id: str
    root: Path


def proof_in(folder: Path) -> str | None:
    """Return what a folder is known by, None where it is not marked."""
    try:
        data = json.loads(read_plain(folder / PROOF, _MOST_BYTES))
        return str(data["id"]) if data["kind"] == _KIND and len(str(data["id"])) == 8 else None
    except (OSError, ValueError, KeyError, TypeError, RecursionError):
        return None


def mark(folder: Path) -> SharedFolder:
    """Mark a folder as a place that machines share; one that is marked stays what it is. Raises `JobError`."""
    if not is_folder(folder):
        raise JobError("no such folder", subject=str(folder))
    folder = folder.resolve()
    known = proof_in(folder)
    if known is None:
        known = secrets.token_hex(4)
        document = {"kind": _KIND, "format_number": _FORMAT, "id": known, "name": folder.name}
        try:
            written_whole(folder / PROOF, (json.dumps(document, ensure_ascii=False) + "\n").encode())
        except OSError as error:
            raise JobError(f"it cannot be marked ({error.strerror})", subject=str(folder)) from error
    return SharedFolder(known, folder)


def place_above(path: Path) -> SharedFolder | None:
    """Return the nearest marked folder that a path lies in, or is."""
    path = path.resolve()
    for folder in (path, *path.parents):
        known = proof_in(folder)
        if known is not None:
            return SharedFolder(known, folder)
    return None


class Reach:
    """The places that this machine reaches: those in `folders`, and any other that lies where it lies on the
    machine that asks.
    """

    def __init__(self, folders: Iterable[Path] = ()) -> None:
        self._folders = tuple(folder.expanduser().resolve() for folder in folders)

    def reference(self, path: Path) -> dict[str, str]:
        """Return a path as a task says it. Raises `NotReachable` where it lies in no place that is marked."""
        place = place_above(path)
        if place is None:
            raise NotReachable("lies in no place that other machines know", subject=str(path), remedy="mark its folder")
        return {"place": place.id, "root": str(place.root), "path": path.resolve().relative_to(place.root).as_posix()}

    def root(self, place: str, usual: str) -> Path | None:
        """Return where a place lies here, proved now; None where it cannot be found.

        A place that was given goes before what a task says.
        """
        paths = [Path(usual)] if Path(usual).is_absolute() and "\0" not in usual else []
        return next((path.resolve() for path in (*self._folders, *paths) if proof_in(path) == place), None)

    def path(self, data: dict[str, Any]) -> Path:
        """Return the path that a task says, on this machine. Raises `NotReachable`."""
        inside = PurePosixPath(str(data["path"]))
        if "\0" in str(inside) or inside.is_absolute() or ".." in inside.parts:
            raise NotPossible("a path that leads out of its place", subject=str(inside))
        root = self.root(str(data["place"]), str(data["root"]))
        if root is None:
            raise NotReachable(
                "this place is not there, or it is another",
                subject=str(data["root"]),
                remedy="say where it lies here: --place FOLDER",
            )
        try:
            path = (root / inside).resolve()
        except (OSError, RuntimeError, ValueError) as error:
            raise NotPossible("a path that leads nowhere", subject=str(inside)) from error
        if not path.is_relative_to(root):
            raise NotPossible("a path that leads out of its place by a link", subject=str(inside))
        return path

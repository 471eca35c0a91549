"""What was begun in a user's folders: noted before it is made, forgotten when it is there, found when its maker was
killed.

A note lies in the user's own data folder and is locked as long as its maker lives (`flock`, which the system lets go of
with the process), so that what is being made now is never taken for left over. The names of half-made things carry the
note's random ident; nothing else is ever cleared.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import secrets
import shutil
import stat
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from idle_quarry.errors import QuarryError
from idle_quarry.places import data_folder

#: What SQLite keeps beside a database that it writes.
_LOGS = ("-journal", "-wal", "-shm")


class RecoveryNote:
    """The note of one thing that is being made: `part` is where, until it is whole and takes the place of `target`.

    What cannot be noted (a full disk, a data folder that may not be written) is made all the same.
    """

    def __init__(
        self,
        kind: str,
        target: Path,
        *,
        inside: Path | None = None,
        dirs: tuple[str, ...] = (),
        files: tuple[str, ...] = (),
        facts: Mapping[str, Any] | None = None,
    ) -> None:
        self.ident = secrets.token_hex(8)
        target = target.absolute()
        self.part = (inside.absolute() if inside else target.parent) / f".{target.name[:40]}.{self.ident}.part"
        self._file: int | None = None
        self._path = _folder() / f"{self.ident}.json"
        body = {
            "kind": kind,
            "target": os.fsdecode(target),
            "part": os.fsdecode(self.part),
            "dirs": dirs,
            "files": files,
            "time": datetime.now().astimezone().isoformat(timespec="seconds"),
            **(facts or {}),
        }
        with contextlib.suppress(OSError, ValueError):
            fresh = self._path.with_suffix(".new")
            fresh.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
            self._file = os.open(fresh, os.O_RDWR | os.O_CREAT | os.O_EXCL, 0o600)
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            os.write(self._file, json.dumps(body).encode())
            os.fsync(self._file)
            fresh.rename(self._path)

    def forget(self) -> None:
        """What was noted is whole, or gone."""
        for path in (self._path, self._path.with_suffix(".new")):
            with contextlib.suppress(OSError):
                path.unlink()
        if self._file is not None:
            os.close(self._file)
            self._file = None

    def __del__(self) -> None:
        if self._file is not None:
            os.close(self._file)


@contextlib.contextmanager
def noted(kind: str, target: Path, **more: Any) -> Iterator[Path]:
    """Yield where to make `target` until it is whole; whoever makes it puts it there, or clears it, before the end."""
    note = RecoveryNote(kind, target, **more)
    try:
        yield note.part
    finally:
        note.forget()


@dataclass(frozen=True)
class Leftover:
    """What an earlier run began and did not finish: what kind of thing, where its part lies, what it was to become."""

    ident: str
    kind: str
    part: Path
    target: Path
    time: str
    dirs: tuple[str, ...]
    files: tuple[str, ...]
    facts: Mapping[str, Any]

    @property
    def lies_there(self) -> bool:
        return os.path.lexists(self.part)

    @property
    def bytes(self) -> int:
        """How much its part takes on disk."""
        if self.part.is_dir():
            return sum(path.lstat().st_size for path in self.part.rglob("*") if path.is_file())
        return self.part.lstat().st_size if self.lies_there else 0

    def others(self) -> list[str]:
        """Return what lies in the part that the program did not put there."""
        if self.part.is_symlink() or not self.part.is_dir():
            return []
        names = (path.relative_to(self.part).as_posix() for path in self.part.rglob("*") if not path.is_dir())
        return sorted(n for n in names if n not in self.files and not any(n.startswith(f"{d}/") for d in self.dirs))


def left() -> list[Leftover]:
    """Return what was begun here by processes that are gone, oldest first; what nothing is left of is forgotten.

    A part on a disk that is not there now is kept in mind and not returned.
    """
    leftovers = []
    with contextlib.suppress(OSError):
        for path in sorted(_folder().iterdir()):
            leftover = _read(path)
            if leftover is not None and leftover.part.parent.is_dir():
                leftovers.append(leftover)
    return sorted(leftovers, key=lambda leftover: leftover.time)


def _read(path: Path) -> Leftover | None:
    """Return what a note says, or nothing where its maker is at work or it says nothing."""
    try:
        file = os.open(path, os.O_RDONLY | os.O_NOFOLLOW)
    except OSError:
        return None
    try:
        fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
        body = json.loads(os.read(file, 1 << 20))
        data = {key: body[key] for key in body.keys() - {"kind", "part", "target", "time", "dirs", "files"}}
        part = Path(body["part"])
        if path.stem not in part.name or part.suffix != ".part":
            return None
        return Leftover(
            ident=path.stem,
            kind=str(body["kind"]),
            part=part,
            target=Path(body["target"]),
            time=str(body["time"]),
            dirs=tuple(body["dirs"]),
            files=tuple(body["files"]),
            facts=data,
        )
    except (OSError, ValueError, KeyError, TypeError):
        return None
    finally:
        os.close(file)


def clear(one: Leftover) -> None:
    """Remove the part of something left over, and its note. Raises `QuarryError` where anything else lies in it."""
    others = one.others()
    if others:
        raise QuarryError(
            f"holds {others[0]!r}, which the program did not put there",
            subject=os.fsdecode(one.part),
            remedy="move it out first",
        )
    try:
        if one.lies_there:
            if stat.S_ISDIR(one.part.lstat().st_mode):
                shutil.rmtree(one.part)
            else:
                one.part.unlink()
        for log in _LOGS:
            one.part.with_name(one.part.name + log).unlink(missing_ok=True)
    except OSError as error:
        raise QuarryError(f"could not be cleared ({error.strerror})", subject=os.fsdecode(one.part)) from error
    forget(one)


def forget(one: Leftover) -> None:
    """Drop the note of something that is cleared or taken up."""
    with contextlib.suppress(OSError):
        (_folder() / f"{one.ident}.json").unlink()


def _folder() -> Path:
    return data_folder() / "begun"

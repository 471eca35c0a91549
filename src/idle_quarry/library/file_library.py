"""A library in a file of this machine: opened, prepared, taken up."""

from __future__ import annotations

import contextlib
import shutil
from pathlib import Path

from idle_quarry.errors import LibraryError
from idle_quarry.library.engines import migrated, sqlite_engine, version_of, with_log
from idle_quarry.library.reviewing import BY_LOGIN, NAMES
from idle_quarry.library.schema import HEAD
from idle_quarry.library.store import Library
from idle_quarry.places import login_name
from idle_quarry.proof.disks import volume_of

#: Bytes that the tables of an empty library take, with its log.
_ROOM_TO_BEGIN = 2_000_000


def open_library(place: Path, person: str) -> FileLibrary:
    """Return the library in the file `place`, made where it does not exist. Raises `LibraryError`."""
    if place.is_dir():
        raise LibraryError("a folder, not a library", subject=str(place), remedy="give the library's file")
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise LibraryError("its folder cannot be made", subject=str(place), remedy="choose another place") from error
    # SQLite's locks are not to be trusted between machines: two of them writing would spoil the file for good
    if volume_of(place.parent).kind == "network":
        raise LibraryError(
            "lies on a network share, where a library cannot be kept whole",
            subject=str(place),
            remedy="keep it on a disk of this machine and carry templates as files, or set up a server for the house",
        )
    return FileLibrary(place, person)


class FileLibrary(Library):
    """A library in a file of this machine."""

    #: Whether it follows a server's.
    at_hand = False

    def __init__(self, place: Path, person: str) -> None:
        super().__init__(sqlite_engine(place), person, str(place))
        self.place = place
        self._chosen = person
        try:
            self._prepare()
            if self.names_by_login():
                self.person = login_name()
        except BaseException:
            self.close()
            raise

    def names_by_login(self) -> bool:
        """Return whether people are called as their accounts on the system are; on a server names are its logins'."""
        if self.at_hand:
            return False
        with self.transaction() as connection:
            return self._setting(connection, NAMES) == BY_LOGIN

    def call_me(self, name: str) -> None:
        """Work under another name, where this file lets people choose theirs."""
        self._chosen = name
        if not self.names_by_login():
            self.person = name

    def set_names_by_login(self, on: bool) -> None:
        """Have everybody who opens this file be called as their account on the system is, or as they choose."""
        self._put(NAMES, BY_LOGIN if on else None)
        self.person = login_name() if on else self._chosen

    def _prepare(self) -> None:
        new = not self.place.exists() or self.place.stat().st_size == 0
        if new:
            with contextlib.suppress(OSError):
                self.place.touch(mode=0o600)  # SQLite's logs beside it take its mode
        try:
            with self.transaction(write=new) as connection:
                version = version_of(connection, self.subject)  # None: empty, or another program is just making it
            with_log(self)
            if version == HEAD:
                return
            with self.transaction(write=True) as connection:
                if version_of(connection, self.subject) != HEAD:  # another program may have been first
                    migrated(connection)
        except LibraryError as error:
            if not new or shutil.disk_usage(self.place.parent).free > _ROOM_TO_BEGIN:
                raise
            self.close()
            for log in ("", "-wal", "-shm", "-journal"):
                self.place.with_name(self.place.name + log).unlink(missing_ok=True)
            raise LibraryError("the disk is full", subject=self.subject, remedy="make room and try again") from error

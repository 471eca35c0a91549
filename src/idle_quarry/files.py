"""Files written whole or not at all: beside, flushed, renamed."""

from __future__ import annotations

import contextlib
import ctypes
import errno
import fcntl
import hashlib
import os
import secrets
import stat
import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Iterator
from itertools import count
from pathlib import Path
from typing import Generic, TypeVar

_BLOCK = 8 << 20
#: A file that changed so shortly before it is read may change again within one tick of the system's clock, ns.
_TICK_NS = 100_000_000

Fact = TypeVar("Fact")


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


def read_plain(path: Path, most: int) -> bytes:
    """Return what a small file holds.

    Raises `OSError` for a link, a pipe or a device in its place, and for more than `most` bytes.
    """
    file = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
    with os.fdopen(file, "rb") as opened:
        if not stat.S_ISREG(os.fstat(file).st_mode):
            raise OSError(errno.EINVAL, "it is no file", os.fsdecode(path))
        data = opened.read(most + 1)
    if len(data) > most:
        raise OSError(errno.EFBIG, f"it is larger than {most} bytes", os.fsdecode(path))
    return data


@contextlib.contextmanager
def locked(folder: Path) -> Iterator[None]:
    """Hold a folder's records: whoever changes them, in another thread, process or room, waits until this ends.

    It is the system's own lock of the folder (`flock`), or of a file in it where folders have none; where a disk knows
    no locks at all, nobody is waited for. It does not nest. Raises `OSError` where there is no such folder.
    """
    file = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        try:
            fcntl.flock(file, fcntl.LOCK_EX)
        except OSError:
            with contextlib.suppress(OSError):
                beside = os.open(folder / ".locked", os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW, 0o666)
                os.dup2(beside, file)
                os.close(beside)
                fcntl.flock(file, fcntl.LOCK_EX)
        yield
    finally:
        os.close(file)


def synced(path: Path) -> None:
    """Have a file on its disk before this returns. Raises `OSError`."""
    with path.open("rb") as file:
        os.fsync(file.fileno())


def put_exclusively(path: Path, final: Path) -> None:
    """Give a file or folder another place where nothing lies, on the same disk. Raises `FileExistsError`, `OSError`."""
    if path.is_dir():
        final.mkdir()  # the name is taken
        path.rename(final)
        return
    try:
        os.link(path, final)
    except OSError as error:
        if error.errno not in (errno.EPERM, errno.ENOTSUP, errno.EOPNOTSUPP, errno.ENOSYS, errno.EMLINK):
            raise
        # a disk without second names: the name is taken, then filled
        os.close(os.open(final, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o666))
        try:
            path.rename(final)
        except OSError:
            final.unlink()
            raise
        return
    path.unlink()


def exchange(one: Path, other: Path) -> None:
    """Have two files or folders of one disk change places, at once where the system can (Linux' renameat2).

    Raises `OSError`.
    """
    exchanging, here = 2, -100  # RENAME_EXCHANGE (linux/fs.h), AT_FDCWD (fcntl.h)
    library = ctypes.CDLL(None, use_errno=True)
    if hasattr(library, "renameat2"):
        if library.renameat2(here, os.fsencode(one), here, os.fsencode(other), exchanging) == 0:
            return
        number = ctypes.get_errno()
        if number not in (errno.EINVAL, errno.ENOSYS, errno.ENOTSUP):
            raise OSError(number, os.strerror(number), os.fsdecode(one))
    beside = free_place(other.parent, f"{other.name} before", "")
    other.rename(beside)
    one.rename(other)
    beside.rename(one)


def free_place(folder: Path, stem: str, suffix: str) -> Path:
    """Return a path in a folder, numbered where it must be, at which nothing lies, nor a folder of its name without
    the suffix.
    """
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


def sha256_of(path: Path, on_progress: Callable[[int], object] = lambda _done: None) -> str:
    """Return the SHA-256 of a file in hex.

    `on_progress` hears how many bytes are read, and may raise to stop. Raises `OSError`.
    """
    digest, done = hashlib.sha256(), 0
    with path.open("rb") as file:
        while block := file.read(_BLOCK):
            digest.update(block)
            done += len(block)
            on_progress(done)
    return digest.hexdigest()


class FileFacts(Generic[Fact]):
    """What a function says of files, asked again only of a file that has changed since, by the system's own marks.

    Those are device, inode, size, and the times of content and status: who may write a file cannot set the last. Where
    evidence is given, a file is read nevertheless.
    """

    def __init__(self, function: Callable[[Path], Fact], most: int = 4096) -> None:
        self._function, self._most = function, most
        self._facts: OrderedDict[tuple[int, ...], Fact] = OrderedDict()
        self._lock = threading.Lock()

    def __call__(self, path: Path) -> Fact:
        """Return what the function says of a file. Raises `OSError`, and what the function raises."""
        now, marks = time.time_ns(), path.stat()  # before it is read: one that changes meanwhile may keep its marks
        key = (marks.st_dev, marks.st_ino, marks.st_size, marks.st_mtime_ns, marks.st_ctime_ns)
        with self._lock:
            if key in self._facts:
                self._facts.move_to_end(key)
                return self._facts[key]
        fact = self._function(path)
        if now - max(marks.st_mtime_ns, marks.st_ctime_ns) > _TICK_NS:
            with self._lock:
                self._facts[key] = fact
                while len(self._facts) > self._most:
                    self._facts.popitem(last=False)
        return fact

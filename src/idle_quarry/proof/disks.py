"""Disks as they are: what a place lies on, what room it has, and how fast it really writes and reads."""

from __future__ import annotations

import contextlib
import mmap
import os
import shutil
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path
from time import perf_counter

from idle_quarry.errors import QuarryError
from idle_quarry.files import is_folder, is_there
from idle_quarry.jsonfile import read_entries, write_entries
from idle_quarry.places import memory_folder

_BLOCK = 8 << 20
#: A measurement writes at most so many bytes, for at most so many seconds, and reads them for as long again.
MOST_BYTES, MOST_SECONDS = 1 << 30, 4.0
#: What must be left free after the test file.
_RESERVE = 256 << 20
_NETWORK = {
    "nfs",
    "nfs4",
    "cifs",
    "smb3",
    "smbfs",
    "afs",
    "ceph",
    "glusterfs",
    "lustre",
    "9p",
    "fuse.sshfs",
    "fuse.glusterfs",
    "virtiofs",
}
_MEMORY = {"tmpfs", "ramfs"}

Progress = Callable[[str, float], None]


class DiskError(QuarryError):
    """A place that cannot be looked at or measured."""


@dataclass(frozen=True)
class Volume:
    """What a path lies on: mount point, file system, device, and bytes free and in all.

    `kind` is "system", "network", "memory", or "local" for a disk of its own.
    """

    path: str
    mount: str
    filesystem: str
    device: str
    kind: str
    writable: bool
    free: int
    total: int


@dataclass(frozen=True)
class Speed:
    """How fast a place writes and reads, MB/s (10⁶ bytes), and how that was measured.

    `past_memory` says that reading went past the system's memory of files; else the figure may flatter.
    """

    path: str
    write_mb_s: float
    read_mb_s: float
    bytes: int
    past_memory: bool
    when: str


@dataclass(frozen=True)
class _Mount:
    point: str
    filesystem: str
    device: str


def volume_of(path: Path) -> Volume:
    """Return what `path`, or the nearest folder above it that is there, lies on.

    Raises `DiskError` where nothing is.
    """
    there = path
    while not is_there(there):
        if there == there.parent:
            raise DiskError("is nowhere on this machine", subject=str(path))
        there = there.parent
    mount = _mount_of(there)
    root = _mount_of(Path("/"))
    try:
        usage = shutil.disk_usage(there)
        same = there.stat().st_dev == Path("/").stat().st_dev or mount.device == root.device != "none"
    except OSError as error:
        raise DiskError(f"cannot be looked at ({error.strerror})", subject=str(path)) from error
    if mount.filesystem in _NETWORK:
        kind = "network"
    elif mount.filesystem in _MEMORY:
        kind = "memory"
    else:
        kind = "system" if same else "local"
    writable = os.access(there, os.W_OK)
    return Volume(
        path=str(path),
        mount=mount.point,
        filesystem=mount.filesystem,
        device=mount.device,
        kind=kind,
        writable=writable,
        free=usage.free,
        total=usage.total,
    )


def _mount_of(path: Path) -> _Mount:
    """Return the mount that a path lies in, by the system's own list (proc(5), mountinfo)."""
    mount = _Mount("/", "not known", "none")
    try:
        lines = Path("/proc/self/mountinfo").read_text(encoding="utf-8").splitlines()
    except OSError:
        return mount
    real = str(path.resolve())
    for line in lines:
        head, _, tail = line.partition(" - ")
        point = head.split()[4].encode().decode("unicode_escape")
        inside = real == point or real.startswith(point.rstrip("/") + "/")
        if inside and len(point) >= len(mount.point):
            filesystem, device = tail.split()[:2]
            mount = _Mount(point, filesystem, device)
    return mount


@contextlib.contextmanager
def _nameless(folder: Path) -> Iterator[int]:
    """Yield an open file in a folder that has no name, so that it is gone whatever happens; raises `OSError`."""
    try:
        handle = os.open(folder, os.O_TMPFILE | os.O_RDWR, 0o600)
    except OSError:  # a file system without nameless files: the name is taken away at once
        handle, name = tempfile.mkstemp(dir=folder, prefix=".idle-quarry-speed-")
        Path(name).unlink()
    try:
        yield handle
    finally:
        os.close(handle)


def measure(path: Path, progress: Progress, most_bytes: int = MOST_BYTES, most_seconds: float = MOST_SECONDS) -> Speed:
    """Return how fast a folder's disk writes and reads a file that nothing has in memory.

    Data cannot be compressed; writing counts until all is flushed to the disk; reading goes past the system's memory
    where the file system allows it. The file has no name and is gone whatever happens. `progress` may raise to stop.
    Raises `DiskError` where the folder is not there, not writable, or has too little room.
    """
    if not is_folder(path):
        raise DiskError("there is no such folder on this machine", subject=str(path))
    volume = volume_of(path)
    size = min(most_bytes, max(0, volume.free - _RESERVE)) // _BLOCK * _BLOCK
    if size < 2 * _BLOCK:
        raise DiskError("has too little room left to be measured", subject=str(path), remedy="make room first")
    # one buffer, aligned as reading past memory wants it, filled with what no disk can make smaller
    buffer = mmap.mmap(-1, _BLOCK)
    buffer.write(os.urandom(_BLOCK))
    try:
        with _nameless(path) as handle:
            written, writing = _write(handle, buffer, size, most_seconds, progress)
            past = _past_memory(handle, True)
            os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_DONTNEED)
            reading = _read(handle, buffer, written, most_seconds, progress)
            if reading is None:  # opened for it, and refused after all
                past = False
                _past_memory(handle, False)
                reading = _read(handle, buffer, written, most_seconds, progress) or (0, 1.0)
    except OSError as error:
        raise DiskError(f"could not be measured ({error.strerror})", subject=str(path)) from error
    finally:
        buffer.close()
    past = past and volume.kind != "memory"
    return Speed(
        str(path),
        written / writing / 1e6,
        reading[0] / max(reading[1], 1e-6) / 1e6,
        written,
        past,
        datetime.now(UTC).isoformat(timespec="seconds"),
    )


def _write(handle: int, buffer: mmap.mmap, size: int, most_seconds: float, progress: Progress) -> tuple[int, float]:
    written, start = 0, perf_counter()
    number = 0
    while written < size and (written < 2 * _BLOCK or perf_counter() - start < most_seconds):
        progress("writing", 0.5 * written / size)
        buffer[:8] = number.to_bytes(8, "little")  # no two blocks alike
        number += 1
        given = 0
        while given < _BLOCK:
            given += os.write(handle, memoryview(buffer)[given:])
        written += _BLOCK
    os.fsync(handle)
    return written, perf_counter() - start


def _past_memory(handle: int, on: bool) -> bool:
    import fcntl

    flags = fcntl.fcntl(handle, fcntl.F_GETFL)
    try:
        fcntl.fcntl(handle, fcntl.F_SETFL, flags | os.O_DIRECT if on else flags & ~os.O_DIRECT)
    except OSError:
        return False
    return True


def _read(
    handle: int, buffer: mmap.mmap, size: int, most_seconds: float, progress: Progress
) -> tuple[int, float] | None:
    os.lseek(handle, 0, os.SEEK_SET)
    got, start = 0, perf_counter()
    while got < size and (got < 2 * _BLOCK or perf_counter() - start < most_seconds):
        progress("reading", 0.5 + 0.5 * got / size)
        try:
            count = os.readv(handle, [buffer])
        except OSError:
            return None
        if not count:
            break
        got += count
    return got, perf_counter() - start


# -- what was measured, kept by place ------------------------------------------------------------------------------


def _place() -> Path:
    return memory_folder() / "disks.json"


def keep(speed: Speed) -> None:
    """Keep a measurement in place of an earlier one of the same path; a full disk keeps none."""
    others = [item for item in measured().values() if item.path != speed.path]
    write_entries(_place(), [asdict(item) for item in [*others, speed]])


def measured() -> dict[str, Speed]:
    """Return what was measured on this machine, by path; a damaged note counts as none."""
    results = {}
    for entry in read_entries(_place()):
        with contextlib.suppress(TypeError):
            speed = Speed(**entry)
            results[speed.path] = speed
    return results


def disk_speeds() -> dict[str, float]:
    """Return what disks were measured to play on this machine, MB/s of reading by path."""
    return {path: speed.read_mb_s for path, speed in measured().items()}


# -- what the program itself holds ---------------------------------------------------------------------------------


@dataclass(frozen=True)
class KeptData:
    """Something the program keeps: what it is, for which job (None for none), where, and how much."""

    name: str
    job: str | None
    folder: Path
    files: int
    bytes: int
    clearable: bool


#: Folders and files of the program's memory, and what they are. All can be computed again.
_MEMORIES = {
    "pictures": "small pictures of clips",
    "clips": "what was measured in clips",
    "codecs.json": "results of codec runs",
    "disks.json": "speeds of disks",
}


def holdings(jobs: dict[str, Path]) -> list[KeptData]:
    """Return what the program's own memory and the given jobs' renders hold; `jobs` are folders by title."""
    results = []
    for name, what in _MEMORIES.items():
        count, size = _counted(memory_folder() / name)
        results.append(KeptData(what, None, memory_folder() / name, count, size, True))
    for title, folder in jobs.items():
        count, size = _counted(folder)
        results.append(KeptData("job folder, with line-up and papers", title, folder, count, size, False))
    return results


def _counted(place: Path) -> tuple[int, int]:
    if place.is_file():
        return 1, place.stat().st_size
    count = size = 0
    for folder, _, names in os.walk(place):
        for name in names:
            with contextlib.suppress(OSError):
                size += (Path(folder) / name).lstat().st_size
                count += 1
    return count, size


def clear(holding: KeptData) -> int:
    """Remove what is held and return the bytes that freed; only what can be computed again. Raises `DiskError`."""
    inside = holding.folder.parent == memory_folder() and holding.folder.name in _MEMORIES
    if not holding.clearable or not inside:
        raise DiskError("is not the program's to remove", subject=str(holding.folder))
    _, size = _counted(holding.folder)
    try:
        if holding.folder.is_dir():
            shutil.rmtree(holding.folder)
        else:
            holding.folder.unlink(missing_ok=True)
    except OSError as error:
        raise DiskError(f"could not be removed ({error.strerror})", subject=str(holding.folder)) from error
    return size

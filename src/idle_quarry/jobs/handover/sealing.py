"""The seal of a hand-over: an ASC Media Hash List, made by the list's own library, apart from its place and whole.

A list that is there is continued only where it is sound and says nothing else of that name: else it is kept inside the
next one, packed, and that one is begun anew. Nothing is ever added to a list that lies.
"""

from __future__ import annotations

import contextlib
import io
import logging
import os
import shutil
import tempfile
import threading
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from idle_quarry.errors import JobError
from idle_quarry.files import exchange, locked, put_exclusively

#: Digests that are listed: the one that receivers ask for, and a quick one.
_FORMATS = ("xxh64", "md5")
#: The folder of a list beside what it lists (ASC MHL 2.0).
LIST = "ascmhl"
#: A list from elsewhere is small, or not read.
_MOST_BYTES, _MOST_FILES = 64_000_000, 2000


@dataclass(frozen=True)
class Seal:
    """A list that is whole and waits to take its place: its folder, and what became of one that could not be
    continued.
    """

    path: Path
    remark: str


def names_listed(folder: Path) -> frozenset[str]:
    """Return the names that a folder's list has ever listed; none where there is no list, or none that is sound."""
    return frozenset(_listed(folder).hashes)


def handed_over(path: Path, folder: Path, name: Callable[[], str], sides: Sequence[Path] = ()) -> tuple[Path, str]:
    """Seal a file, and `sides` that are called after it, and put them and their list in their place in `folder`, under
    the name that is free then.

    Return where it is, and what became of a list that could not be continued. `path` lies in a folder of `folder`'s
    name that holds nothing else, on the same disk. Raises `JobError`, `FileExistsError`, `OSError`.
    """
    with locked(folder):
        file = path.rename(path.with_name(name()))
        final = folder / file.name
        renamed = [side.rename(side.with_name(side_name(side, path, file))) for side in sides]
        return final, take_place(file, final, seal(file, folder, renamed), renamed)


def side_name(side: Path, old: Path, new: Path) -> str:
    """Return what a file that is called after another, `a.en.srt` after `a.mxf`, is called after a new one."""
    return new.stem + side.name.removeprefix(old.stem)


def seal(path: Path, folder: Path, sides: Sequence[Path] = ()) -> Seal:
    """Make the list that a file, and what is called after it, is going to have in `folder`.

    It lies in `path`'s folder, which has the same name and nothing else in it.

    Where another file had its name, the new list has all others that are still as they were listed. Raises `JobError`.
    """
    from ascmhl.commands import create_for_single_files_subcommand  # slow to read

    listed = _listed(folder)
    aside, others = listed.fault, list[Path]()
    if listed.foreign:
        raise JobError(f"{LIST} in it is no hash list: {aside}", subject=str(folder), remedy="move it elsewhere")
    try:
        if path.name in listed.hashes:
            aside = f"it lists another file that was called {path.name}"
            others = list(_brought_along(listed, folder, path))
        elif not aside and (folder / LIST).is_dir():
            shutil.copytree(folder / LIST, path.parent / LIST)
        with _quiet():
            nobody: tuple[None, ...] = (None,) * 6  # who sealed it, where, and why, are in the report
            files = tuple(str(item) for item in (path, *sides, *others))
            create_for_single_files_subcommand(str(path.parent), False, False, _FORMATS, files, *nobody)
        for other in others:
            other.unlink()
        if not aside:
            return Seal(path.parent / LIST, "")
        old_list = path.parent / LIST / f"set aside {datetime.now():%Y-%m-%d %H.%M.%S}"
        shutil.make_archive(str(old_list), "zip", folder / LIST)
    except Exception as error:  # the library raises whatever its parsers do
        raise JobError(f"its hash list could not be written ({error})", subject=str(folder)) from error
    remark = f"The hash list that was there is kept as {LIST}/{old_list.name}.zip, and another is begun: {aside}."
    return Seal(path.parent / LIST, remark)


def _brought_along(listed: _HashList, folder: Path, path: Path) -> Iterator[Path]:
    """Yield second names beside `path` of the other files that are still as a list has them."""
    from ascmhl.hasher import hash_file

    for name, (kind, value) in listed.hashes.items():
        if name != path.name and (folder / name).is_file() and hash_file(str(folder / name), kind) == value:
            beside = path.parent / name
            os.link(folder / name, beside)
            yield beside


def take_place(path: Path, final: Path, sealed: Seal, sides: Sequence[Path] = ()) -> str:
    """Put a file, what is called after it, and their list in their place; return what became of a list that could not
    be continued.

    The list takes its place first, the file last, and only where nothing has its name: whatever fails or stops on the
    way leaves nothing there, and loses no list. Raises `FileExistsError` and `OSError`; then the list is as it was.
    """
    place = final.parent / LIST
    continued = os.path.lexists(place)
    if continued:
        exchange(sealed.path, place)
    else:
        sealed.path.rename(place)
    placed: list[Path] = []
    try:
        for side in sides:
            put_exclusively(side, final.with_name(side.name))
            placed.append(final.with_name(side.name))
        put_exclusively(path, final)
    except OSError:
        for side in placed:
            side.unlink(missing_ok=True)
        if continued:
            exchange(sealed.path, place)
        else:
            place.rename(sealed.path)
        raise
    return sealed.remark


@dataclass(frozen=True)
class _HashList:
    """What a list says: each name with the kind of its hash and the hash, or why the list cannot be continued."""

    hashes: Mapping[str, tuple[str, str]]
    fault: str = ""
    foreign: bool = False  #: whether something else lies there that only has the name


def _listed(folder: Path) -> _HashList:
    """Return what the list of a folder says, read by its library from a copy: it would go through every folder
    beside it.
    """
    place = folder / LIST
    if not os.path.lexists(place):
        return _HashList({})
    try:
        if place.is_symlink() or not place.is_dir():
            return _HashList({}, "it is no folder", foreign=True)
        files = list(place.iterdir())
        if len(files) > _MOST_FILES or not all(_is_plain(path) for path in files):
            return _HashList({}, "it holds what no list does", foreign=True)
        with tempfile.TemporaryDirectory(prefix="quarry-list-") as temporary:
            copy = Path(temporary) / (folder.name or "delivery")
            shutil.copytree(place, copy / LIST)
            return _read_list(copy)
    except Exception as error:  # the library raises whatever its parsers do
        return _HashList({}, f"it is damaged ({error})")


def _is_plain(path: Path) -> bool:
    if path.is_symlink() or not path.is_file() or path.stat().st_size > _MOST_BYTES:
        return False
    data = path.read_bytes()
    return b"<!DOCTYPE" not in data and b"<!ENTITY" not in data


def _read_list(folder: Path) -> _HashList:
    from ascmhl.history import MHLHistory

    with _quiet():
        history = MHLHistory.load_from_path(str(folder))
        if not history.hash_lists or not history.chain.generations:
            return _HashList({}, "it is empty")
        chained = {generation.ascmhl_filename for generation in history.chain.generations}
        if {path.name for path in (folder / LIST).glob("*.mhl")} - chained:
            return _HashList({}, "it holds a list that its chain does not name")
        entries: dict[str, Any] = {}
        for path in history.set_of_file_paths():
            name = Path(path).relative_to(folder).as_posix()
            entries[name] = history.find_original_hash_entry_for_path(name)
    return _HashList(
        {name: (one.hash_format, one.hash_string) for name, one in entries.items() if "/" not in name and one}
    )


#: The library holds what it prints, and the session it works on, for the process: one thread at a time.
_one_thread = threading.Lock()


@contextlib.contextmanager
def _quiet() -> Iterator[None]:
    logging.getLogger("ascmhl").setLevel(logging.CRITICAL)
    with _one_thread, contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
        yield

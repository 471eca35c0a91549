"""Where a job's renders are kept: a file for each piece, called as the piece is known, with a record beside it once
it is whole.

A piece counts as rendered when its record is there and its file is as long, and the same at its beginning, middle and
end, as the record says: what was half written, cut off or replaced is not taken for whole, and is rendered again.
"""

from __future__ import annotations

import contextlib
import errno
import json
import re
import shutil
import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from idle_quarry.errors import JobError, QuarryError
from idle_quarry.files import read_plain, written_whole
from idle_quarry.jobs.renders.recipe import Recipe, from_json, to_json
from idle_quarry.media.kept_measurements import identity
from idle_quarry.media.names import clip_suffix

_FORMAT = 1
#: Pieces are in folders by the first two digits of their names: one folder of ten thousand files is slow to list.
_DIGITS = 2
#: Bytes of a record at the most; how folders of pieces are called, and pieces, their records, and what becomes one of
#: them.
_MOST_BYTES = 4_000_000
_SHELF = re.compile(r"[0-9a-f]{2}")
_OWN_NAME = re.compile(r"[0-9a-f]{40}(\.\w+)?|\.[0-9a-f]{12}\.part(\.\w+)?|\.[0-9a-f]{40}[\w.]*\.[0-9a-f]{12}\.part")


@dataclass(frozen=True)
class RenderedPiece:
    """A piece that is there: its identity, its file (the first of many where a codec has one picture a file),
    bytes, what it is made of.
    """

    identity: str
    path: Path
    bytes: int
    recipe: Recipe
    when: float

    @property
    def output(self) -> Path:
        """What is to be removed with it: its file, or the folder of its files."""
        return self.path.parent if self.recipe.codec.one_picture_a_file else self.path


class RenderStore:
    """The renders of one job in a folder, which is made when the first is put into it."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        #: What was found whole, by its record, and how record and file were then: neither is read again while both stay
        #: so.
        self._whole: dict[Path, tuple[tuple[int, ...], RenderedPiece]] = {}

    # -- one piece -----------------------------------------------------------------------------------------------------

    def place(self, recipe: Recipe) -> Path:
        """Return where a piece's file belongs: the first of many for codecs of one picture a file."""
        name = recipe.identity[:40]
        above = self.folder / name[:_DIGITS]
        suffix = clip_suffix(recipe.codec)
        return above / name / f"{name}.0001{suffix}" if recipe.codec.one_picture_a_file else above / f"{name}{suffix}"

    def find(self, recipe: Recipe) -> RenderedPiece | None:
        """Return a piece where it is there and whole."""
        rendered = self._at(self._record(recipe.identity))
        return rendered if rendered is not None and rendered.identity == recipe.identity else None

    def _at(self, record: Path) -> RenderedPiece | None:
        """Return the piece of a record where it is there and whole."""
        known = self._whole.get(record)
        try:
            if known is not None and known[0] == _state(record, known[1].path):
                return known[1]
        except OSError:
            return None
        rendered = self._read(record)
        self._whole.pop(record, None)
        # of many files one tells nothing of the others: those are looked at each time
        if rendered is not None and not rendered.recipe.codec.one_picture_a_file:
            with contextlib.suppress(OSError):
                self._whole[record] = _state(record, rendered.path), rendered
        return rendered

    def render(self, recipe: Recipe, make: Callable[[Recipe, Path], None]) -> RenderedPiece:
        """Have `make` render a piece into its place, and record that it is whole.

        One that is whole already is not made again.

        Raises what `make` raises, and `JobError` where the disk refuses; nothing is left then.
        """
        there = self.find(recipe)
        if there is not None:
            return there
        path = self.place(recipe)
        result = path.parent if recipe.codec.one_picture_a_file else path
        try:
            result.parent.mkdir(parents=True, exist_ok=True)
            if not _is_own_folder(result.parent):
                raise OSError(errno.ELOOP, "a link lies where its folder belongs")
            self._record(recipe.identity).unlink(missing_ok=True)
            _gone(result)
        except OSError as error:
            raise JobError(f"renders cannot be kept there ({error.strerror})", subject=str(self.folder)) from error
        make(recipe, path)
        rendered = RenderedPiece(recipe.identity, path, _bytes(result), recipe, time.time())
        record = {
            "kind": "idle-quarry render",
            "format_number": _FORMAT,
            "identity": recipe.identity,
            "bytes": rendered.bytes,
            "content": identity(path),
            "when": rendered.when,
            "recipe": to_json(recipe),
        }
        try:
            written_whole(self._record(recipe.identity), json.dumps(record, ensure_ascii=False).encode())
        except OSError as error:
            _gone(result)
            raise JobError(f"renders cannot be kept there ({error.strerror})", subject=str(self.folder)) from error
        return rendered

    def _record(self, ident: str) -> Path:
        return self.folder / ident[:_DIGITS] / f"{ident[:40]}.json"

    def _read(self, record: Path) -> RenderedPiece | None:
        """Return what a record says is there, where it is."""
        try:
            data: dict[str, Any] = json.loads(read_plain(record, _MOST_BYTES))
            recipe = from_json(data["recipe"])
            path = self.place(recipe)
            rendered = RenderedPiece(recipe.identity, path, int(data["bytes"]), recipe, float(data["when"]))
            own = (
                data["identity"] == recipe.identity
                and record == self._record(recipe.identity)
                and not path.is_symlink()
            )
            whole = own and _bytes(rendered.output) == rendered.bytes and identity(path) == data["content"]
        except (OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError, QuarryError):
            return None
        return rendered if whole else None

    # -- all of them ---------------------------------------------------------------------------------------------------

    def all(self) -> list[RenderedPiece]:
        """Return all pieces that are there and whole, whatever they belong to."""
        result = (self._at(path) for shelf in self._shelves() for path in sorted(shelf.glob("*.json")))
        return [rendered for rendered in result if rendered is not None]

    def strangers(self) -> list[Path]:
        """Return what lies among the renders and is none: half written by what was killed, cut off, or without its
        record.

        Only what is called as this program calls its pieces and their parts: what somebody else put there is theirs.
        """
        known = {path for rendered in self.all() for path in (rendered.output, self._record(rendered.identity))}
        there = (path for shelf in self._shelves() for path in sorted(shelf.iterdir()))
        return [path for path in there if _OWN_NAME.fullmatch(path.name) and path not in known]

    def _shelves(self) -> list[Path]:
        """Return the folders that pieces are in; a link in their place leads to what is not the store's."""
        if not self.folder.is_dir():
            return []
        return [path for path in sorted(self.folder.iterdir()) if _SHELF.fullmatch(path.name) and _is_own_folder(path)]

    def remove(self, pieces: Iterable[RenderedPiece]) -> int:
        """Remove pieces; return how many bytes that gave back. Raises `JobError` where one cannot be removed."""
        freed = 0
        for rendered in pieces:
            try:
                self._record(rendered.identity).unlink(missing_ok=True)  # first, so that what is half gone is none
                _gone(rendered.output)
            except OSError as error:
                raise JobError(f"could not be removed ({error.strerror})", subject=str(rendered.output)) from error
            freed += rendered.bytes
        return freed

    def clear_strangers(self, older_than_s: float = 3600) -> int:
        """Remove what is none and was not touched for so long; return how many there were."""
        gone = 0
        for path in self.strangers():
            with contextlib.suppress(OSError):
                if time.time() - path.stat().st_mtime >= older_than_s:
                    _gone(path)
                    gone += 1
        return gone


def _state(record: Path, path: Path) -> tuple[int, ...]:
    """Return sizes and times of a record and its file. Raises `OSError`."""
    value, result = record.stat(), path.stat()
    return value.st_size, value.st_mtime_ns, result.st_size, result.st_mtime_ns


def _bytes(result: Path) -> int:
    """Return the bytes of a file, or of a folder's files. Raises `OSError`."""
    if result.is_dir():
        return sum(path.stat().st_size for path in result.iterdir())
    return result.stat().st_size


def _is_own_folder(path: Path) -> bool:
    return path.is_dir() and not path.is_symlink()


def _gone(path: Path) -> None:
    if _is_own_folder(path):
        shutil.rmtree(path)
    else:
        path.unlink(missing_ok=True)

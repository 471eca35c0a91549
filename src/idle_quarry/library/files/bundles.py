"""Bundles: several templates in one file, to carry between machines; a zip of template files with a list of them.

Nothing of a bundle is ever unpacked to disk: its members are read into memory, each no larger than a template can be.
"""

from __future__ import annotations

import io
import json
import lzma
import struct
import zipfile
import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from idle_quarry.errors import ExchangeError, QuarryError
from idle_quarry.jsonfile import strict_json
from idle_quarry.library.files.exchange import (
    MOST_BYTES,
    ExchangedTemplate,
    exported,
    import_file,
    imported,
    write_file,
)
from idle_quarry.library.records import StoredTemplate
from idle_quarry.path.names import cleaned_name

KIND = "idle-quarry bundle"
FORMAT_NUMBER = 1
SUFFIX = ".zip"
_LIST = "list.json"
#: No house has more templates to carry; a file with more is something else.
_MOST_MEMBERS = 20_000
_MOST_TOGETHER = 600_000_000
#: What the zip module and its decompressors raise for a damaged file: of no one family, as fuzzing shows.
_ZIP_ERRORS = (
    zipfile.BadZipFile,
    zipfile.LargeZipFile,
    zlib.error,
    lzma.LZMAError,
    struct.error,
    OSError,
    EOFError,
    RuntimeError,
    ValueError,
    IndexError,
)


@dataclass(frozen=True)
class BundledTemplate:
    """One template a file offers: its name in the file, and what it holds or why it cannot be read."""

    member: str
    exchanged: ExchangedTemplate | None
    trouble: str = ""


def origin_of(stored: StoredTemplate) -> dict[str, Any]:
    """Return where a revision comes from, as it is written beside it in a file."""
    revision = stored.revision
    return {
        "name": stored.name,
        "shelf": stored.shelf,
        "revision": revision.number,
        "state": revision.state,
        "author": revision.author,
        "time": revision.time,
    }


def export_bundle(stored: Sequence[StoredTemplate], path: Path) -> None:
    """Write templates as one file, whole or not at all. Raises `ExchangeError`."""
    pages = [(item.template.name, exported(item.template, origin_of(item))) for item in stored]
    _write(path, pages)


def _write(path: Path, pages: list[tuple[str, str]]) -> None:
    buffer = io.BytesIO()
    names: set[str] = {_LIST}
    listed = []
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as bundle:
        for name, text in pages:
            member = _free_member(cleaned_name(name, "template"), names)
            bundle.writestr(member, text)
            listed.append({"file": member, "name": name})
        head = {"kind": KIND, "format_number": FORMAT_NUMBER, "templates": listed}
        bundle.writestr(_LIST, json.dumps(head, indent=1, ensure_ascii=False))
    write_file(path, buffer.getvalue())


def _free_member(name: str, members: set[str]) -> str:
    text, count = f"{name}.json", 2
    while text.lower() in members:
        text, count = f"{name} {count}.json", count + 1
    members.add(text.lower())
    return text


def offered(path: Path) -> list[BundledTemplate]:
    """Return what a template file or a bundle offers; members that cannot be read are among them, with why.

    Raises `ExchangeError` where the file is neither.
    """
    try:
        is_zip = path.is_file() and zipfile.is_zipfile(path)
    except OSError as error:
        raise ExchangeError(f"cannot be read ({error.strerror})", subject=str(path)) from error
    if not is_zip:
        return [BundledTemplate(path.name, import_file(path))]
    try:
        with zipfile.ZipFile(path) as bundle:
            return _members(bundle, path)
    except _ZIP_ERRORS as error:
        raise ExchangeError("a bundle that is damaged or cut short", subject=str(path)) from error


def _members(bundle: zipfile.ZipFile, path: Path) -> list[BundledTemplate]:
    infos = bundle.infolist()
    if len(infos) > _MOST_MEMBERS or sum(item.file_size for item in infos) > _MOST_TOGETHER:
        raise ExchangeError("far larger than any bundle of templates", subject=str(path))
    head = next((item for item in infos if item.filename == _LIST), None)
    if head is None:
        raise ExchangeError("a zip file, but no bundle of templates", subject=str(path))
    try:
        data = strict_json(_read(bundle, head))
        kind, number = data.get("kind"), data.get("format_number")
    except (ValueError, AttributeError, RecursionError, QuarryError) as error:
        raise ExchangeError("a bundle whose list is damaged", subject=str(path)) from error
    if kind != KIND:
        raise ExchangeError("a zip file, but no bundle of templates", subject=str(path))
    if not isinstance(number, int) or number > FORMAT_NUMBER:
        raise ExchangeError(
            f"the bundle has format {number}, this program reads up to {FORMAT_NUMBER}",
            subject=str(path),
            remedy="update Idle Quarry",
        )
    return [_offered(bundle, info) for info in infos if info.filename != _LIST and not info.is_dir()]


def _offered(bundle: zipfile.ZipFile, info: zipfile.ZipInfo) -> BundledTemplate:
    try:
        return BundledTemplate(info.filename, imported(strict_json(_read(bundle, info))))
    except QuarryError as error:
        return BundledTemplate(info.filename, None, str(error))
    except (ValueError, RecursionError):
        return BundledTemplate(info.filename, None, "not a template file, or cut short")


def _read(bundle: zipfile.ZipFile, info: zipfile.ZipInfo) -> str:
    """Return a member's text; its size is what comes out, not what the file says of it."""
    try:
        with bundle.open(info) as member:
            data = member.read(MOST_BYTES + 1)
    except _ZIP_ERRORS as error:
        raise ExchangeError(f"damaged ({error})") from error
    if len(data) > MOST_BYTES:
        raise ExchangeError("far larger than any template")
    return data.decode()


def added_to(path: Path, stored: Sequence[StoredTemplate]) -> tuple[int, int]:
    """Add templates to a bundle, made where there is none; one of the same name there is replaced.

    Returns how many it holds then, and how many were replaced. Raises `ExchangeError`; the file is then as it was.
    """
    pages: dict[str, str] = {}
    if path.exists():
        for bundled in offered(path):
            if bundled.exchanged is None:
                raise ExchangeError(f"{bundled.member} in it cannot be read: {bundled.trouble}", subject=str(path))
            pages[bundled.exchanged.template.name] = exported(bundled.exchanged.template, bundled.exchanged.origin)
    replaced = sum(one.template.name in pages for one in stored)
    for one in stored:
        pages[one.template.name] = exported(one.template, origin_of(one))
    _write(path, list(pages.items()))
    return len(pages), replaced

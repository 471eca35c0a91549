"""Names that every file system takes, and what to make of those that some refuse."""

from __future__ import annotations

import re
from functools import lru_cache

_FORBIDDEN = re.compile(r'[<>:"/\\|?*\x00-\x1f\x7f]')
_DEVICES = {"con", "prn", "aux", "nul", *(f"com{i}" for i in range(1, 10)), *(f"lpt{i}" for i in range(1, 10))}
MOST_BYTES = 255


@lru_cache(maxsize=4096)
def name_refused(name: str) -> str | None:
    """Return why some file system refuses `name` as a folder's or file's name, or None."""
    if not name.strip():
        return "it is empty"
    try:
        size = len(name.encode())
    except UnicodeEncodeError:
        return "it has bytes in it that are no text"
    if name in (".", ".."):
        return "it stands for a folder itself"
    match = _FORBIDDEN.search(name)
    if match:
        sign = match.group()
        return f"it has {sign!r} in it" if sign.isprintable() else "it has a control character in it"
    if name != name.strip() or name.endswith("."):
        return "it begins or ends with a space, or ends with a dot"
    if name.split(".")[0].lower() in _DEVICES:
        return "Windows keeps this name for a device"
    if size > MOST_BYTES:
        return f"it is longer than {MOST_BYTES} bytes"
    return None


def text_refused(text: str) -> str | None:
    """Return why a line of text cannot be kept or shown everywhere (a person's name, a folder's place), or None."""
    try:
        text.encode()
    except UnicodeEncodeError:
        return "it has bytes in it that are no text"
    return None if all(sign >= " " and sign != "\x7f" for sign in text) else "it has a control character in it"


def cleaned_name(name: str, otherwise: str = "unnamed") -> str:
    """Return `name` changed as little as makes it acceptable everywhere."""
    name = name.encode(errors="ignore").decode()
    text = " ".join(_FORBIDDEN.sub(" ", name).split()).strip().rstrip(".").strip()
    while len(text.encode()) > MOST_BYTES:
        text = text[:-1].strip()
    if text.split(".")[0].lower() in _DEVICES:
        text = f"{text} folder" if "." not in text else f"x {text}"
    return text if text and name_refused(text) is None else otherwise

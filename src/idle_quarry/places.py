"""Where this user's things are kept, and who the user is."""

from __future__ import annotations

import contextlib
import json
import os
import pwd
import re
from pathlib import Path

import platformdirs

DEMO = "demo"
DEMO_PERSON = "Runa"


def data_folder() -> Path:
    """Return the folder for libraries and drafts."""
    return _private(platformdirs.user_data_path("idle-quarry"))


def settings_folder() -> Path:
    """Return the folder for the user's preferences."""
    return _private(platformdirs.user_config_path("idle-quarry"))


def memory_folder() -> Path:
    """Return the folder for what can be computed again: it may be emptied at any time."""
    return _private(platformdirs.user_state_path("idle-quarry"))


def _private(folder: Path) -> Path:
    """Return a folder, made so that only its user enters it: a house's templates lie in it, whatever modes its
    files have.
    """
    with contextlib.suppress(OSError):
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        if folder.stat().st_mode & 0o077:
            folder.chmod(0o700)
    return folder


def is_server(place: str | None) -> bool:
    """Return whether a library's place is an address and no file."""
    return bool(re.match(r"[A-Za-z][A-Za-z0-9+]*://", place or ""))


def library_place(place: str | None) -> Path:
    """Return the library file that `place` names; the user's own where nothing is named."""
    if place == DEMO:
        return data_folder() / "demo" / "library.db"
    return Path(place).expanduser() if place else data_folder() / "library.db"


#: Where the window keeps what its user has chosen; the command line reads from it who works here, and in which house.
PREFERENCES = "window.json"


def chosen(name: str) -> str:
    """Return a text of the user's profile ("name", "house"); empty where none was chosen."""
    try:
        data = json.loads((settings_folder() / PREFERENCES).read_bytes())
    except (OSError, ValueError):
        return ""
    value = data.get(name) if isinstance(data, dict) else None
    return value.strip() if isinstance(value, str) else ""


def person(place: str | None, named: str | None = None) -> str:
    """Return the name under which this user works: as said, as the profile has it, else the login's."""
    named = (named or os.environ.get("IDLE_QUARRY_PERSON", "")).strip()
    if named:
        return named[:80]
    if place == DEMO:  # the demo has people of its own
        return DEMO_PERSON
    if profiled := chosen("name"):
        return profiled[:80]
    return login_name()


def login_name() -> str:
    """Return the name of this user's account on the system, as a name is written: no variable of the environment
    changes it.
    """
    try:
        return pwd.getpwuid(os.getuid()).pw_name.capitalize()
    except (KeyError, OSError):
        return "Somebody"

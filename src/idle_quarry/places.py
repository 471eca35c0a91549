"""Where this user's things are kept, and who the user is."""

from __future__ import annotations

import getpass
import os
from pathlib import Path

import platformdirs

DEMO = "demo"
DEMO_PERSON = "Runa"


def data_folder() -> Path:
    """Return the folder for libraries and drafts."""
    return platformdirs.user_data_path("idle-quarry")


def settings_folder() -> Path:
    """Return the folder for the user's preferences."""
    return platformdirs.user_config_path("idle-quarry")


def memory_folder() -> Path:
    """Return the folder for what can be computed again: it may be emptied at any time."""
    return platformdirs.user_state_path("idle-quarry")


def library_place(place: str | None) -> Path:
    """Return the library file that `place` names; the user's own where nothing is named."""
    if place == DEMO:
        return data_folder() / "demo" / "library.db"
    return Path(place).expanduser() if place else data_folder() / "library.db"


def person(place: str | None) -> str:
    """Return the name under which this user works."""
    named = os.environ.get("IDLE_QUARRY_PERSON", "").strip()
    if named:
        return named[:80]
    if place == DEMO:
        return DEMO_PERSON
    try:
        return getpass.getuser().capitalize()
    except (KeyError, OSError):
        return "Somebody"

"""Profiles: the people who work at this machine, each with their own preferences; carried as files."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path

from idle_quarry.app.preferences import Preferences
from idle_quarry.errors import ExchangeError
from idle_quarry.library.files.exchange import json_of, write_file
from idle_quarry.path.template import slug
from idle_quarry.places import settings_folder

KIND = "idle-quarry profile"
FORMAT_NUMBER = 1
_MOST_BYTES = 200_000


def _folder() -> Path:
    return settings_folder() / "profiles"


def profiles() -> list[str]:
    """Return the names of the profiles on this machine, in order."""
    results = {name: None for path in sorted(_folder().glob("*.json")) if (name := _named(path))}
    return list(results)


def _named(path: Path) -> str:
    try:
        return imported(path).name
    except ExchangeError:
        return ""


def _path_of(name: str) -> Path:
    return _folder() / f"{slug(name)}.json"


def keep(preferences: Preferences) -> None:
    """Keep a profile on this machine. Raises `ExchangeError`."""
    try:
        _folder().mkdir(parents=True, exist_ok=True)
        exported(preferences, _path_of(preferences.name))
    except OSError as error:
        raise ExchangeError(f"the profile could not be kept ({error.strerror})", subject=preferences.name) from error


def called(name: str) -> Preferences:
    """Return a profile of this machine. Raises `ExchangeError`."""
    return imported(_path_of(name))


def exported(preferences: Preferences, path: Path) -> None:
    """Write a profile as a file, whole or not at all. Raises `ExchangeError`."""
    data = {"kind": KIND, "format_number": FORMAT_NUMBER, "profile": asdict(preferences)}
    write_file(path, (json.dumps(data, indent=1, ensure_ascii=False) + "\n").encode())


def imported(path: Path) -> Preferences:
    """Return the profile in a file; values it cannot have are left at their defaults. Raises `ExchangeError`."""
    data = json_of(path, "profile", _MOST_BYTES)
    if not isinstance(data, dict) or data.get("kind") != KIND:
        raise ExchangeError("not a profile", subject=str(path), remedy="give one that this program wrote")
    number = data.get("format_number")
    if not isinstance(number, int) or number > FORMAT_NUMBER:
        raise ExchangeError(
            f"the profile has format {number}, this program reads up to {FORMAT_NUMBER}",
            subject=str(path),
            remedy="update Idle Quarry",
        )
    return Preferences.of(data.get("profile"))

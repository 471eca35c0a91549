"""What a person has chosen of the window: brightness, text size, places; kept in a small JSON file."""

from __future__ import annotations

import base64
import contextlib
import json
from dataclasses import asdict, dataclass, fields
from pathlib import Path
from typing import Any

from idle_quarry.files import written_whole
from idle_quarry.places import settings_folder


@dataclass
class Preferences:
    """Values with their defaults; a damaged file gives the defaults."""

    brightness: str = "dim room"
    text_percent: int = 100
    geometry: str = ""
    view: str = "Library"
    jobs_folder: str = ""
    export_folder: str = ""

    @classmethod
    def load(cls) -> Preferences:
        """Return what was kept."""
        made = cls()
        try:
            data: dict[str, Any] = json.loads(_file().read_text())
            for each in fields(cls):
                value = data.get(each.name)
                if isinstance(value, type(getattr(made, each.name))):
                    setattr(made, each.name, value)
        except (OSError, ValueError, AttributeError):
            pass
        return made

    def save(self) -> None:
        """Keep the values; a disk that refuses costs only the comfort."""
        with contextlib.suppress(OSError):
            _file().parent.mkdir(parents=True, exist_ok=True)
            written_whole(_file(), json.dumps(asdict(self), indent=1).encode())

    def geometry_bytes(self) -> bytes:
        try:
            return base64.b64decode(self.geometry)
        except ValueError:
            return b""


def _file() -> Path:
    return settings_folder() / "window.json"

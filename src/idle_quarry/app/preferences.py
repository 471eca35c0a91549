"""What a person has chosen for themselves: name, brightness, text size, keys, places; none of it is a template's."""

from __future__ import annotations

import base64
import contextlib
import json
from dataclasses import asdict, dataclass, field, fields
from pathlib import Path
from typing import Any

from idle_quarry.files import written_whole
from idle_quarry.path.names import text_refused
from idle_quarry.places import PREFERENCES, settings_folder

_MOST_RECENT = 12


@dataclass
class Preferences:
    """Values with their defaults; a damaged file gives the defaults."""

    name: str = ""
    initials: str = ""
    brightness: str = "dim room"
    text_percent: int = 100
    geometry: str = ""
    view: str = "Library"
    #: The template that was chosen on the shelves last, by its id.
    template: str = ""
    jobs_folder: str = ""
    export_folder: str = ""
    clips_folder: str = ""
    work_folder: str = ""
    #: The house's library: a server's address, without a password; empty for this machine's own.
    house: str = ""
    #: When this machine does work for others of the house, and between which hours; empty for any.
    lend: str = "never"
    lend_hours: str = ""
    #: Keys by the name of their command, where they differ from the program's own; empty for none.
    shortcuts: dict[str, str] = field(default_factory=dict)
    #: What was opened lately, the last first: its kind and its name.
    recent: list[str] = field(default_factory=list)
    #: The columns of the table of templates, by their places; none for the program's own.
    table: list[str] = field(default_factory=list)
    #: Tables kept by a name: what was searched and the columns, as JSON.
    tables: dict[str, str] = field(default_factory=dict)
    #: How the views are divided: what Qt says of a splitter, by the splitter's name.
    layout: dict[str, str] = field(default_factory=dict)

    @classmethod
    def of(cls, data: Any) -> Preferences:
        """Return preferences from stored values; what does not fit is left at its default."""
        preferences = cls()
        if isinstance(data, dict):
            for item in fields(cls):
                value = data.get(item.name)
                if isinstance(value, list):
                    value = [text for text in value if isinstance(text, str)]
                if isinstance(value, dict):
                    value = {str(key): text for key, text in value.items() if isinstance(text, str)}
                if isinstance(value, str) and text_refused(value) is not None:
                    continue
                if isinstance(value, type(getattr(preferences, item.name))):
                    setattr(preferences, item.name, value)
        return preferences

    @classmethod
    def load(cls) -> Preferences:
        """Return what was kept."""
        try:
            return cls.of(json.loads(_file().read_text(encoding="utf-8")))
        except (OSError, ValueError):
            return cls()

    def save(self) -> None:
        """Keep the values; a disk that refuses costs only the comfort."""
        with contextlib.suppress(OSError):
            _file().parent.mkdir(parents=True, exist_ok=True)
            written_whole(_file(), json.dumps(asdict(self), indent=1).encode())

    def remember(self, opened: str) -> None:
        """Note what was opened, before what was opened earlier."""
        self.recent = [opened, *(name for name in self.recent if name != opened)][:_MOST_RECENT]

    def geometry_bytes(self) -> bytes:
        return _bytes(self.geometry)

    def layout_bytes(self, name: str) -> bytes:
        """Return how a splitter was divided; nothing where that was not kept."""
        return _bytes(self.layout.get(name, ""))


def initials_of(name: str) -> str:
    """Return the first letters of a name's words, two of the only word."""
    words = name.split()
    return "".join(word[0] for word in words)[:3].upper() if len(words) > 1 else name[:2].upper()


def _bytes(text: str) -> bytes:
    try:
        return base64.b64decode(text)
    except ValueError:
        return b""


def _file() -> Path:
    return settings_folder() / PREFERENCES

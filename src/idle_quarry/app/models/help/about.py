"""What this program is: its version, what it stands on with their licences, where files lie, what went wrong lately."""

from __future__ import annotations

import platform
from dataclasses import dataclass
from importlib.metadata import PackageNotFoundError, metadata, version
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import qVersion

from idle_quarry import __version__
from idle_quarry.counting import counted
from idle_quarry.places import data_folder, memory_folder, settings_folder

if TYPE_CHECKING:
    from idle_quarry.app.door import Door

#: What it stands on: the package, and what is said of it where the package does not say its licence in a word.
_STANDS_ON = {
    "PySide6-Essentials": "LGPL-3.0",
    "av": "BSD-3-Clause",
    "numpy": "BSD-3-Clause",
    "scipy": "BSD-3-Clause",
    "OpenTimelineIO": "Apache-2.0",
    "opencolorio": "BSD-3-Clause",
    "pydantic": "MIT",
    "SQLAlchemy": "MIT",
    "alembic": "MIT",
    "psycopg": "LGPL-3.0",
    "Jinja2": "BSD-3-Clause",
    "platformdirs": "MIT",
    "pillow": "MIT-CMU",
}
_ALSO = (
    ("Qt", "LGPL-3.0"),
    ("FFmpeg's libraries (in av)", "LGPL-2.1 and GPL parts as av ships them"),
    ("B612 typeface", "SIL Open Font License 1.1"),
    ("Idle Quarry", "MIT"),
)


@dataclass(frozen=True)
class Component:
    """Something that ships or is stood on, with its version and licence."""

    name: str
    version: str
    licence: str


def parts() -> list[Component]:
    """Return what this program is made with; a package that is not there is left out."""
    components = []
    for name, licence in _STANDS_ON.items():
        try:
            text = metadata(name).json.get("license_expression") or licence
            components.append(Component(name, version(name), str(text)))
        except PackageNotFoundError:
            continue
    own = {"Qt": str(qVersion()), "Idle Quarry": __version__}
    return [*(Component(name, own.get(name, ""), licence) for name, licence in reversed(_ALSO)), *components]


class About:
    """Facts about this program here."""

    def __init__(self, door: Door) -> None:
        self._door = door

    def title_words(self) -> str:
        return f"Idle Quarry {__version__}"

    def folders(self) -> list[tuple[str, Path]]:
        """Return where things are kept, by what is kept there."""
        return [
            ("Libraries and drafts", data_folder()),
            ("Profile", settings_folder()),
            ("What can be measured again", memory_folder()),
            ("Reports of what went wrong", memory_folder() / "reports"),
        ]

    def reports(self) -> list[Path]:
        """Return the reports of what nobody foresaw, newest first."""
        folder = memory_folder() / "reports"
        return sorted(folder.glob("*.txt"), reverse=True) if folder.is_dir() else []

    def report_words(self) -> str:
        """Return whether something went wrong lately."""
        paths = self.reports()
        if not paths:
            return "Nothing unforeseen went wrong here."
        count = len(paths)
        return f"{counted(count, 'report')} of what went wrong; the newest is {paths[0].stem}."

    def for_a_report(self) -> str:
        """Return what whoever mends this needs to know: versions, machine, kind of library.

        No names, places or passwords.
        """
        kind = "a server" if self._door.library.at_hand else "a file"
        lines = [
            f"Idle Quarry {__version__}",
            f"{platform.system()} {platform.release()}, Python {platform.python_version()}",
        ]
        lines += [f"{part.name} {part.version}" for part in parts() if part.version]
        lines.append(f"library in {kind}")
        reports = self.reports()
        if reports:
            home = str(Path.home())
            lines += [
                "",
                f"newest report, {reports[0].stem}:",
                reports[0].read_text(encoding="utf-8", errors="replace").replace(home, "~"),
            ]
        return "\n".join(lines)

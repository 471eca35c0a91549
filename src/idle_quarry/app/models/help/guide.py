"""The guide inside the window: its sections, what is searched in it, and which one belongs to what is shown."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

import idle_quarry

if TYPE_CHECKING:
    from idle_quarry.app.door import Door


@dataclass(frozen=True)
class Section:
    """A heading of the guide (2 or 3 deep) with what stands below it, as Markdown."""

    title: str
    depth: int
    text: str


@lru_cache(maxsize=1)
def sections() -> tuple[Section, ...]:
    """Return the guide's sections in order: of the package, or of the checkout it runs from."""
    packed = files("idle_quarry").joinpath("guide.md")
    here = Path(idle_quarry.__file__).resolve().parents[2] / "docs" / "guide.md"
    return parted(packed.read_text(encoding="utf-8") if packed.is_file() else here.read_text(encoding="utf-8"))


def parted(text: str) -> tuple[Section, ...]:
    """Return a Markdown text cut at its headings; code is no heading."""
    results: list[tuple[str, int, list[str]]] = []
    code = False
    for line in text.splitlines():
        code ^= line.startswith("```")
        depth = len(line) - len(line.lstrip("#"))
        if not code and depth in (2, 3) and line[depth : depth + 1] == " ":
            results.append((line[depth:].strip(), depth, []))
        elif results:
            results[-1][2].append(line)
    return tuple(Section(title, depth, "\n".join(lines).strip()) for title, depth, lines in results)


class Guide(QObject):
    """`changed`: another section is shown, or other words are searched; `tab_wanted`: the guide or what is about it."""

    changed = Signal()
    tab_wanted = Signal(str)

    def __init__(self, _door: Door) -> None:
        super().__init__()
        self.came_from = "Library"  #: the view that was left for the guide
        self.words: tuple[str, ...] = ()
        self.shown = 0  #: the number of the section that is read

    def search(self, text: str) -> None:
        """Show only the sections that have all of these words; the first of them is read."""
        self.words = tuple(text.lower().split())
        results = self.matches()
        if results and self.shown not in results:
            self.shown = results[0]
        self.changed.emit()

    def matches(self) -> list[int]:
        """Return the numbers of the sections that have the words that are searched.

        Those that name them in the title first.
        """
        hits = []
        for number, section in enumerate(sections()):
            text = f"{section.title} {section.text}".lower()
            if all(word in text for word in self.words):
                hits.append(number)
        if self.words:
            hits.sort(key=lambda n: not any(word in sections()[n].title.lower() for word in self.words))
        return hits

    def read(self, number: int) -> None:
        """Read a section."""
        self.shown = number
        self.changed.emit()

    def open_at(self, title: str) -> None:
        """Read the section whose title has these words; the first one where there is none."""
        self.words = ()
        self.shown = next((n for n, section in enumerate(sections()) if title.lower() in section.title.lower()), 0)
        self.changed.emit()

    def text(self) -> str:
        """Return the section that is read with what belongs below it, as Markdown."""
        every = sections()
        first = every[self.shown]
        parts = [f"## {first.title}", first.text]
        for section in every[self.shown + 1 :]:
            if section.depth <= first.depth:
                break
            parts += [f"### {section.title}", section.text]
        return "\n\n".join(parts)

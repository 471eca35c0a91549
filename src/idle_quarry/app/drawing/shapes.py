"""Shapes of a drawing as values: boxes and lines of text, with what they say."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

ROW, GAP, HEAD = 22.0, 6.0, 26.0


class BoxShape(NamedTuple):
    """A rectangle: `look` is filled, outlined, hatched, barred or dashed, `role` its colour."""

    x: float
    y: float
    w: float
    h: float
    role: str = "seam"
    look: str = "filled"


class TextShape(NamedTuple):
    """A line of text in a room; what does not fit ends in dots."""

    x: float
    y: float
    w: float
    text: str
    role: str = "dust"
    align: str = "left"
    bold: bool = False
    size: float = 12.0


@dataclass
class EntryDrawing:
    """The shapes of an entry, the height they take, and the same in words for whoever cannot see them."""

    width: float
    shapes: list[BoxShape | TextShape] = field(default_factory=list)
    height: float = 0.0
    texts: list[str] = field(default_factory=list)

    def head(self, text: str) -> None:
        """Begin a part under a heading."""
        self.height += GAP if self.height else 0
        self.shapes.append(TextShape(0, self.height, self.width, text, "chalk", bold=True, size=13))
        self.height += HEAD

    def line(self, text: str, role: str = "dust") -> None:
        """Add a line of text."""
        self.shapes.append(TextShape(0, self.height, self.width, text, role))
        self.texts.append(text)
        self.height += ROW

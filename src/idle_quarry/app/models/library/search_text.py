"""What is searched for on the shelves: words, conditions on settings, and what the boxes beside them say."""

from __future__ import annotations

from idle_quarry.errors import QuarryError
from idle_quarry.library import Search, typed_words
from idle_quarry.path.changes.conditions import Condition, conditions

#: What the shelf box offers, and the search each stands for.
SHELVES: dict[str, dict[str, object]] = {
    "Both shelves": {},
    "House shelf": {"shelf": "house"},
    "In review": {"shelf": "house", "state": "in review"},
    "Own shelf": {"shelf": "own"},
    "Put aside": {"aside": True},
}


class SearchText:
    """`typed` with what it means; `trouble` says why it means nothing."""

    def __init__(self) -> None:
        self.shelf = next(iter(SHELVES))
        self.territory: str | None = None
        self.lines: int | None = None
        self.conditions: tuple[Condition, ...] = ()
        self.trouble = ""
        self._words = ""
        self.typed = ""

    def type(self, text: str) -> None:
        """Take what was typed."""
        self.typed = text
        try:
            self.conditions, self._words = conditions(text)
            self.trouble = ""
        except QuarryError as error:
            self.conditions, self._words, self.trouble = (), text, str(error)

    @property
    def everything(self) -> bool:
        return self.search() == Search() and not self.conditions

    def search(self) -> Search:
        """Return what the library is asked for; conditions are held against what it finds."""
        return Search(
            words=typed_words(self._words),
            territory=self.territory,
            lines=self.lines,
            **SHELVES[self.shelf],  # type: ignore[arg-type]
        )

    def nothing_words(self, *, reading: bool) -> str:
        """Return why nothing is found, and what to do; `reading` while the settings are."""
        if self.trouble:
            return self.trouble[:1].upper() + self.trouble[1:] + "."
        if self.conditions and reading:
            return "Reading the settings of all templates …"
        if self.everything:
            return (
                "No templates yet. Begin with the standard set of a house, press New for a single one, or drop clips"
                " here."
            )
        if self.search().aside:
            return "Nothing was put aside."
        return "No template has all of that. Clear the search, or choose any shelf, territory and raster."

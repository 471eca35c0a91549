"""Programme layouts: what a delivered file holds in time, before, in and after the programme."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints, model_validator

from idle_quarry.path.entries.entry import Entry, EntryPart
from idle_quarry.path.texts import Line, word_of

#: What may lie in a delivered file, and how each is said.
ITEMS = ("bars", "black", "slate", "clock", "programme", "break", "silence", "end black")
_MOST_S = 3600.0


class ProgrammeItem(EntryPart):
    """One item: what it is, how long (s; a programme's parts are as long as they are), whether tone goes with it."""

    what: Annotated[str, *word_of(ITEMS, "item of a programme's layout")]
    seconds: Annotated[float, Field(gt=0, le=_MOST_S)] | None = None
    tone: bool = False
    text: Line = ""  #: fields of a slate or clock, or what a break is called

    @model_validator(mode="after")
    def _length(self) -> ProgrammeItem:
        if (self.seconds is None) != (self.what == "programme"):
            raise ValueError(
                "a programme is as long as it is" if self.what == "programme" else f"how long is the {self.what}?"
            )
        return self


class ProgrammeLayout(Entry):
    """The items of a delivered file in order, and the timecode of the programme's first picture."""

    entry: Literal["programme"] = "programme"
    items: Annotated[tuple[ProgrammeItem, ...], Field(min_length=1, max_length=60)]
    starts: Annotated[str, StringConstraints(pattern=r"^(\d\d[:;]\d\d[:;]\d\d[:;]\d\d)?$")] = (
        ""  #: "" for the delivery's own
    )
    tolerance_pictures: Annotated[int, Field(ge=0, le=100)] = 0  #: how far an item's border may be off

    @model_validator(mode="after")
    def _one_programme(self) -> ProgrammeLayout:
        if not any(item.what == "programme" for item in self.items):
            raise ValueError("a layout without a programme in it")
        return self

    @property
    def before_s(self) -> float:
        """How much lies before the programme, in seconds."""
        total = 0.0
        for item in self.items:
            if item.what == "programme":
                break
            total += item.seconds or 0
        return total

    @property
    def words(self) -> str:
        """Return its items in order: "bars 60 s with tone, clock 27 s, black 3 s, programme, end black 5 s"."""
        texts = []
        for item in self.items:
            length = f" {item.seconds:g} s" if item.seconds is not None else ""
            texts.append(f"{item.what}{length}{' with tone' if item.tone else ''}")
        return ", ".join(texts)

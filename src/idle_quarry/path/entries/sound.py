"""Sound layouts: which channel carries what, in order, and what becomes of them where fewer are wanted."""

from __future__ import annotations

from functools import cached_property
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from idle_quarry.path.entries.entry import Entry, EntryPart
from idle_quarry.path.texts import word_of

#: Where a channel is heard.
POSITIONS = ("left", "right", "centre", "LFE", "left surround", "right surround", "mono")
#: What a channel carries.
CONTENTS = ("full mix", "music and effects", "dialogue", "audio description", "clean mix", "silent")
#: How positions are written short, as on a setup sheet.
SHORT = {
    "left": "L",
    "right": "R",
    "centre": "C",
    "LFE": "LFE",
    "left surround": "Ls",
    "right surround": "Rs",
    "mono": "M",
}
SHORT_CONTENT = {
    "full mix": "",
    "music and effects": "M&E",
    "dialogue": "dialogue",
    "audio description": "AD",
    "clean mix": "clean",
}


class SoundChannel(EntryPart):
    """One channel: where it is heard, what it carries, in which language ("": the programme's)."""

    at: Annotated[str, *word_of(POSITIONS, "position")] = "mono"
    carries: Annotated[str, *word_of(CONTENTS, "content of a channel")] = "full mix"
    language: Annotated[str, StringConstraints(pattern=r"^([a-z]{2,3}(-[A-Z]{2})?)?$")] = ""

    @property
    def words(self) -> str:
        """Return it as one says it: "L", "R M&E", "silent"."""
        if self.carries == "silent":
            return "silent"
        return " ".join(part for part in (SHORT[self.at], SHORT_CONTENT[self.carries], self.language) if part)


class SoundLayout(Entry):
    """An ordered list of channels."""

    entry: Literal["sound"] = "sound"
    channels: Annotated[tuple[SoundChannel, ...], Field(min_length=1, max_length=64)]

    @cached_property
    def words(self) -> str:
        """Return its channels in order: "L R, L M&E R M&E"."""
        return ", ".join(f"{number} {channel.words}" for number, channel in enumerate(self.channels, 1))

    def positions(self, carries: str = "full mix") -> tuple[str, ...]:
        """Return where the channels of one content are heard, in order."""
        return tuple(channel.at for channel in self.channels if channel.carries == carries)

    def lacks(self, other: SoundLayout) -> tuple[str, ...]:
        """Return what `other` has that cannot be made of this, in words: a content that is not there, or wider than
        it is.
        """
        texts = []
        for content in dict.fromkeys(channel.carries for channel in other.channels if channel.carries != "silent"):
            mine, wanted = self.positions(content), other.positions(content)
            if not mine:
                texts.append(f"{content} is missing")
            elif not set(wanted) <= set(mine) and not _folds(mine, wanted):
                missing = [SHORT[at] for at in dict.fromkeys(wanted) if at not in mine]
                texts.append(f"{content} has no {', '.join(missing)}")
        return tuple(texts)

    def folds_into(self, other: SoundLayout) -> bool:
        """Return whether making `other` of this folds channels down: all it wants is there, in more channels."""
        return not self.lacks(other) and any(
            set(self.positions(content)) - set(other.positions(content))
            for content in {channel.carries for channel in other.channels if channel.carries != "silent"}
        )


def _folds(mine: tuple[str, ...], wanted: tuple[str, ...]) -> bool:
    """Return whether BS.775 folds positions into others: five into two or one, two into one."""
    pairs = {"left", "right"}
    return (set(wanted) <= {"mono"} and pairs <= set(mine)) or (set(wanted) <= pairs and pairs <= set(mine))

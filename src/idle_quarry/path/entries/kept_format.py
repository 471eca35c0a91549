"""A format that a house keeps for reuse, by a name of its own."""

from __future__ import annotations

from functools import cached_property
from typing import Annotated, Literal

from pydantic import StringConstraints, model_validator

from idle_quarry.errors import QuarryError
from idle_quarry.path.entries.entry import Entry
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.words import Sixty, format_from_words


class KeptFormat(Entry):
    """A signal format in words."""

    entry: Literal["format"] = "format"
    words: Annotated[str, StringConstraints(min_length=1, max_length=120)]

    @model_validator(mode="after")
    def _is_one(self) -> KeptFormat:
        try:
            format_from_words(self.words, Sixty.EXACT)
        except QuarryError as error:
            raise ValueError(str(error)) from error
        return self

    @cached_property
    def signal(self) -> SignalFormat:
        return format_from_words(self.words, Sixty.EXACT)

"""What every text that is kept must be: sayable, of a length, and where it is a word for something, one that is
known.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Any

from pydantic import AfterValidator, StringConstraints, WithJsonSchema

Id = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")]


def _sayable(text: str) -> str:
    if "\0" in text:  # a library in a file would take it, one on a server cannot
        raise ValueError("a sign in it is none that can be written")
    return text


Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120), AfterValidator(_sayable)]
Text = Annotated[str, StringConstraints(max_length=4000), AfterValidator(_sayable)]
Line = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200), AfterValidator(_sayable)]


def word_of(known: Iterable[str], what: str) -> Any:
    """Return the validator and the schema of a word that is one of `known`, for `Annotated[str, *word_of(…)]`."""
    words = tuple(known)

    def check(value: str) -> str:
        if value not in words:
            raise ValueError(f"{value[:40]!r} is no {what}; there are {', '.join(words[:12])}")
        return value

    return AfterValidator(check), WithJsonSchema({"enum": list(words)})

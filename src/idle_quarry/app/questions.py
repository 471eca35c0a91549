"""What is asked in place: a text or one of a few answers, as values that any bar can put and any test can answer."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

#: Told why an answer will not do, or None where it was taken; at once, or when a server has answered.
Answered = Callable[[str | None], None]
#: Takes the text that was typed.
Accept = Callable[[str, Answered], None]


@dataclass(frozen=True)
class Question:
    """Asks for a text. `offers` can be picked; `otherwise` is another verb, and what takes the text then."""

    text: str
    verb: str
    accept: Accept
    value: str = ""
    offers: tuple[str, ...] = ()
    otherwise: tuple[str, Accept] | None = None


@dataclass(frozen=True)
class Choice:
    """Asks which of a few answers is meant; each is carried out when it is chosen."""

    text: str
    answers: Mapping[str, Callable[[], object]]

"""What is said of revisions, as it is kept: texts that every database takes, and the answers to stops."""

from __future__ import annotations

import json
from collections.abc import Sequence
from datetime import UTC, datetime

from idle_quarry.library.held_values import (
    held_from_data,
)
from idle_quarry.library.reviewing import StopsUnanswered
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.template import Template


def now() -> str:
    """Return the present time as ISO 8601 in UTC, to the second."""
    return datetime.now(UTC).isoformat(timespec="seconds")


def sayable(text: str) -> str:
    """Return what somebody said as every database keeps it: no NUL, no half of a character."""
    return text.replace("\0", "").encode("utf-8", "replace").decode("utf-8")


def stops_of(template: Template) -> list[str]:
    """Return the sentences of a template's stops, in the order of its findings."""
    return [finding.text for finding in evaluate(template, remedies=False).findings if finding.severity == "stop"]


def answered(note: str, body: str, answers: Sequence[str], subject: str) -> str:
    """Return the note of an approval with its answers to each stop. Raises `StopsUnanswered` where one lacks."""
    value = held_from_data(json.loads(body))
    stops = stops_of(value) if isinstance(value, Template) else []
    given = [name.strip() for name in answers if name.strip()]
    if len(given) < len(stops):
        raise StopsUnanswered(stops, len(given), subject=subject)
    lines = [f"{stop} Answered: {answer}" for stop, answer in zip(stops, given, strict=False)]
    return "\n".join([part for part in (note, *lines) if part])

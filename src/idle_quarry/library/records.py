"""What the library hands out: plain values that know no database."""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from typing import Any

from idle_quarry.errors import QuarryError
from idle_quarry.path.entries import Entry
from idle_quarry.path.registry import codecs, monitors, sound_layouts
from idle_quarry.path.template import Template
from idle_quarry.signal.words import format_from_words, format_words


@dataclass(frozen=True)
class Revision:
    """A saved state of a template, without its body. `time` is ISO 8601 in UTC, `hash` SHA-256.

    `parent` is the revision it began from, `merged` the other one where two were merged, `changed` the number of
    settings in which it differs from its parent (None where that was not counted).
    """

    template_id: str
    number: int
    author: str
    time: str
    note: str
    state: str
    hash: str
    parent: int | None = None
    merged: int | None = None
    changed: int | None = None


@dataclass(frozen=True)
class Remark:
    """Something said or done about a revision: a comment on a place of it, or an act that changed its state."""

    template_id: str
    n: int
    number: int
    act: str
    state: str
    place: str
    person: str
    time: str
    note: str


@dataclass(frozen=True)
class Search:
    """What of the library is wanted: every word somewhere, a territory, lines, a shelf, a state; or what was put aside.

    A word is looked for in what `RevisionFacts.text` says, the state, and the people who wrote or approved a template;
    PAL and NTSC are also the territories that are called so.
    """

    words: tuple[str, ...] = ()
    territory: str | None = None
    lines: int | None = None
    shelf: str | None = None
    state: str | None = None
    aside: bool = False
    #: A kind of entry, or "" for all of them; templates where nothing is said.
    kind: str = "template"


def typed_words(text: str) -> tuple[str, ...]:
    """Return the words of a search as they are looked for: a format in any spelling as this program writes it."""
    if any(sign.isdigit() for sign in text):
        try:
            return tuple(format_words(format_from_words(text)).split()[:1])
        except QuarryError:
            pass
    return tuple(text.lower().split())


@dataclass(frozen=True)
class Summary:
    """One template on a shelf: its newest revision that was not withdrawn, its approved one, and what it is."""

    id: str
    name: str
    shelf: str
    owner: str
    latest: Revision
    approved: int | None
    drafts: int
    territory: str
    working: str
    lines: int
    deliveries: tuple[str, ...]
    default: bool = False
    aside: bool = False
    kind: str = "template"
    #: What is kept beside its newest revision for lists cannot be read.
    damaged: bool = False

    @property
    def for_jobs(self) -> int:
        """The revision that jobs start from where none is named: the approved one, else the newest."""
        return self.approved or self.latest.number


@dataclass(frozen=True)
class StoredTemplate:
    """A revision with its body."""

    name: str
    shelf: str
    revision: Revision
    template: Template


@dataclass(frozen=True)
class StoredEntry:
    """A revision of one of the house's own entries with what it says."""

    name: str
    shelf: str
    revision: Revision
    entry: Entry


@dataclass(frozen=True)
class JobRecord:
    """A job started from this library."""

    id: str
    title: str
    folder: str
    template_id: str
    template_name: str
    revision: int
    hash: str
    author: str
    time: str


@dataclass(frozen=True)
class HandoverRecord:
    """A file that was verified against a delivery of a revision: of which job, by its hash, and what came of it.

    `job` is the job's title, `hash` the revision's; `verdict` is "passes", or "accepted" where a person accepted what
    did not. `looked` names the machine that verified it and whose it is, "" where its author's own machine did.
    """

    id: str
    job: str
    template_id: str
    revision: int
    hash: str
    delivery: str
    file: str
    sha256: str
    verdict: str
    author: str
    time: str
    looked: str = ""


@dataclass(frozen=True)
class RevisionFacts:
    """What is kept beside a revision so that lists need not read its body."""

    territory: str
    working: str
    lines: int
    deliveries: tuple[str, ...]
    text: str = field(default="")

    @classmethod
    def of(cls, template: Template) -> RevisionFacts:
        """Return the description of a template."""
        words = format_words(template.working.format)
        parts = [
            template.name,
            template.note,
            template.territory,
            words,
            format_words(template.working.format, fields=True),
        ]
        for source in template.sources:
            parts += [source.name, format_words(source.format)]
        for delivery in template.deliveries:
            parts += [
                delivery.name,
                format_words(delivery.format),
                codecs()[delivery.codec].name,
                sound_layouts()[delivery.layout].name,
            ]
        parts += [codecs()[template.intermediate.codec].name, sound_layouts()[template.sound.layout].name]
        if template.monitor:
            device = monitors().get(template.monitor.monitor)
            parts += [device.name if device else template.monitor.monitor, format_words(template.monitor.format)]
        parts += [word for place in template.places for word in (place.name, place.path)]
        deliveries = tuple(delivery.name for delivery in template.deliveries)
        text = " ".join(parts).lower()
        return cls(template.territory, words, template.working.format.raster.height, deliveries, text)

    @classmethod
    def unreadable(cls) -> RevisionFacts:
        """Return what stands for a description that cannot be read."""
        return cls("", "cannot be read", 0, ())

    def to_text(self) -> str:
        data: dict[str, Any] = {
            "territory": self.territory,
            "working": self.working,
            "lines": self.lines,
            "deliveries": list(self.deliveries),
            "text": self.text,
        }
        return json.dumps(data, ensure_ascii=False)

    @classmethod
    def from_text(cls, text: str) -> RevisionFacts:
        data = json.loads(text)
        return cls(data["territory"], data["working"], data["lines"], tuple(data["deliveries"]), data["text"])


def readable(summary: str) -> str:
    """Return a revision's stored description, or what stands for one where it cannot be read."""
    try:
        facts = RevisionFacts.from_text(summary)
    except (ValueError, KeyError, TypeError, RecursionError):
        return RevisionFacts.unreadable().to_text()
    sound = isinstance(facts.territory, str) and isinstance(facts.working, str) and isinstance(facts.text, str)
    return summary if sound and isinstance(facts.lines, int) else RevisionFacts.unreadable().to_text()

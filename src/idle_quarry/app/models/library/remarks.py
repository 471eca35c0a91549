"""Remarks in words: who said or did what, when, and about what."""

from __future__ import annotations

from idle_quarry.errors import QuarryError
from idle_quarry.library import Remark, StoredTemplate
from idle_quarry.library.reviewing import ACTS
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.settings import label_of


def place_words(stored: StoredTemplate, place: str) -> str:
    """Return the place of a comment in words; a place that this revision has not is said as it was written."""
    kind, _, rest = place.partition(" ")
    try:
        if kind == "setting":
            return label_of(stored.template, rest)
        stations = {station.id: station.name for station in evaluate(stored.template, remedies=False).stations}
        if kind == "station":
            return stations[rest]
        if kind == "link":
            source, target = rest.split(" ")
            return f"{stations[source]} → {stations[target]}"
    except (KeyError, ValueError, QuarryError):
        return rest
    return place


def remark_words(stored: StoredTemplate, remark: Remark) -> str:
    """Return a remark as it is listed: who, when, what, and about what."""
    text = (
        "" if remark.act == "comment" else f" {ACTS[remark.act].participle}" if remark.act in ACTS else f" {remark.act}"
    )
    about = f" on {place_words(stored, remark.place)}" if remark.place else ""
    head = f"{remark.person}, {remark.time[:10]}: revision {remark.number}{text}{about}"
    return f"{head}\n{remark.note}" if remark.note else head

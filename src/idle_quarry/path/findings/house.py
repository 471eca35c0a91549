"""Findings about the house's own entries: what the template carries is not what the house has now."""

from __future__ import annotations

from collections.abc import Iterator

from idle_quarry.path.beginning.delivering import delivered
from idle_quarry.path.entries import Entry, facts_of
from idle_quarry.path.evaluation import Evaluation, Finding
from idle_quarry.path.findings.common import remedy
from idle_quarry.path.template_parts import Delivery

_MOST_TOLD = 3


def find(e: Evaluation) -> Iterator[Finding]:
    """Yield where the house has other entries than the template carries."""
    for copy in e.template.house:
        now = e.house.now(copy.uid)
        if now is None or now.id == copy.id:
            continue
        places = list(_places_of(e, copy.id))
        text = f"{copy.name} is otherwise in the house now: {changes_in_words(copy, now)}."
        edits: list[tuple[str, object]] = [(place, now.id) for place, _ in places if not place.endswith(".standard")]
        edits += [(f"deliveries.{d.id}", _remade(d, now, e)) for d in e.template.deliveries if d.standard == copy.id]
        cure = remedy(f"Use {now.name} as it is now", *edits)
        yield Finding("caution", "entry_newer", places[0][1] if places else "template", text, cure if places else None)


def _remade(d: Delivery, now: Entry, e: Evaluation) -> Delivery:
    """Return a delivery as its spec has it now; its name and how it is converted stay."""
    delivery = delivered(now.id, name=d.name, ident=d.id, rate_of=e.template.working.format)
    return delivery.model_copy(update={"policy": d.policy})


def _places_of(e: Evaluation, ident: str) -> Iterator[tuple[str, str]]:
    """Yield each place that names an entry, with the station it belongs to."""
    t = e.template
    named = [("intermediate.codec", "intermediate", t.intermediate.codec), ("sound.layout", "sound", t.sound.layout)]
    if t.proxy is not None:
        named.append(("proxy.codec", "proxy", t.proxy.codec))
    if t.monitor is not None:
        named.append(("monitor.monitor", "monitor", t.monitor.monitor))
    for d in t.deliveries:
        place, where = f"deliveries.{d.id}", f"delivery:{d.id}"
        named += [(f"{place}.codec", where, d.codec), (f"{place}.layout", where, d.layout)]
        named.append((f"{place}.programme", where, d.programme))
        named.append((f"{place}.standard", where, d.standard or ""))
    yield from ((place, where) for place, where, value in named if value == ident)


#: What members of lists are called.
_MEMBERS = {"accepts": "input", "channels": "channel", "items": "item", "clauses": "clause", "table": "rate"}


def changes_in_words(before: Entry, now: Entry) -> str:
    """Return what differs between two states of an entry, the first few things and how many more."""
    a, b = facts_of(before), facts_of(now)
    lines = []
    for place in dict.fromkeys([*a, *b]):
        if a.get(place) == b.get(place) or place == "source":
            continue
        if place not in a:
            lines.append(f"{_label(place)} is new ({_value_words(b[place])})")
        elif place not in b:
            lines.append(f"{_label(place)} is gone ({_value_words(a[place])})")
        else:
            lines.append(f"{_label(place)} {_value_words(a[place])} → {_value_words(b[place])}")
    more = len(lines) - _MOST_TOLD
    text = "; ".join(lines[:_MOST_TOLD]) + (f"; and {more} more" if more > 0 else "")
    return text or f"its figures come from elsewhere: {now.source}"


def _label(place: str) -> str:
    first, _, rest = place.partition(".")
    return f"{_MEMBERS[first]} {rest}" if first in _MEMBERS else place.replace("_", " ").replace(".", " ")


def _value_words(value: object) -> str:
    if value is None or value == "" or value == []:
        return "nothing"
    return ", ".join(map(str, value)) if isinstance(value, list) else str(value)

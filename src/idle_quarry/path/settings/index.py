"""Every setting of a template in order, and their names for people."""

from __future__ import annotations

from collections.abc import Iterator

from idle_quarry.errors import QuarryError
from idle_quarry.path.edits import value_at
from idle_quarry.path.registry import territories
from idle_quarry.path.settings.formats import format_settings, policy_settings
from idle_quarry.path.settings.plans import places_settings, sound_settings, timecode_settings
from idle_quarry.path.settings.setting import (
    Setting,
    any_text,
    number,
    one_of,
)
from idle_quarry.path.settings.stations import delivery_settings, intermediate_settings, monitor_settings
from idle_quarry.path.template import Template


def settings_of(template: Template) -> list[Setting]:
    """Return every setting of a template, in the order one types them into a system."""
    return list(_all(template))


def settings_on(template: Template, sheet: str) -> list[Setting]:
    """Return the settings of one sheet."""
    return [setting for setting in _all(template) if setting.sheet == sheet]


def _all(t: Template) -> Iterator[Setting]:
    yield from programme_settings(t)
    for source in t.sources:
        sheet, place = f"source:{source.id}", f"sources.{source.id}"
        yield Setting(f"{place}.name", sheet, "Name", source.name, "what the house calls it", any_text)
        yield Setting(f"{place}.share", sheet, "Share", f"{source.share:g}", "% of the programme", number(0, 100, "%"))
        yield from format_settings(f"{place}.format", sheet, source.format)
        yield from policy_settings(f"{place}.policy", sheet, source.policy)
    yield Setting("working.name", "working", "Name", t.working.name, "what is made here", any_text)
    yield from format_settings("working.format", "working", t.working.format, locked=True)
    yield from intermediate_settings(t)
    yield from monitor_settings(t)
    for delivery in t.deliveries:
        yield from delivery_settings(t, delivery.id)
    yield from sound_settings(t)
    yield from timecode_settings(t)
    yield from places_settings(t)


def programme_settings(t: Template) -> Iterator[Setting]:
    """Yield the settings of the template itself."""
    own = territories()[t.territory]
    yield Setting("name", "template", "Name", t.name, "as it stands on the shelf", any_text)
    yield Setting("note", "template", "Note", t.note, "for whoever opens it next", any_text)
    yield Setting(
        "territory",
        "template",
        "Territory",
        t.territory,
        f"programmes start at {own.start}; loudness by {own.loudness}",
        one_of({name: name for name in territories()}, "territory"),
        tuple(territories()),
        free=False,
    )
    yield Setting(
        "title_language",
        "template",
        "Title language",
        t.title_language,
        "language of titles and graphics (BCP 47)",
        any_text,
        ("en", "de", "fr", "es", "it", "cy", "ga"),
    )


def label_of(template: Template, place: str) -> str:
    """Return a place in words a person knows: "Estuary cameras · Frame rate"."""
    sheet_names = {"working": "Working", "intermediate": "Intermediate", "proxy": "Proxy", "monitor": "Monitor"}
    for setting in _all(template):
        if setting.place == place and setting.label not in ("Picture aspect",):
            head = setting.sheet
            if ":" in head or head == "places":
                owner = value_at(template, ".".join(place.split(".")[:2]))
                head = owner.name
            return f"{sheet_names.get(head, head[:1].upper() + head[1:])} · {setting.label}"
    words = [part.replace("_", " ") for part in place.split(".")]
    try:
        value = value_at(template, place)
        if getattr(value, "name", None):
            return f"{words[0].capitalize()} · {value.name}"
    except QuarryError:
        pass
    return " · ".join(words).capitalize()

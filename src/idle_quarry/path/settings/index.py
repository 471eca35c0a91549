"""Every setting of a template in order, and their names for people."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import lru_cache

from idle_quarry.errors import QuarryError
from idle_quarry.path.changes.edits import Edit, edited, value_at
from idle_quarry.path.entries.naming import FIELDS, made_name
from idle_quarry.path.eyes import Eyes
from idle_quarry.path.house_entries import NO_HOUSE, HouseEntries
from idle_quarry.path.registry import deliveries, territories
from idle_quarry.path.settings.declared import programme_captions, working_declared
from idle_quarry.path.settings.eyes import eyes_setting
from idle_quarry.path.settings.formats import exception_settings, format_settings, policy_settings
from idle_quarry.path.settings.inputs import recording_settings
from idle_quarry.path.settings.offered import offering
from idle_quarry.path.settings.plans import places_settings, sound_settings, timecode_settings
from idle_quarry.path.settings.pulldown import pulldown_setting
from idle_quarry.path.settings.setting import (
    Setting,
    any_text,
    named,
    number,
    one_of,
)
from idle_quarry.path.settings.stations import (
    delivery_settings,
    intermediate_settings,
    monitor_settings,
    proxy_settings,
)
from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import Proxy, RecordingInput, Source, StoragePlace

#: What the sheets are called that belong to no source and no delivery.
SHEET_NAMES = {
    "template": "Template",
    "working": "Working picture",
    "intermediate": "Intermediate",
    "proxy": "Proxy",
    "monitor": "Monitor",
    "sound": "Sound",
    "timecode": "Timecode",
    "recording": "Recording",
    "places": "Places",
}


def sheet_name(template: Template, sheet: str) -> str:
    """Return what a sheet is called: "Working picture", "Source: Estuary cameras".

    Raises `QuarryError` for none of its own.
    """
    kind, _, ident = sheet.partition(":")
    return f"{kind.capitalize()}: {value_at(template, f'{_LISTS[kind]}.{ident}').name}" if ident else SHEET_NAMES[sheet]


_LISTS = {"source": "sources", "delivery": "deliveries"}


def settings_of(template: Template, house: HouseEntries = NO_HOUSE) -> list[Setting]:
    """Return every setting of a template, in the order one types them into a system."""
    return [setting for sheet in sheets(template) for setting in settings_on(template, sheet, house)]


def sheets(t: Template) -> list[str]:
    """Return the sheets of a template, in the order of its settings; a place's settings are on one sheet."""
    sources, outs = [f"source:{s.id}" for s in t.sources], [f"delivery:{d.id}" for d in t.deliveries]
    return [
        "template",
        *sources,
        "working",
        "intermediate",
        "proxy",
        "monitor",
        *outs,
        "sound",
        "timecode",
        "recording",
        "places",
    ]


def settings_on(template: Template, sheet: str, house: HouseEntries = NO_HOUSE) -> list[Setting]:
    """Return the settings of one sheet; none for a sheet the template does not have.

    What a house has is offered in them.
    """
    return [offering(setting, template, house) for setting in _settings_on(template, sheet)]


def _settings_on(template: Template, sheet: str) -> Iterator[Setting]:
    kind, _, ident = sheet.partition(":")
    if kind == "source":
        for source in template.sources:
            if source.id == ident:
                yield from source_settings(source, template.working.eyes)
    elif kind == "delivery":
        if any(delivery.id == ident for delivery in template.deliveries):
            yield from delivery_settings(template, ident)
    elif sheet in _SHEETS:
        yield from _SHEETS[sheet](template)


def source_settings(source: Source, working: Eyes = "one") -> Iterator[Setting]:
    """Yield the settings of one source."""
    sheet, place = f"source:{source.id}", f"sources.{source.id}"
    yield Setting(f"{place}.name", sheet, "Name", source.name, "what the house calls it", any_text)
    yield Setting(f"{place}.share", sheet, "Share", f"{source.share:g}", "% of the programme", number(0, 100, "%"))
    yield from format_settings(f"{place}.format", sheet, source.format)
    yield from pulldown_setting(place, sheet, source.format, source.cadence, chosen=True)
    yield from eyes_setting(place, sheet, source.eyes, working)
    yield from policy_settings(f"{place}.policy", sheet, source.policy)
    for exception in source.exceptions:
        yield from exception_settings(f"{place}.exceptions.{exception.id}", sheet, exception)


def working_settings(t: Template) -> Iterator[Setting]:
    """Yield the settings of the working picture."""
    yield Setting("working.name", "working", "Name", t.working.name, "what is made here", any_text)
    yield from format_settings("working.format", "working", t.working.format, locked=True)
    yield from working_declared(t)


def programme_settings(t: Template) -> Iterator[Setting]:
    """Yield the settings of the template itself."""
    own, known = territories()[t.territory], territories().values()
    yield Setting("name", "template", "Name", t.name, "as it stands on the shelf", any_text)
    yield Setting("note", "template", "Note", t.note, "for whoever opens it next", any_text)
    yield Setting(
        "territory",
        "template",
        "Territory",
        t.territory,
        f"{f'{own.called} countries; ' if own.called else ''}programmes start at {own.start}; loudness by"
        f" {own.loudness}",
        one_of({t.id: t.id for t in known} | {t.called: t.id for t in known if t.called}, "territory"),
        tuple(territories()),
        free=False,
    )
    yield Setting(
        "title_language",
        "template",
        "Title language",
        t.title_language,
        "language of titles and graphics: its code, such as en, de or en-GB",
        any_text,
        ("en", "de", "fr", "es", "it", "cy", "ga"),
    )
    yield programme_captions(t)
    example = made_name(t.job_name, FIELDS) if t.job_name else "a job's folder is called as the job is"
    yield Setting(
        "job_name",
        "template",
        "Folder of a job",
        t.job_name,
        example,
        any_text,
        explained="A rule with fields in braces: {title}, {date}, {format}, {language}.",
    )
    cubes = {"None": 0, "17 points": 17, "33 points": 33, "65 points": 65}
    yield Setting(
        "carried_colour",
        "template",
        "Colour to carry",
        named(cubes, t.carried_colour),
        (
            "jobs have cubes and an OpenColorIO config of every link that changes colour"
            if t.carried_colour
            else "jobs carry no cubes"
        ),
        one_of(cubes, "size"),
        tuple(cubes),
        free=False,
        explained=(
            "For monitors and other programs: more points follow a curve more closely; the setup in the job says how"
            " closely, in codes."
        ),
    )


_SHEETS: dict[str, Callable[[Template], Iterator[Setting]]] = {
    "template": programme_settings,
    "working": working_settings,
    "intermediate": intermediate_settings,
    "proxy": proxy_settings,
    "monitor": monitor_settings,
    "sound": sound_settings,
    "timecode": timecode_settings,
    "recording": recording_settings,
    "places": places_settings,
}


def _sheet_of(place: str) -> str:
    """Return the sheet on which a place's setting is, if it has one."""
    first, _, rest = place.partition(".")
    kind = next((kind for kind, part in _LISTS.items() if part == first), None)
    if kind is not None:
        return f"{kind}:{rest.partition('.')[0]}"
    return {"line_up": "timecode", "inputs": "recording"}.get(first) or (first if first in SHEET_NAMES else "template")


def setting_at(template: Template, place: str) -> Setting | None:
    """Return the setting at a place, or None where the template has none there."""
    result = next((setting for setting in _settings_on(template, _sheet_of(place)) if setting.place == place), None)
    return offering(result, template, NO_HOUSE) if result is not None else None


def label_of(template: Template, place: str) -> str:
    """Return a place in words a person knows: "Estuary cameras · Frame rate"."""
    for setting in settings_on(template, _sheet_of(place)):
        if setting.place == place and setting.label not in ("Picture aspect",):
            owned = ":" in setting.sheet or setting.sheet in ("places", "recording")
            head = value_at(template, ".".join(place.split(".")[:2])).name if owned else SHEET_NAMES[setting.sheet]
            return f"{head} · {setting.label}"
    words = [part.replace("_", " ") for part in place.split(".")]
    try:
        value = value_at(template, place)
        if getattr(value, "name", None):
            return f"{words[0].capitalize()} · {value.name}"
    except QuarryError:
        pass
    return " · ".join(words).capitalize()


#: What the members of a list are called together, by the list.
_TOGETHER = {"sources": "Sources", "deliveries": "Deliveries", "places": "Places", "inputs": "Recording"}


def label_in_all(place: str) -> str:
    """Return a place without a member ("deliveries.codec") in the words of the sheets: "Deliveries · Codec"."""
    first = place.partition(".")[0]
    label = _labels().get(place)
    if label is None:
        return " · ".join(part.replace("_", " ") for part in place.split(".")).capitalize()
    sheet = _sheet_of(place).partition(":")[0]
    head = _TOGETHER.get(first) or SHEET_NAMES.get(sheet, first.capitalize())
    return f"{head} · {label}" if label != head and (first in _TOGETHER or "." in place) else label


@lru_cache(maxsize=1)
def _labels() -> dict[str, str]:
    """Return labels by places without members, of templates that between them have every setting."""
    from idle_quarry.path.beginning.beginnings import from_delivery

    labels: dict[str, str] = {}
    kinds = {(spec.signal.encoding.transfer, spec.signal.scan): ident for ident, spec in deliveries().items()}
    for ident in kinds.values():
        template = from_delivery(ident)
        working, codec = template.working.format, template.intermediate.codec
        template = edited(
            template,
            Edit("sources.any", Source(id="any", name="Any", format=working)),
            Edit("proxy", Proxy()),
            Edit("places.any", StoragePlace(id="any", name="Any", purpose="work")),
            Edit("inputs.any", RecordingInput(id="any", name="Any", format=working, interface="HD", codec=codec)),
        )
        for setting in settings_of(template):
            first, _, rest = setting.place.partition(".")
            place = f"{first}.{rest.partition('.')[2]}" if first in _TOGETHER else setting.place
            labels.setdefault(place, setting.label)
    return labels

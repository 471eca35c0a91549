"""What a template's standards would say in each of its settings, and where the template says otherwise."""

from __future__ import annotations

from dataclasses import dataclass

from idle_quarry.path.beginning.beginnings import from_working
from idle_quarry.path.beginning.delivering import delivered
from idle_quarry.path.policies import Policy
from idle_quarry.path.registry import deliveries
from idle_quarry.path.settings import Setting, settings_of
from idle_quarry.path.template import Template
from idle_quarry.signal.catalogue import nearest_standard

#: Names and places are a house's own; a whole format is said again by its parts.
_OWN = {"Name", "Note", "Territory", "Title language", "Share", "Format", "Signal sent", "Picture aspect", "Kept at"}


@dataclass(frozen=True)
class Deviation:
    """A setting that is not as its standard has it; `standard` is what it would be."""

    setting: Setting
    standard: str


def with_standard_values(template: Template) -> Template:
    """Return `template` with every format the nearest standard's, every policy the default, all else its
    territory's.
    """
    working = nearest_standard(template.working.format).format
    sources = tuple(
        source.model_copy(update={"format": nearest_standard(source.format).format, "policy": Policy()})
        for source in template.sources
    )
    outs = tuple(
        delivered(str(out.standard), name=out.name, ident=out.id, rate_of=working)
        for out in template.deliveries
        if out.standard in deliveries()
    )
    plays = next((place.plays_mb_s for place in template.places if place.purpose == "cache"), None)
    started = from_working(template.name, working, sources, outs, plays_mb_s=plays)
    monitor = template.monitor
    if monitor is not None:
        monitor = monitor.model_copy(update={"format": nearest_standard(monitor.format).format, "policy": Policy()})
    return started.model_copy(update={"monitor": monitor, "places": template.places, "proxy": template.proxy})


def otherwise(template: Template) -> list[Deviation]:
    """Return the settings of `template` that its standards would have otherwise, in the order of the settings."""
    standard = {(s.place, s.label): s.text for s in settings_of(with_standard_values(template))}
    deviations = []
    for setting in settings_of(template):
        if setting.label in _OWN or setting.sheet == "places":
            continue
        known = standard.get((setting.place, setting.label))
        if known is not None and known != setting.text:
            deviations.append(Deviation(setting, known))
    return deviations

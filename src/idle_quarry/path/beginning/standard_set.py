"""The set a house starts with: a template for each standard delivery it makes, and one that makes several of a
territory.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence

from idle_quarry.path.beginning.beginnings import from_delivery, from_working
from idle_quarry.path.beginning.delivering import delivered
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.codecs import mbps
from idle_quarry.path.registry import DeliverySpec, codecs, deliveries, territories
from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import StoragePlace


def lines_of(delivery: DeliverySpec) -> int:
    """Return the lines of a delivery's raster, those that carry picture in a 525-line system counted as 480."""
    height = delivery.signal.raster.height
    return 480 if height == 486 else height


def offered(wanted: Collection[str], lines: Collection[int]) -> list[DeliverySpec]:
    """Return the standard deliveries of some territories in some rasters, in the order they are listed."""
    return [
        delivery for delivery in deliveries().values() if delivery.territory in wanted and lines_of(delivery) in lines
    ]


def starter_set(chosen: Sequence[str], places: tuple[StoragePlace, ...]) -> list[Template]:
    """Return the standard templates for the chosen deliveries (ids), with work kept in `places`.

    One for each delivery; and for each territory of which several are chosen one that works in the greatest of them and
    delivers them all. A delivery that follows the programme's rate goes with the first that sets one.
    """
    known = deliveries()
    plays = next((place.plays_mb_s for place in places if place.purpose == "cache"), None)
    templates = []
    leading = next((known[name].signal for name in chosen if not known[name].follows_rate), None)
    for ident in chosen:
        template = from_delivery(ident, plays)
        if known[ident].follows_rate and leading is not None:
            out = delivered(ident, rate_of=leading)
            working = out.format.with_encoding(bit_depth=10, sampling="4:2:2")
            template = from_working(known[ident].name, working, (), (out,), plays_mb_s=plays)
        templates.append(_named(template, known[ident].name, known[ident].source, places))
    for territory in territories():
        several = [name for name in chosen if known[name].territory == territory and not known[name].follows_rate]
        if len(several) < 2:
            continue
        largest = max(several, key=lambda name: known[name].signal.raster.height * known[name].signal.rate)
        base = from_delivery(largest, plays)
        outs = tuple(delivered(name, rate_of=base.working.format) for name in several)
        whole = from_working("All deliveries", base.working.format, (), outs, plays_mb_s=plays)
        names = ", ".join(known[name].name for name in several)
        templates.append(_named(whole, f"{territories()[territory].name}: all deliveries", f"Delivers {names}", places))
    return templates


def _named(template: Template, name: str, note: str, places: tuple[StoragePlace, ...]) -> Template:
    # which monitors the house has is nothing that a standard says
    return edited(template, Edit("name", name[:120]), Edit("note", note), Edit("places", places), Edit("monitor", None))


def needed_mb_s(templates: Sequence[Template]) -> float:
    """Return the greatest rate at which one stream of any of the templates' renders is read, MB/s."""
    rates = [mbps(codecs()[template.intermediate.codec], template.intermediate_format) / 8 for template in templates]
    return max(rates, default=0.0)

"""Findings about fields: made, taken apart, swapped, or never there."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from idle_quarry.path.codecs import holding
from idle_quarry.path.evaluation import Evaluation, Finding, Remedy
from idle_quarry.path.findings.common import joined, remedy
from idle_quarry.path.registry import codecs
from idle_quarry.path.steps import ScanMethod, ScanStep
from idle_quarry.path.steps.pulldown import cadences_in, pictures_of
from idle_quarry.signal.formats import ORDER_WORDS, standard_field_order
from idle_quarry.signal.rates import rate_text
from idle_quarry.signal.words import format_words

_CADENCED = (ScanMethod.TAKEN_OUT, ScanMethod.PUT_IN)


def _pulldowns(e: Evaluation) -> Iterator[Finding]:
    """Cadences that cannot run in their station's format, and pictures that are not those of the programme."""
    stations = [(f"sources.{s.id}", f"source:{s.id}", s.name, s.format, s.cadence) for s in e.template.sources]
    stations += [(f"deliveries.{d.id}", f"delivery:{d.id}", d.name, d.format, d.cadence) for d in e.template.deliveries]
    for place, where, name, fmt, cadence in stations:
        if not cadence:
            continue
        pictures = pictures_of(fmt, cadence)
        if pictures is None:
            able = cadences_in(fmt)
            text = f"{name}: a pulldown of {cadence} cannot run in {format_words(fmt)}."
            cure = remedy(
                f"{able[0].id} instead" if able else "No pulldown",
                (f"{place}.pulldown", able[0].id if able else "none"),
            )
            yield Finding("stop", "pulldown_impossible", where, text, cure)
        elif rate_text(pictures.rate) not in _PICTURE_RATES:
            text = (
                f"{name}: without {cadence} it would be {rate_text(pictures.rate)} pictures a second, which nobody"
                " shoots."
            )
            yield Finding(
                "caution", "pulldown_unlikely", where, text, remedy("No pulldown", (f"{place}.pulldown", "none"))
            )


#: Frame rates at which pictures are shot that are then spread.
_PICTURE_RATES = ("23.976", "24", "25", "29.97", "30")


def find(e: Evaluation) -> Iterator[Finding]:
    """Yield what is wrong with fields and their order."""
    working = e.template.working.format
    fielded = [d for d in e.template.deliveries if d.format.scan == "interlaced"]
    yield from _pulldowns(e)
    for joint in joined(e):
        step = next((s for s in joint.link.steps if isinstance(s, ScanStep) and s.method not in _CADENCED), None)
        source, target = joint.source.format, joint.target.format
        if step is None or joint.own.kind in ("intermediate", "proxy", "monitor"):
            continue
        there_and_back = joint.own.kind == "source" and working.scan != "interlaced" and fielded
        if step.grade == "broken":
            by_motion = remedy("Deinterlace by motion", (f"{joint.own.place}.policy.scan", "adaptive"))
            yield Finding("stop", "fields_left_woven", joint.own.id, f"{joint.own.name}: {step.text}.", by_motion)
        elif there_and_back and source.scan == "interlaced":
            text = (
                f"{joint.own.name} is interlaced, the programme is not, and {fielded[0].name} is again: "
                "its fields are merged into pictures, then split again."
            )
            ways: list[Remedy] = []
            if working.raster.height == fielded[0].format.raster.height:
                fmt = fielded[0].format
                edits = [("working.format.rate", fmt.rate), ("working.format.scan", "interlaced")]
                edits += [("working.format.field_order", fmt.field_order)]
                ways.append(remedy("Work interlaced", *edits))
                woven = replace(working, rate=fmt.rate, scan="interlaced", field_order=fmt.field_order)
                able = [codec for codec in holding(woven) if codec.quality == "intermediate"]
                ways += [
                    remedy(f"Work interlaced, in {c.name}", *edits, ("intermediate.codec", c.id)) for c in able[:2]
                ]
            yield Finding(
                "caution", "fields_there_and_back", joint.own.id, text, next(iter(ways), None), others=tuple(ways[1:])
            )
        elif source.scan == "interlaced" and target.scan != "interlaced":
            yield Finding("caution", "deinterlaced", joint.own.id, f"{joint.own.name}: {step.text}.")
        elif step.method is ScanMethod.FIELDS_FROM_PICTURES:
            yield Finding("note", "interlaced_from_pictures", joint.own.id, f"{joint.own.name}: {step.text}.")
        elif source.scan == "psf" and target.scan == "interlaced":
            text = (
                f"{joint.own.name} is PsF: whole pictures that travel as two segments. In an interlaced programme "
                "anything that deinterlaces it would halve its vertical sharpness needlessly."
            )
            only = {s.format.scan for s in e.template.sources} <= {"psf", "progressive"}
            cure = (
                remedy("Work in PsF", ("working.format.scan", "psf")) if joint.own.kind == "source" and only else None
            )
            yield Finding("caution", "psf_as_interlaced", joint.own.id, text, cure)
        elif step.method is ScanMethod.PICTURES_AS_FIELDS and joint.own.kind == "delivery":
            text = (
                f"{joint.own.name} is interlaced, but its pictures are whole: motion stays {rate_text(source.rate)} a"
                " second."
            )
            yield Finding("note", "pictures_as_fields", joint.own.id, text)
        if step.field_order_changes:
            text = (
                f"{joint.own.name}: {ORDER_WORDS[source.field_order or 'top']} becomes"
                f" {ORDER_WORDS[target.field_order or 'top']} ({step.method_words}). Copied line for line, movement"
                " would judder."
            )
            yield Finding("caution", "field_order_swap", joint.own.id, text)
    for station in e.stations:
        order = station.format.field_order
        if station.kind in ("working", "delivery", "source") and order and station.format.scan == "interlaced":
            standard = standard_field_order(station.format.raster)
            codec = station.codec or (codecs()[e.template.intermediate.codec] if station.kind == "working" else None)
            if codec is not None and codec.holds.field_order == order:
                continue  # DV is always lower field first
            dv = station.kind == "source" and order == "bottom" and station.format.raster.height == 576
            if dv:
                text = (
                    f"{station.name} is {ORDER_WORDS[order]}, as DV is; other formats of 576 lines are"
                    f" {ORDER_WORDS[standard]}."
                )
                yield Finding("note", "field_order_unusual", station.id, text)
            elif order != standard:
                text = (
                    f"{station.name} is {ORDER_WORDS[order]}; the standard of {station.format.raster.height} lines is "
                    f"{ORDER_WORDS[standard]}."
                )
                cure = remedy(ORDER_WORDS[standard].capitalize(), (f"{station.place}.format.field_order", standard))
                if station.kind == "source":  # what the tape holds is a fact, not a choice
                    yield Finding("note", "field_order_unusual", station.id, text)
                else:
                    yield Finding("caution", "field_order_unusual", station.id, text, cure)

"""Findings about recording inputs: what cannot be held, carried or kept, and what no source is like."""

from __future__ import annotations

from collections.abc import Iterator

from idle_quarry.path.codecs import cannot_hold, holding, mbps
from idle_quarry.path.evaluation import Evaluation, Finding
from idle_quarry.path.findings.common import remedy
from idle_quarry.path.findings.places import on_system_disk
from idle_quarry.path.registry import codecs
from idle_quarry.signal.interfaces import INTERFACES, carriage
from idle_quarry.signal.words import format_words


def find(e: Evaluation) -> Iterator[Finding]:
    """Yield what is wrong with what is recorded."""
    t = e.template
    for recording in t.inputs:
        place, codec = f"inputs.{recording.id}", codecs()[recording.codec]
        why = cannot_hold(codec, recording.format)
        if why:
            able = [c for c in holding(recording.format) if c.quality == "intermediate"] or holding(recording.format)
            cure = remedy(f"Record in {able[0].name}", (f"{place}.codec", able[0].id)) if able else None
            yield Finding(
                "stop",
                "input_not_held",
                "recording",
                f"{recording.name}: {codec.name} cannot hold {format_words(recording.format)}: {why[0]}.",
                cure,
            )
        travels = carriage(recording.format)
        if travels is None:
            text = f"{recording.name}: no serial interface carries {format_words(recording.format)}."
            yield Finding("stop", "input_not_carried", "recording", text)
        elif INTERFACES.index(travels.interface) > INTERFACES.index(recording.interface):
            text = (
                f"{recording.name} is {recording.interface}, its signal needs {travels.interface}: nothing would"
                " arrive."
            )
            yield Finding(
                "stop",
                "input_too_narrow",
                "recording",
                text,
                remedy(f"Use {travels.interface}", (f"{place}.interface", travels.interface)),
            )
        there = next((p for p in t.places if p.id == recording.place), None)
        if there is not None and (
            there.disk == "system" or (there.disk == "not known" and there.path and on_system_disk(there.path))
        ):
            other = next((p for p in t.places if p.disk in ("external", "internal") and p.id != there.id), None)
            cure = remedy(f"Record to {other.name}", (f"{place}.place", other.id)) if other else None
            yield Finding(
                "caution",
                "input_on_system_disk",
                "recording",
                f"{recording.name} is recorded to {there.name}, on the system disk.",
                cure,
            )
        elif (
            there is not None
            and not why
            and (plays := e.plays(there)) is not None
            and mbps(codec, recording.format) / 8 > plays
        ):
            text = (
                f"{recording.name} makes {mbps(codec, recording.format) / 8:.0f} MB/s, {there.name} takes {plays:g}:"
                " pictures would be dropped."
            )
            yield Finding("stop", "input_too_fast", "recording", text)
        if t.sources and not any(source.format == recording.format for source in t.sources):
            text = f"{recording.name} brings {format_words(recording.format)}, which is no source of this template."
            yield Finding("note", "input_no_source", "recording", text)

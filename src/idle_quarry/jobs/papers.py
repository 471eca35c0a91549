"""The papers of a job as HTML: the setup sheet with every setting, the camera sheet for a crew.

The title of a page is what stands at the foot of each of its sheets of paper.
"""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from typing import Any

import jinja2

from idle_quarry.jobs.drawings import frame_drawing, strip_drawing
from idle_quarry.library.records import StoredTemplate
from idle_quarry.path.beginning.standard_values import otherwise
from idle_quarry.path.evaluation import Evaluation
from idle_quarry.path.findings.sound import db
from idle_quarry.path.settings import Setting, settings_of, sheet_name
from idle_quarry.path.template import Template
from idle_quarry.signal.colour import PRIMARIES, TRANSFERS
from idle_quarry.signal.formats import ORDER_WORDS
from idle_quarry.signal.rates import is_pulled, rate_text
from idle_quarry.signal.timecode import start_timecode
from idle_quarry.signal.words import format_words

#: Width of a drawing on paper, in the units of a page: 190 mm.
_PAGE_WIDTH = 716
#: The order one types settings in: rate and raster first, since systems lock them first.
_ORDER = ("template", "working", "timecode", "sound", "intermediate", "proxy", "monitor", "recording", "places")


@dataclass(frozen=True)
class Group:
    """Settings under one heading."""

    name: str
    rows: tuple[Setting, ...]


def _environment() -> jinja2.Environment:
    return jinja2.Environment(
        loader=jinja2.PackageLoader("idle_quarry.jobs", "papers_html"),
        autoescape=True,
        undefined=jinja2.StrictUndefined,
    )


def _groups(template: Template) -> list[Group]:
    by_sheet: dict[str, list[Setting]] = {}
    for setting in settings_of(template):
        by_sheet.setdefault(setting.sheet, []).append(setting)
    order = [
        *_ORDER[:5],
        *(s for s in by_sheet if s.startswith("source:")),
        *_ORDER[5:],
        *(s for s in by_sheet if s.startswith("delivery:")),
    ]
    return [Group(sheet_name(template, s), tuple(by_sheet[s])) for s in order if s in by_sheet]


def _foot(kind: str, title: str, stored: StoredTemplate) -> str:
    return f"{title} · {kind} · {stored.template.name}, revision {stored.revision.number}"


def _drawn(drawing: tuple[str, float]) -> dict[str, Any]:
    uri, height = drawing
    return {"uri": uri, "width": _PAGE_WIDTH, "height": round(_PAGE_WIDTH * height)}


def setup_sheet(stored: StoredTemplate, title: str, evaluation: Evaluation) -> str:
    """Return the setup sheet of a revision and its evaluation as HTML.

    The path to scale; what cannot change once a timeline exists, with why; what is otherwise than its standard; what is
    known; then every setting in a small table, in the order one types them.
    """
    template = stored.template
    timelines: list[dict[str, Any]] = [
        {"name": t.name, "canvas": template.canvas(t).size_text, "tracks": t.tracks} for t in template.timelines
    ]
    start = start_timecode(template.timecode.start, template.timecode.drop, template.working.format.rate)
    groups = _groups(template)
    heads = {row.place: group.name for group in groups for row in group.rows}
    return (
        _environment()
        .get_template("setup.html")
        .render(
            title=title,
            foot=_foot("setup sheet", title, stored),
            template=template,
            revision=stored.revision,
            strip=_drawn(strip_drawing(evaluation)),
            groups=groups,
            heads=heads,
            timelines=timelines,
            start=str(start),
            locked=[row for group in groups for row in group.rows if row.locked],
            otherwise=otherwise(template),
            findings=evaluation.findings,
        )
    )


@lru_cache(maxsize=1)
def _menus() -> dict[str, dict[str, str]]:
    return tomllib.loads(files("idle_quarry.jobs").joinpath("camera_menus.toml").read_text(encoding="utf-8"))


def camera_sheet(stored: StoredTemplate, title: str, evaluation: Evaluation) -> str:
    """Return the camera sheet of a revision and its evaluation as HTML: one page with what a crew has to set, and
    the frame with its safe areas.
    """
    template = stored.template
    fmt, sound = template.working.format, template.sound
    e, menus, rate = fmt.encoding, _menus(), rate_text(fmt.rate)
    fields = fmt.scan == "interlaced"
    rate_note = (
        f"exactly {fmt.rate.numerator}/{fmt.rate.denominator}, not {round(fmt.rate)}; " if is_pulled(fmt.rate) else ""
    )
    scan = {"progressive": "Progressive", "interlaced": "Interlaced", "psf": "Progressive (PsF on the cable)"}[fmt.scan]
    order = ORDER_WORDS.get(fmt.field_order or "", "whole pictures")
    drop = template.timecode.drop
    rows = [
        ("Raster", fmt.raster.size_text, menus["raster"].get(fmt.raster.size_text, ""), fmt.raster.name or ""),
        (
            "Frame rate",
            f"{rate} frames/s",
            menus["fields" if fields else "rate"].get(rate, ""),
            rate_note + "slow motion only where asked for",
        ),
        ("Scan", scan, menus["scan"][fmt.scan], order),
        (
            "Colour",
            f"{PRIMARIES[e.primaries].label}, {TRANSFERS[e.transfer][0]}",
            menus["transfer"].get(e.transfer, ""),
            "no look burnt in",
        ),
        (
            "Recording",
            f"{e.bit_depth} bit {e.sampling}",
            f"{e.bit_depth}-bit {menus['sampling'].get(e.sampling, '')}",
            f"{e.range} range, black {e.levels.black}, white {e.levels.white}",
        ),
        (
            "Timecode",
            "drop-frame" if drop else "without drop-frame",
            menus["timecode"]["drop" if drop else "non-drop"] + "; free run",
            "time of day, all cameras alike",
        ),
        (
            "Sound",
            f"{sound.sample_rate / 1000:g} kHz, {sound.bit_depth} bit",
            f"{sound.sample_rate / 1000:g}K, {sound.bit_depth}-bit",
            f"line-up at {db(sound.line_up_dbfs)} dBFS",
        ),
    ]
    links = {link.source: link.grade for link in evaluation.links}
    sources = [
        {"name": s.name, "format": format_words(s.format, fields=True), "grade": links[f"source:{s.id}"]}
        for s in template.sources
    ]
    return (
        _environment()
        .get_template("camera.html")
        .render(
            title=title,
            foot=_foot("camera sheet", title, stored),
            template=template,
            revision=stored.revision,
            rows=rows,
            frame=_drawn(frame_drawing(fmt)),
            sources=sources,
            person=stored.revision.author,
        )
    )

"""The papers of a job as HTML: the setup sheet with every setting, the camera sheet for a crew."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import jinja2

from idle_quarry.library.records import Stored
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.findings.sound import db
from idle_quarry.path.findings.timecode import parsed
from idle_quarry.path.settings import Setting, settings_of
from idle_quarry.path.template import Template
from idle_quarry.signal.colour import PRIMARIES, TRANSFERS
from idle_quarry.signal.rates import is_pulled, rate_text
from idle_quarry.signal.words import format_words

_WHY_LOCKED = {
    "Raster": "timelines and titles are placed by it",
    "Frame rate": "every cut is counted in it",
    "Scan": "fields cannot be told from pictures afterwards",
    "Field order": "fields would change places in time",
    "Start": "every timecode is counted from it",
    "Drop-frame": "numbers already given would change",
}
_SHEETS = {
    "template": "Template", "working": "Working format", "intermediate": "Intermediate", "proxy": "Proxy",
    "monitor": "Monitor", "sound": "Sound", "timecode": "Timecode", "places": "Places",
}  # fmt: skip
#: The order one types settings in: rate and raster first, since systems lock them first.
_ORDER = ("template", "working", "timecode", "sound", "intermediate", "proxy", "monitor", "places")


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
    names = {f"source:{s.id}": f"Source: {s.name}" for s in template.sources}
    names |= {f"delivery:{d.id}": f"Delivery: {d.name}" for d in template.deliveries}
    order = [
        *_ORDER[:5],
        *(s for s in by_sheet if s.startswith("source:")),
        *_ORDER[5:],
        *(s for s in by_sheet if s.startswith("delivery:")),
    ]
    return [Group(_SHEETS.get(s) or names[s], tuple(by_sheet[s])) for s in order if s in by_sheet]


def setup_sheet(stored: Stored, title: str) -> str:
    """Return the setup sheet as HTML: every setting, the locked ones marked, with why."""
    template = stored.template
    timelines: list[dict[str, Any]] = [
        {"name": t.name, "canvas": template.canvas(t).size_text, "tracks": t.tracks} for t in template.timelines
    ]
    start = parsed(template.timecode.start, template.timecode.drop, template.working.format.rate)
    return _environment().get_template("setup.html").render(
        title=title, template=template, revision=stored.revision, groups=_groups(template), timelines=timelines,
        start=str(start), why_locked=_WHY_LOCKED, findings=evaluate(template, remedies=False).findings,
    )  # fmt: skip


def camera_sheet(stored: Stored, title: str) -> str:
    """Return the camera sheet as HTML: one page with what a crew has to set."""
    template = stored.template
    fmt, sound = template.working.format, template.sound
    e = fmt.encoding
    rate_note = "not 30: 30000/1001" if rate_text(fmt.rate) == "29.97" else ""
    if is_pulled(fmt.rate) and not rate_note:
        rate_note = f"exactly {fmt.rate.numerator}/{fmt.rate.denominator}"
    if fmt.scan == "interlaced":
        rate_note = f"menus may say {rate_text(fmt.rate * 2)}i: fields are meant"
    scan = {"progressive": "Progressive", "interlaced": "Interlaced", "psf": "Progressive (PsF on the cable)"}[fmt.scan]
    order = {"top": "upper field first", "bottom": "lower field first", None: "whole pictures"}[fmt.field_order]
    rows = [
        ("Raster", fmt.raster.size_text, fmt.raster.name or ""),
        ("Frame rate", f"{rate_text(fmt.rate)} frames/s", rate_note or "no other rate, also not for slow motion without asking"),
        ("Scan", scan, order if fmt.scan == "interlaced" else "whole pictures"),
        ("Colour", PRIMARIES[e.primaries].label, TRANSFERS[e.transfer][0]),
        ("Recording", f"{e.bit_depth} bit {e.sampling}", f"{e.range} range, black {e.levels.black}, white {e.levels.white}"),
        ("Timecode", "drop-frame" if template.timecode.drop else "without drop-frame", "free run, time of day, all cameras alike"),
        ("Sound", f"{sound.sample_rate / 1000:g} kHz, {sound.bit_depth} bit", f"line-up at {db(sound.line_up_dbfs)} dBFS"),
    ]  # fmt: skip
    links = {link.source: link.grade for link in evaluate(template, remedies=False).links}
    sources = [
        {"name": s.name, "format": format_words(s.format, fields=True), "grade": links[f"source:{s.id}"]}
        for s in template.sources
    ]
    return (
        _environment()
        .get_template("camera.html")
        .render(
            title=title,
            template=template,
            revision=stored.revision,
            rows=rows,
            sources=sources,
            person=stored.revision.author,
        )
    )

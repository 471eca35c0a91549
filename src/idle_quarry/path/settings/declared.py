"""The settings of what is said of pictures beside them: captions, active format, protection, HDR figures."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from idle_quarry.errors import NotUnderstood
from idle_quarry.path.entries.delivery import ACTIVE_FORMATS, CAPTIONS
from idle_quarry.path.settings.eyes import working_eyes
from idle_quarry.path.settings.setting import Setting, named, number, one_of, or_nothing
from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import Delivery
from idle_quarry.signal.rasters import PROTECTED, protected_area

_HDR = ("pq", "hlg")
_NONE = "none"
_KEPT_FREE = {"Nothing": "nothing", "14:9": "14:9", "4:3": "4:3"}


def captions_from(text: str) -> tuple[str, ...]:
    """Return forms of captions typed with commas between; none for an empty text. Raises `NotUnderstood`."""
    known = {caption.lower(): caption for caption in CAPTIONS}
    results = []
    for part in text.split(","):
        word = part.strip().lower()
        if word in ("", _NONE):
            continue
        if word not in known:
            raise NotUnderstood(
                "no kind of captions", subject=repr(part.strip()[:30]), remedy="say " + ", ".join(CAPTIONS)
            )
        results.append(known[word])
    return tuple(dict.fromkeys(results))


def programme_captions(t: Template) -> Setting:
    """Return the setting that says which captions are made."""
    return Setting(
        "captions",
        "template",
        "Captions",
        ", ".join(t.captions) or _NONE,
        "which captions or subtitles are made, with commas between",
        captions_from,
        (_NONE, *CAPTIONS),
    )


def working_declared(t: Template) -> Iterator[Setting]:
    """Yield what the programme keeps free inside its picture, and the light it is graded to."""
    shape, raster = t.working.protects, t.working.format.raster
    area = protected_area(raster, shape) if shape in PROTECTED else None
    follows = (
        "titles may lie anywhere in the safe area"
        if area is None
        else f"titles stay inside {area.width} × {area.height} of the middle"
    )
    yield Setting(
        "working.protects",
        "working",
        "Protects",
        named(_KEPT_FREE, shape),
        follows,
        one_of(_KEPT_FREE, "shape"),
        tuple(_KEPT_FREE),
        free=False,
        explained="A narrower shape inside the picture that nothing important leaves, for receivers that show only it.",
    )
    yield working_eyes(t.working.eyes)
    if t.working.format.encoding.transfer in _HDR or t.working.graded_to is not None:
        peak = t.working.graded_to
        yield Setting(
            "working.graded_to",
            "working",
            "Graded to",
            _NONE if peak is None else str(peak),
            _light("the grading monitor's peak", peak),
            or_nothing(number(50, 10000, "cd/m²", whole=True)),
            (_NONE, "600", "1000", "2000", "4000"),
        )


def _light(what: str, value: int | None) -> str:
    return f"{what}: not entered" if value is None else f"cd/m², {what}"


def delivery_declared(place: str, sheet: str, d: Delivery) -> Iterator[Setting]:
    """Yield what a delivery says of its pictures."""
    formats: dict[str, Any] = {_NONE: None} | {active_format: active_format for active_format in ACTIVE_FORMATS}
    yield Setting(
        f"{place}.active_format",
        sheet,
        "Active format",
        d.active_format or _NONE,
        "SMPTE ST 2016-1" if d.active_format else "nothing is declared",
        one_of(formats, "active format"),
        tuple(formats),
        free=False,
    )
    yield Setting(
        f"{place}.captions",
        sheet,
        "Captions",
        ", ".join(d.captions) or _NONE,
        "which forms are handed over, with commas between",
        captions_from,
        (_NONE, *CAPTIONS),
    )
    if d.format.encoding.transfer in _HDR:
        for name, label, value, what in (
            ("max_cll", "MaxCLL", d.max_cll, "at most in any part of a picture"),
            ("max_fall", "MaxFALL", d.max_fall, "at most as the mean of a picture"),
            ("mastering_peak", "Mastering peak", d.mastering_peak, "of the display it was graded on (ST 2086)"),
        ):
            yield Setting(
                f"{place}.{name}",
                sheet,
                label,
                _NONE if value is None else str(value),
                _light(what, value),
                or_nothing(number(1, 10000, "cd/m²", whole=True)),
                (_NONE, "400", "1000", "4000"),
            )

"""Findings about monitoring: what the screen cannot show, and where it differs from the programme."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from functools import lru_cache
from typing import Any, cast

from idle_quarry.path.evaluation import Evaluation, Finding
from idle_quarry.path.findings.common import remedy
from idle_quarry.path.grades import GRADES
from idle_quarry.path.monitoring import response_of
from idle_quarry.path.registry import Door, Monitor, monitors
from idle_quarry.path.steps import plan
from idle_quarry.signal.formats import SignalFormat, standard_field_order
from idle_quarry.signal.interfaces import INTERFACES, carriage
from idle_quarry.signal.rasters import Raster, default_pixel_aspect
from idle_quarry.signal.rates import NAMED_RATES, rate_text
from idle_quarry.signal.words import COLOUR_WORDS, default_encoding, format_words


def refusals(monitor: Monitor, fmt: SignalFormat) -> tuple[str, ...]:
    """Return why the monitor's screen stays black for `fmt`, by the door that comes nearest.

    Empty where it shows it.
    """
    return _refusals(monitor.id, fmt)


@lru_cache(maxsize=4096)
def _refusals(monitor_id: str, fmt: SignalFormat) -> tuple[str, ...]:
    monitor = monitors()[monitor_id]
    item = [_door_refusals(door, fmt) for door in monitor.accepts]
    best = min(item, key=len)
    if best:
        return tuple(best)
    return () if fmt.encoding.range in monitor.ranges else (f"it takes only {' or '.join(monitor.ranges)} range",)


def _door_refusals(door: Door, fmt: SignalFormat) -> list[str]:
    texts: list[str] = []
    if fmt.raster.height not in door.lines or fmt.raster.width not in door.widths:
        texts.append(f"it takes {door.widths[0]} × {' or '.join(str(n) for n in door.lines)}")
    if fmt.scan not in door.scans:
        texts.append("it takes " + " or ".join("PsF" if s == "psf" else s for s in door.scans))
    if rate_text(fmt.rate) not in door.rates:
        texts.append(f"it takes {', '.join(door.rates)} frames a second")
    if fmt.encoding.transfer not in door.transfers:
        texts.append("it shows " + " or ".join({"bt709": "SDR"}.get(t, t.upper()) for t in door.transfers))
    travels = carriage(fmt)
    if not texts and (travels is None or INTERFACES.index(travels.interface) > INTERFACES.index(door.interface)):
        needs = f"needs {travels.interface}" if travels else "travels over no serial interface"
        texts.append(f"its input is {door.interface}, and the signal {needs}")
    return texts


def acceptable_formats(monitor: Monitor, working: SignalFormat) -> list[SignalFormat]:
    """Return what the monitor shows, nearest to `working` first: best grade, then fewest steps, then size."""
    return list(_acceptable(monitor.id, working))


@lru_cache(maxsize=256)
def _acceptable(monitor_id: str, working: SignalFormat) -> tuple[SignalFormat, ...]:
    monitor = monitors()[monitor_id]
    formats: list[SignalFormat] = []
    for door in monitor.accepts:
        for fmt in _of_door(door, working, monitor.ranges):
            if not refusals(monitor, fmt) and fmt not in formats:
                formats.append(fmt)

    def cost(fmt: SignalFormat) -> tuple[int, float, int, int]:
        link = plan(working, fmt)
        rate = abs(float(fmt.moments / working.moments) - 1)
        return (
            GRADES.index(link.grade),
            round(rate, 4),
            len(link.steps),
            abs(fmt.raster.height - working.raster.height),
        )

    return tuple(sorted(formats, key=cost))


def _of_door(door: Door, working: SignalFormat, ranges: tuple[str, ...]) -> Iterator[SignalFormat]:
    for lines in door.lines:
        width = working.raster.width if working.raster.width in door.widths else door.widths[0]
        same = (width, lines) == (working.raster.width, working.raster.height)
        raster = working.raster if same else Raster(width, lines, default_pixel_aspect(width, lines))
        transfer = working.encoding.transfer if working.encoding.transfer in door.transfers else door.transfers[0]
        encoding = default_encoding(raster)
        if transfer != "bt709":
            encoding = replace(encoding, **cast("dict[str, Any]", COLOUR_WORDS[transfer]))
        elif same and working.encoding.primaries != "bt2020":
            encoding = replace(working.encoding, bit_depth=10, sampling="4:2:2")
        best = working.encoding.range if working.encoding.range in ranges else ranges[0]
        encoding = replace(encoding, range=best)
        for scan in door.scans:
            order = None if scan == "progressive" else standard_field_order(raster)
            for name in door.rates:
                yield SignalFormat(raster, Fraction(NAMED_RATES[name]), scan, order, encoding)


def _kept_for_sdi(fmt: SignalFormat) -> tuple[int, int]:
    """Return the lowest and highest code that may travel (BT.1120, BT.656): 4 and 1019 at 10 bits."""
    levels = fmt.encoding.levels
    return levels.reserved, (1 << levels.bits) - 1 - levels.reserved


def find(e: Evaluation) -> Iterator[Finding]:
    """Yield what is wrong with what the monitor is sent."""
    feed = e.template.monitor
    if feed is None:
        return
    monitor = monitors().get(feed.monitor)
    if monitor is None:
        text = f"No monitor is known by the name {feed.monitor!r}."
        yield Finding("stop", "monitor_unknown", "monitor", text)
        return
    why = refusals(monitor, feed.format)
    sent = format_words(feed.format)
    if why:
        options = acceptable_formats(monitor, e.template.working.format)
        cure = None
        if options:
            segmented = replace(feed.format, scan="psf", field_order=standard_field_order(feed.format.raster))
            takes_psf = not refusals(monitor, segmented)  # what was chosen, sent so that the screen takes it
            best = segmented if takes_psf else options[0]
            cure = remedy("Send PsF" if takes_psf else f"Send {format_words(best)}", ("monitor.format", best))
        response = response_of(monitor, feed.format)
        if response.seen is not None and response.notes:  # it locks, and shows something else
            text = f"{monitor.name} is sent {sent}, but {'; '.join(why)}: {'; '.join(response.notes)}."
            yield Finding("stop", "monitor_misread", "monitor", text, cure)
            return
        text = f"{monitor.name} is sent {sent}, but {'; '.join(why)}. The screen would stay black."
        yield Finding("stop", "monitor_black", "monitor", text, cure)
        return
    if feed.format.scan == "psf" and not monitor.tells_psf:
        text = (
            f"{monitor.name} takes PsF for interlaced: it shows whole pictures as if they were two fields, with half"
            " the detail."
        )
        whole = replace(feed.format, scan="progressive", field_order=None)
        cure = (
            remedy(f"Send {format_words(whole)}", ("monitor.format", whole)) if not refusals(monitor, whole) else None
        )
        yield Finding("caution", "psf_shown_as_fields", "monitor", text, cure)
    if feed.format.encoding.range == "full" and carriage(feed.format) is not None:
        low, high = _kept_for_sdi(feed.format)
        text = (
            f"Full range on SDI: codes 0–{low - 1} and {high + 1}–{low + high} belong to the line; black is sent as"
            f" {low}, white as {high}."
        )
        yield Finding("note", "full_range_on_sdi", "monitor", text)
    link = e.link_to("monitor")
    if link is not None and link.steps:
        kinds = ", ".join(
            {"fit": "size", "scan": "scan", "depth": "bits", "sampling": "chroma"}.get(s.kind, s.kind)
            for s in link.steps
        )
        text = f"{monitor.name} is sent {sent}, not the programme itself: it differs in {kinds}."
        nearest = next(iter(acceptable_formats(monitor, e.template.working.format)), None)
        cure = None
        if (
            nearest is not None
            and nearest != feed.format
            and GRADES.index(plan(e.template.working.format, nearest).grade) < GRADES.index(link.grade)
        ):
            cure = remedy(f"Send {format_words(nearest)}", ("monitor.format", nearest))
        yield Finding("caution" if link.grade == "broken" or cure else "note", "monitor_differs", "monitor", text, cure)

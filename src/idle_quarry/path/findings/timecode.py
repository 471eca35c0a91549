"""Findings about timecode: counts that do not exist, starts that disagree."""

from __future__ import annotations

from collections.abc import Iterator

from idle_quarry.errors import QuarryError
from idle_quarry.path.evaluation import Evaluation, Finding, Remedy
from idle_quarry.path.findings.common import CANNOT_SUIT_BOTH, remedy, wanted_by
from idle_quarry.path.registry import line_up_pictures, programme_layouts, territories
from idle_quarry.signal.rates import rate_text
from idle_quarry.signal.timecode import Timecode, can_drop, drift_text, start_timecode
from idle_quarry.signal.words import format_words


def find(e: Evaluation) -> Iterator[Finding]:
    """Yield what is wrong with timecode."""
    t = e.template
    rate, plan = t.working.format.rate, t.timecode
    start: Timecode | None = None
    if plan.drop and not can_drop(rate):
        text = f"There is no drop-frame at {rate_text(rate)}: it exists only at 29.97 and 59.94."
        yield Finding("stop", "drop_frame_impossible", "timecode", text, _count_all("timecode", plan.start))
    else:
        try:
            start = start_timecode(plan.start, plan.drop, rate)
        except QuarryError as error:
            own = territories()[t.territory]
            label, edits = f"Start at {own.start}", (("timecode.start", own.start.replace(";", ":")),)
            yield Finding("stop", "start_not_possible", "timecode", f"Programme start: {error}.", remedy(label, *edits))
    if start is not None and start.seconds < plan.line_up_lead_s and plan.line_up_lead_s:
        text = f"The line-up begins {plan.line_up_lead_s} s before {start}: its timecode is from the day before."
        own_start = territories()[t.territory].start
        leaves_room = f" {own_start} leaves room." if not own_start.startswith("00") else ""
        yield Finding("note", "line_up_before_midnight", "timecode", text + leaves_room)
    if plan.line_up_length_s > plan.line_up_lead_s:
        text = (
            f"The line-up lasts {plan.line_up_length_s} s and begins {plan.line_up_lead_s} s before the programme: it"
            " runs into it."
        )
        cure = None
        if plan.line_up_lead_s:
            cure = remedy(
                f"Line up for {plan.line_up_lead_s} s", ("timecode.line_up_length_s", min(300, plan.line_up_lead_s))
            )
        yield Finding("caution", "line_up_too_long", "timecode", text, cure)
    picture = line_up_pictures().get(t.line_up)
    if picture is not None and not picture.fits(t.intermediate_format):
        result = format_words(t.intermediate_format)
        text = f"{picture.name} are not laid out for {result}: levels on a meter would not be those of the standard."
        yield Finding("caution", "line_up_unfit", "timecode", text, remedy("Line up by format", ("line_up", "")))
    if not plan.drop and can_drop(rate):
        yield Finding(
            "note", "drift_of_count", "timecode", f"Counted without dropping at {rate_text(rate)}: {drift_text(rate)}."
        )
    for d in t.deliveries:
        where, place = f"delivery:{d.id}", f"deliveries.{d.id}"
        if d.drop and not can_drop(d.format.rate):
            text = f"{d.name}: there is no drop-frame at {rate_text(d.format.rate)}."
            yield Finding("stop", "drop_frame_impossible", where, text, _count_all(place, d.start))
            continue
        try:
            theirs = start_timecode(d.start, d.drop, d.format.rate)
        except QuarryError as error:
            yield Finding("stop", "start_not_possible", where, f"{d.name}: {error}.")
            continue
        layout = programme_layouts().get(d.programme) if d.programme else None
        if layout is not None and layout.starts and layout.starts.replace(";", ":") != str(theirs).replace(";", ":"):
            text = f"{d.name} starts at {theirs}, its layout in time ({layout.name}) says {layout.starts}."
            cure = remedy(f"Start at {layout.starts}", (f"{place}.start", layout.starts.replace(";", ":")))
            yield Finding("caution", "layout_start_differs", where, text, cure)
        if layout is not None and theirs.seconds < layout.before_s:
            text = f"{d.name}: {layout.before_s:g} s lie before {theirs}, so the file begins on the day before."
            yield Finding("caution", "layout_before_midnight", where, text)
        if start is None:
            continue
        if d.drop != plan.drop and can_drop(rate):
            how = "with drop-frame" if d.drop else "without drop-frame"
            text = (
                f"{d.name} counts {how}, the programme does not."
                if d.drop
                else f"{d.name} counts {how}, the programme with it."
            )
            web, torn = d.for_web, len(wanted_by(e, "drop")) > 1
            cure = None if web or torn else remedy("Count as delivered", ("timecode.drop", d.drop))
            yield Finding(
                "note" if web or torn else "caution",
                "count_differs",
                where,
                text + (CANNOT_SUIT_BOTH if torn else ""),
                cure,
            )
        elif str(theirs).replace(";", ":") != str(start).replace(";", ":"):
            text = f"{d.name} starts at {theirs}, the programme at {start}: one of them must be renumbered."
            web, torn = d.for_web, len(wanted_by(e, "start")) > 1
            cure = remedy(f"Start at {theirs}", ("timecode.start", d.start.replace(";", ":")))
            words = text + (CANNOT_SUIT_BOTH if torn and not web else "")
            yield Finding(
                "note" if web or torn else "caution", "start_differs", where, words, None if web or torn else cure
            )


def _count_all(place: str, start: str) -> Remedy:
    return remedy("Count without dropping", (f"{place}.drop", False), (f"{place}.start", start.replace(";", ":")))

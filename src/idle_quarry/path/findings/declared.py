"""Findings about what is said of pictures beside them: captions, active format, protection, HDR figures."""

from __future__ import annotations

from collections.abc import Iterator

from idle_quarry.path.codecs import says_active_format
from idle_quarry.path.evaluation import Evaluation, Finding, Link
from idle_quarry.path.eyes import cost_of
from idle_quarry.path.findings.common import remedy
from idle_quarry.path.registry import codecs, monitors
from idle_quarry.path.steps import RateStep
from idle_quarry.path.template_parts import Delivery
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rasters import shape_of

#: Which captions a container carries inside (OP-47 as ancillary data of MXF, ST 436-1; CEA captions in H.264 and MPEG-2
#: user data or a track of their own); the others travel as a file beside it.
CARRIED = {
    "mxf": ("OP-47", "CEA-608", "CEA-708"),
    "mov": ("CEA-608", "CEA-708"),
    "mp4": ("CEA-608", "CEA-708", "IMSC 1.1"),
}
BESIDE = ("EBU-TT-D", "EBU STL", "IMSC 1.1")
#: Forms that say the same things, so that one can be made of the other without loss of text.
_RELATED = ({"CEA-608", "CEA-708"}, {"OP-47", "EBU STL"}, {"EBU-TT-D", "IMSC 1.1"})
_HDR = ("pq", "hlg")


def find(e: Evaluation) -> Iterator[Finding]:
    """Yield what is wrong with what deliveries declare and carry."""
    t = e.template
    yield from _eyes(e)
    for d in t.deliveries:
        where = f"delivery:{d.id}"
        link = e.link_to(where)
        yield from _captions(e, d, link)
        if link is not None:
            yield from _active(e, d, link)
        yield from _hdr(t.working.graded_to, t.working.format, d)


def _eyes(e: Evaluation) -> Iterator[Finding]:
    """Eyes that are lost, squeezed or missing, and a monitor that shows one of two."""
    for link in e.links:
        grade, text = cost_of(*link.eyes)
        own = e.station(link.source if link.source.startswith("source:") else link.target)
        if grade == "broken":
            cure = remedy(f"{own.name} has two", (f"{own.place}.eyes", link.eyes[1])) if own.kind == "source" else None
            cure = cure or remedy("Hand over one eye", (f"{own.place}.eyes", "one"))
            yield Finding("stop", "eyes_missing", own.id, f"{own.name}: {text}.", cure)
        elif text and link.eyes[1] == "one":
            yield Finding("caution", "eye_left_out", own.id, f"{own.name}: {text}.")
        elif text:
            yield Finding("caution", "eyes_repacked", own.id, f"{own.name}: {text}.")
    feed = e.template.monitor
    device = monitors().get(feed.monitor) if feed is not None else None
    if device is not None and e.template.working.eyes != "one" and not device.two_eyes:
        yield Finding("caution", "eyes_not_shown", "monitor", f"{device.name} shows one eye: depth is not seen on it.")


def _captions(e: Evaluation, d: Delivery, link: Link | None) -> Iterator[Finding]:
    where, there = f"delivery:{d.id}", e.template.captions
    for form in d.captions:
        if form not in there:
            near = next((name for group in _RELATED for name in there if {form, name} <= group), None)
            if near is not None:
                text = f"{d.name}: captions are made as {form} out of {near}; colours and places may differ."
                yield Finding("note", "captions_converted", where, text)
            else:
                has = f"has {', '.join(there)}" if there else "has none"
                text = f"{d.name} wants captions as {form}, the programme {has}."
                cure = remedy(f"Make captions as {form}", ("captions", (*there, form)))
                yield Finding("caution", "captions_missing", where, text, cure)
        containers = codecs()[d.codec].containers
        if form not in BESIDE and not any(form in CARRIED.get(container, ()) for container in containers):
            text = (
                f"{d.name}: {codecs()[d.codec].name} in {' or '.join(containers)} carries no {form}: captions are lost."
            )
            yield Finding("caution", "captions_lost", where, text)
    step = link.plan.step(RateStep) if link is not None else None
    if d.captions and there and step is not None:
        text = (
            f"{d.name}: captions are shifted with the pictures, {step.played}."
            if step.played
            else f"{d.name}: captions keep their time; each begins on the nearest picture."
        )
        yield Finding("note", "captions_shifted", where, text)


def _active(e: Evaluation, d: Delivery, link: Link) -> Iterator[Finding]:
    """What is said of the active picture, against where it lands."""
    where, raster = f"delivery:{d.id}", d.format.raster
    placed = link.plan.placement
    if d.active_format is not None and placed is not None:
        across, down = float(placed.scale_x), float(placed.scale_y)
        source = e.template.working.format.raster
        bars_beside = source.picture_width * across < raster.picture_width - 1
        bars_above = source.height * down < raster.height - 1
        lies = (
            "with bars at the sides"
            if bars_beside
            else "with bars above and below"
            if bars_above
            else "over the full frame"
        )
        words = {"full frame": "over the full frame", "16:9 letterbox": "with bars above and below"}.get(
            d.active_format
        )
        if d.active_format in ("4:3 centre", "14:9 centre"):
            words = "with bars at the sides"
        if words is not None and words != lies:
            right = {"over the full frame": "full frame", "with bars above and below": "16:9 letterbox"}.get(
                lies, "4:3 centre"
            )
            text = (
                f"{d.name} declares {d.active_format}, the picture lies in it {lies}: a receiver would crop it wrongly."
            )
            cure = remedy(f"Declare {right}", (f"deliveries.{d.id}.active_format", right))
            yield Finding("caution", "active_format_contradicts", where, text, cure)
    if d.active_format not in (None, "full frame") and not says_active_format(codecs()[d.codec]):
        text = (
            f"{d.name}: {codecs()[d.codec].name} carries no active format: that it is {d.active_format} is lost, and"
            " must be said beside it."
        )
        yield Finding("caution", "active_format_lost", where, text)
    wanted = {"protect 14:9": "14:9", "protect 4:3": "4:3"}.get(d.active_format or "")
    protects = e.template.working.protects
    if wanted and protects not in (wanted, "4:3"):
        text = (
            f"{d.name} declares that {wanted} is protected, the programme protects {protects}: titles may lie outside."
        )
        yield Finding(
            "caution", "not_protected", where, text, remedy(f"Protect {wanted}", ("working.protects", wanted))
        )
    if placed is not None and placed.cropped and shape_of(raster) == "4:3" and protects != "4:3":
        text = f"{d.name} cuts the sides off, and nobody keeps titles inside 4:3."
        yield Finding("caution", "cut_unprotected", where, text, remedy("Protect 4:3", ("working.protects", "4:3")))


def _hdr(graded_to: int | None, working: SignalFormat, d: Delivery) -> Iterator[Finding]:
    where, place = f"delivery:{d.id}", f"deliveries.{d.id}"
    if d.format.encoding.transfer not in _HDR:
        return
    if d.mastering_peak is None and graded_to is None and d.format.encoding.transfer == "pq":
        text = f"{d.name} says nothing of the light it was graded to: screens take 10 000 cd/m² or guess (ST 2086)."
        yield Finding("note", "mastering_unknown", where, text)
    if graded_to is not None and d.max_cll is not None and graded_to > d.max_cll and working.encoding.transfer in _HDR:
        text = (
            f"The programme is graded to {graded_to} cd/m², {d.name} takes {d.max_cll} at the most: highlights must be"
            " held."
        )
        yield Finding(
            "caution",
            "light_exceeds",
            where,
            text,
            remedy(f"Grade to {d.max_cll} cd/m²", ("working.graded_to", d.max_cll)),
        )
    if graded_to is not None and d.mastering_peak is not None and d.mastering_peak != graded_to:
        text = (
            f"{d.name} declares a mastering peak of {d.mastering_peak} cd/m², the programme is graded to {graded_to}."
        )
        yield Finding(
            "caution",
            "mastering_differs",
            where,
            text,
            remedy(f"Declare {graded_to} cd/m²", (f"{place}.mastering_peak", graded_to)),
        )
    if d.max_cll is not None and d.max_fall is not None and d.max_fall > d.max_cll:
        text = f"{d.name}: an average of {d.max_fall} cd/m² above its own maximum of {d.max_cll} cannot be."
        yield Finding(
            "stop", "light_impossible", where, text, remedy(f"MaxFALL {d.max_cll}", (f"{place}.max_fall", d.max_cll))
        )

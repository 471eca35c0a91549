"""Findings about codecs and the disks that play them."""

from __future__ import annotations

from collections.abc import Iterator

from idle_quarry.counting import counted
from idle_quarry.path.codecs import as_held, cannot_hold, holding, mbps
from idle_quarry.path.evaluation import Evaluation, Finding, Remedy
from idle_quarry.path.eyes import files_of
from idle_quarry.path.findings.common import joined, remedy
from idle_quarry.path.registry import codecs
from idle_quarry.signal.formats import SignalFormat

#: A disk is taken to play this share of what it was said to play: nothing runs at the brim.
MARGIN = 0.8


def find(e: Evaluation) -> Iterator[Finding]:
    """Yield what is wrong with codecs and what they hold."""
    for joint in joined(e):
        coding = joint.link.coding
        if coding is None or not coding.refusals:
            continue
        fmt = e.template.working.format if joint.own.kind == "intermediate" else joint.target.format
        text = (
            f"{coding.codec.name} cannot hold"
            f" {joint.target.name if joint.own.kind == 'delivery' else 'the programme'}: "
        )
        text += "; ".join(coding.refusals) + "."
        yield Finding("stop", "codec_cannot_hold", joint.own.id, text, _other(joint.own.place, fmt, coding.mbps))
    yield from _intermediate(e)
    yield from _storage(e)


def _other(place: str, fmt: SignalFormat, near_mbps: float) -> Remedy | None:
    """Return the codec nearest in data rate that can hold `fmt` and is made for work."""
    able = [codec for codec in holding(fmt) if codec.quality != "proxy"] or holding(fmt)
    if not able:
        return None
    best = min(able, key=lambda codec: abs(mbps(codec, fmt) - near_mbps))
    return remedy(f"Use {best.name}", (f"{place}.codec", best.id))


def _intermediate(e: Evaluation) -> Iterator[Finding]:
    working = e.template.working.format
    codec = codecs()[e.template.intermediate.codec]
    fmt = as_held(codec, working)
    if fmt != working and not cannot_hold(codec, fmt):
        lost = []
        if fmt.encoding.bit_depth != working.encoding.bit_depth:
            lost.append(f"{fmt.encoding.bit_depth} of {working.encoding.bit_depth} bits")
        if fmt.encoding.sampling != working.encoding.sampling:
            lost.append(f"{fmt.encoding.sampling} of {working.encoding.sampling}")
        text = f"{codec.name} keeps only {' and '.join(lost)}: every render loses the rest."
        cure = _other("intermediate", working, mbps(codec, fmt))
        yield Finding("caution", "codec_drops_precision", "intermediate", text, cure)
    if codec.quality in ("proxy", "delivery"):
        text = (
            f"{codec.name} is made for {'viewing' if codec.quality == 'proxy' else 'delivery'}: renders of renders will"
            " show it."
        )
        better = [c for c in holding(working) if c.quality == "intermediate"]
        cure = remedy(f"Use {better[0].name}", ("intermediate.codec", better[0].id)) if better else None
        yield Finding("caution", "codec_not_for_work", "intermediate", text, cure)


def _storage(e: Evaluation) -> Iterator[Finding]:
    plan = e.template.intermediate
    place = next((p for p in e.template.places if p.id == plan.place), None)
    if plan.place is not None and place is None:
        text = "The intermediate's place is none of the template's places."
        yield Finding(
            "stop", "place_unknown", "intermediate", text, remedy("Leave it open", ("intermediate.place", None))
        )
        return
    if place is None:
        return
    codec = codecs()[plan.codec]
    fmt = e.template.intermediate_format
    files = files_of(e.template.working.eyes)
    each_mb = mbps(codec, fmt) / 8 * files
    plays = e.plays(place)
    if plays is None:
        text = (
            f"{place.name}: no speed is entered or measured; {plan.streams} streams of {codec.name} need"
            f" {each_mb * plan.streams:.0f} MB/s."
        )
        yield Finding("note", "disk_speed_unknown", "intermediate", text)
        return
    room = plays * MARGIN
    known = "measured here" if place.path in e.measured else "entered"
    streams = int(room // each_mb)
    if streams >= plan.streams:
        return
    fitting = [
        c
        for c in holding(e.template.working.format)
        if c.quality in ("intermediate", "lossless") and mbps(c, fmt) / 8 * files * plan.streams <= room
    ]
    cure = remedy(f"Use {fitting[-1].name}", ("intermediate.codec", fitting[-1].id)) if fitting else None
    text = (
        f"{counted(plan.streams, 'stream')} of {codec.name} wanted, {each_mb:.0f} MB/s each; "
        f"{place.name} plays {streams or 'none'} ({plays:.0f} MB/s {known}, 20 % reserved)."
    )
    numbers = {
        "mb_s_each": each_mb,
        "streams_played": streams,
        "streams_wanted": plan.streams,
        "plays_mb_s": plays,
    }
    yield Finding("stop" if streams == 0 else "caution", "disk_too_slow", "intermediate", text, cure, numbers)

"""Findings about colour, range, depth and chroma."""

from __future__ import annotations

from collections.abc import Iterator

from idle_quarry.path.evaluation import Evaluation, Finding
from idle_quarry.path.findings.common import JoinedLink, joined, remedy
from idle_quarry.path.grades import percent
from idle_quarry.path.steps import ColourStep, DepthStep, RangeStep, SamplingStep
from idle_quarry.path.steps.colour import transfer_words
from idle_quarry.signal.colour import PRIMARIES, TRANSFERS, is_hdr
from idle_quarry.signal.words import default_encoding

_GAMUT_SEEN = 0.02


def find(e: Evaluation) -> Iterator[Finding]:
    """Yield what is wrong with colour and light."""
    for joint in joined(e):
        if joint.own.kind in ("intermediate", "proxy"):
            continue
        yield from _colour(joint)
        yield from _range(joint)
        if joint.own.kind != "monitor":
            yield from _depth(joint)
    yield from _working(e)


def _colour(row: JoinedLink) -> Iterator[Finding]:
    step = row.link.plan.step(ColourStep)
    if step is None:
        return
    name, place = row.own.name, row.own.place
    source, target = row.source.format.encoding, row.target.format.encoding
    if row.link.policy.colour == "leave":
        convert = remedy("Convert", (f"{place}.policy.colour", "convert"))
        severity = "stop" if step.grade == "broken" else "caution"
        yield Finding(severity, "colour_left", row.own.id, f"{name}: {step.text}.", convert)
        return
    outside = step.gamut_outside
    if is_hdr(source.transfer) and not is_hdr(target.transfer):
        _, text = transfer_words(source.transfer, target.transfer, row.link.policy.tone)
        where = (
            f"; {percent(outside, 0)} of the colours lie outside {PRIMARIES[target.primaries].label}" if outside else ""
        )
        text = f"{name}: {text}{where}."
        severity = "note" if row.own.kind == "monitor" else "caution"
        yield Finding(severity, "hdr_to_sdr", row.own.id, text, None, {"gamut_outside": outside})
    elif is_hdr(target.transfer) and not is_hdr(source.transfer):
        text = (
            f"{name}: SDR is placed in {TRANSFERS[target.transfer][0]} with its white at reference white; it gains no"
            " highlights."
        )
        yield Finding("note", "sdr_to_hdr", row.own.id, text)
    elif outside > _GAMUT_SEEN:
        text = (
            f"{name}: {percent(outside)} of {PRIMARIES[source.primaries].label}'s colours lie outside "
            f"{PRIMARIES[target.primaries].label} and are clipped."
        )
        yield Finding("caution", "gamut_clipped", row.own.id, text, None, {"gamut_outside": outside})
    elif source.matrix != target.matrix and "rgb" not in (source.matrix, target.matrix) and row.own.kind == "source":
        text = f"{name}: {step.text}. Shown without this conversion, greens and reds shift."
        yield Finding("note", "matrix_change", row.own.id, text)


def _range(row: JoinedLink) -> Iterator[Finding]:
    step = row.link.plan.step(RangeStep)
    if step is None:
        return
    source = row.source.format.encoding
    text = f"{row.own.name}: {step.text}. Taken one for the other, blacks turn grey or are crushed."
    cure = None
    if row.own.kind in ("monitor", "delivery"):
        cure = remedy(f"Send {source.range} range", (f"{row.own.place}.format.range", source.range))
    yield Finding("caution", "range_mismatch", row.own.id, text, cure, {"codes_lost": step.codes_lost})


def _depth(row: JoinedLink) -> Iterator[Finding]:
    step = row.link.plan.step(DepthStep)
    name = row.own.name
    if step is not None and step.grade == "lossy":
        numbers = {"codes_lost": step.codes_lost}
        if row.link.policy.rounding == "truncate":
            cure = remedy("Dither", (f"{row.own.place}.policy.rounding", "dither"))
            yield Finding("caution", "depth_truncated", row.own.id, f"{name}: {step.text}.", cure, numbers)
        elif row.own.kind == "source":
            bits = row.source.format.encoding.bit_depth
            cure = remedy(f"Work at {bits} bits", ("working.format.bit_depth", bits))
            yield Finding("caution", "depth_loss", row.own.id, f"{name}: {step.text}.", cure, numbers)
        else:
            yield Finding("note", "depth_loss", row.own.id, f"{name}: {step.text}.", None, numbers)
    chroma = row.link.plan.step(SamplingStep)
    if chroma is not None and chroma.grade == "lossy":
        yield Finding("note", "chroma_loss", row.own.id, f"{name}: {chroma.text}.")


def _working(e: Evaluation) -> Iterator[Finding]:
    fmt = e.template.working.format
    encoding = fmt.encoding
    if encoding.bit_depth == 8:
        text = "Programme: 8 bits (220 luma codes) is enough only where nothing will be graded."
        yield Finding(
            "caution", "eight_bits", "working", text, remedy("Work at 10 bits", ("working.format.bit_depth", 10))
        )
    standard = default_encoding(fmt.raster)
    if fmt.raster.line_system and encoding.matrix not in (standard.matrix, "rgb"):
        text = f"Programme: {fmt.raster.height} lines with the matrix of {encoding.matrix.upper()}: SD is BT.601."
        yield Finding(
            "caution", "matrix_unusual", "working", text, remedy("BT.601", ("working.format.matrix", "bt601"))
        )
    if encoding.range == "full":
        text = "Programme: full range in a house of narrow-range signals: every way in and out must convert."
        cure = remedy("Work in narrow range", ("working.format.range", "narrow"))
        yield Finding("caution", "range_full", "working", text, cure)

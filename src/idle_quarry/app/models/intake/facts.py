"""The facts of a clip: what it declares, what was measured, what the template's source expects, a row each."""

from __future__ import annotations

from dataclasses import dataclass

from idle_quarry.media import Clip
from idle_quarry.media.words import active_text, fields_text, levels_lines
from idle_quarry.path.template_parts import Source
from idle_quarry.signal.colour import MATRICES, PRIMARIES, TRANSFERS
from idle_quarry.signal.formats import ORDER_WORDS
from idle_quarry.signal.rasters import aspect_text
from idle_quarry.signal.rates import rate_text

SILENT = "not declared"


@dataclass(frozen=True)
class Fact:
    """One property: as declared, as measured ("" where it is not), as the source expects it (None for no source)."""

    name: str
    declared: str
    measured: str = ""
    expected: str | None = None
    untrue: bool = False

    @property
    def agrees(self) -> bool:
        """Whether what the clip is agrees with the source."""
        is_so = self.measured or self.declared
        return self.expected is None or is_so == self.expected or self.declared == SILENT


def scan_text(scan: str, order: str | None) -> str:
    """Return a scan and its order in words."""
    first = f", {ORDER_WORDS[order]}" if order else ""
    return {"psf": "PsF", "unknown": SILENT}.get(scan, scan) + (first if scan in ("interlaced", "pulldown") else "")


def facts_of(clip: Clip, source: Source | None) -> list[Fact]:
    """Return the facts of a clip, against a source where it is one."""
    d, m = clip.declared, clip.measured
    e = source.format if source else None
    untrue = {disagreement.field for disagreement in clip.disagreements}
    facts: list[Fact] = []

    def add(name: str, declared: str, measured: str = "", expected: str | None = None, *fields: str) -> None:
        facts.append(Fact(name, declared, measured, expected, any(field in untrue for field in fields)))

    if d.has_picture:
        fields = m.fields if m else None
        known = fields is not None and fields.scan not in ("undetermined", "mixed")
        scan = scan_text(fields.scan, fields.field_order) if fields is not None and known else ""
        if fields is not None and fields.scan == "mixed":
            scan = fields_text(fields)
        rate = f"{rate_text(fields.true_rate)} moments/s" if fields and fields.true_rate else ""
        if m is not None and m.variable is not None:
            rate = f"variable: {m.variable.words}"
        levels = m.levels if m else None
        add(
            "Raster",
            f"{d.width} × {d.height}, {aspect_text(d.display_aspect)}",
            active_text(clip) if m else "",
            None,
            "sample_aspect",
        )
        if d.rotation:
            add("Turned", f"by {d.rotation}° to be shown")
        if d.alpha:
            add("Alpha", "there, of a kind not declared" if d.alpha == "unknown" else d.alpha)
        expected_scan = scan_text(e.scan, e.field_order) if e else None
        add("Scan", scan_text(d.scan, d.field_order), scan, expected_scan, "scan", "field_order")
        add("Rate", f"{rate_text(d.rate)} frames/s" if d.rate else SILENT, rate, None, "rate")
        add(
            "Depth",
            f"{d.bit_depth} bit {d.sampling}",
            "",
            f"{e.encoding.bit_depth} bit {e.encoding.sampling}" if e else None,
            "bit_depth",
        )
        add(
            "Range", d.range or SILENT, (levels.range or "") if levels else "", e.encoding.range if e else None, "range"
        )
        add("Levels", "", "; ".join(levels_lines(levels)), None)
        add(
            "Primaries",
            PRIMARIES[d.primaries].label if d.primaries else SILENT,
            "",
            PRIMARIES[e.encoding.primaries].label if e else None,
        )
        add(
            "Transfer",
            TRANSFERS[d.transfer][0] if d.transfer else SILENT,
            "",
            TRANSFERS[e.encoding.transfer][0] if e else None,
        )
        bars = MATRICES[levels.bars_matrix][0] + " by its bars" if levels and levels.bars_matrix else ""
        add("Matrix", MATRICES[d.matrix][0] if d.matrix else SILENT, bars, None, "matrix")
    breaks = f"jumps at frame {m.timecode_breaks[0].frame}" if m and m.timecode_breaks else ""
    add(
        "Timecode",
        (d.timecode or "none") + (", drop-frame" if d.drop_frame else ""),
        breaks,
        None,
        "timecode",
        "drop_frame",
    )
    length = f"{d.frames or '?'} frames" if d.has_picture else ""
    seconds = f"{d.duration_s:.2f} s" if d.duration_s else ""
    add("Length", ", ".join(p for p in (length, seconds) if p), f"{m.damaged} damaged" if m and m.damaged else "")
    profile = f" {d.profile}" if d.profile else ""
    add("Codec", f"{d.codec}{profile} in {d.container.split(',')[0]}")
    sound = "; ".join(
        f"{a.layout}, {a.sample_rate} Hz" + (f", {a.bit_depth} bit" if a.bit_depth else "") for a in d.audio
    )
    add("Sound", sound or "none")
    return facts

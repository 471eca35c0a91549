"""What an entry means, drawn: boxes, lines and words as values in pixels at 100 % of text size, for a width there
is.
"""

from __future__ import annotations

from idle_quarry.app.drawing.layout_shapes import channels_drawn, in_time_drawn
from idle_quarry.app.drawing.shapes import GAP, ROW, BoxShape, EntryDrawing, TextShape
from idle_quarry.counting import counted
from idle_quarry.path.codecs import gb_per_hour
from idle_quarry.path.entries import (
    Codec,
    CodecVariant,
    DeliverySpec,
    Entry,
    KeptFormat,
    Monitor,
    NamingRule,
    ProgrammeLayout,
    SoundLayout,
)
from idle_quarry.path.entries.naming import FIELDS, fields_of
from idle_quarry.path.findings.monitoring import refusals
from idle_quarry.path.registry import codecs, monitors, programme_layouts, sound_layouts
from idle_quarry.path.settings.entries import rate_ladder
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rates import NAMED_RATES, rate_text
from idle_quarry.signal.words import format_words

#: Common formats of a data-rate ladder.
COMMON = (
    "576i25 16:9",
    "480i29.97 16:9",
    "720p50",
    "1440x1080i25",
    "1080i25",
    "1080i29.97",
    "1080p25",
    "1080p50",
    "2160p25",
    "2160p50",
)
_SCAN_LETTERS = {"progressive": "p", "interlaced": "i", "psf": "s"}
_TRANSFER = {"bt709": "SDR", "hlg": "HLG", "pq": "PQ"}


def picture_of(entry: Entry, width: float, feed: SignalFormat | None = None, feeds: str = "") -> EntryDrawing:
    """Return what an entry means as shapes.

    `feed` is the format the open template sends its monitor, `feeds` its name.
    """
    drawing = EntryDrawing(width)
    if isinstance(entry, Monitor):
        _monitor(drawing, entry, feed, feeds)
    elif isinstance(entry, DeliverySpec):
        _delivery(drawing, entry)
    elif isinstance(entry, Codec | CodecVariant):
        _codec(drawing, entry.id)
    elif isinstance(entry, SoundLayout):
        drawing.head("Channels in order")
        channels_drawn(drawing, entry)
    elif isinstance(entry, ProgrammeLayout):
        drawing.head("In time")
        in_time_drawn(drawing, entry)
    elif isinstance(entry, NamingRule):
        _naming(drawing, entry)
    elif isinstance(entry, KeptFormat):
        _format(drawing, entry.signal)
    return drawing


def _monitor(drawing: EntryDrawing, entry: Monitor, feed: SignalFormat | None, feeds: str) -> None:
    known = monitors().get(entry.id, entry)
    doors = entry.accepts
    rates = [name for name in NAMED_RATES if any(name in door.rates for door in doors)]
    rows = sorted(
        {
            (line, width, transfer)
            for door in doors
            for line in door.lines
            for width in door.widths[:1]
            for transfer in door.transfers
        },
        key=lambda row: (-row[0], row[2]),
    )
    drawing.head("What it shows")
    first = min(140.0, drawing.width * 0.4)
    column = (drawing.width - first) / max(1, len(rates))
    drawing.shapes += [
        TextShape(first + n * column, drawing.height, column - 2, rate, align="centre", size=11)
        for n, rate in enumerate(rates)
    ]
    drawing.height += ROW
    for line, width, transfer in rows:
        name = f"{width} × {line} {_TRANSFER.get(transfer, transfer.upper())}"
        drawing.shapes.append(TextShape(0, drawing.height + 2, first - 6, name, "chalk"))
        for n, rate in enumerate(rates):
            scans = {
                scan
                for door in doors
                if line in door.lines and rate in door.rates and transfer in door.transfers
                for scan in door.scans
            }
            box = BoxShape(first + n * column, drawing.height, column - 3, ROW - 3)
            here = feed is not None and (feed.raster.height, rate_text(feed.rate), feed.encoding.transfer) == (
                line,
                rate,
                transfer,
            )
            if scans:
                letters = " ".join(letter for scan, letter in _SCAN_LETTERS.items() if scan in scans)
                drawing.shapes += [box, TextShape(box.x, box.y + 1, box.w, letters, "chalk", "centre")]
                drawing.texts.append(f"{name} at {rate}: {', '.join(sorted(scans))}")
            if here:
                drawing.shapes.append(box._replace(role="lichen", look="outlined"))
        drawing.height += ROW
    drawing.line("p progressive, i interlaced, s PsF")
    if feed is not None and feeds:
        why = refusals(known, feed)
        sent = f"{feeds} sends {format_words(feed)}"
        drawing.line(
            f"{sent}: shown." if not why else f"{sent}: black, since {why[0]}.", "sage" if not why else "oxide"
        )
    if entry.peak_cd_m2 is not None:
        drawing.line(f"At most {entry.peak_cd_m2:g} cd/m².")
    if entry.overscan:
        inner = 100 - 2 * entry.overscan
        drawing.line(f"Of the picture {inner:g} % of the width and height is seen.")


#: Limits beyond which a delivery fails: their name, what they are of, and their unit.
_LIMITED = (
    ("gamut", "Gamut (EBU R 103)", "% of a picture"),
    ("levels", "Below black or above white", "% of all pictures"),
    ("edges", "Edges without picture", "%"),
    ("black", "Black inside the programme", "s"),
    ("frozen", "Held pictures", "s"),
    ("repeats", "Repeated pictures", "%"),
    ("patterns", "Regular patterns", "s"),
    ("silence", "Silence inside the programme", "s"),
    ("phase", "Left against right", "s"),
)


def _delivery(drawing: EntryDrawing, entry: DeliverySpec) -> None:
    layout = sound_layouts().get(entry.sound.layout)
    if layout is not None:
        drawing.head("Sound")
        channels_drawn(drawing, layout)
    programme = programme_layouts().get(entry.programme) if entry.programme else None
    if programme is not None:
        drawing.head("In time")
        in_time_drawn(drawing, programme)
        drawing.line(
            f"Borders may be off by {counted(programme.tolerance_pictures, 'picture')}; {programme.before_s:g} s lie"
            " before the programme."
        )
    drawing.head("What is handed over and checked")
    sound, may, codec = entry.sound, entry.tolerances, codecs().get(entry.codec)
    lines = [
        f"{entry.format}, {codec.name if codec else entry.codec}"
        + (f", wrapped as {entry.wrapper}" if entry.wrapper else "")
    ]
    lines += [f"Line-up {sound.line_up_dbfs:g} dBFS ± {may.line_up_db:g} dB"]
    if sound.loudness_lufs is not None:
        lines.append(f"Loudness {sound.loudness_lufs:g} LUFS ± {may.loudness_lu:g} LU")
    if sound.true_peak_dbtp is not None:
        lines.append(f"True peak at most {sound.true_peak_dbtp:g} dBTP")
    lines.append("Flashes (ITU-R BT.1702): at most 3 a second")
    for name, what, unit in _LIMITED:
        limit = entry.limit(name)
        if limit.fails is not None:
            lines.append(f"{what}: fails beyond {limit.fails:g} {unit}")
    lines += [f"Captions: {', '.join(entry.captions)}"] if entry.captions else []
    lines += [f"Active format: {entry.active_format}"] if entry.active_format else []
    hdr = entry.hdr
    figures = [
        f"{name} ≤ {value} cd/m²"
        for name, value in (("MaxCLL", hdr.max_cll), ("MaxFALL", hdr.max_fall), ("mastering peak", hdr.mastering_peak))
        if value
    ]
    lines += [", ".join(figures)] if figures else []
    lines += [f"{clause.number}: {clause.text}" for clause in entry.clauses]
    for text in lines:
        drawing.line(text.replace("-", "−") if text.startswith(("Line-up -", "Loudness -", "True peak")) else text)


def _codec(drawing: EntryDrawing, ident: str) -> None:
    drawing.head("Data rate of common formats")
    if ident not in codecs():
        drawing.line("What it makes is known when it can be made here.")
        return
    ladder = rate_ladder(ident, COMMON)
    if not ladder:
        drawing.line("It holds none of the common formats.")
        return
    first, last = min(120.0, drawing.width * 0.3), min(186.0, drawing.width * 0.44)
    most = max(mbps for _, mbps in ladder)
    for words, mbps in ladder:
        room = drawing.width - first - last
        drawing.shapes += [
            TextShape(0, drawing.height + 1, first - 6, words, "chalk"),
            BoxShape(first, drawing.height + 3, max(2.0, room * mbps / most), ROW - 8, "sage"),
            TextShape(
                first + room + 6, drawing.height + 1, last - 6, f"{mbps:.4g} Mb/s, {gb_per_hour(mbps):.3g} GB an hour"
            ),
        ]
        drawing.texts.append(f"{words}: {mbps:.4g} Mb/s")
        drawing.height += ROW


def _naming(drawing: EntryDrawing, entry: NamingRule) -> None:
    drawing.head("Makes, for example")
    drawing.shapes.append(TextShape(0, drawing.height, drawing.width, entry.example, "chalk", size=18))
    drawing.texts.append(entry.example)
    drawing.height += 34
    drawing.head("Out of")
    for name in dict.fromkeys(fields_of(entry.rule)):
        drawing.shapes += [
            TextShape(0, drawing.height, 120, f"{{{name}}}", "chalk"),
            TextShape(126, drawing.height, drawing.width - 126, str(FIELDS[name])),
        ]
        drawing.height += ROW - 2


def _format(drawing: EntryDrawing, fmt: SignalFormat) -> None:
    drawing.head("The picture to scale")
    aspect = float(fmt.raster.display_aspect)
    height = min(200.0, drawing.width / aspect)
    drawing.shapes.append(BoxShape(0, drawing.height, height * aspect, height, "sage", "outlined"))
    drawing.shapes.append(
        TextShape(
            0, drawing.height + height / 2 - 10, height * aspect, format_words(fmt, fields=True), "chalk", "centre"
        )
    )
    drawing.texts.append(format_words(fmt, fields=True))
    drawing.height += height + GAP

"""Every setting of a template as a person meets it: its name, how it is typed, what follows from it.

One list serves the sheets, the search, the comparison of revisions and the setup sheet on paper.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

from idle_quarry.errors import NotUnderstood, QuarryError
from idle_quarry.path.codecs import cannot_hold, gb_per_hour, holding, mbps
from idle_quarry.path.edits import Edit, edited, value_at
from idle_quarry.path.findings.sound import db
from idle_quarry.path.findings.timecode import parsed
from idle_quarry.path.policies import EXPLAINED, Policy
from idle_quarry.path.registry import codecs, monitors, territories
from idle_quarry.path.template import Template
from idle_quarry.signal.catalogue import standard_of
from idle_quarry.signal.colour import MATRICES, PRIMARIES, TRANSFERS, gamut_outside
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.interfaces import carriage
from idle_quarry.signal.levels import Levels
from idle_quarry.signal.rasters import (
    FOUR_THREE,
    LINE_CONVENTIONS,
    NAMED,
    SIXTEEN_NINE,
    Raster,
    aspect_text,
    raster_from_text,
    sd_pixel_aspect,
)
from idle_quarry.signal.rates import NAMED_RATES, counting_base, rate_from_text, rate_text
from idle_quarry.signal.timecode import can_drop, drift_text
from idle_quarry.signal.words import format_from_words, format_words

Parse = Callable[[str], Any]


@dataclass(frozen=True)
class Setting:
    """One setting: where it lies, which sheet it is on, its label, its text, and what follows from it.

    `parse` turns typed text into a value and raises `QuarryError`. `choices` are offered; where `free` is
    false, nothing else can be. `locked` settings cannot change once a job has a timeline.
    """

    place: str
    sheet: str
    label: str
    text: str
    follows: str
    parse: Parse = field(compare=False)
    choices: tuple[str, ...] = ()
    free: bool = True
    explained: str = ""
    locked: bool = False

    def edit(self, text: str) -> Edit:
        """Return the edit that puts typed `text` here. Raises `QuarryError`."""
        return Edit(self.place, self.parse(text))


def with_setting(template: Template, setting: Setting, text: str) -> Template:
    """Return `template` with `text` typed into `setting`. Raises `QuarryError` with a clear sentence."""
    return edited(template, setting.edit(text))


def _number(low: float, high: float, unit: str, whole: bool = False) -> Parse:
    def parse(text: str) -> Any:
        cleaned = text.strip().replace("−", "-").replace(",", ".").replace("\u2009", "").removesuffix(unit).strip()
        if not re.fullmatch(r"[-+]?\d{1,9}(\.\d{1,6})?", cleaned, re.ASCII):
            raise NotUnderstood(
                "not a number", subject=repr(text[:40]), remedy=f"type {unit or 'a number'} from {low:g} to {high:g}"
            )
        value = float(cleaned)
        if not low <= value <= high:
            raise NotUnderstood(f"out of range: {low:g} to {high:g} {unit}".rstrip(), subject=cleaned)
        if whole and value != int(value):
            raise NotUnderstood("a whole number is wanted", subject=cleaned)
        return int(value) if whole else value

    return parse


def _or_nothing(parse: Parse) -> Parse:
    def parse_or_nothing(text: str) -> Any:
        return parse(text) if text.strip() else None

    return parse_or_nothing


def _one_of(options: dict[str, Any], what: str) -> Parse:
    lower = {key.lower(): value for key, value in options.items()}

    def parse(text: str) -> Any:
        key = text.strip().lower()
        if key not in lower:
            raise NotUnderstood(
                f"no such {what}", subject=repr(text[:40]), remedy="choose " + ", ".join(list(options)[:8])
            )
        return lower[key]

    return parse


def _any_text(text: str) -> str:
    return text.strip()


_SCANS = {"Progressive": "progressive", "Interlaced": "interlaced", "PsF": "psf"}
_ORDERS = {"Upper field first": "top", "Lower field first": "bottom"}
_YES = {"Yes": True, "No": False}


def _named(table: dict[str, Any], value: Any) -> str:
    return next(key for key, each in table.items() if each == value)


def settings_of(template: Template) -> list[Setting]:
    """Return every setting of a template, in the order one types them into a system."""
    return list(_all(template))


def settings_on(template: Template, sheet: str) -> list[Setting]:
    """Return the settings of one sheet."""
    return [setting for setting in _all(template) if setting.sheet == sheet]


def _all(t: Template) -> Iterator[Setting]:
    yield from _programme(t)
    for source in t.sources:
        sheet, place = f"source:{source.id}", f"sources.{source.id}"
        yield Setting(f"{place}.name", sheet, "Name", source.name, "what the house calls it", _any_text)
        yield Setting(f"{place}.share", sheet, "Share", f"{source.share:g}", "% of the programme", _number(0, 100, "%"))
        yield from _format(f"{place}.format", sheet, source.format)
        yield from _policy(f"{place}.policy", sheet, source.policy)
    yield Setting("working.name", "working", "Name", t.working.name, "what is made here", _any_text)
    yield from _format("working.format", "working", t.working.format, locked=True)
    yield from _intermediate(t)
    yield from _monitor(t)
    for delivery in t.deliveries:
        yield from _delivery(t, delivery.id)
    yield from _sound(t)
    yield from _timecode(t)
    yield from _places(t)


def _programme(t: Template) -> Iterator[Setting]:
    own = territories()[t.territory]
    yield Setting("name", "template", "Name", t.name, "as it stands on the shelf", _any_text)
    yield Setting("note", "template", "Note", t.note, "for whoever opens it next", _any_text)
    yield Setting(
        "territory", "template", "Territory", t.territory, f"programmes start at {own.start}; loudness by {own.loudness}",
        _one_of({name: name for name in territories()}, "territory"), tuple(territories()), free=False,
    )  # fmt: skip
    yield Setting(
        "title_language", "template", "Title language", t.title_language, "language of titles and graphics (BCP 47)", _any_text,
        ("en", "de", "fr", "es", "it", "cy", "ga"),
    )  # fmt: skip


def _format(place: str, sheet: str, fmt: SignalFormat, locked: bool = False) -> Iterator[Setting]:
    e, raster = fmt.encoding, fmt.raster
    standard = standard_of(fmt)
    yield Setting(
        place, sheet, "Format", format_words(fmt), standard.source.split(";")[0] if standard else "no standard's format",
        format_from_words, explained="The whole format in words: lines, p, i or psf, frames a second, and what differs from the standard.",
    )  # fmt: skip
    yield Setting(
        f"{place}.raster", sheet, "Raster", raster.size_text, _raster_follows(raster), _raster_beside(raster),
        tuple(f"{w} × {h}" for w, h in NAMED), locked=locked,
    )  # fmt: skip
    if raster.line_system is not None and raster.width == 720:
        options = {
            f"{aspect_text(aspect)} over {samples}": Raster(
                720, raster.height, sd_pixel_aspect(raster.height, aspect, samples)
            )
            for aspect in (FOUR_THREE, SIXTEEN_NINE)
            for samples in LINE_CONVENTIONS[raster.line_system]
        }
        current = next((key for key, value in options.items() if value == raster), aspect_text(raster.display_aspect))
        yield Setting(
            f"{place}.raster", sheet, "Picture aspect", current, f"pixel aspect {float(raster.pixel_aspect):.4f}",
            _one_of(options, "picture aspect"), tuple(options), free=False,
            explained="SD lines have 720 samples, but the picture fills 702 (or 711) by BT.601; others count it over 704 or 720.",
        )  # fmt: skip
    yield Setting(
        f"{place}.rate", sheet, "Frame rate", rate_text(fmt.rate), _rate_follows(fmt), rate_from_text, tuple(NAMED_RATES), locked=locked,
        explained="Whole frames a second, also where pictures are interlaced.",
    )  # fmt: skip
    fields = f"{rate_text(fmt.rate * 2)} fields/s" if fmt.scan == "interlaced" else ""
    psf = "whole pictures, sent as two segments" if fmt.scan == "psf" else ""
    yield Setting(
        f"{place}.scan", sheet, "Scan", _named(_SCANS, fmt.scan), fields or psf or "whole pictures", _one_of(_SCANS, "scan"),
        tuple(_SCANS), free=False, locked=locked,
        explained="PsF: progressive segmented frame, a whole picture that travels as two halves under an interlaced flag.",
    )  # fmt: skip
    if fmt.scan == "interlaced" and fmt.field_order:
        yield Setting(
            f"{place}.field_order", sheet, "Field order", _named(_ORDERS, fmt.field_order), "the half of the lines that is earlier",
            _one_of(_ORDERS, "field order"), tuple(_ORDERS), free=False, locked=locked,
        )  # fmt: skip
    chroma = {
        "4:2:0": "chroma halved across and down",
        "4:2:2": "chroma halved across",
        "4:4:4": "chroma at every sample",
    }
    yield Setting(
        f"{place}.sampling",
        sheet,
        "Sampling",
        e.sampling,
        chroma[e.sampling],
        _one_of({s: s for s in chroma}, "sampling"),
        tuple(chroma),
        free=False,
    )
    yield Setting(
        f"{place}.bit_depth", sheet, "Bit depth", str(e.bit_depth), f"{e.levels.codes} luma codes",
        _one_of({"8": 8, "10": 10, "12": 12, "16": 16, "8 bit": 8, "10 bit": 10, "12 bit": 12, "16 bit": 16}, "bit depth"), ("8", "10", "12", "16"), free=False,
    )  # fmt: skip
    levels = Levels(e.bit_depth, e.range == "narrow")
    yield Setting(
        f"{place}.range", sheet, "Range", e.range.capitalize(), f"black {levels.black}, white {levels.white}",
        _one_of({"Narrow": "narrow", "Full": "full"}, "range"), ("Narrow", "Full"), free=False,
        explained="Narrow range keeps room below black and above white; full range uses every code.",
    )  # fmt: skip
    primaries = {value.label: key for key, value in PRIMARIES.items()}
    yield Setting(
        f"{place}.primaries", sheet, "Primaries", PRIMARIES[e.primaries].label, _primaries_follows(e.primaries),
        _one_of(primaries, "primaries"), tuple(primaries), free=False,
    )  # fmt: skip
    transfers = {value[0]: key for key, value in TRANSFERS.items()}
    yield Setting(
        f"{place}.transfer", sheet, "Transfer", TRANSFERS[e.transfer][0], TRANSFERS[e.transfer][2],
        _one_of(transfers, "transfer"), tuple(transfers), free=False,
    )  # fmt: skip
    matrices = {value[0]: key for key, value in MATRICES.items()}
    red, blue = MATRICES[e.matrix][1:3]
    yield Setting(
        f"{place}.matrix", sheet, "Matrix", MATRICES[e.matrix][0], f"luma is {red:g} R + {1 - red - (blue or 0):.4g} G + {blue:g} B" if red else "R, G and B as they are",
        _one_of(matrices, "matrix"), tuple(matrices), free=False,
    )  # fmt: skip


def _raster_beside(present: Raster) -> Parse:
    """Return a parser of rasters that keeps the present pixel shape where the size is the same."""

    def parse(text: str) -> Raster:
        typed = raster_from_text(text)
        return present if (typed.width, typed.height) == (present.width, present.height) else typed

    return parse


def _raster_follows(raster: Raster) -> str:
    shape = aspect_text(raster.display_aspect)
    if raster.pixel_aspect == 1:
        return f"square pixels, {shape}"
    return f"{shape}, pixels {float(raster.pixel_aspect):.3f} wide"


def _rate_follows(fmt: SignalFormat) -> str:
    length = float(1000 / fmt.rate)
    text = f"{length:.4g} ms a frame"
    return text + (", drop-frame possible" if can_drop(fmt.rate) else ", no drop-frame")


def _primaries_follows(name: str) -> str:
    if name == "bt2020":
        return "the widest here"
    inside = 1 - gamut_outside("bt2020", name)
    return f"{inside:.0%} of BT.2020 in u′v′".replace("%", " %")


_POLICY_LABELS = {
    "fit": "Fit",
    "position": "Position",
    "kernel": "Filter",
    "scan": "Deinterlacing",
    "retime": "Retiming",
    "colour": "Colour",
    "rounding": "Rounding",
}


def _policy(place: str, sheet: str, policy: Policy) -> Iterator[Setting]:
    for name, explained in EXPLAINED.items():
        value = getattr(policy, name)
        options = {key.capitalize(): key for key in explained}
        yield Setting(
            f"{place}.{name}", sheet, _POLICY_LABELS[name], value.capitalize(), explained[value],
            _one_of(options, _POLICY_LABELS[name].lower()), tuple(options), free=False,
        )  # fmt: skip


def codec_follows(codec_id: str, fmt: SignalFormat) -> str:
    """Return a codec's data rate for a format in words, or why it cannot hold it."""
    codec = codecs()[codec_id]
    refused = cannot_hold(codec, fmt)
    if refused:
        return f"cannot hold it: {refused[0]}"
    rate = mbps(codec, fmt)
    return f"{rate:.0f} Mb/s, {gb_per_hour(rate):.0f} GB an hour"


def _codec(place: str, sheet: str, codec: str, fmt: SignalFormat) -> Setting:
    options = {each.name: each.id for each in codecs().values()}
    able = tuple(each.name for each in holding(fmt))
    return Setting(
        place,
        sheet,
        "Codec",
        codecs()[codec].name,
        codec_follows(codec, fmt),
        _one_of(options, "codec"),
        able,
        free=True,
    )


def _intermediate(t: Template) -> Iterator[Setting]:
    plan, sheet = t.intermediate, "intermediate"
    yield _codec("intermediate.codec", sheet, plan.codec, t.working.format)
    each = mbps(codecs()[plan.codec], t.intermediate_format) / 8
    yield Setting(
        "intermediate.streams",
        sheet,
        "Streams",
        str(plan.streams),
        f"{each * plan.streams:.0f} MB/s together",
        _number(1, 64, "", whole=True),
    )
    options: dict[str, Any] = {"Not said": None} | {place.name: place.id for place in t.places}
    place = next((p for p in t.places if p.id == plan.place), None)
    speed = f"plays {place.plays_mb_s:g} MB/s" if place and place.plays_mb_s else "its speed is not said"
    yield Setting(
        "intermediate.place", sheet, "Kept at", place.name if place else "Not said", speed if place else "renders go to the job's folder",
        _one_of(options, "place"), tuple(options), free=False,
    )  # fmt: skip
    yield Setting(
        "intermediate.policy.rounding", sheet, "Rounding", plan.policy.rounding.capitalize(), EXPLAINED["rounding"][plan.policy.rounding],
        _one_of({key.capitalize(): key for key in EXPLAINED["rounding"]}, "rounding"),
        tuple(key.capitalize() for key in EXPLAINED["rounding"]), free=False,
    )  # fmt: skip
    if t.proxy is not None and t.proxy_format is not None:
        fmt = t.proxy_format
        yield _codec("proxy.codec", "proxy", t.proxy.codec, fmt)
        sizes = {"Full size": 1, "Half": 2, "A third": 3, "A quarter": 4, "A sixth": 6, "An eighth": 8}
        yield Setting(
            "proxy.divisor",
            "proxy",
            "Size",
            _named(sizes, t.proxy.divisor),
            fmt.raster.size_text,
            _one_of(sizes, "size"),
            tuple(sizes),
            free=False,
        )


def _monitor(t: Template) -> Iterator[Setting]:
    feed = t.monitor
    if feed is None:
        return
    device = monitors().get(feed.monitor)
    options = {each.name: each.id for each in monitors().values()}
    yield Setting(
        "monitor.monitor", "monitor", "Monitor", device.name if device else feed.monitor, device.kind if device else "not known here",
        _one_of(options, "monitor"), tuple(options), free=False,
    )  # fmt: skip
    travels = carriage(feed.format)
    for setting in _format("monitor.format", "monitor", feed.format):
        if setting.label == "Format":
            link = (
                f"{travels.total_samples} × {travels.total_lines} in all, {travels.gbps:.4g} Gb/s: {travels.interface}"
                if travels
                else "no serial interface carries it"
            )
            yield Setting(
                setting.place,
                setting.sheet,
                "Signal sent",
                setting.text,
                link,
                setting.parse,
                explained=setting.explained,
            )
        else:
            yield setting
    yield from _policy("monitor.policy", "monitor", feed.policy)


def _delivery(t: Template, ident: str) -> Iterator[Setting]:
    d = next(each for each in t.deliveries if each.id == ident)
    sheet, place = f"delivery:{ident}", f"deliveries.{ident}"
    yield Setting(f"{place}.name", sheet, "Name", d.name, "who it is for", _any_text)
    yield from _format(f"{place}.format", sheet, d.format)
    yield _codec(f"{place}.codec", sheet, d.codec, d.format)
    yield _start(f"{place}.start", sheet, d.start, d.drop, d.format.rate)
    yield _drop(f"{place}.drop", sheet, d.drop, d.format.rate)
    yield from _sound_rows(place, sheet, d, "sound_bits")
    yield from _policy(f"{place}.policy", sheet, d.policy)


def _sound_rows(place: str, sheet: str, plan: Any, bits_name: str) -> Iterator[Setting]:
    bits = getattr(plan, bits_name)
    yield Setting(
        f"{place}.sample_rate", sheet, "Sample rate", str(plan.sample_rate), f"{plan.sample_rate / 1000:g} kHz",
        _number(8000, 384000, "Hz", whole=True), ("48000", "96000", "44100"),
    )  # fmt: skip
    yield Setting(
        f"{place}.{bits_name}", sheet, "Sound bits", str(bits), f"{bits * 6.02:.0f} dB from end to end",
        _one_of({"16": 16, "24": 24, "32": 32}, "sound depth"), ("16", "24", "32"), free=False,
    )  # fmt: skip
    layouts = {"mono": 1, "stereo": 2, "5.1": 6}
    order = {"mono": "1 channel", "stereo": "left, right", "5.1": "L R C LFE Ls Rs in files"}
    yield Setting(
        f"{place}.layout",
        sheet,
        "Channels",
        plan.layout,
        order[plan.layout],
        _one_of({k: k for k in layouts}, "layout"),
        tuple(layouts),
        free=False,
    )
    known = {-18: "EBU R 68", -20: "SMPTE RP 155"}
    yield Setting(
        f"{place}.line_up_dbfs", sheet, "Line-up level", db(plan.line_up_dbfs), f"dBFS, {known.get(int(plan.line_up_dbfs), 'a level of the house')}",
        _number(-40, 0, "dBFS"), ("−18", "−20", "−12"),
    )  # fmt: skip
    if plan.loudness_lufs is not None:
        aims = {-23.0: "EBU R 128", -24.0: "ATSC A/85"}
        yield Setting(
            f"{place}.loudness_lufs", sheet, "Loudness", db(plan.loudness_lufs), f"LUFS, {aims.get(plan.loudness_lufs, 'an aim of the house')}",
            _number(-70, 0, "LUFS"), ("−23", "−24", "−16"),
        )  # fmt: skip
    if plan.true_peak_dbtp is not None:
        yield Setting(
            f"{place}.true_peak_dbtp",
            sheet,
            "True peak",
            db(plan.true_peak_dbtp),
            "dBTP at most",
            _number(-40, 0, "dBTP"),
            ("−1", "−2", "−3"),
        )


def _sound(t: Template) -> Iterator[Setting]:
    yield from _sound_rows("sound", "sound", t.sound, "bit_depth")
    yield Setting(
        "sound.correct_pitch", "sound", "Correct pitch", _named(_YES, t.sound.correct_pitch), "where material is played at another speed",
        _one_of(_YES, "answer"), tuple(_YES), free=False,
    )  # fmt: skip


def _start(place: str, sheet: str, start: str, drop: bool, rate: Fraction) -> Setting:
    def parse(text: str) -> str:
        cleaned = text.strip().replace(";", ":")
        parsed(cleaned, drop, rate)
        return cleaned

    try:
        code = parsed(start, drop, rate)
        follows = f"{float(code.seconds):.0f} s after midnight"
    except QuarryError as error:
        follows = error.what
    return Setting(place, sheet, "Start", start, follows, parse, ("10:00:00:00", "01:00:00:00", "00:00:00:00"))


def _drop(place: str, sheet: str, drop: bool, rate: Fraction) -> Setting:
    exists = can_drop(rate)
    follows = (
        ("numbers are skipped, never pictures" if drop else drift_text(rate))
        if exists
        else f"does not exist at {rate_text(rate)}"
    )
    return Setting(
        place, sheet, "Drop-frame", _named(_YES, drop), follows, _one_of(_YES, "answer"), tuple(_YES), free=False,
        explained="Drop-frame leaves out two numbers (four at 59.94) each minute but the tenth, so that count and clock agree.",
    )  # fmt: skip


def _timecode(t: Template) -> Iterator[Setting]:
    rate, plan = t.working.format.rate, t.timecode
    yield _start("timecode.start", "timecode", plan.start, plan.drop, rate)
    drop = _drop("timecode.drop", "timecode", plan.drop, rate)
    yield Setting(
        drop.place,
        drop.sheet,
        drop.label,
        drop.text,
        drop.follows,
        drop.parse,
        drop.choices,
        drop.free,
        drop.explained,
        locked=True,
    )
    yield Setting(
        "timecode.line_up_lead_s",
        "timecode",
        "Line-up before",
        str(plan.line_up_lead_s),
        "s before the programme",
        _number(0, 600, "s", whole=True),
    )
    yield Setting(
        "timecode.line_up_length_s", "timecode", "Line-up length", str(plan.line_up_length_s),
        f"s of bars and tone, {counting_base(rate) * plan.line_up_length_s} frames", _number(1, 300, "s", whole=True),
    )  # fmt: skip


def _places(t: Template) -> Iterator[Setting]:
    purposes = {"Work": "work", "Cache": "cache", "Stills": "stills", "Capture": "capture"}
    disks = {name.capitalize(): name for name in ("not known", "internal", "external", "network", "system")}
    for p in t.places:
        place, sheet = f"places.{p.id}", "places"
        yield Setting(f"{place}.name", sheet, "Name", p.name, f"for {p.purpose}", _any_text)
        yield Setting(
            f"{place}.purpose",
            sheet,
            "Purpose",
            p.purpose.capitalize(),
            "what is kept there",
            _one_of(purposes, "purpose"),
            tuple(purposes),
            free=False,
        )
        yield Setting(f"{place}.path", sheet, "Path", p.path, "a whole path, the same in every room", _any_text)
        yield Setting(
            f"{place}.disk",
            sheet,
            "Disk",
            p.disk.capitalize(),
            "never the system disk",
            _one_of(disks, "kind of disk"),
            tuple(disks),
            free=False,
        )
        speed = "" if p.plays_mb_s is None else f"{p.plays_mb_s:g}"
        yield Setting(
            f"{place}.plays_mb_s", sheet, "Plays", speed, "MB/s, as measured or promised",
            _or_nothing(_number(0.1, 100000, "MB/s")),
        )  # fmt: skip


def label_of(template: Template, place: str) -> str:
    """Return a place in words a person knows: "Estuary cameras · Frame rate"."""
    sheet_names = {"working": "Working", "intermediate": "Intermediate", "proxy": "Proxy", "monitor": "Monitor"}
    for setting in _all(template):
        if setting.place == place and setting.label not in ("Picture aspect",):
            head = setting.sheet
            if ":" in head or head == "places":
                owner = value_at(template, ".".join(place.split(".")[:2]))
                head = owner.name
            return f"{sheet_names.get(head, head[:1].upper() + head[1:])} · {setting.label}"
    words = [part.replace("_", " ") for part in place.split(".")]
    try:
        value = value_at(template, place)
        if getattr(value, "name", None):
            return f"{words[0].capitalize()} · {value.name}"
    except QuarryError:
        pass
    return " · ".join(words).capitalize()

"""The settings of a signal format, of a link's policy and of a codec."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from idle_quarry.path.codecs import cannot_hold, gb_per_hour, mbps
from idle_quarry.path.policies import DEFAULT_POLICY, Policy, parts
from idle_quarry.path.registry import codecs, territories
from idle_quarry.path.settings.setting import (
    ORDER_NAMES,
    SCAN_NAMES,
    WHY_LOCKED,
    Parse,
    Setting,
    any_text,
    named,
    number,
    one_of,
)
from idle_quarry.path.template_parts import ClipException
from idle_quarry.signal.catalogue import standard_formats, standard_of, territories_of_rate
from idle_quarry.signal.colour import MATRICES, PRIMARIES, TRANSFERS, gamut_outside
from idle_quarry.signal.formats import SignalFormat
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
from idle_quarry.signal.rates import NAMED_RATES, rate_from_text, rate_text
from idle_quarry.signal.timecode import can_drop
from idle_quarry.signal.words import format_from_words, format_words


def format_settings(place: str, sheet: str, fmt: SignalFormat, locked: bool = False) -> Iterator[Setting]:
    """Yield the settings of a signal format at `place`, on a sheet."""
    e, raster = fmt.encoding, fmt.raster
    standard = standard_of(fmt)
    yield Setting(
        place,
        sheet,
        "Format",
        format_words(fmt),
        standard.source.split(";")[0] if standard else "no standard's format",
        format_from_words,
        tuple(standard_format.words for standard_format in standard_formats()),
        explained="The whole format in words: lines, p, i or psf, frames a second, and what differs from the standard.",
    )
    yield Setting(
        f"{place}.raster",
        sheet,
        "Raster",
        raster.size_text,
        _raster_follows(raster),
        _raster_beside(raster),
        tuple(f"{w} × {h}" for w, h in NAMED),
        locked=WHY_LOCKED["raster"] if locked else "",
    )
    if raster.line_system is not None and raster.width == 720:
        options = {
            f"{aspect_text(aspect)} over {samples}": Raster(
                720, raster.height, sd_pixel_aspect(raster.height, aspect, samples)
            )
            for aspect in (FOUR_THREE, SIXTEEN_NINE)
            for samples in LINE_CONVENTIONS[raster.height]
        }
        current = next((key for key, value in options.items() if value == raster), aspect_text(raster.display_aspect))
        yield Setting(
            f"{place}.raster",
            sheet,
            "Picture aspect",
            current,
            f"pixel aspect {float(raster.pixel_aspect):.4f}",
            one_of(options, "picture aspect"),
            tuple(options),
            free=False,
            explained=(
                "SD lines have 720 samples, but the picture fills 702 of 576 lines, 711 of 486, 704 of 480; others"
                " count it over 720."
            ),
        )
    yield Setting(
        f"{place}.rate",
        sheet,
        "Frame rate",
        rate_text(fmt.rate),
        _rate_follows(fmt),
        rate_from_text,
        tuple(NAMED_RATES),
        locked=WHY_LOCKED["rate"] if locked else "",
        explained="Whole frames a second, also where pictures are interlaced.",
    )
    fields = f"{rate_text(fmt.rate * 2)} fields/s" if fmt.scan == "interlaced" else ""
    psf = "whole pictures, sent as two segments" if fmt.scan == "psf" else ""
    yield Setting(
        f"{place}.scan",
        sheet,
        "Scan",
        named(SCAN_NAMES, fmt.scan),
        fields or psf or "whole pictures",
        one_of(SCAN_NAMES, "scan"),
        tuple(SCAN_NAMES),
        free=False,
        locked=WHY_LOCKED["scan"] if locked else "",
        explained=(
            "PsF: progressive segmented frame, a whole picture that travels as two halves under an interlaced flag."
        ),
    )
    if fmt.scan == "interlaced" and fmt.field_order:
        yield Setting(
            f"{place}.field_order",
            sheet,
            "Field order",
            named(ORDER_NAMES, fmt.field_order),
            "the half of the lines that is earlier",
            one_of(ORDER_NAMES, "field order"),
            tuple(ORDER_NAMES),
            free=False,
            locked=WHY_LOCKED["field_order"] if locked else "",
        )
    chroma = {
        "4:1:1": "chroma quartered across",
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
        one_of({s: s for s in chroma}, "sampling"),
        tuple(chroma),
        free=False,
    )
    yield Setting(
        f"{place}.bit_depth",
        sheet,
        "Bit depth",
        str(e.bit_depth),
        f"{e.levels.codes} luma codes",
        one_of(
            {"8": 8, "10": 10, "12": 12, "16": 16, "8 bit": 8, "10 bit": 10, "12 bit": 12, "16 bit": 16}, "bit depth"
        ),
        ("8", "10", "12", "16"),
        free=False,
    )
    levels = Levels(e.bit_depth, e.range == "narrow")
    yield Setting(
        f"{place}.range",
        sheet,
        "Range",
        e.range.capitalize(),
        f"black {levels.black}, white {levels.white}",
        one_of({"Narrow": "narrow", "Full": "full"}, "range"),
        ("Narrow", "Full"),
        free=False,
        explained="Narrow range keeps room below black and above white; full range uses every code.",
    )
    primaries = {value.label: key for key, value in PRIMARIES.items()}
    yield Setting(
        f"{place}.primaries",
        sheet,
        "Primaries",
        PRIMARIES[e.primaries].label,
        _primaries_follows(e.primaries),
        one_of(primaries, "primaries"),
        tuple(primaries),
        free=False,
    )
    transfers = {value[0]: key for key, value in TRANSFERS.items()}
    yield Setting(
        f"{place}.transfer",
        sheet,
        "Transfer",
        TRANSFERS[e.transfer][0],
        TRANSFERS[e.transfer][2],
        one_of(transfers, "transfer"),
        tuple(transfers),
        free=False,
    )
    matrices = {value[0]: key for key, value in MATRICES.items()}
    red, blue = MATRICES[e.matrix][1:3]
    yield Setting(
        f"{place}.matrix",
        sheet,
        "Matrix",
        MATRICES[e.matrix][0],
        f"luma is {red:g} R + {1 - red - (blue or 0):.4g} G + {blue:g} B" if red else "R, G and B as they are",
        one_of(matrices, "matrix"),
        tuple(matrices),
        free=False,
    )


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
    text += ", drop-frame possible" if can_drop(fmt.rate) else ", no drop-frame"
    used = territories_of_rate(fmt.rate)[0]
    called = territories()[used].called if used in territories() else ""
    return f"{text}; {used}{f', {called} countries' if called else ''}"


def _primaries_follows(name: str) -> str:
    if name == "bt2020":
        return "the widest here"
    inside = 1 - gamut_outside("bt2020", name)
    return f"{inside:.0%} of BT.2020 in u′v′".replace("%", " %")


def policy_settings(place: str, sheet: str, policy: Policy) -> Iterator[Setting]:
    """Yield the settings of a link's policy."""
    weighed = policy.mix != DEFAULT_POLICY.mix
    for name in parts():
        if name != "mix" or weighed or policy.retime == "blend":  # how a mix is weighed, where there is one
            yield policy_setting(place, sheet, policy, name)
    if weighed:
        follows = f"° of an output picture's time, {policy.shutter / 360:.3g} of it"
        yield Setting(
            f"{place}.shutter",
            sheet,
            "Shutter",
            f"{policy.shutter:g}",
            follows,
            number(10, 720, "°"),
            ("180", "270", "360"),
        )
    yield zoom_setting(place, sheet, policy)


def exception_settings(place: str, sheet: str, excepted: ClipException) -> Iterator[Setting]:
    """Yield the settings of a clip that is converted otherwise: what odd material is most often odd in."""
    for name in ("fit", "position", "scan"):
        setting = policy_setting(f"{place}.policy", sheet, excepted.policy, name)
        yield replace(setting, label=f"{setting.label}: {excepted.clip}")
    yield zoom_setting(f"{place}.policy", sheet, excepted.policy, f"Zoom: {excepted.clip}")


def zoom_setting(place: str, sheet: str, policy: Policy, label: str = "Zoom") -> Setting:
    """Return the setting of how much larger than it fits a picture is made."""
    text = f"{policy.zoom:g}"
    return Setting(f"{place}.zoom", sheet, label, text, "% of the size that fit gives", number(10, 1000, "%"))


def policy_setting(place: str, sheet: str, policy: Policy, name: str) -> Setting:
    """Return the setting of one part of a link's policy."""
    part = parts()[name]
    chosen = part[getattr(policy, name)]
    options = {method.label: method.id for method in part.method}
    parse = one_of(options, part.name.lower())
    return Setting(f"{place}.{name}", sheet, part.name, chosen.label, chosen.short, parse, tuple(options), free=False)


def codec_follows(codec_id: str, fmt: SignalFormat) -> str:
    """Return a codec's data rate for a format in words, or why it cannot hold it."""
    codec = codecs()[codec_id]
    refused = cannot_hold(codec, fmt)
    if refused:
        return f"cannot hold it: {refused[0]}"
    rate = mbps(codec, fmt)
    return f"{rate:.0f} Mb/s, {gb_per_hour(rate):.0f} GB an hour"


def codec_setting(place: str, sheet: str, codec: str, fmt: SignalFormat) -> Setting:
    """Return the setting that chooses a codec for `fmt`, offering those that can hold it."""
    return Setting(
        place,
        sheet,
        "Codec",
        codec,
        codec_follows(codec, fmt),
        any_text,
        names="codec",
        holds=fmt,
        explained=(
            "Made for work, and what the place can play: the right one is the best the storage plays, not the biggest."
        ),
    )

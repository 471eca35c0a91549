"""Where a clip's declarations and its pictures part, a sentence each, with what it would do to the picture."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

from idle_quarry.media.declared import DeclaredProperties
from idle_quarry.media.measurement.results import Disagreement, Fields, Measurement, Stretch
from idle_quarry.signal.colour import MATRICES
from idle_quarry.signal.formats import ORDER_WORDS, SignalFormat
from idle_quarry.signal.levels import Levels
from idle_quarry.signal.rasters import FOUR_THREE, default_pixel_aspect
from idle_quarry.signal.rates import rate_fraction_text, rate_text
from idle_quarry.signal.timecode import can_drop

#: A share by which time stamps must differ from the declared rate to be another rate: 29.97 and 30 differ by 0.001.
_OTHER_RATE = Fraction(1, 2500)


def disagreements(
    declared: DeclaredProperties, fmt: SignalFormat | None, measured: Measurement
) -> tuple[Disagreement, ...]:
    """Return where `declared` (and the format taken from it) and `measured` part, gravest first."""
    results = [
        *_changes(declared, measured),
        *_scan(declared, measured),
        *_rate(declared, measured),
        *_levels(declared, fmt, measured),
        *_shape(declared),
        *_timecode(declared, measured),
    ]
    return tuple(sorted(results, key=lambda disagreement: not disagreement.grave))


def measured_format(fmt: SignalFormat | None, measured: Measurement) -> SignalFormat | None:
    """Return the signal format as the pictures show it: the declared one with scan, field order and range as
    measured.
    """
    if fmt is None or measured.fields is None:
        return fmt
    fields = measured.fields
    scan, order = fmt.scan, fmt.field_order
    if fields.scan in ("interlaced", "pulldown") and fmt.rate <= 30:
        scan, order = "interlaced", fields.field_order
    elif fields.scan == "psf":
        scan, order = "psf", fmt.field_order or "top"
    elif fields.scan == "progressive":
        scan, order = "progressive", None
    encoding = fmt.encoding
    seen = measured.levels.range if measured.levels is not None else None
    if seen is not None and encoding.matrix != "rgb" and seen != encoding.range:
        fmt = fmt.with_encoding(range=seen)
    rate = measured.variable.fixed if measured.variable is not None else fmt.rate
    return SignalFormat(fmt.raster, rate, scan, order, fmt.encoding)


def _order(order: str | None) -> str:
    return ORDER_WORDS.get(order or "", "no field order")


def _perhaps(fields: Fields, text: str) -> str:
    return text if fields.confidence >= 0.9 else f"Probably, not surely: {text[0].lower()}{text[1:]}"


def _changes(declared: DeclaredProperties, measured: Measurement) -> Iterator[Disagreement]:
    for item in measured.changes[:1]:
        more = len({change.what for change in measured.changes})
        also = "" if more == 1 else " (and it changes in other ways too)"
        is_now = f"its {item.what} is {item.becomes}, not {item.was}"
        if item.what == "colour":
            is_now = "its pictures say another colour than before"
        text = (
            f"From frame {item.frame} on {is_now}{also}: only what lies before is measured. Cut it there and take the"
            " parts by themselves."
        )
        yield Disagreement("raster" if item.what == "raster" else "matrix", item.was, item.becomes, text)


def _scan(declared: DeclaredProperties, measured: Measurement) -> Iterator[Disagreement]:
    fields = measured.fields
    if fields is None or fields.scan == "undetermined":
        return
    if fields.scan == "mixed":
        parts = ", then ".join(_stretch(stretch) for stretch in fields.stretches)
        text = f"It changes on the way: {parts}. No one setting fits all of it."
        yield Disagreement("scan", declared.scan, "mixed", _perhaps(fields, text))
        return
    if fields.scan == "pulldown":
        pictures = rate_text(fields.true_rate) if fields.true_rate else "fewer"
        text = (
            f"{fields.cadence} pulldown: {pictures} pictures a second spread over fields, {_order(fields.field_order)}."
            " Deinterlaced it would judder and lose sharpness; taken out of its cadence it loses nothing."
        )
        yield Disagreement("scan", declared.scan, "pulldown", _perhaps(fields, text))
    elif fields.scan == "psf" and declared.scan == "interlaced":
        text = (
            "The flags say interlaced, but the pictures are whole (PsF): deinterlacing this would halve its vertical "
            "sharpness needlessly."
        )
        yield Disagreement("scan", "interlaced", "psf", _perhaps(fields, text))
    elif fields.scan == "interlaced" and declared.scan == "progressive":
        text = (
            f"The flags say progressive, but every frame holds two moments, {_order(fields.field_order)}: scaled or "
            "shown as it is, movement would tear into combs."
        )
        yield Disagreement("scan", "progressive", "interlaced", _perhaps(fields, text))
    if fields.field_order and declared.field_order and fields.field_order != declared.field_order:
        text = (
            f"The flags say {_order(declared.field_order)}, but movement runs {_order(fields.field_order)}: shown as "
            "flagged, everything that moves would jump forward and back."
        )
        yield Disagreement("field_order", declared.field_order, fields.field_order, _perhaps(fields, text))


def _stretch(stretch: Stretch) -> str:
    kind = stretch.scan if stretch.cadence is None else f"{stretch.cadence} {stretch.scan}"
    order = f" ({_order(stretch.field_order)})" if stretch.field_order else ""
    return f"{kind}{order} from frame {stretch.start}"


def _rate(declared: DeclaredProperties, measured: Measurement) -> Iterator[Disagreement]:
    fields, rate = measured.fields, declared.rate
    if rate is None:
        return
    if (varies := measured.variable) is not None:
        text = (
            f"Its pictures come at a variable rate: {varies.words}. At a fixed {rate_text(varies.fixed)}, about"
            f" {varies.repeated_a_minute:.0f} pictures a minute would be repeated and {varies.dropped_a_minute:.0f}"
            " dropped."
        )
        yield Disagreement("rate", rate_fraction_text(rate), "variable", text)
        return
    if fields is not None and fields.scan in ("progressive", "psf") and fields.true_rate and fields.true_rate != rate:
        if fields.cadence == "2:2":
            how = "each is shown twice"
        elif fields.cadence is not None:
            how = f"they are held {fields.cadence.replace(':', ', ')} in turn"
        else:
            how = f"{fields.repeated_frames * 100:.1f} % repeat the one before"
        text = (
            f"{rate_text(rate)} pictures a second are declared, but {how}: only {rate_text(fields.true_rate)} are "
            "real. Kept as it is, it carries pictures twice; halved or retimed without regard to them, it judders."
        )
        yield Disagreement(
            "rate", rate_fraction_text(rate), rate_fraction_text(fields.true_rate), _perhaps(fields, text)
        )
    stamped = measured.stamped_rate
    if stamped is not None and abs(stamped / rate - 1) > _OTHER_RATE:
        text = (
            f"The header says {rate_text(rate)} frames a second, the pictures' time stamps {rate_text(stamped)}: by "
            f"the header it would run {abs(float(rate / stamped) - 1) * 100:.2g} % "
            f"{'fast' if rate > stamped else 'slow'} against its sound."
        )
        yield Disagreement("rate", rate_fraction_text(rate), rate_fraction_text(stamped), text)


def _levels(declared: DeclaredProperties, fmt: SignalFormat | None, measured: Measurement) -> Iterator[Disagreement]:
    measurement = measured.levels
    if measurement is None or fmt is None or fmt.encoding.matrix == "rgb":
        return
    assumed = fmt.encoding.range
    words = "is tagged" if declared.range else "says nothing and is taken as"
    if measurement.range is not None and measurement.range != assumed:
        levels = Levels(measurement.luma.bits, True)
        share = (measurement.luma.below_black + measurement.luma.above_white) * 100
        if measurement.range == "full":
            text = (
                f"It {words} {assumed} range, but {share:.1f} % of its luma codes lie outside {levels.black} to"
                f" {levels.white}, down to {measurement.luma.minimum} and up to {measurement.luma.maximum}: it is full"
                " range. Taken as tagged, shadows and highlights would be clipped and contrast raised."
            )
        else:
            text = (
                f"It is tagged full range, but its blacks gather at {levels.black} and nothing lies below: it is "
                "narrow range. Taken as tagged, blacks would be grey and whites dull."
            )
        yield Disagreement("range", declared.range, measurement.range, text)
    if measurement.bars_matrix is not None and measurement.bars_matrix != fmt.encoding.matrix:
        how = "decoded as declared" if declared.matrix else "which is taken where a file is silent; so decoded"
        text = (
            f"Its colour bars fit the matrix {MATRICES[measurement.bars_matrix][0]}, not "
            f"{MATRICES[fmt.encoding.matrix][0]}{': ' if declared.matrix else ', '}{how}, greens and reds would shift."
        )
        yield Disagreement("matrix", declared.matrix, measurement.bars_matrix, text)
    if measurement.significant_bits < declared.bit_depth and measured.frames_examined > 1:
        text = (
            f"The file has {declared.bit_depth} bits a sample, but the lowest"
            f" {declared.bit_depth - measurement.significant_bits} are always 0: it holds"
            f" {measurement.significant_bits} bits, and bands where {declared.bit_depth} would not."
        )
        yield Disagreement("bit_depth", declared.bit_depth, measurement.significant_bits, text, grave=False)


def _shape(declared: DeclaredProperties) -> Iterator[Disagreement]:
    """Rasters that no standard has with square samples, in files that say the samples are square."""
    if declared.sample_aspect != 1 or not declared.has_picture:
        return
    standard = default_pixel_aspect(declared.width, declared.height, FOUR_THREE)
    thin = (declared.width, declared.height) in ((1440, 1080), (1280, 1080), (960, 720))
    if thin:
        standard = default_pixel_aspect(declared.width, declared.height)
    if standard == 1 or not (thin or declared.height in (480, 486, 576)):
        return
    text = (
        f"The file says its samples are square, but {declared.width} × {declared.height} has samples of "
        f"{standard.numerator}:{standard.denominator}: shown as tagged, circles would be eggs."
    )
    yield Disagreement("sample_aspect", "1/1", f"{standard.numerator}/{standard.denominator}", text)


def _timecode(declared: DeclaredProperties, measured: Measurement) -> Iterator[Disagreement]:
    if declared.drop_frame and declared.rate is not None and not can_drop(declared.rate):
        text = (
            f"The timecode is marked drop-frame, but there is none at {rate_text(declared.rate)}: counted as marked, it"
            " would leave out numbers that exist."
        )
        yield Disagreement("drop_frame", True, False, text, grave=False)
    if measured.timecode_breaks:
        first = measured.timecode_breaks[0]
        more = f", and {len(measured.timecode_breaks) - 1} more" if len(measured.timecode_breaks) > 1 else ""
        text = (
            f"The timecode jumps at frame {first.frame}, from {first.expected} to {first.found}{more}: cuts found by "
            "number after it would be found in the wrong place."
        )
        yield Disagreement("timecode", first.expected, first.found, text, grave=False)

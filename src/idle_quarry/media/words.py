"""What was measured in a clip, in words: for the command line, the report and the window."""

from __future__ import annotations

from idle_quarry.media.clip import Clip
from idle_quarry.media.measurement.levels import R103_AREA
from idle_quarry.media.measurement.results import Fields, LevelsMeasurement
from idle_quarry.signal.formats import ORDER_WORDS
from idle_quarry.signal.levels import Levels
from idle_quarry.signal.rasters import aspect_text
from idle_quarry.signal.rates import rate_text


def fields_text(fields: Fields | None) -> str:
    """Return what the fields are, in a few words."""
    if fields is None:
        return ""
    if fields.scan == "undetermined":
        return "too little moves to tell"
    if fields.scan == "mixed":
        return "mixed: " + ", ".join(
            f"{s.cadence + ' ' if s.cadence else ''}{s.scan} from {s.start}" for s in fields.stretches
        )
    words = {"psf": "PsF"}.get(fields.scan, fields.scan)
    if fields.cadence:
        words = f"{fields.cadence} {words}" if fields.scan == "pulldown" else f"{words}, held {fields.cadence}"
    return f"{words}, {ORDER_WORDS[fields.field_order]}" if fields.field_order else words


def moments_text(fields: Fields | None) -> str:
    """Return how many moments a second there really are, "" where that is unknown."""
    if fields is None or fields.true_rate is None:
        return ""
    return f"{rate_text(fields.true_rate)} moments/s"


def sureness(fields: Fields) -> str:
    """Return how sure a verdict is, in words and per cent."""
    word = "sure" if fields.confidence >= 0.9 else "likely" if fields.confidence >= 0.7 else "not sure"
    return f"{word} ({fields.confidence * 100:.0f} %)"


def active_text(clip: Clip) -> str:
    """Return where the picture lies in the raster, "" where it fills it."""
    if clip.measured is None or clip.measured.active is None:
        return ""
    a, d = clip.measured.active, clip.declared
    if (a.width, a.height) == (d.width, d.height):
        return f"half a line is blank ({a.half_line})" if a.half_line else ""
    if d.height in (480, 486, 576) and d.width == 720 and a.width >= 700 and a.height >= d.height - 4:
        text = f"{a.width} of 720 samples hold picture, from {a.x}: blanking edges as BT.601 has them"
    else:
        shape = aspect_text(a.width * d.sample_aspect / a.height)
        kind = "letterbox" if a.height < d.height and a.width == d.width else "pillarbox"
        kind = "window" if a.height < d.height and a.width < d.width else kind
        text = f"{kind}: {a.width} × {a.height} at {a.x}, {a.y}, a picture of {shape}"
    return f"{text}; half a line is blank ({a.half_line})" if a.half_line else text


def levels_lines(measurement: LevelsMeasurement | None) -> list[str]:
    """Return what is worth knowing of the levels, a sentence each."""
    if measurement is None:
        return []
    luma = measurement.luma
    levels = Levels(luma.bits, True)
    if measurement.chroma_minimum is None and measurement.outside_gamut is None:
        return [f"luma {luma.minimum} to {luma.maximum} at {luma.bits} bits"]
    lines = [f"luma {luma.minimum} to {luma.maximum} at {luma.bits} bits"]
    if measurement.range != "full":
        if luma.above_white > 5e-4:
            lines.append(f"super-white: {luma.above_white * 100:.2g} % of samples above {levels.white}")
        if luma.below_black > 5e-4:
            lines.append(f"sub-black: {luma.below_black * 100:.2g} % of samples below {levels.black}")
    if measurement.outside_gamut is not None and measurement.outside_gamut > R103_AREA:
        lines.append(
            f"{measurement.outside_gamut * 100:.2g} % of a picture is outside the RGB gamut (EBU R 103 lets 1 %)"
        )
    return lines


def measured_lines(clip: Clip) -> list[str]:
    """Return everything measured in a clip, a line each."""
    measured = clip.measured
    if measured is None:
        return [f"not measured: {clip.trouble}"] if clip.trouble else []
    lines: list[str] = []
    if measured.fields is not None:
        moments = moments_text(measured.fields)
        lines.append(", ".join(p for p in (fields_text(measured.fields), moments, sureness(measured.fields)) if p))
        if measured.variable is not None:
            lines.append(f"variable rate: {measured.variable.words}")
        if measured.fields.breaks:
            lines.append("the cadence breaks at " + ", ".join(f"frame {n}" for n in measured.fields.breaks[:6]))
    if active := active_text(clip):
        lines.append(active)
    lines += levels_lines(measured.levels)
    for number, measurement in enumerate(measured.sound, 1):
        name = f"sound {number}" if len(measured.sound) > 1 else "sound"
        if measurement is None:
            lines.append(f"{name} could not be decoded")
            continue
        lines.append(f"{name}: {measurement.loudness_words()}")
        lines += [f"{name}: {text}" for text in measurement.sentences()]
    if measured.damaged:
        lines.append(f"{measured.damaged} damaged pictures passed over")
    return lines

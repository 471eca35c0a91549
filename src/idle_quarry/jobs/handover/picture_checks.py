"""What is checked of a file's wrapping and pictures: a function a check, see `check_table`."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from fractions import Fraction

from idle_quarry.jobs.handover.checks import (
    FAILS,
    LOOK,
    NOT_CHECKED,
    PASSES,
    CheckedFile,
    Outcome,
    agrees,
    by_limit,
    limit_words,
    times,
    worst,
)
from idle_quarry.jobs.handover.codec_known import differs, wrapped_as
from idle_quarry.media.whole.flashes import MOST
from idle_quarry.media.whole.picture_measurement import FieldsRun, FrameSpan
from idle_quarry.path.entries.delivery import DeliverySpec, Limit
from idle_quarry.path.grades import percent
from idle_quarry.path.registry import codecs
from idle_quarry.path.template_parts import Delivery
from idle_quarry.signal.colour import is_hdr
from idle_quarry.signal.rates import rate_text

#: A field structure that holds for less than so many seconds at a cut is none.
_LEAST_S = 0.5


def wrapping(delivery: Delivery, spec: DeliverySpec | None) -> str:
    """Return the suffix that is wanted: the spec's wrapping, else the codec's first container."""
    return spec.wrapper if spec is not None and spec.wrapper else codecs()[delivery.codec].containers[0]


def container(file: CheckedFile) -> Outcome:
    """Hold the wrapping against the one that is wanted."""
    wanted, result = (
        wrapping(file.delivery, file.spec),
        wrapped_as(file.clip.declared, file.path),
    )
    text = f"wrapped as {result}" + ("" if result == wanted else f"; {wanted} is wanted")
    return Outcome(wanted, result, agrees(result == wanted), text)


def codec(file: CheckedFile) -> Outcome:
    """Hold codec, profile, sampling, depth and data rate against the delivery's codec."""
    codec, declared = codecs()[file.delivery.codec], file.clip.declared
    text = f"{declared.codec}{f' {declared.profile}' if declared.profile else ''}"
    wrong, doubts = differs(codec, file.delivery.format, declared, file.measurement.size)
    verdict = FAILS if wrong else LOOK if doubts else PASSES
    return Outcome(codec.name, text, verdict, "; ".join([*wrong, *doubts]) or text)


def raster(file: CheckedFile) -> Outcome:
    """Hold samples and lines against the delivery's, and say where they change on the way."""
    declared, fmt = file.clip.declared, file.delivery.format
    wanted, text = f"{fmt.raster.width} × {fmt.raster.height}", f"{declared.width} × {declared.height}"
    kinds = file.measurement.pictures.kinds
    if wanted != text:
        return Outcome(wanted, text, FAILS, f"{text}; {wanted} is wanted")
    if len(kinds) > 1:
        return Outcome(wanted, text, FAILS, f"pictures change on the way: {', '.join(kinds)}")
    return Outcome(wanted, text, PASSES, text)


def rate(file: CheckedFile) -> Outcome:
    """Hold the frame rate against the delivery's."""
    declared, fmt = file.clip.declared, file.delivery.format
    wanted, text = rate_text(fmt.rate), rate_text(declared.rate) if declared.rate else "none"
    same = declared.rate == fmt.rate
    return Outcome(wanted, text, agrees(same), text if same else f"{text}; {wanted} is wanted")


def _runs(file: CheckedFile) -> list[FieldsRun]:
    """Return the programme's runs of fields, without those that are too short where there are longer ones."""
    runs = [run for run in file.measurement.pictures.fields if file.in_programme(run.first, run.last)]
    return [run for run in runs if run.last - run.first >= _LEAST_S * file.rate] or runs


def _unknown(runs: Sequence[FieldsRun]) -> bool:
    """Return whether too little moves to tell anything of fields."""
    return not runs or all(run.scan == "undetermined" for run in runs)


def scan(file: CheckedFile) -> Outcome:
    """Hold the programme's fields or whole pictures against what is wanted."""
    fmt, runs = file.delivery.format, _runs(file)
    if _unknown(runs):
        return Outcome(fmt.scan, "undetermined", LOOK, "too little moves to tell fields from whole pictures")
    wanted = "progressive" if fmt.scan in ("progressive", "psf") else "interlaced"
    result = ", ".join(dict.fromkeys(run.scan for run in runs)) or "undetermined"
    # whole pictures in an interlaced format are PsF, and film is pulled down in it: somebody looks whether it is meant
    wrong = [(run.first, run.last) for run in runs if run.scan != wanted]
    whole = wanted == "interlaced" and all(run.scan in ("interlaced", "progressive", "pulldown") for run in runs)
    verdict = PASSES if not wrong else LOOK if whole else FAILS
    text = f"{result}; {fmt.scan} is wanted" if wrong else f"{result} throughout"
    return Outcome(fmt.scan, result, verdict, f"{text}, {_sureness(file)}", wrong)


def field_order(file: CheckedFile) -> Outcome:
    """Hold the order of fields, as pictures show it, against what is wanted."""
    fmt, runs = file.delivery.format, _runs(file)
    interlaced = fmt.scan == "interlaced"
    if _unknown(runs):
        verdict = LOOK if interlaced else PASSES
        return Outcome(fmt.field_order, None, verdict, "too little moves to tell the order of fields")
    orders = sorted({run.field_order for run in runs if run.field_order})
    result = "/".join(orders) or None
    if not interlaced:
        return Outcome(None, result, PASSES, "whole pictures have no order of fields")
    turned = [(run.first, run.last) for run in runs if run.field_order not in (None, fmt.field_order)]
    named = {"top": "upper field first", "bottom": "lower field first"}
    text = " and ".join(named[order] for order in orders) or "no fields"
    if turned:
        text = f"{text}; {named[str(fmt.field_order)]} is wanted"
    return Outcome(fmt.field_order, result, agrees(not turned), f"{text}, {_sureness(file)}", turned)


def _sureness(file: CheckedFile) -> str:
    return f"{percent(file.measurement.pictures.confidence)} sure"


def cadence(file: CheckedFile) -> Outcome:
    """Hold the pulldown found in the programme against what is wanted."""
    runs = [(run.first, run.last, run.cadence) for run in _runs(file)]
    wanted = file.delivery.cadence or None
    results = list(dict.fromkeys(name for _, _, name in runs))
    wrong = [(first, last) for first, last, name in runs if name != wanted]
    words = ", ".join(name or "none" for name in results) or "none"
    text = f"cadence {words}" if not wrong else f"cadence {words}; {wanted or 'none'} is wanted"
    # a source shot at another rate is held by a cadence where the template asks for none: somebody must have meant it
    verdict = PASSES if not wrong else LOOK if wanted is None else FAILS
    return Outcome(wanted, words if results != [None] else None, verdict, text, wrong)


def aspect(file: CheckedFile) -> Outcome:
    """Hold the shape in which pictures are shown against the delivery's."""
    raster, declared = file.delivery.format.raster, file.clip.declared
    wanted, value = Fraction(raster.display_aspect), declared.display_aspect
    near = abs(float(value / wanted) - 1) < 0.01 if wanted else False
    text = f"{float(value):.3f}"
    return Outcome(
        f"{float(wanted):.3f}",
        text,
        agrees(near),
        f"shown {text} wide to 1 high" if near else f"shown {text} wide to 1 high; {float(wanted):.3f} is wanted",
    )


def active_picture(file: CheckedFile, limit: Limit) -> Outcome:
    """Hold where picture lies against the active format that is wanted."""
    raster, active = file.delivery.format.raster, file.measurement.pictures.active
    wanted = file.delivery.active_format or "full frame"
    if active is None:
        return Outcome(wanted, None, LOOK, "all is black: where the picture lies cannot be told")
    x, y, width, height = active
    results = {"x": x, "y": y, "width": width, "height": height}
    lacks = 100 * (1 - min(width / raster.width, height / raster.height))
    shape = float(raster.display_aspect) * (width / raster.width) / (height / raster.height)
    shapes = {"4:3 centre": 4 / 3, "14:9 centre": 14 / 9, "16:9 letterbox": 16 / 9}
    off = 100 * abs(shape / shapes[wanted] - 1) if wanted in shapes else lacks
    verdict = by_limit(off, limit)
    text = f"picture from {x}, {y}, {width} × {height}"
    return Outcome(wanted, results, verdict, text if verdict == PASSES else f"{text}; {wanted} is wanted")


def code_range(file: CheckedFile, limit: Limit) -> Outcome:
    """Hold code values against the range that is wanted."""
    pictures, wanted = file.measurement.pictures, file.delivery.format.encoding.range
    results = {
        "min": pictures.lowest,
        "max": pictures.highest,
        "below_black": round(pictures.below, 6),
        "above_white": round(pictures.above, 6),
    }
    unit = 1 << (pictures.bits - 8)
    text = (
        f"codes {pictures.lowest} to {pictures.highest} at {pictures.bits} bits; {percent(pictures.below)} below −1 %,"
        f" {percent(pictures.above)} above 103 %"
    )
    if wanted != "narrow" or file.delivery.format.encoding.matrix == "rgb":
        return Outcome(wanted, results, PASSES, text)
    full = (
        pictures.lowest < 8 * unit
        and pictures.highest > 244 * unit
        and pictures.below > 0.002
        and pictures.above > 0.002
    )
    if full:
        return Outcome(wanted, results, FAILS, f"{text}: that is full range")
    verdict = by_limit(100 * max(pictures.below, pictures.above), limit)
    if verdict != PASSES:
        text = f"{text} ({limit_words(limit, ' %')})"
    return Outcome(wanted, results, verdict, text)


def luma(file: CheckedFile, limit: Limit) -> Outcome:
    """Hold luma against EBU R 103, −1 % to 103 %, in every pixel of the programme."""
    wanted = "luma from −1 % to 103 %"
    pictures = file.measurement.pictures
    return _within_r103(file, limit, pictures.luma_out, wanted, {"most": round(pictures.luma_most, 5)})


def gamut(file: CheckedFile, limit: Limit) -> Outcome:
    """Hold R′G′B′ against EBU R 103, −5 % to 105 %, in every pixel of the programme."""
    pictures = file.measurement.pictures
    ends = {"rgb_min": round(pictures.rgb_lowest, 3), "rgb_max": round(pictures.rgb_highest, 3)}
    return _within_r103(file, limit, pictures.gamut, "R′G′B′ from −5 % to 105 %", ends)


def _within_r103(
    file: CheckedFile, limit: Limit, spans: Sequence[FrameSpan], wanted: str, ends: dict[str, float]
) -> Outcome:
    if is_hdr(file.delivery.format.encoding.transfer):
        return Outcome(None, None, NOT_CHECKED, "EBU R 103 is of standard dynamic range")
    inside = [span for span in spans if limit.is_beyond(100 * span.figure) and file.in_programme(span.first, span.last)]
    most = max((span.figure for span in inside), default=0.0)
    results = {"area": round(most, 5), **ends}
    least = 100.0 if limit.least is None else limit.least
    wanted = f"{wanted} but for {least:g} % of the picture"
    if not inside:
        text = f"no picture of the programme has more than {least:g} % outside"
        return Outcome(wanted, results, PASSES, text)
    frames = sum(span.last - span.first for span in inside)
    text = f"up to {percent(most)} of the picture lies outside, in {frames} pictures; {limit_words(limit, ' %')}"
    places = [(span.first, span.last) for span in inside]
    return Outcome(wanted, results, by_limit(100 * most, limit), text, places)


def hdr(file: CheckedFile) -> Outcome:
    """Hold the declared transfer, MaxCLL and MaxFALL against what is wanted."""
    pictures, delivery = file.measurement.pictures, file.delivery
    transfer, wanted = file.clip.declared.transfer, delivery.format.encoding.transfer
    declared_hdr = transfer in ("hlg", "pq")
    if not is_hdr(wanted):
        text = (
            "standard dynamic range"
            if not declared_hdr
            else f"declared as {transfer}; standard dynamic range is wanted"
        )
        return Outcome(None, transfer if declared_hdr else None, agrees(not declared_hdr), text)
    results = {"transfer": transfer, "max_cll": round(pictures.max_cll or 0), "max_fall": round(pictures.max_fall or 0)}
    limits = {"max_cll": delivery.max_cll, "max_fall": delivery.max_fall}
    wanted_said = {"transfer": wanted, **{key: value for key, value in limits.items() if value is not None}}
    over = [key for key, limit in limits.items() if limit is not None and (results[key] or 0) > limit]  # type: ignore[operator]
    text = f"declared {transfer or 'nothing'}, MaxCLL {results['max_cll']}, MaxFALL {results['max_fall']} cd/m²"
    if transfer != wanted:
        return Outcome(wanted_said, results, FAILS, f"{text}; {wanted} is wanted")
    return Outcome(
        wanted_said, results, FAILS if over else PASSES, f"{text}; {', '.join(over)} too high" if over else text
    )


def black(file: CheckedFile, limit: Limit) -> Outcome:
    """Find black that lasts inside the programme."""
    breaks = [(item.first, item.last) for item in file.measurement.items if item.what == "break"]
    spans = [(part.first, part.last) for part in file.measurement.pictures.parts if part.what == "black"]
    return _held(file, limit, [span for span in spans if span not in breaks], "black", "never black for longer")


def freeze(file: CheckedFile, limit: Limit) -> Outcome:
    """Find pictures that are held inside the programme."""
    spans = [(stay.first, stay.last) for stay in file.measurement.pictures.frozen]
    return _held(file, limit, spans, "nothing moves", "something moves all the time")


def _held(file: CheckedFile, limit: Limit, spans: Iterable[tuple[int, int]], what: str, never: str) -> Outcome:
    """Return what comes of something that may not last longer inside the programme; `never` says that it does not."""
    first, last = file.measurement.programme
    long = [(a, b) for a, b in spans if a >= first and b <= last and limit.is_beyond(float((b - a) / file.rate))]
    longest = float(max((b - a for a, b in long), default=0) / file.rate)
    wanted = f"{what} inside the programme: {limit_words(limit, ' s')}"
    if not long:
        return Outcome(wanted, 0.0, PASSES, never)
    text = f"{what} {times(len(long))}, for up to {longest:.1f} s; {limit_words(limit, ' s')}"
    return Outcome(wanted, round(longest, 2), by_limit(longest, limit), text, long)


def repeats(file: CheckedFile, limit: Limit) -> Outcome:
    """Count pictures that repeat the one before where nothing asks for it."""
    pictures = file.measurement.pictures
    still = sum(part.frames for part in pictures.parts if part.what != "moving")
    single = max(0, pictures.repeats - still)
    share = single / max(1, pictures.frames)
    wanted = "no picture twice but for a cadence or where nothing moves"
    held = any(run.cadence for run in pictures.fields) or file.delivery.cadence
    verdict = PASSES if held else by_limit(100 * share, limit)
    text = f"{single} pictures repeat the one before" + (
        f", and {pictures.damaged} could not be decoded" if pictures.damaged else ""
    )
    return Outcome(wanted, round(share, 5), FAILS if pictures.damaged else verdict, text)


def flash(file: CheckedFile, limit: Limit) -> Outcome:
    """Find flashes beyond BT.1702 and lasting patterns in the programme."""
    pictures = file.measurement.pictures
    spells = [spell for spell in pictures.flashes if file.in_programme(spell.first, spell.last + 1)]
    patterns = [
        stay
        for stay in pictures.patterns
        if file.in_programme(stay.first, stay.last) and limit.is_beyond(float((stay.last - stay.first) / file.rate))
    ]
    results = {
        "flashes_a_second": pictures.most_flashes,
        "red_flashes_a_second": pictures.most_reds,
        "patterns": len(patterns),
    }
    wanted = f"at the most {MOST} flashes a second over a quarter of the picture, no lasting pattern"
    if is_hdr(file.delivery.format.encoding.transfer) and not spells and not patterns:
        return Outcome(wanted, results, PASSES, "no flashes beyond the limits, as the reference display shows them")
    texts = [
        f"{spell.kind}: {spell.count:g} a second over {percent(spell.area)} of the picture"
        + (f" for {(spell.last - spell.first) / float(file.rate):.1f} s" if spell.lasting else "")
        for spell in spells[:3]
    ]
    texts += [f"a pattern over {percent(pattern.figure)} of the picture" for pattern in patterns[:2]]
    spans = [(spell.first, spell.last + 1) for spell in spells] + [(span.first, span.last) for span in patterns]
    if any(not spell.lasting for spell in spells):
        return Outcome(wanted, results, FAILS, "; ".join(texts), spans)
    if spells:
        return Outcome(wanted, results, LOOK, f"{'; '.join(texts)}: flashes for more than 5 s", spans)
    if patterns:
        verdict = worst(by_limit(float((stay.last - stay.first) / file.rate), limit) for stay in patterns)
        return Outcome(wanted, results, verdict, "; ".join(texts), spans)
    return Outcome(
        wanted,
        results,
        PASSES,
        f"at the most {pictures.most_flashes:g} flashes a second, {pictures.most_reds:g} of them red",
    )

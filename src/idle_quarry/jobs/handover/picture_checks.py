"""What is checked of a file's wrapping and pictures."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from fractions import Fraction

from idle_quarry.jobs.handover.checks import (
    FAILS,
    LOOK,
    NOT_CHECKED,
    PASSES,
    Check,
    CheckedFile,
    agrees,
    by_limit,
    limit_words,
    times,
    worst,
)
from idle_quarry.jobs.handover.codec_known import differs, wrapped_as
from idle_quarry.media.whole.flashes import MOST
from idle_quarry.path.entries.delivery import DeliverySpec
from idle_quarry.path.grades import percent
from idle_quarry.path.registry import codecs
from idle_quarry.path.template import Delivery
from idle_quarry.signal.colour import is_hdr
from idle_quarry.signal.rates import rate_text

#: A field structure that holds for less than so many seconds at a cut is none.
_LEAST_S = 0.5


def picture_checks(checked_file: CheckedFile) -> Iterator[Check]:
    """Yield the checks of wrapping and pictures."""
    yield _container(checked_file)
    yield _codec(checked_file)
    yield from _format(checked_file)
    yield from _fields(checked_file)
    yield _aspect(checked_file)
    yield _active(checked_file)
    yield _range(checked_file)
    yield _gamut(checked_file)
    yield _hdr(checked_file)
    yield _black(checked_file)
    yield _freeze(checked_file)
    yield _repeats(checked_file)
    yield _flash(checked_file)


def wrapping(delivery: Delivery, spec: DeliverySpec | None) -> str:
    """Return the suffix that is wanted: the spec's wrapping, else the codec's first container."""
    return spec.wrapper if spec is not None and spec.wrapper else codecs()[delivery.codec].containers[0]


def _container(checked_file: CheckedFile) -> Check:
    wanted, found = (
        wrapping(checked_file.delivery, checked_file.spec),
        wrapped_as(checked_file.clip.declared, checked_file.path),
    )
    text = f"wrapped as {found}" + ("" if found == wanted else f"; {wanted} is wanted")
    return checked_file.check("container", wanted, found, agrees(found == wanted), text)


def _codec(checked_file: CheckedFile) -> Check:
    codec, declared = codecs()[checked_file.delivery.codec], checked_file.clip.declared
    found = f"{declared.codec}{f' {declared.profile}' if declared.profile else ''}"
    wrong, doubts = differs(codec, checked_file.delivery.format, declared, checked_file.found.size)
    verdict = FAILS if wrong else LOOK if doubts else PASSES
    return checked_file.check("codec", codec.name, found, verdict, "; ".join([*wrong, *doubts]) or found)


def _format(checked_file: CheckedFile) -> Iterator[Check]:
    declared, fmt = checked_file.clip.declared, checked_file.delivery.format
    wanted, found = f"{fmt.raster.width} × {fmt.raster.height}", f"{declared.width} × {declared.height}"
    kinds = checked_file.found.pictures.kinds
    same = wanted == found and len(kinds) < 2
    text = (
        found
        if same
        else f"{found}; {wanted} is wanted"
        if wanted != found
        else f"pictures change on the way: {', '.join(kinds)}"
    )
    yield checked_file.check("raster", wanted, found, agrees(same), text)
    rate = declared.rate
    said = rate_text(rate) if rate else "none"
    yield checked_file.check(
        "rate",
        rate_text(fmt.rate),
        said,
        agrees(rate == fmt.rate),
        said if rate == fmt.rate else f"{said}; {rate_text(fmt.rate)} is wanted",
    )


def _fields(checked_file: CheckedFile) -> Iterator[Check]:
    fmt, pictures = checked_file.delivery.format, checked_file.found.pictures
    runs = [run for run in pictures.fields if checked_file.in_programme(run.first, run.last)]
    runs = [run for run in runs if run.last - run.first >= _LEAST_S * checked_file.rate] or runs
    unknown = not runs or all(run.scan == "undetermined" for run in runs)
    wanted = "progressive" if fmt.scan in ("progressive", "psf") else "interlaced"
    found = ", ".join(dict.fromkeys(run.scan for run in runs)) or "undetermined"
    sure = f"{percent(pictures.confidence)} sure"
    if unknown:
        yield checked_file.check(
            "scan", fmt.scan, "undetermined", LOOK, "too little moves to tell fields from whole pictures"
        )
        yield checked_file.check(
            "field_order",
            fmt.field_order,
            None,
            LOOK if fmt.scan == "interlaced" else PASSES,
            "too little moves to tell the order of fields",
        )
    else:
        # whole pictures in an interlaced format are PsF: where fields are wanted somebody must look whether that is meant
        wrong = [(run.first, run.last) for run in runs if run.scan != wanted]
        whole = wanted == "interlaced" and all(run.scan in ("interlaced", "progressive") for run in runs)
        verdict = PASSES if not wrong else LOOK if whole else FAILS
        text = f"{found} throughout, {sure}" if not wrong else f"{found}; {fmt.scan} is wanted, {sure}"
        yield checked_file.check("scan", fmt.scan, found, verdict, text, wrong)
        orders = {run.field_order for run in runs if run.field_order}
        if fmt.scan == "interlaced":
            turned = [(run.first, run.last) for run in runs if run.field_order not in (None, fmt.field_order)]
            named = {"top": "upper field first", "bottom": "lower field first"}
            said = " and ".join(named[each] for each in sorted(orders)) or "no fields"
            order = FAILS if turned else PASSES
            text = f"{said}, {sure}" if not turned else f"{said}; {named[str(fmt.field_order)]} is wanted, {sure}"
            yield checked_file.check(
                "field_order", fmt.field_order, "/".join(sorted(orders)) or None, order, text, turned
            )
        else:
            yield checked_file.check(
                "field_order", None, "/".join(sorted(orders)) or None, PASSES, "whole pictures have no order of fields"
            )
    yield _cadence(checked_file, [(run.first, run.last, run.cadence) for run in runs])


def _cadence(checked_file: CheckedFile, runs: list[tuple[int, int, str | None]]) -> Check:
    wanted = checked_file.delivery.cadence or None
    found = list(dict.fromkeys(cadence for _, _, cadence in runs))
    wrong = [(first, last) for first, last, cadence in runs if cadence != wanted]
    said = ", ".join(each or "none" for each in found) or "none"
    text = f"cadence {said}" if not wrong else f"cadence {said}; {wanted or 'none'} is wanted"
    # a source shot at another rate is held by a cadence where the template asks for none: somebody must have meant it
    verdict = PASSES if not wrong else LOOK if wanted is None else FAILS
    return checked_file.check("cadence", wanted, said if found != [None] else None, verdict, text, wrong)


def _aspect(checked_file: CheckedFile) -> Check:
    raster, declared = checked_file.delivery.format.raster, checked_file.clip.declared
    wanted, found = Fraction(raster.display_aspect), declared.display_aspect
    near = abs(float(found / wanted) - 1) < 0.01 if wanted else False
    said = f"{float(found):.3f}"
    return checked_file.check(
        "aspect",
        f"{float(wanted):.3f}",
        said,
        agrees(near),
        f"shown {said} wide to 1 high" if near else f"shown {said} wide to 1 high; {float(wanted):.3f} is wanted",
    )


def _active(checked_file: CheckedFile) -> Check:
    raster, active = checked_file.delivery.format.raster, checked_file.found.pictures.active
    wanted = checked_file.delivery.active_format or "full frame"
    if active is None:
        return checked_file.check(
            "active_picture", wanted, None, LOOK, "all is black: where the picture lies cannot be told"
        )
    x, y, width, height = active
    found = {"x": x, "y": y, "width": width, "height": height}
    limit = checked_file.limit("edges")
    lacks = 100 * (1 - min(width / raster.width, height / raster.height))
    shape = float(raster.display_aspect) * (width / raster.width) / (height / raster.height)
    shapes = {"4:3 centre": 4 / 3, "14:9 centre": 14 / 9, "16:9 letterbox": 16 / 9}
    off = 100 * abs(shape / shapes[wanted] - 1) if wanted in shapes else lacks
    verdict = by_limit(off, limit)
    text = f"picture from {x}, {y}, {width} × {height}"
    return checked_file.check(
        "active_picture", wanted, found, verdict, text if verdict == PASSES else f"{text}; {wanted} is wanted"
    )


def _range(checked_file: CheckedFile) -> Check:
    pictures, wanted = checked_file.found.pictures, checked_file.delivery.format.encoding.range
    found = {
        "min": pictures.lowest,
        "max": pictures.highest,
        "below_black": round(pictures.below, 6),
        "above_white": round(pictures.above, 6),
    }
    unit = 1 << (pictures.bits - 8)
    text = f"codes {pictures.lowest} to {pictures.highest} at {pictures.bits} bits; {percent(pictures.below)} below black, {percent(pictures.above)} above white"
    if wanted != "narrow" or checked_file.delivery.format.encoding.matrix == "rgb":
        return checked_file.check("range", wanted, found, PASSES, text)
    full = (
        pictures.lowest < 8 * unit
        and pictures.highest > 244 * unit
        and pictures.below > 0.002
        and pictures.above > 0.002
    )
    if full:
        return checked_file.check("range", wanted, found, FAILS, f"{text}: that is full range")
    limit = checked_file.limit("levels")
    verdict = by_limit(100 * max(pictures.below, pictures.above), limit)
    if verdict != PASSES:
        text = f"{text} ({limit_words(limit, ' %')})"
    return checked_file.check("range", wanted, found, verdict, text)


def _gamut(checked_file: CheckedFile) -> Check:
    pictures, limit = checked_file.found.pictures, checked_file.limit("gamut")
    if is_hdr(checked_file.delivery.format.encoding.transfer):
        return checked_file.check("gamut", None, None, NOT_CHECKED, "EBU R 103 is of standard dynamic range")
    inside = [
        stay
        for stay in pictures.gamut
        if limit.is_beyond(100 * stay.figure) and checked_file.in_programme(stay.first, stay.last)
    ]
    most = max((stay.figure for stay in inside), default=0.0)
    found = {
        "area": round(most, 5),
        "rgb_min": round(pictures.rgb_lowest, 3),
        "rgb_max": round(pictures.rgb_highest, 3),
    }
    least = 100.0 if limit.least is None else limit.least
    wanted = f"R′G′B′ from −5 % to 105 % but for {least:g} % of the picture"
    if not inside:
        text = f"no picture of the programme has more than {least:g} % outside"
        return checked_file.check("gamut", wanted, found, PASSES, text)
    frames = sum(stay.last - stay.first for stay in inside)
    text = f"up to {percent(most)} of the picture lies outside, in {frames} pictures; {limit_words(limit, ' %')}"
    spans = [(stay.first, stay.last) for stay in inside]
    return checked_file.check("gamut", wanted, found, by_limit(100 * most, limit), text, spans)


def _hdr(checked_file: CheckedFile) -> Check:
    pictures, delivery = checked_file.found.pictures, checked_file.delivery
    transfer, wanted = checked_file.clip.declared.transfer, delivery.format.encoding.transfer
    declared_hdr = transfer in ("hlg", "pq")
    if not is_hdr(wanted):
        text = (
            "standard dynamic range"
            if not declared_hdr
            else f"declared as {transfer}; standard dynamic range is wanted"
        )
        return checked_file.check("hdr", None, transfer if declared_hdr else None, agrees(not declared_hdr), text)
    found = {"transfer": transfer, "max_cll": round(pictures.max_cll or 0), "max_fall": round(pictures.max_fall or 0)}
    limits = {"max_cll": delivery.max_cll, "max_fall": delivery.max_fall}
    wanted_said = {"transfer": wanted, **{key: value for key, value in limits.items() if value is not None}}
    over = [key for key, limit in limits.items() if limit is not None and (found[key] or 0) > limit]  # type: ignore[operator]
    text = f"declared {transfer or 'nothing'}, MaxCLL {found['max_cll']}, MaxFALL {found['max_fall']} cd/m²"
    if transfer != wanted:
        return checked_file.check("hdr", wanted_said, found, FAILS, f"{text}; {wanted} is wanted")
    return checked_file.check(
        "hdr", wanted_said, found, FAILS if over else PASSES, f"{text}; {', '.join(over)} too high" if over else text
    )


def _black(checked_file: CheckedFile) -> Check:
    breaks = [(item.first, item.last) for item in checked_file.found.items if item.what == "break"]
    spans = [(part.first, part.last) for part in checked_file.found.pictures.parts if part.what == "black"]
    return _held(checked_file, "black", "black", [span for span in spans if span not in breaks], "black")


def _freeze(checked_file: CheckedFile) -> Check:
    spans = [(stay.first, stay.last) for stay in checked_file.found.pictures.frozen]
    return _held(checked_file, "freeze", "frozen", spans, "nothing moves")


def _held(checked_file: CheckedFile, ident: str, limited: str, spans: Iterable[tuple[int, int]], said: str) -> Check:
    """Return the check of what may not last longer inside the programme."""
    first, last = checked_file.found.programme
    limit = checked_file.limit(limited)
    long = [
        (a, b) for a, b in spans if a >= first and b <= last and limit.is_beyond(float((b - a) / checked_file.rate))
    ]
    longest = float(max((b - a for a, b in long), default=0) / checked_file.rate)
    wanted = f"{said} inside the programme: {limit_words(limit, ' s')}"
    if not long:
        return checked_file.check(
            ident,
            wanted,
            0.0,
            PASSES,
            f"never {said} for longer" if ident == "black" else "something moves all the time",
        )
    text = f"{said} {times(len(long))}, for up to {longest:.1f} s; {limit_words(limit, ' s')}"
    return checked_file.check(ident, wanted, round(longest, 2), by_limit(longest, limit), text, long)


def _repeats(checked_file: CheckedFile) -> Check:
    pictures = checked_file.found.pictures
    still = sum(part.frames for part in pictures.parts if part.what != "moving")
    single = max(0, pictures.repeats - still)
    share = single / max(1, pictures.frames)
    wanted = "no picture twice but for a cadence or where nothing moves"
    held = any(run.cadence for run in pictures.fields) or checked_file.delivery.cadence
    verdict = PASSES if held else by_limit(100 * share, checked_file.limit("repeats"))
    text = f"{single} pictures repeat the one before" + (
        f", and {pictures.damaged} could not be decoded" if pictures.damaged else ""
    )
    return checked_file.check("repeats", wanted, round(share, 5), FAILS if pictures.damaged else verdict, text)


def _flash(checked_file: CheckedFile) -> Check:
    pictures = checked_file.found.pictures
    spells = [flash for flash in pictures.flashes if checked_file.in_programme(flash.first, flash.last + 1)]
    limit = checked_file.limit("patterns")
    patterns = [
        stay
        for stay in pictures.patterns
        if checked_file.in_programme(stay.first, stay.last)
        and limit.is_beyond(float((stay.last - stay.first) / checked_file.rate))
    ]
    found = {
        "flashes_a_second": pictures.most_flashes,
        "red_flashes_a_second": pictures.most_reds,
        "patterns": len(patterns),
    }
    wanted = f"at the most {MOST} flashes a second over a quarter of the picture, no lasting pattern"
    if is_hdr(checked_file.delivery.format.encoding.transfer) and not spells and not patterns:
        return checked_file.check(
            "flash", wanted, found, PASSES, "no flashes beyond the limits, as the reference display shows them"
        )
    said = [f"{spell.kind}: {spell.count:g} a second over {percent(spell.area)} of the picture" for spell in spells[:3]]
    said += [f"a pattern over {percent(pattern.figure)} of the picture" for pattern in patterns[:2]]
    spans = [(spell.first, spell.last + 1) for spell in spells] + [(span.first, span.last) for span in patterns]
    if spells:
        return checked_file.check("flash", wanted, found, FAILS, "; ".join(said), spans)
    if patterns:
        verdict = worst(by_limit(float((stay.last - stay.first) / checked_file.rate), limit) for stay in patterns)
        return checked_file.check("flash", wanted, found, verdict, "; ".join(said), spans)
    return checked_file.check(
        "flash",
        wanted,
        found,
        PASSES,
        f"at the most {pictures.most_flashes:g} flashes a second, {pictures.most_reds:g} of them red",
    )

"""Signal formats in words, both ways: "1080i25", "2160p50 hlg", "576i25 4:3"."""

from __future__ import annotations

import re
from dataclasses import replace
from enum import StrEnum
from fractions import Fraction
from typing import Any

from idle_quarry.errors import NotUnderstood
from idle_quarry.signal.colour import MATRICES, PRIMARIES, TRANSFERS
from idle_quarry.signal.formats import SAMPLINGS, Encoding, SignalFormat, format_to_json, standard_field_order
from idle_quarry.signal.rasters import (
    DEFAULT_WIDTHS,
    FOUR_THREE,
    LINE_CONVENTIONS,
    SIXTEEN_NINE,
    Raster,
    default_pixel_aspect,
    sd_pixel_aspect,
)
from idle_quarry.signal.rates import ASKED_RATES, NAMED_RATES, is_pulled, rate_from_text, rate_text, unmistakable_rate
from idle_quarry.signal.spoken import SeveralReadings, spelt_out

_HEAD = re.compile(r"(?:(\d{2,5})[x×])?(\d{2,5})(psf|p|i)/?(\d[\d./]*)", re.ASCII)
_SCAN_OF = {"p": "progressive", "i": "interlaced", "psf": "psf"}
_LETTER_OF = {scan: letter for letter, scan in _SCAN_OF.items()}
#: Frame rates that interlaced standards have (BT.601, ST 274), and the field rates people say for them.
_FRAMES_INTERLACED = {NAMED_RATES[name] for name in ("25", "29.97", "30")}
_FIELDS_INTERLACED = {2 * rate for rate in _FRAMES_INTERLACED}
_ASPECTS = {"4:3": FOUR_THREE, "16:9": SIXTEEN_NINE}
_ASPECT = re.compile(r"(\d{1,8}:\d{1,8})(?:=(\d{3}))?", re.ASCII)
#: A word → the parts of the encoding it says.
COLOUR_WORDS: dict[str, dict[str, str]] = {
    "bt601-525": {"primaries": "bt601-525", "transfer": "bt709", "matrix": "bt601"},
    "bt601-625": {"primaries": "bt601-625", "transfer": "bt709", "matrix": "bt601"},
    "bt709": {"primaries": "bt709", "transfer": "bt709", "matrix": "bt709"},
    "bt2020": {"primaries": "bt2020", "transfer": "bt709", "matrix": "bt2020"},
    "p3": {"primaries": "p3", "transfer": "gamma2.6", "matrix": "rgb"},
    "hlg": {"primaries": "bt2020", "transfer": "hlg", "matrix": "bt2020"},
    "pq": {"primaries": "bt2020", "transfer": "pq", "matrix": "bt2020"},
}
#: Two colour words that together say one thing.
_COLOUR_PAIRS = {
    frozenset({"hlg", "bt2020"}): COLOUR_WORDS["hlg"],
    frozenset({"pq", "bt2020"}): COLOUR_WORDS["pq"],
    frozenset({"pq", "p3"}): {"primaries": "p3", "transfer": "pq", "matrix": "bt2020"},
}
_DEPTHS = {f"{bits}bit": bits for bits in (8, 10, 12, 16)}
_KEYED = {"primaries": tuple(PRIMARIES), "transfer": tuple(TRANSFERS), "matrix": tuple(MATRICES)}


class Sixty(StrEnum):
    """What a bare 60 or 30 says: in a 59.94 Hz house 59.94 and 29.97, in words that were stored exactly that."""

    ASKED = "asked"
    PULLED = "59.94 Hz"
    EXACT = "exact"


def format_from_words(text: str, sixty: Sixty = Sixty.ASKED) -> SignalFormat:
    """Return the signal format written as `text`, in this program's words or as people say it ("PAL wide", "1080/50i").

    What is left out takes the standard's own value for the raster. Raises `NotUnderstood` for text that can be read in
    no way or in two (`spoken.SeveralReadings` with each reading), and `NotPossible` for a format that cannot be.

    >>> format_from_words("1080i50").rate
    Fraction(25, 1)
    >>> format_from_words("720p60", Sixty.PULLED).rate
    Fraction(60000, 1001)
    """
    if not text.strip():
        raise NotUnderstood("no format was given", remedy="write one such as 1080i25 or 2160p50 hlg")
    words = spelt_out(text, _is_word).split()
    match = _HEAD.fullmatch(words[0])
    if match is None:
        raise NotUnderstood("not a signal format", subject=repr(text), remedy="write one such as 1080i25")
    width_text, lines_text, letter, rate_word = match.groups()
    height = int(lines_text)
    if width_text is None and height not in DEFAULT_WIDTHS:
        raise NotUnderstood(
            f"{height} lines say nothing of the width", subject=repr(text), remedy=_widths_advice(words[0], height)
        )
    width = int(width_text) if width_text else DEFAULT_WIDTHS[height]
    if rate_word in ASKED_RATES and width not in _CINEMA_WIDTHS and sixty is not Sixty.EXACT:
        rate_word = _rate_meant(text, words, rate_word, sixty)
        words[0] = words[0].removesuffix(match[4]) + rate_word
    rate = _frames(_sure_rate(rate_word, words[0]), letter, words[0], rate_word)
    _refuse_unheard_of(height, width_text, letter, rate, text)
    optional_words = _OptionalWords(text)
    for word in words[1:]:
        optional_words.take(word)
    aspect, samples = optional_words.aspect
    if samples is not None:
        pixel_aspect = sd_pixel_aspect(height, aspect or FOUR_THREE, samples)
    else:
        pixel_aspect = default_pixel_aspect(width, height, aspect)
    raster = Raster(width, height, pixel_aspect)
    scan = _SCAN_OF[letter]
    if optional_words.field_order and scan == "progressive":
        raise NotUnderstood(
            "progressive pictures have no field order", subject=repr(text), remedy="leave out tff or bff"
        )
    order = None if scan == "progressive" else optional_words.field_order or standard_field_order(raster)
    return SignalFormat(raster, rate, scan, order, replace(default_encoding(raster), **optional_words.encoding()))


#: SMPTE ST 428-1: cinema has whole rates only.
_CINEMA_WIDTHS = (1998, 2048, 3996, 4096)


def _rate_meant(text: str, words: list[str], rate_word: str, sixty: Sixty) -> str:
    """Return the rate for which a bare 60 or 30 is said; raises `SeveralReadings` where nothing says it."""
    pulled = ASKED_RATES[rate_word]
    if sixty is Sixty.PULLED:
        return pulled
    stem, tail = words[0].removesuffix(rate_word), "".join(f" {word}" for word in words[1:])
    interlaced = stem.endswith("i")
    exact = "" if interlaced and stem[:-1] in _ONLY_PULLED else "30.00" if interlaced else f"{rate_word}.00"
    readings = [f"{stem}{'29.97' if interlaced else pulled}{tail}", *([f"{stem}{exact}{tail}"] if exact else [])]
    raise SeveralReadings(f"{rate_word} may mean {pulled} too", subject=repr(text), readings=tuple(readings))


def pulled_reading(text: str, fmt: SignalFormat) -> str:
    """Return the sentence that a 60 or 30 of a text was read as 59.94 or 29.97; "" where nothing was.

    >>> pulled_reading("720p60", format_from_words("720p60", Sixty.PULLED))
    "'720p60' is read as 720p59.94, as in every 59.94 Hz house; write 60.00 where exactly 60 is meant"
    """
    number = re.search(r"(?<![\d.,])(?:60|30)(?![\d.,/])", text)
    if number is None or not is_pulled(fmt.rate):
        return ""
    return (
        f"{text.strip()!r} is read as {format_words(fmt, fields=True)}, as in every 59.94 Hz house;"
        f" write {number[0]}.00 where exactly {number[0]} is meant"
    )


#: Lines whose interlaced standards have no whole rate (BT.601).
_ONLY_PULLED = ("480", "486")
#: Lines that interlaced standards have at a frame rate, and what lies beside what there is none of.
_INTERLACED_AT = {576: ("25",), 480: ("29.97", "30"), 486: ("29.97", "30")}


def _refuse_unheard_of(height: int, width: str | None, letter: str, rate: Fraction, text: str) -> None:
    """Raise `NotUnderstood` for interlaced pictures of lines or rates that no standard has, with their neighbours."""
    if letter != "i" or width is not None:
        return
    near = rate_text(rate)
    if height == 720:
        raise NotUnderstood(
            "720 lines are never interlaced (ST 296)",
            subject=repr(text),
            remedy=f"write 720p{rate_text(2 * rate)} or 1080i{near}",
        )
    rates = _INTERLACED_AT.get(height)
    if rates is not None and near not in rates:
        other = "576i25" if rate == 25 else "480i29.97"
        raise NotUnderstood(
            f"no standard has {height} lines at {near} frames a second",
            subject=repr(text),
            remedy=f"write {other} or {height}i{rates[0]}",
        )


#: A rate that lies this near a known one, a share of it, and is none is asked for.
_NEAR = Fraction(5, 100)


def _sure_rate(rate_word: str, head: str) -> Fraction:
    """Return a rate that is a known one, lies near none, or is written as a fraction."""
    rate = rate_from_text(rate_word)
    near = sorted(
        (name for name, known in NAMED_RATES.items() if abs(known - rate) < _NEAR * known),
        key=lambda name: abs(NAMED_RATES[name] - rate),
    )
    if rate in NAMED_RATES.values() or "/" in rate_word or rate.denominator == 1 or not near:
        return rate
    stem = head[: head.rindex(rate_word)]
    raise SeveralReadings(
        f"no standard has {rate_word} frames a second",
        subject=repr(head),
        readings=tuple(f"{stem}{unmistakable_rate(NAMED_RATES[name])}" for name in near[:3]),
    )


def default_encoding(raster: Raster) -> Encoding:
    """Return the encoding a raster's standard gives: BT.601 of 625 or 525 lines for SD, else BT.709."""
    system = {576: "bt601-625", 480: "bt601-525", 486: "bt601-525"}.get(raster.height)
    return Encoding(**COLOUR_WORDS[system]) if system and raster.width <= 768 else Encoding()  # type: ignore[arg-type]


def _frames(rate: Fraction, letter: str, head: str, rate_word: str) -> Fraction:
    """Return frames a second: interlaced rates that only a count of fields can be are halved."""
    stem = head[: head.rindex(rate_word)]
    if letter == "i":
        if rate in _FRAMES_INTERLACED:
            return rate
        if rate in _FIELDS_INTERLACED:
            return rate / 2
        raise NotUnderstood(
            f"no standard has interlaced pictures at {rate_text(rate)} frames or fields a second",
            subject=repr(head),
            remedy=f"write {stem}25, {stem}29.97 or {stem}30.00, or {stem[:-1]}p{rate_word} for whole pictures",
        )
    if letter == "psf" and rate > 30:
        half = rate_text(rate / 2)
        raise NotUnderstood(
            f"this reads as {rate_text(rate)} segments ({stem}{half}) or {rate_text(rate)} pictures a second "
            f"({stem[:-3]}p{rate_text(rate)}), and PsF has at most 30 pictures",
            subject=repr(head),
            remedy="write the one that is meant",
        )
    return rate


def _is_word(word: str) -> bool:
    try:
        _OptionalWords(word).take(word)
    except NotUnderstood:
        return False
    return True


class _OptionalWords:
    """The optional words of one text, refusing what is said twice and differently."""

    def __init__(self, text: str) -> None:
        self._text = text
        self._values: dict[str, tuple[object, str]] = {}
        self._colours: list[str] = []

    def take(self, word: str) -> None:
        aspect = _ASPECT.fullmatch(word)
        if word in _DEPTHS:
            self._say("bit_depth", _DEPTHS[word], word)
        elif word in SAMPLINGS:
            self._say("sampling", word, word)
        elif word in ("narrow", "full"):
            self._say("range", word, word)
        elif word in ("tff", "bff"):
            self._say("field_order", "top" if word == "tff" else "bottom", word)
        elif word in COLOUR_WORDS:
            if word not in self._colours:
                self._colours.append(word)
            if len(self._colours) > 1 and frozenset(self._colours) not in _COLOUR_PAIRS:
                raise NotUnderstood(
                    f"{self._colours[0]} and {word} contradict one another", subject=repr(self._text), remedy="keep one"
                )
        elif "=" in word and word.split("=", 1)[0] in _KEYED:
            key, value = word.split("=", 1)
            known = _KEYED[key]
            if value not in known:
                raise NotUnderstood(f"no such {key}", subject=repr(value), remedy="use " + ", ".join(known))
            self._say(key, value, word)
        elif aspect is not None:
            across, down = (int(part) for part in aspect[1].split(":"))
            if not across or not down:
                raise NotUnderstood("an aspect has two sides", subject=repr(word))
            samples = int(aspect[2]) if aspect[2] else None
            if samples is not None and samples not in {
                s for line_convention in LINE_CONVENTIONS.values() for s in line_convention
            }:
                raise NotUnderstood("a picture is counted over 702, 704, 711 or 720 samples", subject=repr(word))
            self._say("aspect", (Fraction(across, down), samples), word)
        else:
            raise NotUnderstood(
                f"{word!r} is no word of a signal format",
                subject=repr(self._text),
                remedy="use 4:3 16:9, tff bff, 8bit 10bit 12bit 16bit, 4:1:1 4:2:0 4:2:2 4:4:4, narrow full, "
                + " ".join(COLOUR_WORDS),
            )

    def _say(self, key: str, value: object, word: str) -> None:
        before = self._values.get(key)
        if before is not None and before[0] != value:
            raise NotUnderstood(
                f"{before[1]} and {word} contradict one another", subject=repr(self._text), remedy="keep one"
            )
        self._values[key] = (value, word)

    @property
    def aspect(self) -> tuple[Fraction | None, int | None]:
        value = self._values.get("aspect")
        return value[0] if value else (None, None)  # type: ignore[return-value]

    @property
    def field_order(self) -> str | None:
        value = self._values.get("field_order")
        return str(value[0]) if value else None

    def encoding(self) -> dict[str, Any]:
        """Return the parts of the encoding that were said."""
        parts: dict[str, Any] = {}
        if len(self._colours) == 2:
            parts.update(_COLOUR_PAIRS[frozenset(self._colours)])
        elif self._colours:
            parts.update(COLOUR_WORDS[self._colours[0]])
        for key in ("bit_depth", "sampling", "range", "primaries", "transfer", "matrix"):
            if key in self._values:
                parts[key] = self._values[key][0]
        return parts


def _widths_advice(head: str, height: int) -> str:
    widths = {858: ("2048",), 1716: ("4096",), 1920: ("1080",), 1350: ("1080",)}.get(height, ("1920",))
    return "write the width too: " + " or ".join(f"{width}x{head}" for width in widths)


def format_words(fmt: SignalFormat, *, fields: bool = False) -> str:
    """Return a format in words, with only what differs from the standard's own values.

    With `fields`, an interlaced rate is said both ways: "1080i25 (50 fields/s)".
    `format_from_words` reads back the same format.
    """
    raster, e = fmt.raster, fmt.encoding
    lines = (
        str(raster.height) if DEFAULT_WIDTHS.get(raster.height) == raster.width else f"{raster.width}x{raster.height}"
    )
    said_rate = rate_text if raster.width in _CINEMA_WIDTHS else unmistakable_rate
    words = [f"{lines}{_LETTER_OF[fmt.scan]}{said_rate(fmt.rate)}"]
    if fields and fmt.scan == "interlaced":
        words[0] += f" ({said_rate(fmt.rate * 2)} fields/s)"
    words += _aspect_words(raster)
    if fmt.field_order and fmt.field_order != standard_field_order(raster):
        words.append("tff" if fmt.field_order == "top" else "bff")
    default = default_encoding(raster)
    words += _colour_words(e, default)
    if e.bit_depth != 10:
        words.append(f"{e.bit_depth}bit")
    if e.sampling != "4:2:2":
        words.append(e.sampling)
    if e.range != "narrow":
        words.append(e.range)
    return " ".join(words)


def _aspect_words(raster: Raster) -> list[str]:
    convention = raster.convention
    if convention is not None:
        samples, aspect = convention
        word = "4:3" if aspect == FOUR_THREE else "16:9"
        return [word if samples == LINE_CONVENTIONS[raster.height][0] else f"{word}={samples}"]
    if raster.pixel_aspect == default_pixel_aspect(raster.width, raster.height) and raster.line_system is None:
        return []
    exact = raster.width * raster.pixel_aspect / raster.height
    if raster.width == 704 and raster.line_system is not None:
        for word, aspect in _ASPECTS.items():
            if default_pixel_aspect(raster.width, raster.height, aspect) == raster.pixel_aspect:
                return [word]
    return [f"{exact.numerator}:{exact.denominator}"]


def _colour_words(e: Encoding, default: Encoding) -> list[str]:
    parts = {"primaries": e.primaries, "transfer": e.transfer, "matrix": e.matrix}
    if parts == {"primaries": default.primaries, "transfer": default.transfer, "matrix": default.matrix}:
        return []
    for word, data in COLOUR_WORDS.items():
        if data == parts:
            return [word]
    for pair, data in _COLOUR_PAIRS.items():
        if data == parts:
            return sorted(pair, reverse=True)
    return [f"{key}={value}" for key, value in parts.items() if value != getattr(default, key)]


def described_format(fmt: SignalFormat) -> dict[str, Any]:
    """Return a format as documents for other programs have it: its stored form and its words."""
    return {**format_to_json(fmt), "words": format_words(fmt, fields=True)}

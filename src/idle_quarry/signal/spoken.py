"""Signal formats as the trade says them, in any order and spacing, brought into the words that `words` reads.

"PAL wide", "1080/50i", "HD 23.98p", "2K scope 24p", "1920x1080 59.94i". Each part of the text says lines, a raster,
scan, rate or the name of a family of formats; what they leave open is closed only where one reading is left.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction
from functools import partial

from idle_quarry.errors import NotUnderstood, QuarryError
from idle_quarry.signal.rasters import DEFAULT_WIDTHS
from idle_quarry.signal.rates import ASKED_RATES, NAMED_RATES, rate_from_text, rate_text, unmistakable_rate
from idle_quarry.signal.trade_names import lines_within, named_signal, shape_within

_NUMBER = r"\d{1,7}(?:\.\d+)?(?:/\d{1,7})?"
_WHOLE = re.compile(rf"(?:(\d{{2,5}})x)?(\d{{2,5}})(psf|p|i)/?({_NUMBER})", re.ASCII)
_RASTER = re.compile(r"(\d{2,5})x(\d{2,5})(psf|p|i)?", re.ASCII)
_NUMBER_SCAN = re.compile(rf"({_NUMBER})(psf|p|i)?", re.ASCII)
_LINES_RATE = re.compile(rf"(\d{{3,4}})/({_NUMBER})(psf|p|i)?", re.ASCII)
_SCAN_RATE = re.compile(rf"(psf|p|i)/?({_NUMBER})?", re.ASCII)
_HDR = re.compile(r"\bhdr\b")
#: A rate that is written with a comma.
_COMMA = re.compile(r"\b(?:23,97\d?|23,98|29,97|47,95\d?|59,94)\b", re.ASCII)
_TIDIED = (
    (re.compile(r"\(\s*\d[\d./]* fields/s\s*\)", re.ASCII), " "),
    (re.compile(r"[,;_]"), " "),
    (re.compile(r"(\d)\s*[x×]\s*(?=\d)", re.ASCII), r"\1x"),
    (re.compile(r"(\d+)[\s-]*bits?\b", re.ASCII), r"\1bit"),
    (re.compile(rf"({_NUMBER})\s*(?:fields/s|fields)(?!\S)", re.ASCII), r"\1i"),
    (re.compile(rf"({_NUMBER})\s*(?:fps|hz|frames/s|frames|pictures/s)(?!\S)", re.ASCII), r"\1"),
    (re.compile(r"\b(narrow|full)[\s-]+range\b"), r"\1"),
    (re.compile(r"\b(?:rec|bt|itu-r bt)[\s.-]*(709|2020)\b", re.ASCII), r"bt\1"),
    (re.compile(r"\b(upper|top) (field )?first\b"), "tff"),
    (re.compile(r"\b(lower|bottom) (field )?first\b"), "bff"),
    (re.compile(r"(?<=\d)\s*sf(?=[\s/]*\d)", re.ASCII), "psf"),
    (re.compile(r"\bprogressive\b"), "p"),
    (re.compile(r"\binterlaced\b"), "i"),
    (re.compile(r"\bfull[\s-]hd\b|\bfhd\b"), "hd"),
    (re.compile(r"\bultra[\s-]hd\b"), "uhd"),
    (re.compile(r"\b(pal|ntsc|sd|uhd|hd|2k|4k|8k|dci)[\s/-]*(?=\d)", re.ASCII), r"\1 "),
)
_WIDE = ("wide", "widescreen", "anamorphic")
_SHAPES = ("full", "flat", "scope")
_COLOURS = ("p3",)
_FAMILIES = ("pal", "ntsc", "sd", "hd", "uhd", "2k", "4k", "8k", "dci")
_CINEMA = {
    ("2k", "full"): (2048, 1080), ("2k", "flat"): (1998, 1080), ("2k", "scope"): (2048, 858),
    ("4k", "full"): (4096, 2160), ("4k", "flat"): (3996, 2160), ("4k", "scope"): (4096, 1716),
}  # fmt: skip
_FIFTY = (Fraction(25), Fraction(50))
_SIXTY = (NAMED_RATES["29.97"], NAMED_RATES["59.94"])
#: Rates that are offered where none was said, by scan.
_OFFERED = {"i": ("25", "29.97"), "p": ("25", "50", "29.97", "59.94", "23.976", "24"), "psf": ("25", "29.97", "23.976")}
_SD = (480, 486, 576)


class SeveralReadings(NotUnderstood):
    """A format that can be read in several ways, or nearly so: each reading in words, ready to be taken."""

    def __init__(self, what: str, *, subject: str, readings: tuple[str, ...]) -> None:
        self.readings = readings
        offer = f"write {' or '.join(readings)}" if readings else ""
        super().__init__(what, subject=subject, remedy=offer)


@dataclass
class _SpokenParts:
    """What the parts of one text say; a thing said twice and differently is refused."""

    text: str
    size: tuple[int, int] | None = None
    lines: int | None = None
    scan: str | None = None
    rate: str | None = None
    families: list[str] = field(default_factory=list)
    shape: str | None = None
    rest: list[str] = field(default_factory=list)

    def say(self, **parts: object) -> None:
        for name, value in parts.items():
            before = getattr(self, name)
            if before is not None and before != value:
                shown = (f"{v[0]}x{v[1]}" if isinstance(v, tuple) else str(v) for v in (before, value))
                raise NotUnderstood(
                    f"{' and '.join(shown)} contradict one another", subject=repr(self.text), remedy="keep one"
                )
            setattr(self, name, value)

    @property
    def tail(self) -> str:
        return "".join(f" {word}" for word in self.rest)


def spelt_out(text: str, is_word: Callable[[str], bool] = lambda _word: True) -> str:
    """Return a format as `words` writes it, made of what was said as people say it.

    `is_word` tells the words that may stand behind lines, scan and rate. Raises `SeveralReadings` where it can be read
    in several ways or in none, and `NotUnderstood` where it contradicts itself.

    >>> spelt_out("PAL anamorphic"), spelt_out("2K scope 24p"), spelt_out("720 59.94p")
    ('576i25 16:9', '2048x858p24', '720p59.94')
    """
    tidy = named_signal(text.strip().lower(), partial(_several_signals, text))
    tidy = _COMMA.sub(lambda match: match[0].replace(",", "."), tidy)
    for pattern, into in _TIDIED:
        tidy = pattern.sub(into, tidy)
    _ask_within(text, tidy)
    tidy, is_hdr = _HDR.subn(" ", tidy)
    heard = _SpokenParts(text)
    for word in tidy.split():
        _hear(heard, word)
    if heard.size is None and heard.lines is None and not heard.families and not all(map(is_word, heard.rest)):
        raise _nothing(heard)
    words = _resolved(heard)
    if is_hdr and not {"hlg", "pq"} & set(heard.rest):
        raise SeveralReadings(
            "HDR is one of two transfers", subject=repr(text), readings=(f"{words} hlg", f"{words} pq")
        )
    return words


def _ask_within(text: str, tidy: str) -> None:
    """Raise `SeveralReadings` for a cinema's shape inside lines of television: the signal has all the lines."""
    match = shape_within(tidy)
    if match is None:
        return
    width, lines = (3840, 2160) if match[2] in ("uhd", "2160") else (1920, 1080)
    rest = tidy.replace(match[0], " ")
    try:
        readings: tuple[str, ...] = (spelt_out(rest),)
    except SeveralReadings as several:
        readings = several.readings
    raise SeveralReadings(
        f"{match[1]} fills {width} × {lines_within(match[1], width)} within {lines} lines; the signal has all of them",
        subject=repr(text),
        readings=readings,
    )


def _several_signals(text: str, readings: tuple[str, ...]) -> SeveralReadings:
    return SeveralReadings("this name is several signals", subject=repr(text), readings=readings)


def _nothing(heard: _SpokenParts) -> NotUnderstood:
    return NotUnderstood(
        "not a signal format",
        subject=repr(heard.text),
        remedy="write lines, p, i or psf, and frames a second, such as 1080i25",
    )


def _hear(heard: _SpokenParts, word: str) -> None:
    if word in _COLOURS:  # P3 is no rate
        heard.rest.append(word)
    elif match := _WHOLE.fullmatch(word):
        width, lines, scan, rate = match.groups()
        heard.say(scan=scan, rate=rate, **_size(width, lines))
    elif match := _RASTER.fullmatch(word):
        width, lines, scan = match.groups()
        heard.say(**_size(width, lines), **({"scan": scan} if scan else {}))
    elif (match := _LINES_RATE.fullmatch(word)) and int(match[1]) in DEFAULT_WIDTHS:
        heard.say(lines=int(match[1]), rate=match[2], **({"scan": match[3]} if match[3] else {}))
    elif match := _NUMBER_SCAN.fullmatch(word):
        number, scan = match.groups()
        is_lines = number.isdigit() and int(number) > 120
        heard.say(**({"lines": int(number)} if is_lines else {"rate": number}), **({"scan": scan} if scan else {}))
    elif match := _SCAN_RATE.fullmatch(word):
        heard.say(scan=match[1], **({"rate": match[2]} if match[2] else {}))
    elif word in _FAMILIES:
        heard.families.append(word)
    elif word in _SHAPES[1:]:
        heard.say(shape=word)
    else:
        heard.rest.append(word)


def _size(width: str | None, lines: str) -> dict[str, object]:
    return {"size": (int(width), int(lines))} if width else {"lines": int(lines)}


def _resolved(heard: _SpokenParts) -> str:
    texts = set(heard.families)
    if not (texts or heard.size or heard.lines or heard.rate or heard.scan):
        raise _open(heard, []) if heard.rest else _nothing(heard)
    _cinema_shape(heard, texts)
    system = _system(heard, texts)
    sizes = _sizes(heard, texts, system)
    _widened(heard, sizes)
    if system:
        return _of_system(heard, system, sizes)
    if heard.rate is None or len(sizes) > 1 or not sizes:
        raise _open(heard, sizes)
    scans = [heard.scan] if heard.scan else _scans(sizes[0], heard.rate)
    if len(scans) == 1:
        return _written(sizes[0], scans[0], heard.rate) + heard.tail
    readings = tuple(_written(sizes[0], scan, _frames(scan, heard.rate)) + heard.tail for scan in scans)
    raise SeveralReadings(f"this can be read in {len(readings)} ways", subject=repr(heard.text), readings=readings)


def _cinema_shape(heard: _SpokenParts, texts: set[str]) -> None:
    """Take "full" for a container beside 2K, 4K or DCI; elsewhere it is a range of codes."""
    if "full" in heard.rest and texts & {"2k", "4k", "dci"} and "uhd" not in texts:
        heard.rest.remove("full")
        heard.say(shape="full")
    if heard.shape and not texts & {"2k", "4k"}:
        readings = tuple(f"{w}x{h}" for (_, shape), (w, h) in _CINEMA.items() if shape == heard.shape)
        raise NotUnderstood(
            f"{heard.shape} is a shape of 2K and 4K",
            subject=repr(heard.text),
            remedy=f"say which: {' or '.join(readings)}",
        )


def _system(heard: _SpokenParts, texts: set[str]) -> str | None:
    """Return "pal" or "ntsc" where one of them alone says the raster."""
    named = texts & {"pal", "ntsc"}
    if len(named) == 2:
        raise SeveralReadings("PAL and NTSC are two things", subject=repr(heard.text), readings=("576i25", "480i29.97"))
    if not named or heard.size or texts & {"hd", "uhd", "2k", "4k", "8k", "dci"}:
        return None
    lines = heard.lines
    return next(iter(named)) if lines is None or lines in _SD else None


def _sizes(heard: _SpokenParts, texts: set[str], system: str | None) -> list[tuple[int, int]]:
    """Return the rasters that what was said can mean; 0 for a width that follows from the lines."""
    if heard.size:
        return [heard.size]
    if heard.lines is not None:
        if texts & {"2k", "4k"} and heard.lines in (858, 1080, 1716, 2160):
            matching = [size for (k, _), size in _CINEMA.items() if k in texts and size[1] == heard.lines]
            if heard.shape:
                matching = [_CINEMA[k, heard.shape] for k in ("2k", "4k") if k in texts]
            return matching[:1] if "uhd" not in texts else [(0, heard.lines)]
        return [(0, heard.lines)]
    if system:
        return [(0, 576 if system == "pal" else 480)]
    if "8k" in texts:
        return [(0, 4320)]
    if "uhd" in texts:
        return [(0, 2160)]
    if "2k" in texts or ("4k" in texts and ("dci" in texts or heard.shape)):
        return [_CINEMA["2k" if "2k" in texts else "4k", heard.shape or "full"]]
    if "4k" in texts:
        return [(0, 2160), _CINEMA["4k", "full"]]
    if "dci" in texts:
        return [_CINEMA["2k", "full"], _CINEMA["4k", "full"]]
    if "hd" in texts:
        return [(0, 1080)]
    if "sd" in texts:
        return _sd_lines(heard)
    return []


def _sd_lines(heard: _SpokenParts) -> list[tuple[int, int]]:
    rate = _rate(heard)
    by_rate = [(0, lines) for lines, rates in ((576, _FIFTY), (480, _SIXTY)) if rate in rates]
    return by_rate or [(0, 576), (0, 480)]


def _rate(heard: _SpokenParts) -> Fraction | None:
    return None if heard.rate is None else rate_from_text(heard.rate)


def _widened(heard: _SpokenParts, sizes: list[tuple[int, int]]) -> None:
    """Take "wide" and "anamorphic" for 16:9 where lines do not say it: in SD."""
    wide = [word for word in heard.rest if word in _WIDE]
    if wide and sizes and all(lines in _SD for _, lines in sizes):
        heard.rest = [word for word in heard.rest if word not in wide]
        if "16:9" not in heard.rest:
            heard.rest.append("16:9")


def _of_system(heard: _SpokenParts, system: str, sizes: list[tuple[int, int]]) -> str:
    """Return PAL or NTSC in words: fields at their own rate, unless whole pictures are said."""
    frames, fields = _FIFTY if system == "pal" else _SIXTY
    if system == "ntsc" and heard.rate in ASKED_RATES:  # NTSC is at no other rate
        heard.rate = ASKED_RATES[heard.rate]
    size, rate, name = sizes[0], _rate(heard), system.upper()
    if heard.scan is None:
        if rate in (None, frames):
            return _written(size, "i", rate_text(frames)) + heard.tail
    elif heard.scan == "i":
        if rate in (None, frames, fields):
            return _written(size, "i", rate_text(frames)) + heard.tail
    elif rate == frames or (rate == fields and heard.scan == "p"):
        return _written(size, heard.scan, rate_text(rate)) + heard.tail
    both = (_written(size, "i", rate_text(frames)), _written(size, "p", rate_text(fields)))
    if rate == fields or (rate is None and heard.scan):
        whole = _written(size, heard.scan or "p", rate_text(frames))
        readings = both if heard.scan is None else (whole, both[1]) if heard.scan == "p" else (whole,)
        why = "this can be read in two ways"
    else:
        readings = both
        why = (
            f"{name} is {size[1]} lines at {rate_text(frames)} frames or {rate_text(fields)} fields a second, not"
            f" {heard.rate}"
        )
    raise SeveralReadings(why, subject=repr(heard.text), readings=tuple(reading + heard.tail for reading in readings))


def _scans(size: tuple[int, int], rate: str) -> list[str]:
    """Return the scans that standards have for lines at a rate, most usual first."""
    width, lines = size
    exact = rate_from_text(rate)
    plain = width == 0 or (width, lines) in ((1920, 1080), (720, 576), (720, 480), (720, 486))
    frames, fields = {NAMED_RATES[n] for n in ("25", "29.97", "30")}, {NAMED_RATES[n] for n in ("50", "59.94", "60")}
    results = ["i"] if plain and lines in (*_SD, 1080) and exact in frames | fields else []
    results.append("p")
    if plain and lines == 1080 and exact <= 30:
        results.append("psf")
    return results


def _frames(scan: str, rate: str) -> str:
    """Return frames a second where a rate above 30 says fields; a rate that is said for another stays as it is said."""
    exact = rate_from_text(rate)
    if scan != "i" or exact <= 30:
        return rate
    return "30" if rate == "60" else unmistakable_rate(exact / 2)


def _open(heard: _SpokenParts, sizes: list[tuple[int, int]]) -> SeveralReadings:
    """Return the refusal of what lacks lines, or a rate, or one raster of several, with readings to take."""
    missing = (
        "lines are missing"
        if not sizes
        else "the rate is missing"
        if heard.rate is None
        else "two rasters have this name"
    )
    scan = heard.scan
    if not sizes:
        fielded = scan == "i"
        usual = (1080, 576 if _rate(heard) in _FIFTY else 480) if fielded else (1080, 2160, 720)
        sizes = [(0, lines) for lines in usual]
    readings: list[str] = []
    for size in sizes:
        for name in (
            [scan]
            if scan
            else ["i", "p"]
            if size[1] in (1080, *_SD) and heard.rate is None
            else _some_scan(size, heard)
        ):
            rates = _OFFERED[name][:2] if len(sizes) > 1 or scan is None else _OFFERED[name]
            if size[1] in _SD and name == "i":  # BT.601 has one rate for each count of lines
                rates = ("25",) if size[1] == 576 else ("29.97",)
            for rate in [_frames(name, heard.rate)] if heard.rate else rates:
                readings.append(_written(size, name, rate) + heard.tail)
    return SeveralReadings(missing, subject=repr(heard.text), readings=tuple(dict.fromkeys(readings))[:6])


def _some_scan(size: tuple[int, int], heard: _SpokenParts) -> list[str]:
    try:
        return _scans(size, heard.rate) if heard.rate else ["p"]
    except QuarryError:
        return ["p"]


def _written(size: tuple[int, int], scan: str, rate: str) -> str:
    width, lines = size
    return f"{f'{width}x' if width else ''}{lines}{scan}{rate}"
